# What a search found.

new_scouting <- function(search, state, file) {
  fits <- state$fits[order(state$fits$trial, state$fits$share, state$fits$fold), ]
  rownames(fits) <- NULL
  full <- rung_losses(fits, search$rungs[nrow(search$rungs), ])
  check_any_done(length(full), "trial")
  b <- search$brief
  structure(
    list(
      trials = scouting_trials(search, state, fits), fits = fits, settings = names(search$space), space = search$space,
      rows = state$rows, best = as.integer(names(full)[which.min(full)]), own = 1L, stopped = state$stopped,
      expected = expected_of_search(search, fits), where = search$where, evaluate = search$evaluate, k = search$k,
      repeats = search$repeats, folds = search$folds,
      primary = loss_name(target_of(b)), brief = b, base = search$base, target = b$target, task = b$task, file = file
    ),
    class = "hylomath_scouting"
  )
}

# What the winner may be expected to gain, see gain_of_best(); out of fold and by folds.
expected_of_search <- function(search, fits) {
  if (search$evaluate == "validation") return(NULL)
  losses <- tapply(fits$loss, list(fits$trial, fits$fold), mean)
  gain_of_best(losses, match("1", rownames(losses)), mean(fits$rows / fits$training))
}

# A row a trial, those that were evaluated in full first, the best on top.
scouting_trials <- function(search, state, fits) {
  evaluated <- unique(fits$trial)
  trials <- cbind(
    data.frame(trial = evaluated, origin = state$origin[evaluated]), state$rows[evaluated, , drop = FALSE]
  )
  if (any(is_wiring_setting(names(search$space)))) {
    wiring_of <- function(t) trial_brief(search, state$rows, t)$wiring
    trials$wiring <- vapply(evaluated, wiring_of, "")
  }
  trials <- cbind(trials, do.call(rbind, lapply(evaluated, function(t) trial_figures(fits, t, search))))
  trials <- trials[order(!trials$whole, -trials$folds, trials$mean), ]
  rownames(trials) <- NULL
  trials
}

# What is known of a trial from its highest rung, and how far it is from the brief's own settings on the same folds.
trial_figures <- function(fits, trial, search, level = 0.95) {
  own <- fits[fits$trial == trial, ]
  own <- own[own$share == max(own$share), ]
  first <- fits[fits$trial == 1 & fits$share == max(own$share), ]
  apart <- own$loss - first$loss[match(own$fold, first$fold)]
  n <- nrow(own)
  whole <- n == search$folds && max(own$share) == 1
  compared <- whole && n > 1 && trial != 1
  half <- if (compared) stats::qt((1 + level) / 2, n - 1) * stats::sd(apart) * overlap_factor(own) else NA_real_
  data.frame(
    mean = mean(own$loss), sd = if (n > 1) stats::sd(own$loss) else NA_real_,
    difference = if (trial == 1) NA_real_ else mean(apart), low = mean(apart) - half, high = mean(apart) + half,
    folds = n, whole = whole, parameters = own$parameters[1], epochs = mean(own$epochs), seconds = mean(own$seconds)
  )
}

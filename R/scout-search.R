# The search itself, in rounds.

# Trials evaluated so far and why the search ended: list(rows (a row of settings a trial), origin, fits, stopped).
# Everything follows from the search and the fits, in rounds; a fit that the store holds is not done again.
run_search <- function(search, store, budget, seconds, report) {
  began <- proc.time()[["elapsed"]]
  tried <- if (in_space(search, search$own)) row_keys(search$own) else character()
  state <- list(rows = search$own, origin = "own", fits = no_fits(), tried = tried, round = 0, stopped = NULL)
  if (blends(search$brief, search$evaluate) && evaluate_blend(search, store, report)) return(
    with_end(state, "interrupted")
  )
  while (is.null(state$stopped)) {
    room <- budget - nrow(state$rows)
    if (state$round > 0 && room <= 0) return(with_end(state, "budget"))
    if (state$round > 0 && proc.time()[["elapsed"]] - began >= seconds) return(with_end(state, "seconds"))
    former <- state$round
    state <- tryCatch(
      next_round(search, state, store, room, report),
      interrupt = function(e) with_end(state, "interrupted")
    )
    report(round_event(search, state, budget, new = state$round > former))
  }
  state
}

# Before anything is tried: that there is something to try.
check_any_settings <- function(search) {
  found <- first_rows(search, first_trials(search), character())
  if (nrow(found$rows) > 0) return()
  if (!is.null(found$refusal)) fail("No setting within these bounds is valid.", found$refusal)
  fail("`where` leaves no settings to try.")
}

round_event <- function(search, state, budget, new) {
  trials <- nrow(state$rows)
  list(
    event = "round", round = state$round, new = new, trials = trials, budget = budget,
    last = trials >= budget || !is.null(state$stopped), best = best_so_far(search, state),
    primary = loss_name(target_of(search$brief))
  )
}

next_round <- function(search, state, store, room, report) {
  first <- state$round == 0
  found <- if (first) {
    first_rows(search, min(room, first_trials(search)), state$tried)
  } else {
    next_rows(search, known_losses(search, state), min(room, search$at_once), state$tried, state$round)
  }
  if (nrow(found$rows) == 0 && !first) return(with_end(state, "exhausted"))
  new <- nrow(state$rows) + seq_len(nrow(found$rows))
  state$tried <- c(state$tried, row_keys(found$rows))
  state$rows <- rbind(state$rows, found$rows)
  rownames(state$rows) <- NULL
  state$origin <- c(state$origin, rep(if (first) "filling" else "model", length(new)))
  state$round <- state$round + 1
  climb(search, state, if (first) c(1L, new) else new, store, report)
}

with_end <- function(state, stopped) utils::modifyList(state, list(stopped = stopped))

# Takes trials up the rungs, all of a rung at once.
climb <- function(search, state, trials, store, report) {
  briefs <- lapply(trials, function(t) trial_brief(search, state$rows, t))
  names(briefs) <- trials
  for (r in seq_len(nrow(search$rungs))) {
    if (length(trials) == 0) break
    rung <- search$rungs[r, ]
    todo <- expand.grid(fold = seq_len(rung$folds), trial = trials)
    done <- paste(state$fits$trial, state$fits$fold, state$fits$share)
    todo <- todo[!paste(todo$trial, todo$fold, rung$epochs) %in% done, , drop = FALSE]
    state <- evaluate_trials(search, state, todo, rung$epochs, briefs, store, report)
    if (identical(state$stopped, "interrupted")) return(state)
    losses <- rung_losses(state$fits, rung)
    better <- as.integer(names(losses)[rank(losses, ties.method = "first") <= ceiling(length(losses) / 2)])
    trials <- trials[trials == 1 | trials %in% better]
  }
  state
}

# The fits that are to be done, of trials and folds in `todo`; those that the store holds are not done again.
evaluate_trials <- function(search, state, todo, share, briefs, store, report) {
  if (nrow(todo) == 0) return(state)
  key <- function(i) trial_key(search, state, todo$trial[i])
  known <- lapply(seq_len(nrow(todo)), function(i) store$find(key(i), todo$fold[i], share))
  missing <- which(vapply(known, is.null, NA))
  interrupted <- FALSE
  if (length(missing)) {
    keep <- function(j, result) {
      i <- missing[j]
      known[[i]] <<- fit_row(todo$trial[i], todo$fold[i], share, result)
      store$add(key(i), known[[i]])
    }
    within <- sprintf("round %d", as.integer(state$round))
    tell <- function(event) report(c(event, list(within = within)))
    jobs <- trial_jobs(search, todo[missing, ], share, briefs)
    interrupted <- attr(run_jobs(search$brief$table, jobs, "fit", tell, keep), "interrupted")
  }
  found <- which(!vapply(known, is.null, NA))
  rows <- lapply(found, function(i) utils::modifyList(known[[i]], list(trial = todo$trial[i])))
  state$fits <- do.call(rbind, c(list(state$fits), rows))
  if (interrupted) state$stopped <- "interrupted"
  state
}

trial_jobs <- function(search, todo, share, briefs) {
  plans <- lapply(briefs[as.character(unique(todo$trial))], function(b) {
    b$regimen$epochs <- ceiling(share * with_patience(b$regimen)$epochs)
    fold_plan(b, search$k, search$repeats, search$by)
  })
  lapply(seq_len(nrow(todo)), function(i) {
    list(plan = plans[[as.character(todo$trial[i])]], fold = todo$fold[i], want = "loss")
  })
}

trial_key <- function(search, state, trial) if (trial == 1) "own" else row_keys(state$rows[trial, , drop = FALSE])

# What the surrogate learns from: every trial's loss in full, or what a lower rung lets expect of it by how much the
# trials that went on changed from there.
known_losses <- function(search, state) {
  last <- nrow(search$rungs)
  by_rung <- lapply(seq_len(last), function(r) rung_losses(state$fits, search$rungs[r, ]))
  estimate <- rep(NA_real_, nrow(state$rows))
  noisier <- rep(1, nrow(state$rows))
  full <- by_rung[[last]]
  for (r in seq_len(last)) {
    both <- intersect(names(full), names(by_rung[[r]]))
    shift <- mean(full[both] - by_rung[[r]][both])
    at <- as.integer(names(by_rung[[r]]))
    estimate[at] <- by_rung[[r]] + if (is.finite(shift)) shift else 0
    rung <- search$rungs[r, ]
    noisier[at] <- search$folds / (rung$folds * rung$epochs)
  }
  # losses far above the middle say little more than "bad"
  middle <- stats::median(estimate[is.finite(estimate)])
  top <- middle + 3 * (middle - min(estimate, na.rm = TRUE)) + 1e-12
  estimate <- pmin(estimate, top)
  # a blend has no place among the settings
  use <- !is.na(estimate) & rowSums(!is.na(state$rows)) > 0
  list(rows = state$rows[use, , drop = FALSE], loss = estimate[use], noisier = noisier[use])
}

best_so_far <- function(search, state) {
  losses <- rung_losses(state$fits, search$rungs[nrow(search$rungs), ])
  if (length(losses)) min(losses) else NA_real_
}

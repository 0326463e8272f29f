#' Search for better settings
#'
#' Which wiring and regimen does a table like? A search starts with the brief's own settings and a few that fill the space evenly, and goes
#' on with those of which the trials so far promise most (a Gaussian process with expected improvement). Trials are judged on the
#' brief's training and validation rows; the test rows have no part in it.
#'
#' @param b A brief.
#' @param ... The settings to search, each with [bounds()] for bounds or with a vector of values: `layers`; `units` (of every hidden
#'   layer) or `units_1`, `units_2` and so on; `activation`; `dropout` (behind every hidden layer); and any key of the brief's `regimen`
#'   or `prepare`, by its last word or in full, or whole `wiring`s. Without any the search goes over what usually matters: layers, units,
#'   activation and `l2`, and for more than 1,000 training rows dropout and the learning rate.
#' @param budget The number of trials, the brief's own among them.
#' @param seconds No round is begun after so many seconds. What comes of it then depends on the machine's speed.
#' @param judge `"folds"`, or `"validation"` for the brief's own validation rows: k times as quick, and as much noisier.
#' @param k,by,progress See [folds()].
#' @param repeats How often the rows are dealt anew, which the better half of the trials that have been through the first dealing is judged by;
#'   2 where rows can be dealt in more than one way.
#' @param where A condition between the settings, such as `units * layers <= 64`; see [expressions]. A setting that a wiring
#'   doesn't have is missing there: `is.na(units) | units <= 8` lets `layers = 0` pass.
#' @param at_once Trials in a round after the first: more use more cores, fewer learn more from each other.
#' @param file A file into which every fit is written as it ends. If it holds a search of the same brief, table and settings already,
#'   that one goes on where it was, whether it was killed or the budget is larger now; the result is the same as without the break.
#' @details
#' *Weak trials are stopped early* (successive halving: Jamieson and Talwalkar 2016): on one fold first, then on a third of them, on all, and
#' then on all dealings (on validation rows: with a ninth of the epochs, a third, all); at each of these rungs the better half of all that
#' have been there goes on. The brief's own settings are judged in full always.
#'
#' *The winner's figure is optimistic*: it is the best of many. The figure to report comes from the test rows, once, for the winner
#' trained anew: `best_brief(s) |> train() |> appraise()`.
#' @return An object of class `hylomath_scouting` with
#'   * `trials`, a data frame of all trials, those judged in full first, best first: `trial`, `origin` (`"own"`, `"filling"` or
#'     `"model"`), the settings (NA where the wiring has no such layer), `wiring` where the search changes it, the `mean` over folds of the measure that the networks are trained
#'     for and its spread `sd`, the `difference` from the brief's own settings with its interval `low` and `high` (fold by
#'     fold, corrected for overlapping training sets), `folds` judged, `whole` (whether judged in full), `parameters`, `epochs` and
#'     `seconds` of a fit;
#'   * `fits`, a row for each fit; `best` and `own`, numbers of trials; `stopped`, `"budget"`, `"seconds"`, `"exhausted"` (nothing is left
#'     to try) or `"interrupted"`.
#'
#'   [as.data.frame()] gives `trials`, [best_brief()] the winner's brief, [plot_scouting()] the figures.
#' @section Errors: Settings that the brief doesn't have or can't take; bounds or a condition that leave nothing; a `file` of another search.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' s <- scout(b, units = bounds(2, 32), activation = c("relu", "tanh"), budget = 6, k = 3, progress = "none")
#' s
#' best_brief(s)
#' @export
scout <- function(b, ...) UseMethod("scout")

#' @rdname scout
#' @export
scout.hylomath_brief <- function(b, ..., budget = 40, seconds = Inf, judge = "folds", k = 5, repeats = NULL, by = NULL, where = NULL, at_once = 4, file = NULL, progress = "auto") {
  type_number(2, 1e5, whole = TRUE)(budget, "budget")
  type_number(0, open_low = TRUE)(seconds, "seconds")
  type_choice(c("folds", "validation"))(judge, "judge")
  type_number(1, 1000, whole = TRUE)(at_once, "at_once")
  report <- reporter(progress)
  where <- rlang::enquo(where)
  repeats <- repeats %||% if (fold_rule(b, by, 1) %in% c("ordered", "group")) 1 else 2
  if (is.null(b$table)) fail("This brief has no table to train on.", "Give it one first: see brief().")
  b$regimen$seed <- b$regimen$seed %||% stored_seed(file) %||% draw_seed()
  space <- scout_space(b, list(...))
  search <- list(
    brief = b, space = space, layers = length(parse_wiring(b$wiring)$layers), where = if (!rlang::quo_is_null(where)) where_text(where, space), seed = b$regimen$seed,
    k = if (judge == "folds") as.integer(k), repeats = as.integer(repeats), by = by, at_once = at_once
  )
  plan <- lay_folds(fold_plan(b, search$k, repeats, by), b$table)
  check_plan(plan)
  search$folds <- nrow(plan$each)
  search$rungs <- search_rungs(search$k, search$folds)
  search$own <- own_row(search)
  store <- open_store(file, search)
  new_scouting(search, run_search(search, store, budget, seconds, report), file)
}

where_text <- function(quosure, space) {
  node <- capture_expression(quosure, "`where`")
  if (is.character(node)) node <- parse_expression(node, "`where`")
  unknown <- setdiff(expression_columns(node), names(space))
  if (length(unknown)) fail(sprintf("`where` speaks of %s, which is not among the settings that are searched.", quoted(unknown[1])), suggestion(unknown[1], names(space)))
  format_expression(node)
}

# ---- the search ---------------------------------------------------------------------------------------------------

# Trials judged so far and why the search ended: list(rows (a row of settings a trial), origin, fits, stopped). Everything follows from the
# search and the fits, in rounds; a fit that the store holds is not done again.
run_search <- function(search, store, budget, seconds, report) {
  began <- proc.time()[["elapsed"]]
  state <- list(rows = search$own, origin = "own", fits = no_fits(), tried = if (in_space(search, search$own)) row_keys(search$own) else character(), round = 0, stopped = NULL)
  while (is.null(state$stopped)) {
    room <- budget - nrow(state$rows)
    if (state$round > 0 && room <= 0) return(with_end(state, "budget"))
    if (state$round > 0 && proc.time()[["elapsed"]] - began >= seconds) return(with_end(state, "seconds"))
    former <- state$round
    state <- tryCatch(next_round(search, state, store, room, report), interrupt = function(e) with_end(state, "interrupted"))
    report(list(event = "round", round = state$round, new = state$round > former, trials = nrow(state$rows), budget = budget, last = nrow(state$rows) >= budget || !is.null(state$stopped), best = best_so_far(search, state), primary = loss_name(search$brief)))
  }
  state
}

next_round <- function(search, state, store, room, report) {
  first <- state$round == 0
  found <- if (first) first_rows(search, min(room, first_trials(search)), state$tried) else next_rows(search, known_losses(search, state), min(room, search$at_once), state$tried, state$round)
  if (nrow(found$rows) == 0 && !first) return(with_end(state, "exhausted"))
  if (nrow(found$rows) == 0 && !is.null(found$refusal)) fail("None of the settings within these bounds can be had.", found$refusal)
  if (nrow(found$rows) == 0 && length(state$tried) == 0) fail("`where` leaves no settings to try.")
  new <- nrow(state$rows) + seq_len(nrow(found$rows))
  state$tried <- c(state$tried, row_keys(found$rows))
  state$rows <- rbind(state$rows, found$rows)
  rownames(state$rows) <- NULL
  state$origin <- c(state$origin, rep(if (first) "filling" else "model", length(new)))
  state$round <- state$round + 1
  climb(search, state, if (first) c(1L, new) else new, store, report)
}

with_end <- function(state, stopped) utils::modifyList(state, list(stopped = stopped))

first_trials <- function(search) max(6, 2 * length(search$space))

# The brief's own settings as a row; what the space has no place for is as near as it gets.
own_row <- function(search) {
  settled <- search$brief
  settled[["regimen"]] <- regimen_in_force(settled)
  values <- own_settings(settled, names(search$space))
  columns <- lapply(stats::setNames(nm = names(search$space)), function(name) {
    value <- values[[name]]
    numeric <- search$space[[name]]$kind == "bounds" || search$space[[name]]$numeric
    if (length(value) != 1 || is.list(value)) return(if (numeric) NA_real_ else NA_character_)
    if (numeric) suppressWarnings(as.numeric(value)) else value_text(value)
  })
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# Whether the search itself could have come upon the brief's own settings, so that they tell it something.
in_space <- function(search, own) {
  within <- vapply(search$space, function(dimension) {
    x <- own[[dimension$name]]
    if (is.na(x)) return(FALSE)
    if (dimension$kind == "bounds") x >= dimension$low && x <= dimension$high else as.character(x) %in% vapply(dimension$values, value_text, "")
  }, NA)
  if (!all(within)) return(FALSE)
  identical(changed_brief(search$brief, row_values(search$space, own))$wiring, search$brief$wiring)
}

# ---- rungs --------------------------------------------------------------------------------------------------------

# What a trial is judged by before it goes on: so many folds, or so much of its epochs.
search_rungs <- function(k, folds) {
  if (is.null(k)) return(data.frame(folds = 1L, epochs = c(1 / 9, 1 / 3, 1)))
  once <- min(k, folds)
  data.frame(folds = as.integer(unique(c(1, ceiling(once / 3), once, folds))), epochs = 1)
}

# Takes trials up the rungs, all of a rung at once.
climb <- function(search, state, trials, store, report) {
  briefs <- lapply(trials, function(t) trial_brief(search$brief, search$space, state$rows, t))
  names(briefs) <- trials
  for (r in seq_len(nrow(search$rungs))) {
    if (length(trials) == 0) break
    rung <- search$rungs[r, ]
    todo <- expand.grid(fold = seq_len(rung$folds), trial = trials)
    todo <- todo[!paste(todo$trial, todo$fold, rung$epochs) %in% paste(state$fits$trial, state$fits$fold, state$fits$share), , drop = FALSE]
    state <- judge_trials(search, state, todo, rung$epochs, briefs, store, report)
    if (identical(state$stopped, "interrupted")) return(state)
    losses <- rung_losses(state$fits, rung)
    better <- as.integer(names(losses)[rank(losses, ties.method = "first") <= ceiling(length(losses) / 2)])
    trials <- trials[trials == 1 | trials %in% better]
  }
  state
}

# Mean losses of those trials that have all fits of the rung, by trial.
rung_losses <- function(fits, rung) {
  own <- fits[fits$share == rung$epochs & fits$fold <= rung$folds, ]
  losses <- tapply(own$loss, own$trial, function(loss) if (length(loss) == rung$folds) mean(loss) else NA)
  losses[!is.na(losses)]
}

judge_trials <- function(search, state, todo, share, briefs, store, report) {
  if (nrow(todo) == 0) return(state)
  row <- function(i, result) {
    data.frame(
      trial = todo$trial[i], fold = todo$fold[i], share = share, loss = if (is.finite(result$loss)) result$loss else Inf, rows = as.integer(result$judging), training = as.integer(result$learned),
      parameters = as.integer(result$parameters), epochs = as.integer(result$epochs), seconds = result$seconds
    )
  }
  known <- lapply(seq_len(nrow(todo)), function(i) store$find(trial_key(search, state, todo$trial[i]), todo$fold[i], share))
  missing <- which(vapply(known, is.null, NA))
  if (length(missing)) {
    plans <- lapply(briefs[as.character(unique(todo$trial[missing]))], function(b) {
      b$regimen$epochs <- ceiling(share * b$regimen$epochs)
      fold_plan(b, search$k, search$repeats, search$by)
    })
    jobs <- lapply(missing, function(i) list(plan = plans[[as.character(todo$trial[i])]], fold = todo$fold[i], want = "loss"))
    keep <- function(j, result) {
      i <- missing[j]
      known[[i]] <<- row(i, result)
      store$add(trial_key(search, state, todo$trial[i]), known[[i]])
    }
    done <- run_jobs(search$brief$table, jobs, "fit", function(event) report(c(event, list(within = sprintf("round %d", as.integer(state$round))))), keep)
  }
  found <- lapply(which(!vapply(known, is.null, NA)), function(i) utils::modifyList(known[[i]], list(trial = todo$trial[i])))
  state$fits <- do.call(rbind, c(list(state$fits), found))
  if (length(missing) && attr(done, "interrupted")) state$stopped <- "interrupted"
  state
}

trial_key <- function(search, state, trial) if (trial == 1) "own" else row_keys(state$rows[trial, , drop = FALSE])

no_fits <- function() {
  data.frame(trial = integer(), fold = integer(), share = numeric(), loss = numeric(), rows = integer(), training = integer(), parameters = integer(), epochs = integer(), seconds = numeric())
}

# What the surrogate learns from: every trial's loss in full, or what a lower rung lets expect of it by how much the trials that went
# on changed from there.
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
    noisier[at] <- if (is.null(search$k)) 1 / search$rungs$epochs[r] else search$folds / search$rungs$folds[r]
  }
  # losses far above the middle say little more than "bad"
  top <- stats::median(estimate[is.finite(estimate)]) + 3 * (stats::median(estimate[is.finite(estimate)]) - min(estimate, na.rm = TRUE)) + 1e-12
  estimate <- pmin(estimate, top)
  use <- !is.na(estimate)
  list(rows = state$rows[use, , drop = FALSE], loss = estimate[use], noisier = noisier[use])
}

best_so_far <- function(search, state) {
  losses <- rung_losses(state$fits, search$rungs[nrow(search$rungs), ])
  if (length(losses)) min(losses) else NA_real_
}

# ---- the result ---------------------------------------------------------------------------------------------------

new_scouting <- function(search, state, file) {
  fits <- state$fits[order(state$fits$trial, state$fits$share, state$fits$fold), ]
  rownames(fits) <- NULL
  full <- rung_losses(fits, search$rungs[nrow(search$rungs), ])
  check_any_done(length(full), "trial")
  judged <- unique(fits$trial)
  best <- as.integer(names(full)[which.min(full)])
  b <- search$brief
  trials <- cbind(data.frame(trial = judged, origin = state$origin[judged]), state$rows[judged, , drop = FALSE])
  if (any(is_wiring_setting(names(search$space)))) trials$wiring <- vapply(judged, function(t) trial_brief(b, search$space, state$rows, t)$wiring, "")
  trials <- cbind(trials, do.call(rbind, lapply(judged, function(t) trial_figures(fits, t, search))))
  trials <- trials[order(!trials$whole, -trials$folds, trials$mean), ]
  rownames(trials) <- NULL
  structure(
    list(
      trials = trials, fits = fits, settings = names(search$space), space = search$space, rows = state$rows, best = best, own = 1L, stopped = state$stopped, where = search$where, judge = if (is.null(search$k)) "validation" else "folds",
      k = search$k, repeats = search$repeats, folds = search$folds, primary = loss_name(b), brief = b, target = b$target, task = b$task, file = file
    ),
    class = "hylomath_scouting"
  )
}

trial_brief <- function(b, space, rows, trial) if (trial == 1) b else changed_brief(b, row_values(space, rows[trial, , drop = FALSE]))

# What is known of a trial from its highest rung, and how far it is from the brief's own settings on the same folds.
trial_figures <- function(fits, trial, search, level = 0.95) {
  own <- fits[fits$trial == trial, ]
  own <- own[own$share == max(own$share), ]
  first <- fits[fits$trial == 1 & fits$share == max(own$share), ]
  apart <- own$loss - first$loss[match(own$fold, first$fold)]
  whole <- nrow(own) == search$folds && max(own$share) == 1
  half <- if (whole && nrow(own) > 1 && trial != 1) stats::qt((1 + level) / 2, nrow(own) - 1) * stats::sd(apart) * overlap_factor(own) else NA_real_
  data.frame(
    mean = mean(own$loss), sd = if (nrow(own) > 1) stats::sd(own$loss) else NA_real_, difference = if (trial == 1) NA_real_ else mean(apart), low = mean(apart) - half, high = mean(apart) + half,
    folds = nrow(own), whole = whole, parameters = own$parameters[1], epochs = mean(own$epochs), seconds = mean(own$seconds)
  )
}

#' @export
as.data.frame.hylomath_scouting <- function(x, ...) x$trials

#' @rdname best_brief
#' @export
best_brief.hylomath_scouting <- function(x, ...) {
  rlang::check_dots_empty()
  trial_brief(x$brief, x$space, x$rows, x$best)
}

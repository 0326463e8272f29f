#' Search for better settings
#'
#' Which wiring and regimen does a table like? A search starts with the brief's own settings and a few that fill the
#' space evenly, and goes on with those of which the trials so far promise most (a Gaussian process with expected
#' improvement), at a distance from those that were tried. Trials are evaluated on rows that their networks did not
#' learn from; the test rows have no part in it.
#'
#' @param b A brief.
#' @param ... The settings to search, each with [bounds()] for bounds or with a vector of values: `layers`; `units` (of
#'   every hidden layer) or `units_1`, `units_2` and so on; `activation`; `dropout` (behind every hidden layer); and
#'   any key of the brief's `regimen` or `prepare`, by its last word or in full, or whole `wiring`s. Without any the
#'   search goes over what usually matters: layers, units, activation and `l2`, and for more than 1,000 training rows
#'   dropout and the learning rate.
#' @param budget The number of trials, the brief's own among them.
#' @param seconds No round is begun after so many seconds. What comes of it then depends on the machine's speed.
#' @param evaluate `"out_of_fold"`, where the brief trains an ensemble: the out-of-fold predictions of a trial's
#'   networks, at the price of as many fits (see [hold_out()]); `"folds"`, by one network a fold; `"validation"`, by the
#'   brief's own validation rows, k times as quick, and as much noisier. `"out_of_fold"` when nothing is said of it nor
#'   of folds and an ensemble is trained, else `"folds"`.
#' @param k,by,progress See [folds()]; 5 folds when nothing is said.
#' @param repeats How often the rows are dealt anew, which the better half of the trials that have been through the
#'   first dealing is evaluated on; 2 where rows can be dealt in more than one way.
#' @param where A condition between the settings, such as `units * layers <= 64`; see [expressions]. A setting that a
#'   wiring doesn't have is missing there: `is.na(units) | units <= 8` lets `layers = 0` pass.
#' @param at_once Trials in a round after the first: more use more cores, fewer learn more from each other.
#' @param file A file into which every fit is written as it ends. If it holds a search of the same brief, table and
#'   settings already, that one goes on where it was, whether it was killed or the budget is larger now; the result is
#'   the same as without the break.
#' @details *Weak trials are stopped early* (successive halving: Jamieson and Talwalkar 2016): on one fold first, then
#' on a third of them, on all, and then on all dealings (on validation rows: with a ninth of the epochs, a third, all);
#' at each of these rungs the better half of all that have been there goes on. The brief's own settings are evaluated in
#' full always.
#'
#' *The brief's own figure* describes the model that [train()] makes of it. If its wiring is `"auto"` and
#' `evaluate` is `"out_of_fold"`, that model is the blend of the rule's wirings. So `best_brief()` never does
#' worse out of fold than the default; if the search finds nothing better, it is the default. Trials then start
#' from the rule's plainest wiring, its patience and its clipping, which their briefs name. Evaluated by folds, a
#' brief of an ensemble is tried as one network, which shows less.
#'
#' *The winner's figure is optimistic*: it is the best of many. The figure to report comes from the test rows, once,
#' for the winner trained anew: `best_brief(s) |> train() |> appraise()`.
#' @return An object of class `hylomath_scouting` with
#'   * `trials`, a data frame of all trials, those evaluated in full first, best first: `trial`, `origin` (`"own"`,
#'     `"filling"` or `"model"`), the settings (NA where the wiring has no such layer), `wiring` where the search
#'     changes it, the `mean` over folds of the measure that the networks are trained for and its spread `sd`, the
#'     `difference` from the brief's own settings with its interval `low` and `high` (fold by fold, corrected for
#'     overlapping training sets), `folds` evaluated, `whole` (whether evaluated in full), `parameters`, `epochs` and
#'     `seconds` of a fit;
#'   * `expected`, the measure and the gain that the winner may be expected to have without the luck of having been
#'     chosen (`value`, `gain`; empirical Bayes over all trials: Efron 2011, \doi{10.1198/jasa.2011.tm11181}), `NULL`
#'     where the brief's own settings are the best;
#'   * `fits`, a row for each fit; `best` and `own`, numbers of trials; `stopped`, `"budget"`, `"seconds"`,
#'     `"exhausted"` (nothing is left to try) or `"interrupted"`.
#'
#'   [as.data.frame()] gives `trials`, [best_brief()] the winner's brief, [plot_scouting()] the figures.
#' @section Errors: Settings that the brief doesn't have or can't take; bounds or a condition that leave nothing; a
#'   `file` of another search.
#' @references Jamieson and Talwalkar (2016) \doi{10.48550/arXiv.1502.07943}; Jones, Schonlau and Welch (1998)
#'   \doi{10.1023/A:1008306431147}.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' s <- scout(b, units = bounds(2, 32), activation = c("relu", "tanh"), budget = 6, k = 3, progress = "none")
#' s
#' best_brief(s)
#' @export
scout <- function(b, ..., budget = 40, seconds = Inf, evaluate = NULL, k = NULL, repeats = NULL, by = NULL,
                  where = NULL, at_once = 4, file = NULL, progress = "auto") {
  UseMethod("scout")
}

#' @export
scout.hylomath_brief <- function(b, ..., budget = 40, seconds = Inf, evaluate = NULL, k = NULL, repeats = NULL,
                                 by = NULL, where = NULL, at_once = 4, file = NULL, progress = "auto") {
  type_count(1e5, from = 2)(budget, "budget")
  if (!identical(seconds, Inf)) type_number(0, open_low = TRUE)(seconds, "seconds")
  type_count(1000)(at_once, "at_once")
  report <- reporter(progress)
  where <- rlang::enquo(where)
  b <- ready_to_train(b, seed = function() stored_seed(file))
  given <- list(...)
  check_space_names(given)
  evaluate <- search_evaluation(b, evaluate, c(k = k, repeats = repeats, by = by))
  repeats <- repeats %||% if (fold_rule(b, by, 1) %in% c("ordered", "group")) 1 else 2
  laid <- checked_folds(b, if (evaluate == "folds") as.integer(k %||% 5), repeats, by)
  base <- brief_to_change(b, evaluate, laid$analysis)
  space <- scout_space(base, if (length(given)) given else usual_space(laid$analysis))
  search <- list(
    brief = b, base = base, evaluate = evaluate, space = space, layers = length(parse_wiring(base$wiring)$layers),
    where = if (!rlang::quo_is_null(where)) where_text(where, space), seed = b$regimen$seed, k = laid$plan$k,
    repeats = as.integer(repeats), by = by, at_once = at_once, folds = nrow(laid$each)
  )
  search$rungs <- search_rungs(search)
  search$start <- own_row(search, settle(base))
  search$own <- if (blends(b, evaluate)) no_place(search$start) else search$start
  check_any_settings(search)
  store <- open_store(file, search)
  new_scouting(search, run_search(search, store, budget, seconds, report), file)
}

#' @export
scout.default <- function(b, ...) wrong_object("scout", "a brief", b)

# What trials are evaluated on: as asked, or out-of-fold rows where an ensemble is trained and nothing is said of folds.
search_evaluation <- function(b, evaluate, of_folds) {
  if (!is.null(evaluate)) type_choice(search_evaluations)(evaluate, "evaluate")
  ensemble <- is_ensemble(settle(b))
  evaluate <- evaluate %||% if (ensemble && length(of_folds) == 0) "out_of_fold" else "folds"
  if (evaluate == "out_of_fold" && !ensemble) {
    fail(
      "This brief trains one network, so there are no out-of-fold predictions to evaluate.",
      "Evaluate by folds, or train an ensemble: hold_out(folds = 8)."
    )
  }
  if (evaluate == "validation" && ensemble) {
    fail(
      "This brief trains an ensemble, so it has no validation rows to evaluate on.",
      "Evaluate by folds, or hold some out: hold_out(validation = 0.15)."
    )
  }
  if (evaluate != "folds" && length(of_folds)) {
    rows <- if (evaluate == "out_of_fold") "out-of-fold rows" else "validation rows"
    what <- "`%s` is about folds, but trials are evaluated on %s."
    fail(sprintf(what, names(of_folds)[1], rows), "Leave it out, or evaluate by folds.")
  }
  evaluate
}

# What can be said of a search from the brief alone.
check_search <- function(b, given, where) {
  check_space_names(given)
  if (length(given) == 0) return()
  space <- scout_space(b, given)
  if (!is.null(where)) where_text(rlang::new_quosure(where), space)
}

where_text <- function(quosure, space) {
  node <- capture_expression(quosure, "`where`")
  if (is.character(node)) node <- parse_expression(node, "`where`")
  unknown <- setdiff(expression_columns(node), names(space))
  if (length(unknown)) {
    what <- "`where` names %s, which is not among the settings that are searched."
    fail(sprintf(what, quoted(unknown[1])), suggestion(unknown[1], names(space)))
  }
  format_expression(node)
}

#' @export
as.data.frame.hylomath_scouting <- function(x, ...) x$trials

#' @rdname best_brief
#' @export
best_brief.hylomath_scouting <- function(x, ...) {
  check_others(...)
  trial_brief(x[c("brief", "base", "space")], x$rows, x$best)
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
print.hylomath_bounds <- function(x, ...) print_lines(x)

#' @export
format.hylomath_scouting <- function(x, ...) {
  t <- x$trials
  evaluated <- switch(x$evaluate,
    validation = "validation rows", out_of_fold = counted(x$folds, "fold"), folds = folds_words(x$k, x$repeats)
  )
  stopped_in <- if (x$evaluate == "validation") "the epochs" else "the folds"
  trials <- sprintf("%s of %s", counted(nrow(t), "trial"), counted(length(x$settings), "setting"))
  c(
    cli::style_bold(sprintf("%s: %s, evaluated on %s", enumerate(x$target), trials, evaluated)), "",
    scouting_table(x), "",
    paragraphs(c(
      if (identical(x$stopped, "interrupted")) "An interrupt ended the search: what is shown was done before it.",
      if (identical(x$stopped, "exhausted")) "Nothing is left to try within these bounds.",
      winner_text(x),
      if (x$best != x$own) expected_text(x$expected, x$primary, "the brief's own"),
      if (x$evaluate == "folds") single_networks_text(x$brief, "Each trial"),
      stopped_early_text(sum(!t$whole), stopped_in),
      advice_here(sprintf(
        paste(
          "The lowest of %d is lower here than it will be on new rows. For the figure to report, train its brief and",
          "evaluate it on the test rows, once: train(best_brief(search)), then appraise(model)."
        ),
        sum(t$whole)
      ))
    ))
  )
}

# What is tried is one network, also where the brief trains an ensemble.
single_networks_text <- function(b, what) {
  if (hold_out_in_force(b)$folds == 0) return(NULL)
  sprintf("%s was one network a fold; train() makes a cross-validation ensemble of the brief.", what)
}

stopped_early_text <- function(n, parts) {
  if (n == 0) return(NULL)
  what <- "%s stopped early, after a part of %s; their figures are not to be compared with the others'."
  sprintf(what, counted(n, "weak trial was", "weak trials were"), parts)
}

# The best ten and the brief's own.
scouting_table <- function(x) {
  shown <- scouting_shown(x)
  cells <- scouting_cells(x, shown)
  numeric <- which(vapply(shown[x$settings], is.numeric, NA))
  figures_right <- 1 + length(cells$searched) + seq_len(length(cells$figures) - 1)
  lines <- text_table(unlist(unname(cells), recursive = FALSE), right = c(1, 1 + numeric, figures_right))
  if (too_wide(lines)) {
    # settings on lines of their own
    lines <- c(
      text_table(c(cells$number, cells$figures), right = seq_len(length(cells$figures))), "",
      settings_by_trial(shown$trial, cells$searched)
    )
  }
  c(lines, scouting_left(x, shown))
}

scouting_shown <- function(x) {
  t <- x$trials[x$trials$whole, ]
  t[seq_len(nrow(t)) <= 10 | t$trial == x$own, ]
}

scouting_left <- function(x, shown) {
  left <- sum(x$trials$whole & x$trials$trial != x$own) - sum(shown$trial != x$own)
  if (left > 0) sprintf("  and %s", counted(left, "more evaluated in full", "more evaluated in full"))
}

# Columns of cells as text: the trial, what was searched, and what came of it.
scouting_cells <- function(x, shown) {
  searched <- lapply(shown[x$settings], setting_cells)
  figures <- c(
    stats::setNames(list(format_measure(shown$mean)), x$primary),
    if (x$folds > 1) list(spread = format_measure(shown$sd)),
    list(
      parameters = format_each_count(shown$parameters), seconds = format_each_short(signif(shown$seconds, 2)),
      ifelse(shown$trial == x$own, own_words(x), ifelse(shown$trial == x$best, "best", ""))
    )
  )
  names(figures)[length(figures)] <- ""
  list(number = list(trial = as.character(shown$trial)), searched = searched, figures = figures)
}

own_words <- function(x) if (blends(x$brief, x$evaluate)) "the brief's own ensemble" else "the brief's own"

setting_cells <- function(column) {
  ifelse(is.na(column), "-", if (is.numeric(column)) format_each_short(column) else column)
}

settings_by_trial <- function(trial, searched) {
  unlist(lapply(seq_along(trial), function(i) {
    said <- paste(names(searched), vapply(searched, `[`, "", i), collapse = ", ")
    wrapped(sprintf("%s: %s", trial[i], said), 2, 6)
  }))
}

winner_text <- function(x) {
  own <- if (blends(x$brief, x$evaluate)) "ensemble" else "settings"
  if (x$best == x$own) return(sprintf("Nothing better than the brief's own %s was found.", own))
  best <- x$trials[x$trials$trial == x$best, ]
  luck <- if (isTRUE(best$high > 0)) ": that may be luck" else ""
  interval <- if (is.na(best$low)) "" else {
    what <- " (%s to %s with 95 %% confidence, fold by fold%s)"
    sprintf(what, format_signed(-best$high), format_signed(-best$low), luck)
  }
  what <- "Trial %d's %s is %s lower than that of the brief's own %s%s."
  sprintf(what, x$best, x$primary, format_measure(-best$difference), own, interval)
}

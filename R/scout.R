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
#'   networks,
#'   at the price of as many fits (see [hold_out()]); `"folds"`, by one network a fold; `"validation"`, by the brief's
#'   own validation rows, k times as quick, and as much noisier. `"out_of_fold"` when nothing is said of it nor of folds
#'   and an ensemble is trained, else `"folds"`.
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
#' *The brief's own figure* is that of what [train()] makes of it: where its wiring is `"auto"` and `evaluate` is
#' `"out_of_fold"`, of the blend of the rule's wirings. So `best_brief()` never does worse out of fold than the default;
#' where nothing better was found it is the default. Trials then start from the rule's plainest wiring, its patience and
#' its clipping, which their briefs name. Evaluated by folds, a brief of an ensemble is tried as one network, which says
#' less.
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

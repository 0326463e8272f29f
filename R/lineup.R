#' Models side by side
#'
#' Several models over the same rows: every measure with its interval, and for each model what sets it apart from the first:
#' the paired difference by the measure that they were trained for, the test of McNemar (1947) for answers of classes, size,
#' speed, and in what their briefs differ.
#'
#' @param ... Models, best with names; or what [folds()] returned for several briefs; or one list of them.
#' @param data A table to judge them on, in place of their test rows.
#' @param rows `"test"`, `"validation"` or `"calibration"`: the part that all of them must share.
#' @param level,draws See [appraise()].
#' @details Folds are compared fold by fold: the difference is the mean over folds, its interval Student's with the correction of
#'   Nadeau and Bengio (2003) for training sets that overlap; McNemar's test and the time for a row are left out.
#' @return An object of class `hylomath_lineup` with
#'   * `models`, a data frame in the order of the primary measure, best first: `model`, that measure with `low` and `high`,
#'     `difference` from the first model that was given with `difference_low` and `difference_high` (paired bootstrap over the
#'     same rows), for classes `mcnemar` (the p-value of equal accuracy: exact, over the rows of which one is right and the other
#'     wrong; it takes rows as independent), `parameters`, `training_seconds` and `microseconds` to answer a row;
#'   * `measures`, all of them: `model`, `measure`, `value`, `low`, `high`;
#'   * `settings`, a row for each setting in which the briefs differ, a column a model.
#'
#'   [as.data.frame()] gives `models`.
#' @section Errors: Models of different targets, or without the same rows: other keys or other observed values.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> hold_out(seed = 3)
#' lineup(
#'   small = b |> wire("4 tanh") |> train(progress = "none"),
#'   usual = b |> train(progress = "none")
#' )
#' @export
lineup <- function(..., data = NULL, rows = NULL, level = 0.95, draws = 1000) {
  given <- named_models(list(...))
  type_number(0.5, 1, open_high = TRUE)(level, "level")
  type_number(100, 1e5, whole = TRUE)(draws, "draws")
  if (inherits(given[[1]], "hylomath_folds")) {
    if (!is.null(data) || !is.null(rows)) fail("Folds bring their own rows: leave out `data` and `rows`.")
    return(lineup_folds(given, level))
  }
  models <- given
  judged <- judged_alike(models, data, rows)
  part <- attr(judged, "part")
  first <- judged[[1]]
  b <- models[[1]]$brief
  plain <- is.null(first$group) && all(first$weight == 1)
  unit <- units_of(length(first$key), first$group, b$regimen$seed)
  counts <- bootstrap_counts(unit, draws, b$regimen$seed)
  reckonings <- Map(function(model, rows) reckoned(model, rows, unit, level, plain), models, judged)
  primary <- primary_measure(b)
  several <- length(b$target) > 1
  measures <- do.call(rbind, Map(function(name, each) {
    do.call(rbind, Map(function(target, reckoning, against) {
      table <- interval_table(reckoning, counts, level, if (name != names(models)[1]) against)
      if (name == names(models)[1]) table[c("difference", "difference_low", "difference_high")] <- NA_real_
      cbind(model = name, if (several) data.frame(target = target) else table[0], table[c("measure", "value", "low", "high", "difference", "difference_low", "difference_high")])
    }, b$target, each, reckonings[[1]]))
  }, names(models), reckonings))
  rownames(measures) <- NULL
  main <- measures[measures$measure == primary, ]
  main <- main[!duplicated(main$model), ]
  table <- data.frame(
    model = names(models), main[c("value", "low", "high", "difference", "difference_low", "difference_high")],
    parameters = vapply(models, function(m) length(m$network$parameters) * max(1L, length(m$network$members)), 0),
    training_seconds = vapply(models, function(m) m$seconds, 0), microseconds = vapply(models, microseconds_a_row, 0), row.names = NULL
  )
  if (b$task == "classification") table$mcnemar <- c(NA, vapply(judged[-1], function(other) mcnemar_p(first, other), 0))
  looks <- if (identical(part, "test")) max(vapply(models, look_at_test, 0L)) else 0L
  structure(
    list(
      models = in_order(table, table$value), measures = measures, settings = settings_apart(models), primary = primary, target = b$target, task = b$task,
      rows = part, n = length(first$key), level = level, first = names(models)[1], units = units_text(b, first), paired = "row by row", looks = looks
    ),
    class = "hylomath_lineup"
  )
}

named_models <- function(given) {
  is_folds <- function(x) inherits(x, "hylomath_folds")
  if (length(given) == 1 && is.list(given[[1]]) && !is_model(given[[1]]) && !is_folds(given[[1]])) given <- given[[1]]
  if (length(given) < 2) fail("Two models at least are lined up.", "Give them one after another: lineup(a, b).")
  odd <- which(!vapply(given, if (is_folds(given[[1]])) is_folds else is_model, NA))
  if (length(odd)) fail(sprintf("Models are lined up with models and folds with folds; number %d is %s.", odd[1], describe_class(given[[odd[1]]])))
  names <- names(given) %||% rep("", length(given))
  names[names == ""] <- paste("model", seq_along(given))[names == ""]
  if (anyDuplicated(names)) fail(sprintf("Two models are called %s.", describe(names[duplicated(names)][1])))
  names(given) <- names
  for (name in names[-1]) {
    if (!identical(given[[name]]$brief[c("target", "task", "classes")], given[[1]]$brief[c("target", "task", "classes")])) {
      fail(sprintf("The models %s and %s don't predict the same: their target, task or classes differ.", describe(names[1]), describe(name)))
    }
  }
  given
}

judged_alike <- function(models, data, rows) {
  if (!is.null(data)) {
    if (!is.null(rows)) fail("Give either `data` or `rows`: with `data` all its rows are judged.")
    data <- as_table(data)
    judged <- lapply(models, function(model) judged_now(model, judged_in(model, data)))
    part <- "new"
  } else {
    part <- part_to_judge(models[[1]], rows)
    for (model in models) part_to_judge(model, part)
    judged <- lapply(models, function(model) judged_now(model, model$judged[[part]]))
  }
  for (name in names(models)[-1]) {
    if (!identical(judged[[name]][c("key", "observed")], judged[[1]][c("key", "observed")])) {
      fail(
        sprintf("The models %s and %s don't have the same %s rows.", describe(names(models)[1]), describe(name), part),
        "Train them with the same hold_out(seed = ), or give rows that all of them can answer: lineup(..., data = )."
      )
    }
  }
  structure(judged, part = part)
}

# A reckoning for each target.
reckoned <- function(model, judged, unit, level, plain) {
  b <- model$brief
  if (b$task == "classification") {
    how <- how_judged(b, model$baseline)
    return(list(class_reckoning(judged$observed, judged$answers, judged$weight, unit, how, level, plain)))
  }
  lapply(seq_along(b$target), function(i) {
    how <- number_how(model, i)
    number_reckoning(observed_of(judged, i), judged$answers[[i]], judged$weight, unit, how, if (!is.null(how$at)) as.matrix(judged$answers[-1]), level = level, plain = plain)
  })
}

# The exact p-value that two networks are right equally often, from the rows of which only one is right.
mcnemar_p <- function(first, other) {
  right <- function(judged) judged$answers$answer == judged$observed
  only_first <- sum(right(first) & !right(other))
  only_other <- sum(!right(first) & right(other))
  if (only_first + only_other == 0) return(1)
  stats::binom.test(only_first, only_first + only_other)$p.value
}

# How long the network takes for a row of usual values, encoding and all, in microseconds; the shortest of three.
microseconds_a_row <- function(model) {
  n <- 5000L
  sources <- lapply(model$preparation$columns, function(plan) switch(plan$encoding, number = rep(plan$fill, n), date = numeric(n), rep(1L, n)))
  members <- model$network$members %||% list(model$network$parameters)
  took <- function() {
    began <- proc.time()[["elapsed"]]
    times <- 0
    while (proc.time()[["elapsed"]] - began < 0.02) {
      for (parameters in members) core_answers(network_shape(model$network), parameters, model$preparation$columns, sources, numeric(), thread_count())
      times <- times + 1
    }
    (proc.time()[["elapsed"]] - began) / times
  }
  min(took(), took(), took()) / n * 1e6
}

#' @export
as.data.frame.hylomath_lineup <- function(x, ...) x$models

#' Evaluate a model on rows
#'
#' Every measure comes with its interval, beside what can be reached without any input (always saying the commonest
#' class of the training rows, or their mean; their median where the loss is about medians) and beside a network without
#' hidden layers (`linear`) that was trained on the same rows, and beside the network's own value on training and
#' validation rows.
#'
#' @param model A model.
#' @param data A table with the target. Without `rows` all its rows are evaluated; with `rows` it is the table that the
#'   model was trained on, and `by` can name its columns.
#' @param rows `"test"` (the default where test rows were held out), `"validation"`, `"calibration"` or `"training"`
#'   (of which a model keeps at most 10,000, drawn at random).
#' @param by A column of `data`: the measures by subgroup. Numbers are cut into four bands of equal counts; of more
#'   than 12 levels the smaller ones are put together.
#' @param level The level of the intervals.
#' @param draws The number of bootstrap draws.
#' @param ... Not used.
#' @return An appraisal: an object of class `hylomath_appraisal` with
#'   * `measures`, a data frame with a row for each measure: `value` with its interval `low` to `high`; `baseline`;
#'     `linear`, the value of the `linear` wiring, with `difference` (network less linear) and its interval; `training`
#'     and `validation`;
#'   * for classes `confusion` (rows observed, columns predicted, case weights counted) and `classes` (measures by
#'     class, with intervals for the shares);
#'   * `hidden_layers`, whether the network does better than `linear` by the measure that it was trained for:
#'     `"better"`, `"same"` (the interval of the difference holds 0) or `"worse"`;
#'   * for numbers `bands`, the errors by size of the target, see [error_bands()];
#'   * `by`, the measures by subgroup, if asked for; `coverage`, how often prediction intervals or sets hold the
#'     observed value, where the model has calibration rows;
#'   * `evaluated` (key, observed, prediction and probabilities row by row), `weight` and `unit` beside it, and `notes`.
#'
#'   [as.data.frame()] gives the measures; see [tidy()] for those of each class, [threshold_curve()] and
#'   [calibration_curve()] for curves, [confusion_table()] for shares, [error_bands()] for errors by size of the
#'   target.
#' @section Measures: Classification, of the predictions: accuracy, balanced accuracy (mean recall), kappa (Cohen 1960),
#'   the correlation of Matthews (1975; Gorodkin 2004), the mean F1 of the classes and the same weighted by their rows;
#'   for ordered classes kappa weighted by squared distance (Cohen 1968) and the mean distance in steps; the mean cost
#'   where [decide()] has costs. Of the probabilities: cross-entropy (natural logarithm), Brier's (1950) score over all
#'   classes, the expected calibration error over tenths of the rows (Naeini, Cooper and Hauskrecht 2015, with equal
#'   counts), the area under the ROC curve (Hanley and McNeil 1982) and average precision, the area under the curve of
#'   precision against recall: of the positive class, or the mean of those of each class against the rest. By class:
#'   recall, precision, specificity, negative predictive value, F1, support and both areas.
#'
#'   Regression: RMSE, MAE, R², mean relative error (`NA` where an observed value is 0), relative mean error (sum of
#'   absolute errors over the sum of absolute observations), median absolute error, mean bias (prediction less
#'   observed), explained variance, MSE. Counts: these and the mean Poisson deviance; the gamma loss: its mean deviance.
#'   Quantiles: these of the middle one, and for each the quantile loss and the share of rows below it, beside the share
#'   that should be. With several targets `measures` has them one after another, with a column `target`.
#' @section Intervals: Shares have Wilson's (1927) interval, areas that of DeLong, DeLong and Clarke-Pearson (1988) on
#'   the scale of log-odds (average precision: its influence function in the same way), the median absolute error that
#'   of Woodruff (1952), the calibration error that of the bootstrap's test inversion (Carpenter 1999), which allows
#'   for its being too high in small samples, all others a bias-corrected and accelerated bootstrap (Efron 1987),
#'   seeded by the training's seed. Where rows belong to groups, whole groups are drawn. Of more than 2,000 rows or
#'   groups, 2,000 lots of them are drawn. The intervals are about which rows came to be evaluated; they leave out the
#'   luck of training: another start or split gives another network.
#' @section Looks: Whoever looks at the test rows again and again, and keeps what does best there, is fooled by them.
#'   How many different networks have been evaluated on one set of test rows is counted, in this session and in `looks`
#'   of the model (the command writes it into the model's file), and said in a note once it matters.
#' @section Errors: A model without rows of the part that is asked for; a `data` without the target, or without a
#'   column that the network needs; cells that are not numbers in columns of numbers; `rows = "test"` with a table
#'   that is not that of the training; a `by` that is not a column, or has one value in all evaluated rows.
#' @references Wilson (1927) \doi{10.1080/01621459.1927.10502953}; DeLong, DeLong and Clarke-Pearson (1988)
#'   \doi{10.2307/2531595}; Woodruff (1952) \doi{10.1080/01621459.1952.10483443}; Cohen (1960)
#'   \doi{10.1177/001316446002000104}; Matthews (1975) \doi{10.1016/0005-2795(75)90109-9}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' appraise(model)
#' appraise(model, kilns, rows = "test", by = glaze)
#' @export
appraise <- function(model, data = NULL, rows = NULL, by = NULL, level = 0.95, draws = 1000, ...) {
  UseMethod("appraise")
}

#' @export
appraise.hylomath_model <- function(model, data = NULL, rows = NULL, by = NULL, level = 0.95, draws = 1000, ...) {
  check_others(...)
  type_level()(level, "level")
  type_count(1e5, from = 100)(draws, "draws")
  by <- chosen_column(rlang::enquo(by), data, "by")
  if (!is.null(data)) data <- as_table(data)
  if (is.null(data) || !is.null(rows)) {
    rows <- part_to_evaluate(model, rows)
    evaluated <- evaluated_in_part(model, rows)
    if (!is.null(data)) found <- rows_of_part(model, data, rows)
  } else {
    rows <- "new"
    evaluated <- evaluated_in(model, data)
    found <- evaluated$row
  }
  group <- if (!is.null(by)) subgroups(data[[by]][found], by)
  appraisal <- appraise_rows(model, evaluated, rows, level, draws, group, by)
  # where the rows stand, and in what table
  appraisal$places <- evaluated$row
  appraisal$looked_at <- looked_at_by(model$brief)
  appraisal$fingerprint <- if (rows == "new") table_identity(appraisal$looked_at, data) else model$fingerprint
  appraisal$looks <- if (rows == "test") look_at_test(model) else 0L
  of_data <- if (rows == "new") new_data_notes(model, data, evaluated)
  appraisal$notes <- join_notes(model_notes(model), of_data, appraisal_notes(appraisal))
  appraisal
}

#' @export
appraise.default <- function(model, ...) wrong_object("appraise", "a model", model)

appraise_rows <- function(model, evaluated, rows, level, draws, group, by) {
  context <- context_of(model)
  context$beside[[rows]] <- NULL  # itself
  evaluated <- evaluated_now(model$predictor, evaluated, model$linear)
  resampling <- resampling_of(evaluated$weight, evaluated$group, context$seed, level, draws)
  coverage <- if (rows %in% c("test", "new")) covered(model, evaluated, rows, resampling)
  new_appraisal(context, evaluated, rows, resampling, group, by, coverage)
}

# `evaluated` rows with the predictions that are given out; `group` is the subgroup of each by the column `by`.
new_appraisal <- function(context, evaluated, rows, resampling, group = NULL, by = NULL, coverage = NULL) {
  target <- context$target
  parts <- task_of(target)$evaluate(context, evaluated, resampling)
  primary <- primary_measure(target)
  # what is overfitted says nothing
  parts$hidden_layers <- if (rows != "training") hidden_layers_verdict(parts$measures, primary)
  about <- list(
    target = target$columns, id = context$roles$id, task = target$task, positive = target$positive,
    weighted = !identical(target$class_weights, "none"), decision = context$decision,
    recalibrated = context$recalibrated, rows = rows, n = length(evaluated$key), level = resampling$level,
    primary = primary, units = units_text(context$roles, evaluated)
  )
  behind <- list(
    bands = if (!has_classes(target)) bands_by_size(evaluated, target$columns, 5),
    by = if (!is.null(group)) measures_by(context, evaluated, resampling, group),
    by_column = by, coverage = coverage_alone(coverage), held = attr(coverage, "held"),
    baseline_prediction = context$baseline$prediction, baseline_is = context$baseline$is,
    baseline_rate = context$baseline$rate, wiring = context$wiring,
    decisions = context$decisions, linear = evaluated$linear, losses = losses_of_rows(context, evaluated),
    order = context$roles$order, order_kind = context$order_kind,
    when = evaluated$when, weight = evaluated$weight, unit = resampling$unit,
    evaluated = data.frame(
      key = evaluated$key, evaluated_observed(evaluated), evaluated$predictions, check.names = FALSE
    )
  )
  new_result(c(about, parts, behind), "appraisal")
}

# Which rows intervals that follow time held stands beside their coverage, see covered_in_time().
coverage_alone <- function(coverage) {
  attr(coverage, "held") <- NULL
  coverage
}

evaluated_observed <- function(evaluated) {
  if (!is.data.frame(evaluated$observed)) return(data.frame(observed = evaluated$observed))
  stats::setNames(evaluated$observed, paste0("observed_", names(evaluated$observed)))
}

#' @export
as.data.frame.hylomath_appraisal <- function(x, ...) x$measures

#' Residuals of the evaluated rows
#'
#' @param object An appraisal of a regression or count model.
#' @param ... Not used.
#' @return Observed minus predicted value, one for each evaluated row; a data frame with a column a target if there are
#'   several.
#' @importFrom stats residuals
#' @section Errors: An appraisal of classes.
#' @export
residuals.hylomath_appraisal <- function(object, ...) {
  if (predicts_classes(object$task)) fail("Classes have no residuals.", "See `confusion` of the appraisal.")
  if (length(object$target) == 1) return(object$evaluated$observed - object$evaluated$prediction)
  of <- function(what) object$evaluated[paste0(what, "_", object$target)]
  stats::setNames(of("observed") - of("prediction"), object$target)
}

# Whether the hidden layers help: by the measure that the network was trained for, against the linear model on the same
# rows, and whether others of the main measures say clearly otherwise. One row a target; NULL without a linear model.
hidden_layers_verdict <- function(measures, primary) {
  if (is.null(measures$linear)) return(NULL)
  own <- measures[measures$measure == primary, ]
  better <- !is.na(own$difference_high) & own$difference_high < 0
  worse <- !is.na(own$difference_low) & own$difference_low > 0
  verdict <- data.frame(
    measure = own$measure, value = own$value, linear = own$linear, difference = own$difference,
    low = own$difference_low, high = own$difference_high,
    verdict = ifelse(better, "better", ifelse(worse, "worse", "same"))
  )
  others <- measures[measures$measure %in% setdiff(telling_measures, primary), ]
  rises <- others$measure %in% measures_that_rise
  clearly_worse <- ifelse(rises, others$difference_high < 0, others$difference_low > 0) %in% TRUE
  against <- if ("target" %in% names(own)) own$target %in% others$target[clearly_worse] else any(clearly_worse)
  verdict$verdict[better & against] <- "mixed"
  if ("target" %in% names(own)) cbind(own["target"], verdict) else verdict
}

# ---- the context of an evaluation ------------------------------------------------------------------------------------

# What an evaluation rests on beside the rows: plain data that a model has, and folds have without one.
#   target      what is predicted, see task.R
#   baseline    what is known without any input
#   costs       what wrong predictions cost, a matrix, or NULL
#   beside      rows of the training and validation parts, whose measures stand beside those of the evaluated rows
#   roles       the brief's columns by role, and order_kind, the kind of the one that orders the rows, or NULL
#   seed        of the training, which the draws go by
#   decisions   what the brief says of the decisions that predictions are for, or NULL
#   wiring, decision, recalibrated (the method)    of the predictor

context_of <- function(model) {
  predictor <- model$predictor
  parts <- intersect(c("out_of_fold", "training", "validation"), names(model$evaluated))
  list(
    target = predictor$target, baseline = model$baseline, costs = predictor$decision$rule$costs,
    beside = lapply(
      stats::setNames(nm = parts), function(part) evaluated_now(predictor, evaluated_in_part(model, part))
    ),
    roles = roles_of(model), order_kind = order_kind(model$brief),
    seed = training_seed(model), decisions = model$brief$decisions,
    wiring = wiring_text(model), decision = predictor$decision,
    recalibrated = predictor$recalibration$method
  )
}

units_text <- function(roles, evaluated) if (is.null(evaluated$group)) "rows" else sprintf("groups of %s", roles$group)

# ---- by subgroup -----------------------------------------------------------------------------------------------------

# Measures by subgroup of the evaluated rows.

# For every subgroup the measures of the network with their intervals, beside those of the baseline.
measures_by <- function(context, evaluated, resampling, group) {
  target <- context$target
  context$beside <- list()
  evaluated$linear <- NULL
  each <- lapply(levels(group), function(one) {
    rows <- which(group == one)
    within <- resampling_within(resampling, rows, context$seed)
    found <- task_of(target)$evaluate(context, rows_of_each(evaluated, rows), within)
    shown <- intersect(c("target", "measure", "value", "low", "high", "baseline"), names(found$measures))
    measures <- found$measures[shown]
    if (!is.null(target$positive)) measures <- rbind(measures, positive_measures(target$positive, found$classes))
    cbind(group = one, rows = length(rows), measures)
  })
  do.call(rbind, each)
}

# Recall and precision of the positive class, which accuracy hides.
positive_measures <- function(positive, classes) {
  own <- classes[classes$class == positive, ]
  data.frame(
    measure = sprintf(c("recall of %s", "precision of %s"), positive), value = c(own$recall, own$precision),
    low = c(own$recall_low, own$precision_low), high = c(own$recall_high, own$precision_high), baseline = NA_real_
  )
}

#' Judge a model on rows
#'
#' Every measure stands beside its baseline: always saying the commonest class of the training rows (their class shares
#' for the cross-entropy), or their mean (their median where the loss is the absolute or the quantile one).
#'
#' @param model A model.
#' @param data A table with the target, in place of the held-out rows.
#' @param rows `"test"` (the default where test rows were held out), `"validation"` or `"calibration"`.
#' @param ... Not used.
#' @return An appraisal: an object of class `hylomath_appraisal` with `measures` (a data frame of `measure`, `value` and
#'   `baseline`), for classes `confusion` (rows observed, columns answered) and `classes` (the measures of each class), and
#'   `judged` (key, observed, answer and probabilities row by row) with their case weights in `weight`.
#'   [as.data.frame()] gives the measures; see [tidy()] for those of each class.
#' @section Measures: Classification, of the answers: accuracy, balanced accuracy (mean recall), kappa (Cohen 1960), the
#'   correlation of Matthews (1975; Gorodkin 2004), the mean F1 of the classes and the same weighted by their rows; for ordered
#'   classes kappa weighted by squared distance (Cohen 1968) and the mean distance in steps. Of the probabilities:
#'   cross-entropy (natural logarithm), Brier's (1950) score over all classes, the area under the ROC curve of the positive
#'   class or the mean of those of each class against the rest (Hanley and McNeil 1982). By class: recall, precision,
#'   specificity, F1, support and area.
#'   Regression: RMSE, MAE, R², mean relative error (`NA` where an observed value is 0), relative mean error (sum
#'   of absolute errors over the sum of absolute observations), median absolute error, mean bias (answer less observed),
#'   explained variance, MSE. Counts: these and the mean Poisson deviance; the gamma loss: its mean deviance. Quantiles: these of
#'   the middle one, and for each the share of rows below it, beside the share that should be. With several targets `measures`
#'   has them one after another, with a column `target`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' appraise(model)
#' @export
appraise <- function(model, ...) UseMethod("appraise")

#' @rdname appraise
#' @export
appraise.hylomath_model <- function(model, data = NULL, rows = NULL, ...) {
  rlang::check_dots_empty()
  if (!is.null(data)) {
    if (!is.null(rows)) fail("Give either `data` or `rows`: with `data` all its rows are judged.")
    return(new_appraisal(model, judged_in(model, as_table(data)), "new"))
  }
  rows <- rows %||% if (is.null(model$held_out$test)) "validation" else "test"
  type_choice(c("test", "validation", "calibration"))(rows, "rows")
  judged <- model$held_out[[rows]]
  if (is.null(judged)) {
    fail(sprintf("The model has no %s rows.", rows), "Give the rows to judge it on: appraise(model, data = ...).")
  }
  new_appraisal(model, judged, rows)
}

judged_in <- function(model, table) {
  b <- model$brief
  table <- judged_table(model, table)
  for (column in b$target) {
    y <- table[[column]]
    if (b$task != "classification" && !is.numeric(y)) fail(sprintf("The target %s must be numbers, not %s.", quoted(column), type_name(y)))
    if (b$task == "classification") check_classes(b, y)
  }
  known <- which(stats::complete.cases(table[b$target]))
  if (length(known) == 0) fail(sprintf("The target %s has no values in these rows.", enumerate(quoted(b$target))))
  judged_rows(model, table[known, , drop = FALSE], known)
}

# The working table of new rows with their target, and the columns of other roles that an appraisal looks at.
judged_table <- function(model, table) {
  b <- model$brief
  rules <- table_rules(new_brief(brief_settings(b), table))
  beside <- intersect(unlist(b$columns[c("id", "weight", "exposure")]), names(table))
  for (column in setdiff(b$target, names(rules$derived))) check_is_column(table, column, "target")
  new_rows(model$preparation, table)
  working_table(table, rules, unique(c(vapply(model$preparation$columns, `[[`, "", "column"), b$target, beside)))
}

new_appraisal <- function(model, judged, rows) {
  b <- model$brief
  parts <- if (b$task == "classification") {
    appraise_classes(b, model$baseline, judged)
  } else {
    appraise_numbers(b, model$baseline, judged)
  }
  appraisal <- c(
    list(
      target = b$target, task = b$task, positive = b$positive, weighted = !identical(b$regimen$class_weights, "none"),
      rows = rows, n = length(judged$key)
    ),
    parts,
    list(
      baseline_answer = model$baseline$answer, baseline_is = model$baseline$is,
      weight = judged$weight,
      judged = data.frame(key = judged$key, judged_observed(judged), judged$answers, check.names = FALSE)
    )
  )
  appraisal$notes <- join_notes(model_notes(model), appraisal_notes(appraisal))
  structure(appraisal, class = "hylomath_appraisal")
}

appraise_classes <- function(b, baseline, judged) {
  classes <- b$classes
  observed <- judged$observed
  weight <- judged$weight
  confusion <- confusion_matrix(observed, judged$answers$answer, weight, classes)
  always <- confusion_matrix(observed, rep(baseline$answer, length(observed)), weight, classes)
  share <- matrix(unlist(baseline$share)[classes], length(observed), length(classes), byrow = TRUE)
  probability <- as.matrix(judged$answers[-1])
  ordered <- settled_loss(b)$kind == "ordinal"
  of_answers <- function(confusion) {
    c(
      accuracy = accuracy(confusion), "balanced accuracy" = balanced_accuracy(confusion), "Cohen's kappa" = cohen_kappa(confusion),
      "Matthews correlation" = matthews(confusion), "macro F1" = macro_f1(confusion), "weighted F1" = weighted_f1(confusion),
      if (ordered) c("weighted kappa" = cohen_kappa(confusion, ordered = TRUE), "mean rank error" = mean_rank_error(confusion))
    )
  }
  areas <- areas_by_class(observed, probability, weight, classes)
  of_probabilities <- function(p, area) {
    c(
      "cross-entropy" = cross_entropy(observed, p, weight, classes), "Brier score" = brier_score(observed, p, weight, classes),
      if (length(classes) == 2) c(AUC = area) else c("mean AUC" = area)
    )
  }
  area <- if (length(classes) == 2) areas[match(b$positive, classes)] else mean(areas, na.rm = TRUE)
  value <- c(of_answers(confusion), of_probabilities(probability, area))
  measures <- data.frame(measure = names(value), value = unname(value), baseline = unname(c(of_answers(always), of_probabilities(share, 0.5))))
  list(measures = measures, confusion = confusion, classes = cbind(class_measures(confusion), auc = areas))
}

# Several targets one after another, with the column `target` before the measures.
appraise_numbers <- function(b, baseline, judged) {
  each <- lapply(seq_along(b$target), function(i) {
    y <- if (length(b$target) == 1) judged$observed else judged$observed[[i]]
    measures <- number_measures(b, y, judged$answers[[i]], rep(baseline$answer[i], length(y)), judged$weight)
    if (length(b$target) == 1) measures else cbind(target = b$target[i], measures)
  })
  list(measures = rbind(do.call(rbind, each), quantile_measures(b, judged)))
}

number_measures <- function(b, y, answer, always, w) {
  measures_of <- function(answer) {
    mse <- mean_squared_error(y, answer, w)
    c(
      RMSE = sqrt(mse), MAE = mean_absolute_error(y, answer, w), "R\u00b2" = r_squared(y, answer, w),
      "mean relative error" = mean_relative_error(y, answer, w),
      "relative mean error" = relative_mean_error(y, answer, w), "median absolute error" = median_absolute_error(y, answer, w),
      "mean bias" = mean_bias(y, answer, w), "explained variance" = explained_variance(y, answer, w), MSE = mse,
      "Poisson deviance" = if (b$task == "count") poisson_deviance(y, answer, w),
      "gamma deviance" = if (settled_loss(b)$kind == "gamma") gamma_deviance(y, answer, w)
    )
  }
  value <- measures_of(answer)
  data.frame(measure = names(value), value = unname(value), baseline = unname(measures_of(always)))
}

# For each quantile the share of rows below it, beside the share that should be.
quantile_measures <- function(b, judged) {
  loss <- settled_loss(b)
  if (loss$kind != "quantile") return(NULL)
  below <- vapply(judged$answers[-1], function(q) weighted_mean(judged$observed <= q, judged$weight), 0)
  data.frame(measure = sprintf("share below quantile %s", format_each(loss$at)), value = unname(below), baseline = loss$at)
}

judged_observed <- function(judged) {
  if (!is.data.frame(judged$observed)) return(data.frame(observed = judged$observed))
  stats::setNames(judged$observed, paste0("observed_", names(judged$observed)))
}

#' @export
as.data.frame.hylomath_appraisal <- function(x, ...) x$measures

#' Residuals of the judged rows
#'
#' @param object An appraisal of a regression or count model.
#' @param ... Not used.
#' @return Observed minus answered value, one for each judged row; a data frame with a column a target if there are several.
#' @importFrom stats residuals
#' @export
residuals.hylomath_appraisal <- function(object, ...) {
  if (object$task == "classification") fail("Classes have no residuals.", "See `confusion` of the appraisal.")
  if (length(object$target) == 1) return(object$judged$observed - object$judged$answer)
  of <- function(what) object$judged[paste0(what, "_", object$target)]
  stats::setNames(of("observed") - of("answer"), object$target)
}

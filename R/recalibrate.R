#' Put a model's probabilities right
#'
#' A network can rank rows well and still give probabilities that are too extreme or not extreme enough. Recalibration
#' learns, from the calibration rows, which share of rows really belongs to a class where the network names a
#' probability.
#'
#' @param model A model of a classification with calibration rows, see [hold_out()].
#' @param method `"platt"`: a logistic curve of the log-odds of each class (Platt 1999, with his targets);
#'   `"isotonic"`: any rising curve (Zadrozny and Elkan 2002), for a thousand rows and more, each of its steps drawn
#'   towards Platt's curve as by three hundred rows that lie on it; `"temperature"`: one
#'   number that makes all probabilities more or less extreme (Guo, Pleiss, Sun and Weinberger 2017), which leaves
#'   their order alone; `"none"` takes it away again.
#' @param ... Not used.
#' @return The model with `recalibration`: `method`, `map`, `rows` and the cross-entropy of the calibration rows
#'   `before` and `after`. Several classes are put right one by one and then add up to 1 again. A rule of [decide()] is
#'   chosen anew on the validation rows. Prediction sets stay as they are: they are made from the network's own
#'   probabilities, so that no row serves twice. After [calibrate()] the network beside it without hidden layers is put
#'   right on its validation rows, which played no part in its training.
#' @section Out-of-fold rows: Where an ensemble is trained and none were held out for calibration, their out-of-fold
#'   predictions are used. They are of single networks, whose probabilities are more extreme than those of the ensemble;
#'   how much more is known from how far two networks that have not learned from a row disagree about it. So the
#'   out-of-fold log-odds are drawn towards the mean of their class before anything is learned from them. [decide()]
#'   does the same. Out-of-fold predictions of whole ensembles, `calibrate(model, folds(b))`, need no such step and take
#'   longer.
#' @section Errors: A model without calibration rows, or with none of some class among them.
#' @references Zadrozny and Elkan (2002) \doi{10.1145/775047.775151}; Guo, Pleiss, Sun and Weinberger (2017)
#'   \doi{10.48550/arXiv.1706.04599}.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |>
#'   hold_out(calibration = 0.2) |> train(progress = "none")
#' appraise(recalibrate(model, "platt"))
#' @export
recalibrate <- function(model, method = "platt", ...) UseMethod("recalibrate")

#' @export
recalibrate.hylomath_model <- function(model, method = "platt", ...) {
  check_others(...)
  type_choice(recalibration_methods)(method, "method")
  predictor <- model$predictor
  target <- predictor$target
  if (!has_classes(target)) fail("Only probabilities are recalibrated; this network predicts a number.")
  rows <- if (method != "none") rows_to_recalibrate(model, recalibrating_rows(model), target$classes)
  model <- change_predictors(model, function(predictor, predictions) {
    predictor["recalibration"] <- NULL
    from <- rows
    # out-of-fold rows have no prediction of the linear model; for that its validation rows are as
    # new
    if (!is.null(rows) && is.null(rows[[predictions]])) from <- evaluated_in_part(model, "validation")
    if (!is.null(from[[predictions]])) {
      predictor$recalibration <- learn_recalibration(method, target, from, from[[predictions]])
    }
    predictor
  })
  # a rule that was chosen on the former probabilities is chosen anew
  wish <- predictor$decision$spec
  if (is.null(wish)) model else with_decision(model, wish)
}

#' @export
recalibrate.default <- function(model, ...) wrong_object("recalibrate", "a model", model)

# Rows that nothing else has used, or the out-of-fold rows.
recalibrating_rows <- function(model) evaluated_in_part(model, "calibration") %||% calmed_rows(model)

rows_to_recalibrate <- function(model, rows, classes) {
  if (is.null(rows)) {
    fail_without_rows(
      model, "The model has no calibration rows, which nothing else has used.",
      "Hold some out and train again: hold_out(calibration = 0.15)."
    )
  }
  lacking <- setdiff(classes, rows$observed)
  if (length(lacking)) {
    fail(sprintf("No calibration row is of the class %s.", describe(lacking[1])), "Hold out more calibration rows.")
  }
  rows
}

# A recalibration is list(method, map, rows, before, after): how probabilities are put right, from how many rows it was
# learned, and their cross-entropy without and with it.
learn_recalibration <- function(method, target, rows, predictions) {
  p <- as.matrix(predictions[-1])
  observed <- match(rows$observed, target$classes)
  map <- if (method == "temperature") {
    list(temperature = best_temperature(p, observed, rows$weight))
  } else {
    recalibration_curves(method, target, p, observed, rows$weight)
  }
  recalibration <- list(method = method, map = map, rows = length(observed))
  loss <- function(p) weighted_mean(row_cross_entropy(observed, p), rows$weight)
  recalibration$before <- loss(p)
  recalibration$after <- loss(recalibrated(recalibration, p))
  recalibration
}

recalibration_curves <- function(method, target, p, observed, weight) {
  # of two classes one curve does for both
  classes <- target$classes
  places <- if (length(classes) == 2) match(target$positive, classes) else seq_along(classes)
  list(place = places, curves = lapply(places, function(j) learn_curve(method, p[, j], observed == j, weight)))
}

best_temperature <- function(p, observed, weight) {
  loss <- function(log_temperature) {
    weighted_mean(row_cross_entropy(observed, tempered(p, exp(log_temperature))), weight)
  }
  exp(stats::optimize(loss, c(-3, 3), tol = 1e-8)$minimum)
}

learn_curve <- function(method, p, is_class, weight) {
  straight <- platt_curve(p, is_class, weight)
  if (method == "isotonic") rising_curve(p, is_class, weight, straight) else straight
}

platt_curve <- function(p, is_class, weight) {
  # targets a little inside 0 and 1, as if one more row of each kind had been seen (Platt 1999)
  of <- sum(weight[is_class])
  others <- sum(weight[!is_class])
  target <- ifelse(is_class, (of + 1) / (of + 2), 1 / (others + 2))
  fit <- suppressWarnings(stats::glm.fit(cbind(1, log_odds(p)), target, weight, family = stats::quasibinomial()))
  if (!all(is.finite(fit$coefficients))) {
    return(list(intercept = stats::qlogis((of + 1) / (of + others + 2)), slope = 0))
  }
  list(intercept = fit$coefficients[[1]], slope = fit$coefficients[[2]])
}

# The rising step function with the least squared error: neighbours out of order are put together (Ayer et al. 1955),
# here as the slopes of the greatest convex curve below the cumulative sums. A step of few rows says little, so each
# counts with rows more that lie on the straight curve. Ends half a row away from 0 and 1.
rising_curve <- function(p, is_class, weight, straight = NULL) {
  sums <- rowsum(cbind(weight, weight * is_class), p)
  score <- sort(unique(p))
  level <- pooled(sums[, 2] / sums[, 1], sums[, 1])
  ends <- which(c(TRUE, diff(level) != 0) | c(diff(level) != 0, TRUE))
  if (!is.null(straight)) {
    step <- cumsum(c(TRUE, diff(level) != 0))
    rows <- rowsum(sums[, 1], step)[step]
    level <- cummax((rows * level + rows_on_straight * on_curve(straight, score)) / (rows + rows_on_straight))
    ends <- sort(unique(c(ends, round(seq(1, length(score), length.out = min(length(score), 100))))))
  }
  edge <- 0.5 / (sum(weight) + 1)
  level <- pmin(pmax(level, edge), 1 - edge)
  list(score = score[ends], level = level[ends])
}

rows_on_straight <- 300

pooled <- function(value, weight) {
  n <- length(value)
  mean <- numeric(n)
  total <- numeric(n)
  count <- integer(n)
  blocks <- 0
  for (i in seq_len(n)) {
    blocks <- blocks + 1
    mean[blocks] <- value[i]
    total[blocks] <- weight[i]
    count[blocks] <- 1L
    while (blocks > 1 && mean[blocks - 1] >= mean[blocks]) {
      both <- total[blocks - 1] + total[blocks]
      mean[blocks - 1] <- (mean[blocks - 1] * total[blocks - 1] + mean[blocks] * total[blocks]) / both
      total[blocks - 1] <- both
      count[blocks - 1] <- count[blocks - 1] + count[blocks]
      blocks <- blocks - 1
    }
  }
  rep(mean[seq_len(blocks)], count[seq_len(blocks)])
}

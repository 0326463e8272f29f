# Errors by size of what was observed.

# Of evaluated rows with `observed`, `predictions` and `weight`.
bands_by_size <- function(evaluated, target, bands) {
  each <- lapply(seq_along(target), function(i) {
    observed <- observed_of(evaluated, i)
    rows <- errors_by_band(bands_of(observed, bands), observed, evaluated$predictions[[i]], evaluated$weight)
    if (length(target) > 1) cbind(target = target[i], rows) else rows
  })
  do.call(rbind, each)
}

errors_by_band <- function(band, observed, prediction, weight) {
  error <- prediction - observed
  rows <- lapply(levels(band), function(one) {
    own <- band == one
    mean <- function(x) weighted_mean(x[own], weight[own])
    data.frame(
      band = one, rows = sum(own), observed = mean(observed), prediction = mean(prediction), bias = mean(error),
      MAE = mean(abs(error)), RMSE = sqrt(mean(error^2))
    )
  })
  do.call(rbind, rows)
}

# ---- classes ---------------------------------------------------------------------------------------------------------

# Evaluated rows of classes: the measures of the network with their intervals, beside the baseline, the linear model
# and other parts, by class and as a confusion matrix.
#
# `context` are what an evaluation rests on, see appraise.R.

how_of_classes <- function(context, ordered) {
  target <- context$target
  how_classes(target$classes, target$positive, unlist(context$baseline$share), ordered, context$costs)
}

evaluate_classes <- function(context, evaluated, resampling, ordered = FALSE) {
  how <- how_of_classes(context, ordered)
  network <- class_estimates(how, evaluated, evaluated$predictions, resampling$unit, resampling)
  linear <- if (!is.null(evaluated$linear)) class_estimates(how, evaluated, evaluated$linear, resampling$unit)
  measures <- interval_table(network, resampling, linear)
  always <- constant_class_measures(how, evaluated, context$baseline$prediction, unlist(context$baseline$share))
  measures$baseline <- unname(always[measures$measure])
  list(
    measures = beside_parts(context, measures, function(part) measure_classes(context, part, ordered = ordered)),
    confusion = confusion_matrix(evaluated$observed, evaluated$predictions$prediction, evaluated$weight, how$classes),
    classes = measures_by_class(network, how, resampling)
  )
}

# The measures alone, without intervals.
measure_classes <- function(context, evaluated, i = 1, ordered = FALSE) {
  how <- how_of_classes(context, ordered)
  class_estimates(how, evaluated, evaluated$predictions, rep(1L, length(evaluated$weight)))$values
}

# Training and validation rows beside the evaluated ones. They are evaluated without intervals: they are no measure of
# new rows.
beside_parts <- function(context, measures, values) {
  parts <- if ("out_of_fold" %in% names(context$beside)) "out_of_fold" else c("training", "validation")
  for (part in parts) {
    evaluated <- context$beside[[part]]
    measures[[part]] <- if (is.null(evaluated)) NA_real_ else unname(values(evaluated)[measures$measure])
  }
  compared <- intersect(c("linear", "difference", "difference_low", "difference_high"), names(measures))
  measures[c("measure", "value", "low", "high", "baseline", compared, parts)]
}

# Whether an appraisal has figures of out-of-fold rows, as the evaluated ones or beside them.
has_out_of_fold <- function(appraisal) appraisal$rows == "out_of_fold" || "out_of_fold" %in% names(appraisal$measures)

measures_by_class <- function(network, how, resampling) {
  level <- resampling$level
  tallies <- network$tallies
  t <- total_sums(tallies)
  total <- drop(tallies$weight)
  shares <- function(part, whole, name) {
    interval <- as.data.frame(share_interval(part, whole, level, resampling$plain))
    stats::setNames(interval, paste0(name, c("_low", "_high")))
  }
  place <- match(seq_along(how$classes), how$looked_at)
  # of two classes the ROC curve of the one mirrors that of the other
  auc <- area_by_class(network, how, "roc", if (length(how$classes) == 2) c(1, 1) else place, level)
  precision <- area_by_class(network, how, "precision", place, level)
  f1 <- drop(class_f1(t))
  f1_ends <- bca_interval(f1, class_f1(drawn_sums(resampling$counts, tallies)), class_f1(all_but_one(tallies)), level)
  # a class that is found never, or never missed, has an F1 that no draw moves: from the share of its rows among those
  # that are of it or predicted so, of which F1 is a function
  still <- drop(t$hit == 0 | 2 * t$hit == t$observed + t$predicted)
  union <- tallies$observed + tallies$predicted - tallies$hit
  overlap <- share_interval(tallies$hit, union, level, resampling$plain)
  f1_ends[still, ] <- (2 * overlap / (1 + overlap))[still, ]
  others <- total - tallies$observed
  cbind(
    data.frame(
      class = how$classes, support = drop(t$observed), recall = drop(class_recall(t)),
      precision = drop(class_precision(t)), specificity = drop(class_specificity(t)),
      negative_predictive_value = drop(class_negative_predictive_value(t)), f1 = f1, auc = auc[, 1],
      average_precision = precision[, 1]
    ),
    shares(tallies$hit, tallies$observed, "recall"), shares(tallies$hit, tallies$predicted, "precision"),
    shares(others - tallies$predicted + tallies$hit, others, "specificity"),
    shares(others - tallies$predicted + tallies$hit, total - tallies$predicted, "negative_predictive_value"),
    data.frame(
      f1_low = f1_ends[, 1], f1_high = f1_ends[, 2], auc_low = auc[, 2], auc_high = auc[, 3],
      average_precision_low = precision[, 2], average_precision_high = precision[, 3]
    )
  )
}

# An area for each place among those that are looked at, with its interval.
area_by_class <- function(network, how, kind, place, level) {
  observed <- colSums(network$tallies$observed)[how$looked_at]
  rest <- sum(network$tallies$weight) - observed
  ends <- vapply(place, function(i) {
    if (is.na(i)) return(c(NA_real_, NA_real_))
    smaller <- min(observed[i], rest[i])
    unname(area_interval(network$areas$by_class[i, kind], network$areas$error[i, kind], level, smaller))
  }, numeric(2))
  cbind(network$areas$by_class[place, kind], t(ends))
}

# Losses of the rows, a matrix with one column.
class_losses <- function(target, evaluated, predictions) {
  probability <- as.matrix(predictions[paste0("probability_", target$classes)])
  matrix(row_cross_entropy(match(evaluated$observed, target$classes), probability))
}

# ---- numbers ---------------------------------------------------------------------------------------------------------

# Evaluated rows of numbers: the measures of the network with their intervals, beside the baseline, the linear model
# and other parts. Several targets stand one after another, with the column `target` before the measures.

# How the i-th target is evaluated, see estimates.R.
how_numbers <- function(context, i) {
  loss <- loss_record(context$target$loss)
  deviance <- if (loss$deviance) list(measure = loss$primary(), row = loss$row)
  list(centre = context$baseline$mean[i], deviance = deviance, at = context$target$loss$at)
}

evaluate_numbers <- function(context, evaluated, resampling) {
  target <- context$target
  each <- lapply(seq_along(target$columns), function(i) {
    how <- how_numbers(context, i)
    network <- number_estimates(how, evaluated, evaluated$predictions, i, resampling$unit, resampling)
    linear <- if (!is.null(evaluated$linear)) number_estimates(how, evaluated, evaluated$linear, i, resampling$unit)
    measures <- interval_table(network, resampling, linear)
    n <- length(evaluated$weight)
    always <- number_estimates(how, evaluated, constant_numbers(context$baseline, n, evaluated$exposure), i, rep(1L, n))
    measures$baseline <- unname(always$values[measures$measure])
    measures <- beside_parts(context, measures, function(part) measure_numbers(context, part, i))
    # a quantile's share should be its own, whichever is the point prediction
    if (!is.null(how$at)) {
      own_shares <- quantile_measures(how$at)[c(FALSE, TRUE)]
      measures$baseline[match(own_shares, measures$measure)] <- how$at
    }
    if (length(target$columns) == 1) measures else cbind(target = target$columns[i], measures)
  })
  list(measures = do.call(rbind, each))
}

# The measures alone, without intervals.
measure_numbers <- function(context, evaluated, i = 1) {
  how <- how_numbers(context, i)
  number_estimates(how, evaluated, evaluated$predictions, i, rep(1L, length(evaluated$weight)))$values
}

# The baseline's predictions for n rows, in the shape of a network's: the same to all, or in proportion to their
# exposure.
constant_numbers <- function(baseline, n, exposure = NULL) {
  if (!is.null(exposure)) return(data.frame(prediction = baseline$rate * exposure))
  repeated <- function(values) matrix(values, n, length(values), byrow = TRUE)
  predictions <- as.data.frame(repeated(baseline$prediction))
  if (is.null(baseline$quantiles)) predictions else cbind(predictions, repeated(baseline$quantiles))
}

# Losses of the rows, a matrix with a column a target.
number_losses <- function(target, evaluated, predictions) {
  row_loss <- loss_record(target$loss)$row
  losses <- vapply(seq_along(target$columns), function(i) {
    row_loss(observed_of(evaluated, i), predictions[[i]], target$loss)
  }, numeric(length(evaluated$weight)))
  matrix(losses, length(evaluated$weight))
}

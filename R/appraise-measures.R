# The measures of judged rows: the network's with their intervals, beside the baseline, the direct wiring and other parts.

# The measure that a network is trained for, by which it is compared with others.
primary_measure <- function(b) {
  if (b$task == "classification") return("cross-entropy")
  loss <- settled_loss(b)
  switch(loss$kind, poisson = "Poisson deviance", gamma = "gamma deviance", absolute = "MAE", quantile = paste("quantile loss", format_number(loss$at[which.min(abs(loss$at - 0.5))])), "RMSE")
}

appraise_classes <- function(model, judged, unit, counts, level, plain) {
  b <- model$brief
  how <- how_judged(b, model$baseline, model$decision$rule$costs)
  network <- class_reckoning(judged$observed, judged$answers, judged$weight, unit, how, level, plain)
  direct <- if (!is.null(judged$direct)) class_reckoning(judged$observed, judged$direct, judged$weight, unit, how)
  measures <- interval_table(network, counts, level, direct)
  always <- function(part) class_baseline(model, part, how)
  measures$baseline <- unname(always(judged)[measures$measure])
  measures <- beside_parts(model, measures, function(part) measure_values(model, part))
  list(
    measures = measures, confusion = confusion_matrix(judged$observed, judged$answers$answer, judged$weight, b$classes),
    classes = measures_of_classes(network, how, counts, level, plain)
  )
}

# What the commonest class and the class shares of the training rows come to.
class_baseline <- function(model, judged, how) {
  n <- length(judged$key)
  share <- matrix(unlist(model$baseline$share)[how$classes], n, length(how$classes), byrow = TRUE)
  observed <- match(judged$observed, how$classes)
  always <- rep(match(model$baseline$answer, how$classes), n)
  one_bin <- list(place = how$looked_at, of = matrix(1L, n, length(how$looked_at)))
  t <- class_tallies(observed, always, share, judged$weight, rep(1L, n), one_bin, how$ordered, how$costs)
  occurring <- drop(t$observed)[how$looked_at] / drop(t$weight)
  # every row has the same score, so all of them are taken or none
  c(class_measures(t, how$ordered)[1, ], stats::setNames(c(0.5, mean(occurring[occurring > 0 & occurring < 1])), unname(area_measures(how))))
}

measures_of_classes <- function(network, how, counts, level, plain) {
  t <- total_sums(network$tallies)
  tallies <- network$tallies
  interval <- function(part, whole, name) stats::setNames(as.data.frame(share_interval(part, whole, level, plain)), paste0(name, c("_low", "_high")))
  total <- drop(tallies$weight)
  place <- match(seq_along(how$classes), how$looked_at)
  area <- function(kind, place) {
    ends <- vapply(place, function(i) {
      if (is.na(i)) return(c(NA_real_, NA_real_))
      own <- drop(t$observed)[how$looked_at[i]]
      unname(area_interval(network$areas$by_class[i, kind], network$areas$error[i, kind], level, min(own, drop(t$weight) - own)))
    }, numeric(2))
    cbind(network$areas$by_class[place, kind], t(ends))
  }
  # of two classes the ROC curve of the one mirrors that of the other
  auc <- area("roc", if (length(how$classes) == 2) c(1, 1) else place)
  precision <- area("precision", place)
  f1 <- drop(class_f1(t))
  f1_ends <- bca_interval(f1, class_f1(drawn_sums(counts, tallies)), class_f1(all_but_one(tallies)), level)
  cbind(
    data.frame(
      class = how$classes, support = drop(t$observed), recall = drop(class_recall(t)), precision = drop(class_precision(t)),
      specificity = drop(class_specificity(t)), f1 = f1, auc = auc[, 1], average_precision = precision[, 1]
    ),
    interval(tallies$hit, tallies$observed, "recall"), interval(tallies$hit, tallies$answered, "precision"),
    interval(total - tallies$observed - tallies$answered + tallies$hit, total - tallies$observed, "specificity"),
    data.frame(f1_low = f1_ends[, 1], f1_high = f1_ends[, 2], auc_low = auc[, 2], auc_high = auc[, 3], average_precision_low = precision[, 2], average_precision_high = precision[, 3])
  )
}

# Training and validation rows beside the judged ones. They are judged without intervals: they are no measure of new rows.
beside_parts <- function(model, measures, values) {
  for (part in c("training", "validation")) {
    judged <- model$judged[[part]]
    measures[[part]] <- if (is.null(judged)) NA_real_ else unname(values(judged_now(model, judged))[measures$measure])
  }
  measures[c("measure", "value", "low", "high", "baseline", intersect(c("direct", "difference", "difference_low", "difference_high"), names(measures)), "training", "validation")]
}

# Several targets one after another, with the column `target` before the measures.
appraise_numbers <- function(model, judged, unit, counts, level, plain) {
  b <- model$brief
  each <- lapply(seq_along(b$target), function(i) {
    how <- number_how(model, i)
    reckoning <- function(part, answers, unit, ...) {
      quantiles <- if (!is.null(how$at)) as.matrix(answers[-1])
      number_reckoning(observed_of(part, i), answers[[i]], part$weight, unit, how, quantiles, ...)
    }
    network <- reckoning(judged, judged$answers, unit, level = level, plain = plain)
    direct <- if (!is.null(judged$direct)) reckoning(judged, judged$direct, unit)
    measures <- interval_table(network, counts, level, direct)
    measures$baseline <- unname(reckoning(judged, number_baseline(model, i, length(judged$key)), rep(1L, length(judged$key)))$values[measures$measure])
    measures <- beside_parts(model, measures, function(part) measure_values(model, part, i))
    # a quantile's share should be its own, whatever answers
    if (!is.null(how$at)) measures$baseline[match(quantile_measures(how$at)[c(FALSE, TRUE)], measures$measure)] <- how$at
    if (length(b$target) == 1) measures else cbind(target = b$target[i], measures)
  })
  list(measures = do.call(rbind, each))
}

number_deviance <- function(b) if (b$task == "count") "poisson" else if (settled_loss(b)$kind == "gamma") "gamma"

# The same answers to every row, in the shape of a network's. With several targets only the i-th is looked at.
number_baseline <- function(model, i, n) {
  answers <- as.data.frame(matrix(model$baseline$answer, n, length(model$baseline$answer), byrow = TRUE))
  if (is.null(model$baseline$quantiles)) return(answers)
  cbind(answers, matrix(model$baseline$quantiles, n, length(model$baseline$quantiles), byrow = TRUE))
}

# How the i-th target is judged: what its values are centred at, its deviance, and the shares of answered quantiles.
number_how <- function(model, i) {
  loss <- settled_loss(model$brief)
  list(centre = model$baseline$mean[i], deviance = number_deviance(model$brief), at = if (loss$kind == "quantile") loss$at)
}

# The measures alone, without intervals, of rows with the answers that are given out.
measure_values <- function(model, judged, i = 1) {
  unit <- rep(1L, length(judged$key))
  if (model$brief$task == "classification") {
    return(class_reckoning(judged$observed, judged$answers, judged$weight, unit, how_judged(model$brief, model$baseline, model$decision$rule$costs))$values)
  }
  how <- number_how(model, i)
  number_reckoning(observed_of(judged, i), judged$answers[[i]], judged$weight, unit, how, if (!is.null(how$at)) as.matrix(judged$answers[-1]))$values
}

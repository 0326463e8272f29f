# Folds side by side: the same rows dealt in the same way, compared fold by fold.

lineup_folds <- function(given, level) {
  b <- given[[1]]$brief
  first <- given[[1]]
  for (name in names(given)[-1]) {
    if (!identical(given[[name]]$predictions[c("key", "repeat", "fold")], first$predictions[c("key", "repeat", "fold")]) || !identical(given[[name]]$pooled$judged$observed, first$pooled$judged$observed)) {
      fail(
        sprintf("The folds %s and %s are not the same rows dealt in the same way.", describe(names(given)[1]), describe(name)),
        "Give both briefs the same hold_out(seed = ), and the same k, repeats and by."
      )
    }
  }
  measures <- do.call(rbind, Map(function(name, folds) fold_differences(name, folds, first, level), names(given), given))
  rownames(measures) <- NULL
  primary <- first$primary
  main <- measures[measures$measure == primary, ]
  main <- main[!duplicated(main$model), ]
  table <- data.frame(
    model = names(given), main[c("value", "low", "high", "difference", "difference_low", "difference_high")],
    parameters = vapply(given, function(f) mean(f$each$parameters), 0), training_seconds = vapply(given, function(f) sum(f$each$seconds), 0), row.names = NULL
  )
  structure(
    list(
      models = in_order(table, table$value), measures = measures, settings = settings_apart(given), primary = primary, target = first$target, task = first$task,
      rows = "out-of-fold", n = length(unique(first$predictions$key)), level = level, first = names(given)[1], units = first$pooled$units,
      paired = "fold by fold, with a correction for training sets that overlap (Nadeau and Bengio 2003)", looks = 0L
    ),
    class = "hylomath_lineup"
  )
}

# Student's interval of the mean difference over folds, its standard error corrected for the overlap.
fold_differences <- function(name, folds, first, level) {
  own <- cbind(model = name, folds$measures[intersect(c("target", "measure", "value", "low", "high"), names(folds$measures))])
  own[c("difference", "difference_low", "difference_high")] <- NA_real_
  if (identical(folds, first)) return(own)
  label <- if (is.null(own$target)) own$measure else paste(own$target, own$measure)
  apart <- as.matrix(folds$each[label]) - as.matrix(first$each[label])
  half <- stats::qt((1 + level) / 2, nrow(apart) - 1) * apply(apart, 2, stats::sd) * overlap_factor(if (mean(folds$each$training) > mean(first$each$training)) folds$each else first$each)
  own$difference <- unname(colMeans(apart))
  own$difference_low <- unname(own$difference - half)
  own$difference_high <- unname(own$difference + half)
  own
}

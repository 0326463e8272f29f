# Reckonings of classes.

# How classes are judged: their names, the places that curves and calibration are about (the positive one of two; at
# most 20 of the commonest ones), whether they are ordered, and what wrong answers cost.
how_classes <- function(classes, positive, share, ordered = FALSE, costs = NULL) {
  looked_at <- if (length(classes) == 2) match(positive, classes) else sort(utils::head(order(-share[classes]), 20))
  list(classes = classes, looked_at = looked_at, ordered = ordered, costs = costs)
}

area_measures <- function(how) {
  if (length(how$classes) == 2) return(c(roc = "AUC", precision = "average precision"))
  c(roc = "mean AUC", precision = "mean average precision")
}

class_reckoning <- function(how, judged, answers, unit, resampling = NULL) {
  probability <- as.matrix(answers[-1])
  dimnames(probability) <- NULL
  answer <- match(answers$answer, how$classes)
  observed <- match(judged$observed, how$classes)
  bins <- bins_of(probability, how$looked_at)
  tallies <- class_tallies(observed, answer, probability, judged$weight, unit, bins, how$ordered, how$costs)
  areas <- class_areas(observed, probability, judged$weight, how$looked_at, unit)
  measures <- function(t) class_measures(t, how$ordered)
  named <- unname(area_measures(how))
  list(
    values = c(measures(total_sums(tallies))[1, ], stats::setNames(areas$mean, named)), tallies = tallies,
    measures = measures, influence = structure(areas$influence, dimnames = list(NULL, named)),
    ends = if (!is.null(resampling)) class_ends(how, tallies, areas, judged$weight, resampling) else list(),
    areas = areas
  )
}

class_ends <- function(how, tallies, areas, weight, resampling) {
  own <- colSums(tallies$observed)[how$looked_at]
  sides <- c(own, sum(weight) - own)
  smaller <- if (any(sides > 0)) min(sides[sides > 0]) else 0
  kinds <- area_measures(how)
  ends <- lapply(names(kinds), function(kind) {
    area_interval(areas$mean[[kind]], influence_error(areas$influence[, kind]), resampling$level, smaller)
  })
  names(ends) <- kinds
  right <- matrix(rowSums(tallies$hit))
  ends$accuracy <- share_interval(right, tallies$weight, resampling$level, resampling$plain)[1, ]
  ends
}

# What one answer and one set of probabilities for all rows come to.
constant_class_measures <- function(how, judged, answer, share) {
  n <- length(judged$weight)
  probability <- matrix(share[how$classes], n, length(how$classes), byrow = TRUE)
  observed <- match(judged$observed, how$classes)
  always <- rep(match(answer, how$classes), n)
  one_bin <- list(place = how$looked_at, of = matrix(1L, n, length(how$looked_at)))
  t <- class_tallies(observed, always, probability, judged$weight, rep(1L, n), one_bin, how$ordered, how$costs)
  occurring <- drop(t$observed)[how$looked_at] / drop(t$weight)
  # every row has the same score, so all of them are taken or none
  areas <- c(0.5, mean(occurring[occurring > 0 & occurring < 1]))
  c(class_measures(t, how$ordered)[1, ], stats::setNames(areas, unname(area_measures(how))))
}

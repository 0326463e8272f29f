# A reckoning: all measures of one answerer (the network, the direct wiring, the baseline) on a set of rows. It is
# list(values, tallies, measures, influence, ends), where `values` are named by measure; `measures` makes a matrix of those
# that follow from sums out of `tallies`; `influence` has a column, by unit, for each other one; `ends` holds the intervals
# that are known in closed form.

# `plain` says that every row has the weight 1 and stands for itself.
class_reckoning <- function(observed, answers, weight, unit, how, level = NULL, plain = FALSE) {
  probability <- as.matrix(answers[-1])
  dimnames(probability) <- NULL
  answer <- match(answers$answer, how$classes)
  observed <- match(observed, how$classes)
  tallies <- class_tallies(observed, answer, probability, weight, unit, bins_of(probability, how$looked_at), how$ordered, how$costs)
  areas <- class_areas(observed, probability, weight, how$looked_at, unit)
  measures <- function(t) class_measures(t, how$ordered)
  named <- area_measures(how)
  ends <- list()
  if (!is.null(level)) {
    own <- colSums(tallies$observed)[how$looked_at]
    sides <- c(own, sum(weight) - own)
    smaller <- if (any(sides > 0)) min(sides[sides > 0]) else 0
    ends <- lapply(names(named), function(kind) area_interval(areas$mean[[kind]], influence_error(areas$influence[, kind]), level, smaller))
    names(ends) <- named
    ends$accuracy <- share_interval(matrix(rowSums(tallies$hit)), tallies$weight, level, plain)[1, ]
  }
  list(
    values = c(measures(total_sums(tallies))[1, ], stats::setNames(areas$mean, unname(named))), tallies = tallies, measures = measures,
    influence = structure(areas$influence, dimnames = list(NULL, unname(named))), ends = ends, areas = areas
  )
}

area_measures <- function(how) if (length(how$classes) == 2) c(roc = "AUC", precision = "average precision") else c(roc = "mean AUC", precision = "mean average precision")

# How classes are judged: their names, the places that curves and calibration are about (the positive one of two; at most 20
# of the commonest ones), whether they are ordered, and what wrong answers cost.
how_judged <- function(b, baseline, costs = NULL) {
  share <- unlist(baseline$share)[b$classes]
  looked_at <- if (length(b$classes) == 2) match(b$positive, b$classes) else sort(utils::head(order(-share), 20))
  list(classes = b$classes, looked_at = looked_at, ordered = settled_loss(b)$kind == "ordinal", costs = costs)
}

number_reckoning <- function(observed, answer, weight, unit, how, quantiles = NULL, level = NULL, plain = FALSE) {
  tallies <- number_tallies(observed, answer, weight, unit, how$centre, quantiles, how$at)
  measures <- function(t) number_measures(t, how$deviance, how$at)
  middle <- median_reckoning(abs(answer - observed), weight, unit, level %||% 0.95, plain)
  values <- c(measures(total_sums(tallies))[1, ], "median absolute error" = middle$value)
  ends <- list()
  if (!is.null(level)) {
    ends <- list("median absolute error" = c(low = middle$low, high = middle$high))
    for (i in seq_along(how$at)) {
      ends[[quantile_measures(how$at)[2 * i]]] <- share_interval(tallies[, paste0("below_", i), drop = FALSE], tallies[, "weight", drop = FALSE], level, plain)[1, ]
    }
  }
  list(values = values, tallies = tallies, measures = measures, influence = cbind("median absolute error" = middle$influence), ends = ends)
}

biased_measure <- "calibration error"

# A row for each measure: value and interval, and against another answerer over the same rows the difference with its
# interval. `counts` are the bootstrap's draws of the units.
interval_table <- function(network, counts, level, other = NULL) {
  from_sums <- bootstrapped(network, counts)
  ends <- bca_interval(network$values[colnames(from_sums$drawn)], from_sums$drawn, from_sums$without, level)
  rownames(ends) <- colnames(from_sums$drawn)
  if (biased_measure %in% rownames(ends)) {
    excess <- network$tallies$excess
    scale <- network$values[[biased_measure]] / sum(abs(colSums(excess)))
    ends[biased_measure, ] <- if (is.finite(scale)) scale * absolute_sum_interval(crossprod(counts, excess), colSums(excess), level) else 0
  }
  measure <- names(network$values)
  low_high <- t(vapply(measure, function(m) if (is.null(network$ends[[m]])) ends[m, ] else network$ends[[m]], c(low = 0, high = 0)))
  table <- data.frame(measure = measure, value = unname(network$values), low = low_high[, "low"], high = low_high[, "high"], row.names = NULL)
  if (is.null(other)) return(table)
  table$direct <- unname(other$values[measure])
  table$difference <- table$value - table$direct
  others <- bootstrapped(other, counts)
  apart <- bca_interval(table$difference[match(colnames(from_sums$drawn), measure)], from_sums$drawn - others$drawn, from_sums$without - others$without, level)
  rownames(apart) <- colnames(from_sums$drawn)
  if (biased_measure %in% rownames(apart)) {
    apart[biased_measure, ] <- debiased_interval(table$difference[measure == biased_measure], from_sums$drawn[, biased_measure] - others$drawn[, biased_measure], level)
  }
  for (m in colnames(network$influence)) {
    apart <- rbind(apart, difference_interval(table$difference[measure == m], network$influence[, m] - other$influence[, m], level))
    rownames(apart)[nrow(apart)] <- m
  }
  table$difference_low <- unname(apart[measure, "low"])
  table$difference_high <- unname(apart[measure, "high"])
  table
}

bootstrapped <- function(reckoning, counts) {
  list(drawn = reckoning$measures(drawn_sums(counts, reckoning$tallies)), without = reckoning$measures(all_but_one(reckoning$tallies)))
}

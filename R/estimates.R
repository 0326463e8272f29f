# A set of estimates: all measures of one predictor (the network, the linear wiring, the baseline) on a set of rows. It
# is list(values, tallies, measures, influence, ends, apart), where `values` are named by measure; `measures` makes a
# matrix of those that follow from sums out of `tallies`; `influence` has a column, by unit, for each other one; `ends`
# holds the intervals that are known in closed form, and `apart` is a function of another set of estimates and the
# resampling that gives those of differences that are known otherwise. Intervals are computed where a resampling is
# given (see resampling_of), else `unit` says in which row of the tallies a row counts.

biased_measure <- "calibration error"

# A row for each measure: value and interval, and against another predictor over the same rows the difference with its
# interval.
interval_table <- function(network, resampling, other = NULL) {
  sums <- bootstrapped(network, resampling$counts)
  ends <- bca_interval(network$values[colnames(sums$drawn)], sums$drawn, sums$without, resampling$level)
  rownames(ends) <- colnames(sums$drawn)
  if (biased_measure %in% rownames(ends)) ends[biased_measure, ] <- biased_ends(network, resampling)
  measure <- names(network$values)
  ends_of <- function(m) if (is.null(network$ends[[m]])) ends[m, ] else network$ends[[m]]
  low_high <- t(vapply(measure, ends_of, c(low = 0, high = 0)))
  table <- data.frame(
    measure = measure, value = unname(network$values), low = low_high[, "low"], high = low_high[, "high"],
    row.names = NULL
  )
  if (is.null(other)) return(table)
  table$linear <- unname(other$values[measure])
  table$difference <- table$value - table$linear
  apart <- difference_ends(table, network, other, sums, resampling)
  table$difference_low <- unname(apart[measure, "low"])
  table$difference_high <- unname(apart[measure, "high"])
  table
}

bootstrapped <- function(estimates, counts) {
  list(
    drawn = estimates$measures(drawn_sums(counts, estimates$tallies)),
    without = estimates$measures(all_but_one(estimates$tallies))
  )
}

# A calibration error is too high in every sample, so its interval is had by inverting a test.
biased_ends <- function(network, resampling) {
  excess <- network$tallies$excess
  scale <- network$values[[biased_measure]] / sum(abs(colSums(excess)))
  if (!is.finite(scale)) return(c(low = 0, high = 0))
  scale * absolute_sum_interval(crossprod(resampling$counts, excess), colSums(excess), resampling$level)
}

# The difference of two calibration errors, from the limits of each and the correlation of their draws (Zou and Donner
# 2008).
apart_from <- function(own, others, network, other, together) {
  value <- network$values[[biased_measure]]
  against <- other$values[[biased_measure]]
  half <- function(a, b) sqrt(a^2 + b^2 - 2 * together * a * b)
  c(
    low = value - against - half(value - own[["low"]], others[["high"]] - against),
    high = value - against + half(own[["high"]] - value, against - others[["low"]])
  )
}

# The intervals of the differences, a row a measure.
difference_ends <- function(table, network, other, sums, resampling) {
  level <- resampling$level
  others <- bootstrapped(other, resampling$counts)
  by_sums <- colnames(sums$drawn)
  difference <- stats::setNames(table$difference, table$measure)
  apart <- bca_interval(difference[by_sums], sums$drawn - others$drawn, sums$without - others$without, level)
  rownames(apart) <- by_sums
  if (biased_measure %in% by_sums) {
    drawn <- cbind(sums$drawn[, biased_measure], others$drawn[, biased_measure])
    together <- if (all(apply(drawn, 2, stats::sd) > 0)) stats::cor(drawn)[1, 2] else 0
    apart[biased_measure, ] <- apart_from(
      biased_ends(network, resampling), biased_ends(other, resampling), network, other, max(together, 0)
    )
  }
  settled <- network$apart(other, resampling)
  for (m in names(settled)) apart[m, ] <- settled[[m]]
  for (m in colnames(network$influence)) {
    influence <- network$influence[, m] - other$influence[, m]
    apart <- rbind(apart, difference_interval(difference[[m]], influence, level))
    rownames(apart)[nrow(apart)] <- m
  }
  apart
}

# ---- of numbers ------------------------------------------------------------------------------------------------------

# Estimates of numbers.
#
# How a target is evaluated is list(centre, deviance, at): what its values are centred at, the deviance (see
# number_tallies()) or NULL, and the shares of predicted quantiles.

# `predictions` are those to all targets; `i` is the target's place among them.
number_estimates <- function(how, evaluated, predictions, i, unit, resampling = NULL) {
  observed <- observed_of(evaluated, i)
  prediction <- predictions[[i]]
  quantiles <- if (!is.null(how$at)) as.matrix(predictions[-1])
  tallies <- number_tallies(
    observed, prediction, evaluated$weight, unit, how$centre, quantiles, how$at, how$deviance
  )
  measures <- function(t) number_measures(t, how$deviance, how$at)
  level <- resampling$level %||% 0.95
  middle <- median_estimate(abs(prediction - observed), evaluated$weight, unit, level, isTRUE(resampling$plain))
  list(
    values = c(measures(total_sums(tallies))[1, ], "median absolute error" = middle$value), tallies = tallies,
    measures = measures, apart = function(other, resampling) list(),
    influence = cbind("median absolute error" = middle$influence),
    ends = if (!is.null(resampling)) number_ends(how, tallies, middle, resampling) else list()
  )
}

number_ends <- function(how, tallies, middle, resampling) {
  ends <- list("median absolute error" = c(low = middle$low, high = middle$high))
  whole <- tallies[, "weight", drop = FALSE]
  for (i in seq_along(how$at)) {
    below <- tallies[, paste0("below_", i), drop = FALSE]
    ends[[quantile_measures(how$at)[2 * i]]] <- share_interval(below, whole, resampling$level, resampling$plain)[1, ]
  }
  ends
}

# The observed values of the i-th target.
observed_of <- function(evaluated, i) {
  if (is.data.frame(evaluated$observed)) evaluated$observed[[i]] else evaluated$observed
}

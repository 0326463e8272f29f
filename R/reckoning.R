# A reckoning: all measures of one answerer (the network, the direct wiring, the baseline) on a set of rows. It is
# list(values, tallies, measures, influence, ends), where `values` are named by measure; `measures` makes a matrix of
# those that follow from sums out of `tallies`; `influence` has a column, by unit, for each other one; `ends` holds the
# intervals that are known in closed form. Intervals are reckoned where a resampling is given (see resampling_of), else
# `unit` says in which row of the tallies a row counts.

biased_measure <- "calibration error"

# A row for each measure: value and interval, and against another answerer over the same rows the difference with its
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
  table$direct <- unname(other$values[measure])
  table$difference <- table$value - table$direct
  apart <- difference_ends(table, network, other, sums, resampling)
  table$difference_low <- unname(apart[measure, "low"])
  table$difference_high <- unname(apart[measure, "high"])
  table
}

bootstrapped <- function(reckoning, counts) {
  list(
    drawn = reckoning$measures(drawn_sums(counts, reckoning$tallies)),
    without = reckoning$measures(all_but_one(reckoning$tallies))
  )
}

# A calibration error is too high in every sample, so its interval is had by inverting a test.
biased_ends <- function(network, resampling) {
  excess <- network$tallies$excess
  scale <- network$values[[biased_measure]] / sum(abs(colSums(excess)))
  if (!is.finite(scale)) return(c(low = 0, high = 0))
  scale * absolute_sum_interval(crossprod(resampling$counts, excess), colSums(excess), resampling$level)
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
    drawn <- sums$drawn[, biased_measure] - others$drawn[, biased_measure]
    apart[biased_measure, ] <- debiased_interval(difference[[biased_measure]], drawn, level)
  }
  for (m in colnames(network$influence)) {
    influence <- network$influence[, m] - other$influence[, m]
    apart <- rbind(apart, difference_interval(difference[[m]], influence, level))
    rownames(apart)[nrow(apart)] <- m
  }
  apart
}

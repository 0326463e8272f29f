# Intervals of areas and other values whose influence by unit is known.

# On the logarithm of the odds, so that the ends stay between 0 and 1 (Pepe 2003, 5.2.6). An area of 1 (or 0) has no
# visible spread: its other end is then that of a share of as many rows as the smaller side has, which is wide enough.
area_interval <- function(value, error, level, smaller_side) {
  if (is.na(value)) return(c(low = NA, high = NA))
  if (value <= 0 || value >= 1 || error == 0) return(wilson_interval(value, smaller_side, level)[1, ])
  # as many degrees of freedom as the smaller side has, whose few rows say little of the spread
  z <- stats::qt((1 + level) / 2, max(smaller_side - 1, 2))
  half <- z * error / (value * (1 - value))
  c(low = stats::plogis(stats::qlogis(value) - half), high = stats::plogis(stats::qlogis(value) + half))
}

difference_interval <- function(difference, influence, level) {
  difference + c(low = -1, high = 1) * stats::qnorm((1 + level) / 2) * influence_error(influence)
}

# A median's interval: where the share of rows below it may lie, read back as values (Woodruff 1952). Its influence is
# that of the share, divided by the density that the interval tells.
median_estimate <- function(x, weight, unit, level, plain) {
  value <- weighted_median(x, weight)
  below <- weight * ((x < value) + (x == value) / 2)
  sums <- unit_sums(cbind(below = below, weight = weight), unit, max(unit))
  total <- sum(weight)
  rows <- if (plain) total else effective_rows(sums[, "below", drop = FALSE], sums[, "weight", drop = FALSE])
  half <- stats::qnorm((1 + level) / 2) * 0.5 / sqrt(rows)
  shares <- pmin(pmax(0.5 + c(-half, half), 0), 1)
  ends <- vapply(shares, function(share) weighted_quantile(x, weight, share), 0)
  influence <- if (half > 0 && ends[2] > ends[1]) {
    -(sums[, "below"] - 0.5 * sums[, "weight"]) / total * diff(ends) / (2 * half)
  } else {
    numeric(max(unit))
  }
  list(value = value, low = ends[1], high = ends[2], influence = influence)
}

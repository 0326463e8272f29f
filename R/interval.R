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

# Half the width of Student's interval of each value (column) whose influence by unit is known, where so many
# `parameters` were estimated: the few units, or the few rows of the smaller side, say little of the spread.
student_half <- function(influence, level, smaller_side, parameters = 1) {
  units <- nrow(influence)
  error <- sqrt(colSums(influence^2) * units / max(units - parameters, 1))
  stats::qt((1 + level) / 2, max(min(units, smaller_side) - parameters, 2)) * error
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

# ---- the bootstrap ---------------------------------------------------------------------------------------------------

# Bootstrap intervals of measures that are functions of sums over units.

# How often each unit is drawn, a matrix of units by draws, as doubles for the products with it.
bootstrap_counts <- function(unit, draws, seed) {
  counts <- core_resample(max(unit), draws, seed)
  storage.mode(counts) <- "double"
  counts
}

# The sums of `draws` draws of units with replacement, of all units but one, and of all units.
drawn_sums <- function(counts, x) {
  if (is.list(x)) return(lapply(x, function(m) drawn_sums(counts, m)))
  # of many classes a unit has few: what is 0 needs no adding up
  there <- if (ncol(x) > 20 && nrow(counts) == nrow(x)) which(x != 0)
  if (is.null(there) || length(there) == 0 || length(there) > 2e4) return(crossprod(counts, x))
  at <- arrayInd(there, dim(x))
  sums <- t(core_sums(counts[at[, 1], , drop = FALSE] * x[there], at[, 2], ncol(x)))
  colnames(sums) <- colnames(x)
  sums
}

all_but_one <- function(x) {
  if (is.list(x)) return(lapply(x, all_but_one))
  rep(colSums(x), each = nrow(x)) - x
}

total_sums <- function(x) if (is.list(x)) lapply(x, total_sums) else t(colSums(x))

# A sum of absolute values, such as a calibration error, is too high in every sample, and no percentile of its draws
# knows by how much. Its interval holds the true sums under which the observed one would not be unusual: with c times
# the observed terms as the true ones, and the draws' noise about them, c is taken as far down and up as the observed
# sum allows (the bootstrap's test inversion: Carpenter 1999). `drawn` has a row a draw, `terms` are the observed ones.
absolute_sum_interval <- function(drawn, terms, level) {
  value <- sum(abs(terms))
  if (value == 0) return(c(low = 0, high = 0))
  noise <- sweep(drawn, 2, terms)
  sums <- function(c) rowSums(abs(sweep(noise, 2, c * terms, `+`)))
  tail <- (1 - level) / 2
  as_high <- function(c) mean(sums(c) >= value) - tail
  as_low <- function(c) mean(sums(c) <= value) - tail
  root <- function(f, upper) {
    while (f(0) * f(upper) > 0 && upper < 1e3) upper <- 2 * upper
    if (f(0) * f(upper) > 0) upper else stats::uniroot(f, c(0, upper), tol = 1e-3)$root
  }
  low <- if (as_high(0) >= 0) 0 else root(as_high, 1.5) * value
  high <- if (as_low(0) < 0) value else max(root(as_low, 1.5), 1) * value
  c(low = low, high = high)
}

# How many degrees of freedom the estimated variance of a mean has, by the kurtosis of its terms about it (Satterthwaite
# 1946): one less than there are for normal terms.
spread_freedom <- function(terms) {
  n <- length(terms)
  spread <- sum(terms^2)
  if (!(spread > 0)) return(n - 1)
  kurtosis <- n * sum(terms^4) / spread^2
  min(n - 1, max(2 * n / max(kurtosis - 1, 1e-6), 3))
}

# Bias-corrected and accelerated (Efron 1987) intervals of each measure (column): `drawn` has a row a draw, `without` a
# row for each unit that is left out. Measures that are not defined in a draw leave it out.
bca_interval <- function(value, drawn, without, level) {
  ends <- vapply(seq_along(value), function(j) bca_ends(value[j], drawn[, j], without[, j], level), numeric(2))
  cbind(low = ends[1, ], high = ends[2, ])
}

bca_ends <- function(value, drawn, without, level) {
  drawn <- drawn[is.finite(drawn)]
  without <- without[is.finite(without)]
  if (!is.finite(value) || length(drawn) < 20 || length(without) < 2) return(c(NA_real_, NA_real_))
  if (diff(range(drawn)) <= 1e-12 * max(abs(value), 1e-300)) return(c(value, value))
  bias <- stats::qnorm((sum(drawn < value) + sum(drawn == value) / 2) / length(drawn))
  bias <- min(max(bias, -2), 2)
  away <- mean(without) - without
  spread <- sum(away^2)
  acceleration <- if (spread > 0) sum(away^3) / (6 * spread^1.5) else 0
  # a little wider for few units, as Student's t is for means: a bootstrap's spread is short by (n - 1) / n (Hesterberg
  # 2015), and the fewer the larger the share of it that comes of few of them
  n <- length(without)
  z <- bias + sqrt(n / (n - 1)) * stats::qt(c((1 - level) / 2, (1 + level) / 2), spread_freedom(away))
  shares <- stats::pnorm(bias + z / (1 - acceleration * z))
  stats::quantile(drawn, shares, names = FALSE)
}

# ---- shares ----------------------------------------------------------------------------------------------------------

# Intervals of shares.

# Wilson's (1927) interval of a share of n.
wilson_interval <- function(share, n, level) {
  z <- stats::qnorm((1 + level) / 2)
  middle <- (share + z^2 / (2 * n)) / (1 + z^2 / n)
  half <- z / (1 + z^2 / n) * sqrt(share * (1 - share) / n + z^2 / (4 * n^2))
  cbind(low = pmax(middle - half, 0), high = pmin(middle + half, 1))
}

# How many independent rows of weight one tell as much about the share part / whole as these units do: its variance as
# a ratio of sums (Cochran 1977, 2.11) against that of a plain share. `part` and `whole` have a row a unit and a column
# a share.
effective_rows <- function(part, whole) {
  total <- colSums(whole)
  share <- share_of(colSums(part), total)
  variance <- colSums((part - sweep(whole, 2, share, `*`))^2) / total^2
  ifelse(variance > 0, share * (1 - share) / variance, total^2 / colSums(whole^2))
}

# The interval of a sum of shares of rows, each times its value, from the limits of each share and how the shares go
# together (Zou and Donner 2008). `parts` has a row a unit and a column a share, `whole` is what they are shares of;
# the rows beside all of the shares have the value `rest`.
shares_sum_interval <- function(parts, whole, values, rest, level, plain) {
  share <- colSums(parts) / sum(whole)
  values <- values - rest
  ends <- share_interval(parts, matrix(whole, nrow(parts), ncol(parts)), level, plain)
  apart <- parts - outer(drop(whole), share)
  spread <- sqrt(colSums(apart^2))
  together <- crossprod(apart) / pmax(outer(spread, spread), 1e-300)
  diag(together) <- 1  # also of a share that no row is in
  below <- share - ends[, "low"]
  above <- ends[, "high"] - share
  half <- function(rising, falling) {
    moved <- values * ifelse(values > 0, rising, falling)
    sqrt(max(drop(moved %*% together %*% moved), 0))
  }
  value <- rest + sum(values * share)
  c(value = value, low = value - half(below, above), high = value + half(above, below))
}

# `plain` says that the units are single rows of weight one (or lots of them): then the number of rows is known.
share_interval <- function(part, whole, level, plain) {
  n <- if (plain) colSums(whole) else effective_rows(part, whole)
  interval <- wilson_interval(share_of(colSums(part), colSums(whole)), n, level)
  interval[colSums(whole) <= 0, ] <- NA
  interval
}

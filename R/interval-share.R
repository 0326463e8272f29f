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

# `plain` says that the units are single rows of weight one (or lots of them): then the number of rows is known.
share_interval <- function(part, whole, level, plain) {
  n <- if (plain) colSums(whole) else effective_rows(part, whole)
  interval <- wilson_interval(share_of(colSums(part), colSums(whole)), n, level)
  interval[colSums(whole) <= 0, ] <- NA
  interval
}

# Quantiles of weighted values.

# The value below which a share of the weight lies; between two values where it is reached exactly.
weighted_quantile <- function(x, weight, share) {
  order <- order(x, method = "radix")
  upto <- cumsum(weight[order]) / sum(weight)
  at <- which(upto >= share - 1e-12)[1]
  next_at <- which(upto > upto[at])[1]  # what has no weight is no neighbour
  if (abs(upto[at] - share) < 1e-12 && !is.na(next_at)) mean(x[order][c(at, next_at)]) else x[order][at]
}

# Quantiles between neighbours (type 7 of Hyndman and Fan 1996), as of rows written out by their weights.
ordered_quantiles <- function(x, weight, shares) {
  if (all(weight == 1)) return(stats::quantile(x, shares, names = FALSE))
  order <- order(x, method = "radix")
  upto <- cumsum(weight[order])
  total <- upto[length(upto)]
  last <- max(total - 1, 0)
  place <- shares * last
  below <- floor(place + 1e-9)
  value_at <- function(k) x[order][pmin(findInterval(k + 1e-9, upto) + 1, length(x))]
  low <- value_at(below)
  above <- value_at(pmax(pmin(below + 1, last), below))
  # the place can lie a rounding below the whole number that it is taken for: quantiles rise all the same
  pmin(low + pmax(place - below, 0) * (above - low), above)
}

weighted_median <- function(x, weight) weighted_quantile(x, weight, 0.5)

# The place of the share next to a half: the quantile that is predicted. (The core's is middle_quantile() in loss.hpp.)
middle_quantile <- function(shares) which.min(abs(shares - 0.5))

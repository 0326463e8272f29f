# Quantiles of weighted values.

# The value below which a share of the weight lies; between two values where it is reached exactly.
weighted_quantile <- function(x, weight, share) {
  order <- order(x, method = "radix")
  upto <- cumsum(weight[order]) / sum(weight)
  at <- which(upto >= share - 1e-12)[1]
  if (abs(upto[at] - share) < 1e-12 && at < length(x)) mean(x[order][at + 0:1]) else x[order][at]
}

weighted_median <- function(x, weight) weighted_quantile(x, weight, 0.5)

# The place of the share next to a half: the quantile that answers. (The core's is middle_quantile() in loss.hpp.)
middle_quantile <- function(shares) which.min(abs(shares - 0.5))

# Measures of regression and counts: observed and answered numbers, and case weights.

weighted_mean <- function(x, weight) sum(x * weight) / sum(weight)

mean_squared_error <- function(observed, answer, weight) weighted_mean((answer - observed)^2, weight)

mean_absolute_error <- function(observed, answer, weight) weighted_mean(abs(answer - observed), weight)

# 1 - squared error over the squared distance from the judged rows' own mean.
r_squared <- function(observed, answer, weight) {
  1 - mean_squared_error(observed, answer, weight) /
    mean_squared_error(observed, weighted_mean(observed, weight), weight)
}

# Mean of |error| / |observed|; NA where an observed value is 0, because it then has no meaning.
mean_relative_error <- function(observed, answer, weight) {
  if (any(observed == 0 & weight > 0)) return(NA_real_)
  weighted_mean(abs(answer - observed) / abs(observed), weight)
}

# Sum of |error| over the sum of |observed|, which stays sane near zero.
relative_mean_error <- function(observed, answer, weight) {
  sum(weight * abs(answer - observed)) / sum(weight * abs(observed))
}

# Mean of 2 (y log(y / m) - (y - m)) (McCullagh and Nelder 1989, 2.3).
poisson_deviance <- function(observed, answer, weight) {
  m <- pmax(answer, .Machine$double.xmin)
  weighted_mean(2 * (ifelse(observed > 0, observed * log(pmax(observed, 1) / m), 0) - (observed - m)), weight)
}

# The value below which half of the weight lies.
weighted_median <- function(x, weight) {
  order <- order(x)
  upto <- cumsum(weight[order]) / sum(weight)
  at <- which(upto >= 0.5 - 1e-12)[1]
  if (abs(upto[at] - 0.5) < 1e-12 && at < length(x)) mean(x[order][at + 0:1]) else x[order][at]
}

median_absolute_error <- function(observed, answer, weight) weighted_median(abs(answer - observed), weight)

# Mean of answer - observed: above 0 where the network says too much.
mean_bias <- function(observed, answer, weight) weighted_mean(answer - observed, weight)

# 1 - variance of the error over that of the observed values: R2 for whoever takes the bias off.
explained_variance <- function(observed, answer, weight) {
  variance <- function(x) weighted_mean((x - weighted_mean(x, weight))^2, weight)
  1 - variance(answer - observed) / variance(observed)
}

# Mean of 2 ((y - m) / m - log(y / m)) (McCullagh and Nelder 1989, 8.3); NA where an observed value is not above 0.
gamma_deviance <- function(observed, answer, weight) {
  if (any(observed <= 0 & weight > 0)) return(NA_real_)
  m <- pmax(answer, .Machine$double.xmin)
  weighted_mean(2 * ((observed - m) / m - log(observed / m)), weight)
}

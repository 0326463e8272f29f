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

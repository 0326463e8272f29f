# What a search expects of settings that it has not tried: a Gaussian process with a Matern 5/2 kernel, a length for
# each setting, and noise (Rasmussen and Williams 2006, chapters 2, 4 and 5).

# `apart` as of space_distances() for the tried rows, `y` their losses, `noisier` how many times the variance of a
# whole evaluation each of them has. Lengths and noise are those of the highest posterior, under log-normal priors that
# hold few trials in check.
fit_surrogate <- function(apart, y, noisier) {
  d <- dim(apart)[3]
  middle <- c(rep(log(0.6), d), log(0.05))
  width <- c(rep(0.8, d), 1.2)
  # the cost and its slopes are asked for one after the other at the same place
  last <- list(theta = NULL)
  at <- function(theta) {
    if (!identical(theta, last$theta)) last <<- surrogate_at(theta, apart, y, noisier)
    last
  }
  best <- stats::optim(
    middle,
    function(theta) at(theta)$cost + 0.5 * sum(((theta - middle) / width)^2),
    function(theta) surrogate_slopes(at(theta), apart, noisier) + (theta - middle) / width^2,
    method = "L-BFGS-B", lower = c(rep(log(0.05), d), log(1e-4)), upper = c(rep(log(10), d), log(10)),
    control = list(maxit = 30)
  )
  at(best$par)
}

# With given logarithms of lengths and noise; `cost` is the negative logarithm of the likelihood.
surrogate_at <- function(theta, apart, y, noisier) {
  n <- length(y)
  lengths <- exp(theta[-length(theta)])
  level <- mean(y)
  spread <- stats::sd(y)
  if (!is.finite(spread) || spread == 0) spread <- 1
  root <- chol(matern(matern_reach(apart, lengths)) + diag(exp(theta[length(theta)]) * noisier + 1e-6, n))
  half <- backsolve(root, (y - level) / spread, transpose = TRUE)
  # the signal's variance at its best value, kept from 0 by one trial's worth of doubt
  variance <- (sum(half^2) + 1) / (n + 1)
  list(
    theta = theta, lengths = lengths, root = root, weights = backsolve(root, half), variance = variance, level = level,
    spread = spread, cost = 0.5 * (n + 1) * log(variance) + sum(log(diag(root)))
  )
}

# The slopes of `cost` by the logarithms of lengths and noise (Rasmussen and Williams 2006, 5.9).
surrogate_slopes <- function(surrogate, apart, noisier) {
  by_cell <- 0.5 * (chol2inv(surrogate$root) - tcrossprod(surrogate$weights) / surrogate$variance)
  r <- matern_reach(apart, surrogate$lengths)
  of_length <- by_cell * (5 / 3) * (1 + r) * exp(-r)
  lengths <- vapply(seq_along(surrogate$lengths), function(j) {
    sum(of_length * apart[, , j]) / surrogate$lengths[j]^2
  }, 0)
  c(lengths, exp(surrogate$theta[length(surrogate$theta)]) * sum(diag(by_cell) * noisier))
}

matern_reach <- function(apart, lengths) {
  r2 <- 0
  for (d in seq_along(lengths)) r2 <- r2 + apart[, , d] / lengths[d]^2
  sqrt(5 * matrix(r2, dim(apart)[1]))
}

matern <- function(r) (1 + r + r^2 / 3) * exp(-r)

# Mean and standard deviation of what is expected; `apart` is the distances of the tried rows to the new ones.
expected_of <- function(surrogate, apart) {
  k <- matern(matern_reach(apart, surrogate$lengths))
  half <- backsolve(surrogate$root, k, transpose = TRUE)
  list(
    mean = surrogate$level + surrogate$spread * drop(crossprod(k, surrogate$weights)),
    sd = surrogate$spread * sqrt(surrogate$variance * pmax(1 - colSums(half^2), 1e-12))
  )
}

# How much lower than `best` a loss is expected to be (Mockus 1978; Jones, Schonlau and Welch 1998).
expected_improvement <- function(expected, best) {
  z <- (best - expected$mean) / expected$sd
  (best - expected$mean) * stats::pnorm(z) + expected$sd * stats::dnorm(z)
}

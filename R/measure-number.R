# Measures of regression and counts. Like those of classes they are functions of tallies: a matrix of weighted sums
# with one row for each set of rows that is evaluated.

# `centre` is taken off the observed values, so that their spread keeps its digits; `quantiles` are predicted quantiles
# with one column for each of the shares `at`.
number_tallies <- function(observed, prediction, weight, unit, centre, quantiles = NULL, at = NULL) {
  error <- prediction - observed
  y <- observed - centre
  columns <- cbind(
    weight = 1, y = y, yy = y^2, error = error, squared = error^2, absolute = abs(error), observed = abs(observed),
    relative = abs(error) / abs(observed), poisson = row_poisson_deviance(observed, prediction),
    gamma = row_gamma_deviance(observed, prediction)
  )
  if (!is.null(quantiles)) {
    of_quantiles <- cbind(pinball(observed, quantiles, at), observed <= quantiles)
    colnames(of_quantiles) <- c(paste0("pinball_", seq_along(at)), paste0("below_", seq_along(at)))
    columns <- cbind(columns, of_quantiles)
  }
  unit_sums(columns * weight, unit, max(unit))
}

mean_of <- function(t, what) t[, what] / t[, "weight"]

# The mean squared distance of the observed values from their own mean.
variance_of <- function(t) pmax(mean_of(t, "yy") - mean_of(t, "y")^2, 0)

# 1 - squared error over the squared distance from the evaluated rows' own mean.
r_squared <- function(t) 1 - share_of(mean_of(t, "squared"), variance_of(t))

# 1 - variance of the error over that of the observed values: R2 for whoever takes the bias off.
explained_variance <- function(t) 1 - share_of(mean_of(t, "squared") - mean_of(t, "error")^2, variance_of(t))

# Mean of |error| / |observed|; NA where an observed value is 0, because it then has no meaning.
mean_relative_error <- function(t) ifelse(is.finite(t[, "relative"]), mean_of(t, "relative"), NA_real_)

# Sum of |error| over the sum of |observed|, which stays sane near zero.
relative_mean_error <- function(t) share_of(t[, "absolute"], t[, "observed"])

# 2 (y log(y / m) - (y - m)) (McCullagh and Nelder 1989, 2.3).
row_poisson_deviance <- function(y, m) {
  m <- pmax(m, .Machine$double.xmin)
  2 * (ifelse(y > 0, y * log(pmax(y, .Machine$double.xmin) / m), 0) - (y - m))
}

# 2 ((y - m) / m - log(y / m)) (McCullagh and Nelder 1989, 8.3); NA where an observed value is not above 0.
row_gamma_deviance <- function(y, m) {
  m <- pmax(m, .Machine$double.xmin)
  2 * ((y - m) / m - log(ifelse(y > 0, y, NA) / m))
}

# What a quantile costs a row: share times the distance where it is too low, the rest of it where it is too high
# (Koenker and Bassett 1978).
pinball <- function(observed, quantiles, at) {
  distance <- observed - quantiles
  pmax(rep(at, each = length(observed)) * distance, rep(at - 1, each = length(observed)) * distance)
}

# The measures, a matrix with one row for each of the tallies. `deviance` is "poisson", "gamma" or none.
number_measures <- function(t, deviance = NULL, at = NULL) {
  mse <- mean_of(t, "squared")
  measures <- cbind(
    RMSE = sqrt(mse), MAE = mean_of(t, "absolute"), "R\u00b2" = r_squared(t),
    "mean relative error" = mean_relative_error(t),
    "relative mean error" = relative_mean_error(t), "mean bias" = mean_of(t, "error"),
    "explained variance" = explained_variance(t), MSE = mse,
    "Poisson deviance" = if (identical(deviance, "poisson")) mean_of(t, "poisson"),
    "gamma deviance" = if (identical(deviance, "gamma")) mean_of(t, "gamma")
  )
  if (length(at) == 0) return(measures)
  of_quantiles <- lapply(seq_along(at), function(i) {
    cbind(mean_of(t, paste0("pinball_", i)), mean_of(t, paste0("below_", i)))
  })
  of_quantiles <- do.call(cbind, of_quantiles)
  colnames(of_quantiles) <- quantile_measures(at)
  cbind(measures, of_quantiles)
}

quantile_measures <- function(at) {
  shares <- format_each(at)
  as.vector(rbind(paste("quantile loss", shares), paste("share below quantile", shares)))
}

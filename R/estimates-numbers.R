# Reckonings of numbers.
#
# How a target is evaluated is list(centre, deviance, at): what its values are centred at, "poisson", "gamma" or NULL,
# and the shares of predicted quantiles.

# `predictions` are those to all targets; `i` is the target's place among them.
number_estimates <- function(how, evaluated, predictions, i, unit, resampling = NULL) {
  observed <- observed_of(evaluated, i)
  prediction <- predictions[[i]]
  quantiles <- if (!is.null(how$at)) as.matrix(predictions[-1])
  tallies <- number_tallies(observed, prediction, evaluated$weight, unit, how$centre, quantiles, how$at)
  measures <- function(t) number_measures(t, how$deviance, how$at)
  level <- resampling$level %||% 0.95
  middle <- median_estimate(abs(prediction - observed), evaluated$weight, unit, level, isTRUE(resampling$plain))
  list(
    values = c(measures(total_sums(tallies))[1, ], "median absolute error" = middle$value), tallies = tallies,
    measures = measures, apart = function(other, resampling) list(),
    influence = cbind("median absolute error" = middle$influence),
    ends = if (!is.null(resampling)) number_ends(how, tallies, middle, resampling) else list()
  )
}

number_ends <- function(how, tallies, middle, resampling) {
  ends <- list("median absolute error" = c(low = middle$low, high = middle$high))
  whole <- tallies[, "weight", drop = FALSE]
  for (i in seq_along(how$at)) {
    below <- tallies[, paste0("below_", i), drop = FALSE]
    ends[[quantile_measures(how$at)[2 * i]]] <- share_interval(below, whole, resampling$level, resampling$plain)[1, ]
  }
  ends
}

# The observed values of the i-th target.
observed_of <- function(evaluated, i) {
  if (is.data.frame(evaluated$observed)) evaluated$observed[[i]] else evaluated$observed
}

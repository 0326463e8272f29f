# Conformal scores of numbers, and the ends that a bound on them gives.
#
# A *scale* is list(unit, dispersion): in what unit the errors of all rows are alike (the task's `error_scale`), and of
# counts how much more their variance is than their mean's, see count_spread().

# How far off a prediction is, in a unit in which all rows are alike: the error itself; its logarithm's for predictions
# above 0 whose error grows with them; the error over the standard deviation of a count.
# Quantiles: how far outside of the outer two (Romano, Patterson and Candes 2019).
conformal_scores <- function(scale, observed, predictions, i) {
  prediction <- predictions[[i]]
  switch(scale$unit,
    quantiles = pmax(predictions[[2]] - observed, observed - predictions[[ncol(predictions)]]),
    log = abs(log(observed) - log(prediction)),
    count = abs(observed - prediction) / count_spread(prediction, scale$dispersion),
    plain = abs(observed - prediction)
  )
}

# A count's standard deviation about its mean: by Poisson where the dispersion is 0; where zeros abound or rows differ
# by what no column tells, the variance grows with the mean's square (the negative binomial's: Cameron and Trivedi
# 2013).
count_spread <- function(prediction, dispersion) sqrt(pmax(prediction, 0.1) + dispersion * prediction^2)

conformal_ends <- function(scale, predictions, i, bound) {
  prediction <- predictions[[i]]
  switch(scale$unit,
    # a bound below 0 draws them together, at most to the point where they meet
    quantiles = uncrossed(predictions[[2]] - bound, predictions[[ncol(predictions)]] + bound),
    log = list(low = prediction * exp(-bound), high = prediction * exp(bound)),
    count = whole_numbers_within(prediction, bound * count_spread(prediction, scale$dispersion)),
    plain = list(low = prediction - bound, high = prediction + bound)
  )
}

whole_numbers_within <- function(prediction, reach) {
  low <- pmax(ceiling(prediction - reach), 0)
  high <- pmax(floor(prediction + reach), 0)
  # where no whole number is as near, the nearest one
  none <- low > high
  list(low = ifelse(none, round(prediction), low), high = ifelse(none, round(prediction), high))
}

uncrossed <- function(low, high) list(low = pmin(low, high), high = pmax(low, high))

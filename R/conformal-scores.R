# Conformal scores of numbers, and the ends that a bound on them gives.
#
# A *scale* is list(unit, dispersion): in what unit the errors of all rows are alike (the task's `error_scale`), and of
# counts how much more their variance is than their mean's, see count_spread().

# How far off an answer is, in a unit in which all rows are alike: the error itself; its logarithm's for answers above 0
# whose error grows with them; the error over the standard deviation of a count.
# Quantiles: how far outside of the outer two (Romano, Patterson and Candes 2019).
conformal_scores <- function(scale, observed, answers, i) {
  answer <- answers[[i]]
  switch(scale$unit,
    quantiles = pmax(answers[[2]] - observed, observed - answers[[ncol(answers)]]),
    log = abs(log(observed) - log(answer)),
    count = abs(observed - answer) / count_spread(answer, scale$dispersion),
    plain = abs(observed - answer)
  )
}

# A count's standard deviation about its mean: by Poisson where the dispersion is 0; where zeros abound or rows differ
# by what no column tells, the variance grows with the mean's square (the negative binomial's: Cameron and Trivedi
# 2013).
count_spread <- function(answer, dispersion) sqrt(pmax(answer, 0.1) + dispersion * answer^2)

conformal_ends <- function(scale, answers, i, bound) {
  answer <- answers[[i]]
  switch(scale$unit,
    # a bound below 0 draws them together, at most to the point where they meet
    quantiles = uncrossed(answers[[2]] - bound, answers[[ncol(answers)]] + bound),
    log = list(low = answer * exp(-bound), high = answer * exp(bound)),
    count = whole_numbers_within(answer, bound * count_spread(answer, scale$dispersion)),
    plain = list(low = answer - bound, high = answer + bound)
  )
}

whole_numbers_within <- function(answer, reach) {
  low <- pmax(ceiling(answer - reach), 0)
  high <- pmax(floor(answer + reach), 0)
  # where no whole number is as near, the nearest one
  none <- low > high
  list(low = ifelse(none, round(answer), low), high = ifelse(none, round(answer), high))
}

uncrossed <- function(low, high) list(low = pmin(low, high), high = pmax(low, high))

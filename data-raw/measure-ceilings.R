# What the known rule itself would score, in expectation over the outcomes, on given rows: no honest model does better.

expected_class_measures <- function(p) {
  list(
    rows = nrow(p),
    shares = colMeans(p),
    accuracy = mean(apply(p, 1, max)),
    commonest_class_accuracy = max(colMeans(p)),
    cross_entropy = mean(-rowSums(ifelse(p > 0, p * log(p), 0)))
  )
}

# E[2 (y log(y / m) - (y - m))] for y ~ Poisson(m), by summing over y.
poisson_deviance_of_rule <- function(m) {
  one <- function(m) {
    y <- 0:(ceiling(m + 12 * sqrt(m)) + 12)
    sum(stats::dpois(y, m) * 2 * (ifelse(y > 0, y * log(y / m), 0) - (y - m)))
  }
  mean(vapply(m, one, 0))
}

expected_count_measures <- function(m) {
  list(
    rows = length(m),
    mean = mean(m),
    rmse = sqrt(mean(m)),
    r_squared = 1 - mean(m) / (mean(m) + stats::var(m)),
    poisson_deviance = poisson_deviance_of_rule(m)
  )
}

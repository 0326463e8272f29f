# Errors by size of what was observed.

# Of evaluated rows with `observed`, `predictions` and `weight`.
bands_by_size <- function(evaluated, target, bands) {
  each <- lapply(seq_along(target), function(i) {
    observed <- observed_of(evaluated, i)
    rows <- errors_by_band(bands_of(observed, bands), observed, evaluated$predictions[[i]], evaluated$weight)
    if (length(target) > 1) cbind(target = target[i], rows) else rows
  })
  do.call(rbind, each)
}

errors_by_band <- function(band, observed, prediction, weight) {
  error <- prediction - observed
  rows <- lapply(levels(band), function(one) {
    own <- band == one
    mean <- function(x) weighted_mean(x[own], weight[own])
    data.frame(
      band = one, rows = sum(own), observed = mean(observed), prediction = mean(prediction), bias = mean(error),
      MAE = mean(abs(error)), RMSE = sqrt(mean(error^2))
    )
  })
  do.call(rbind, rows)
}

# Evaluated rows of numbers: the measures of the network with their intervals, beside the baseline, the linear model
# and other parts. Several targets stand one after another, with the column `target` before the measures.

# How the i-th target is evaluated, see reckoning-numbers.R.
how_numbers <- function(grounds, i, deviance = NULL) {
  list(centre = grounds$baseline$mean[i], deviance = deviance, at = grounds$target$loss$at)
}

judge_numbers <- function(grounds, judged, resampling, deviance = NULL) {
  target <- grounds$target
  each <- lapply(seq_along(target$columns), function(i) {
    how <- how_numbers(grounds, i, deviance)
    network <- number_reckoning(how, judged, judged$predictions, i, resampling$unit, resampling)
    linear <- if (!is.null(judged$linear)) number_reckoning(how, judged, judged$linear, i, resampling$unit)
    measures <- interval_table(network, resampling, linear)
    n <- length(judged$weight)
    always <- number_reckoning(how, judged, constant_numbers(grounds$baseline, n, judged$exposure), i, rep(1L, n))
    measures$baseline <- unname(always$values[measures$measure])
    measures <- beside_parts(grounds, measures, function(part) measure_numbers(grounds, part, i, deviance))
    # a quantile's share should be its own, whichever is the point prediction
    if (!is.null(how$at)) {
      own_shares <- quantile_measures(how$at)[c(FALSE, TRUE)]
      measures$baseline[match(own_shares, measures$measure)] <- how$at
    }
    if (length(target$columns) == 1) measures else cbind(target = target$columns[i], measures)
  })
  list(measures = do.call(rbind, each))
}

# The measures alone, without intervals.
measure_numbers <- function(grounds, judged, i = 1, deviance = NULL) {
  how <- how_numbers(grounds, i, deviance)
  number_reckoning(how, judged, judged$predictions, i, rep(1L, length(judged$weight)))$values
}

# The baseline's predictions for n rows, in the shape of a network's: the same to all, or in proportion to their
# exposure.
constant_numbers <- function(baseline, n, exposure = NULL) {
  if (!is.null(exposure)) return(data.frame(prediction = baseline$rate * exposure))
  repeated <- function(values) matrix(values, n, length(values), byrow = TRUE)
  predictions <- as.data.frame(repeated(baseline$prediction))
  if (is.null(baseline$quantiles)) predictions else cbind(predictions, repeated(baseline$quantiles))
}

# Losses of the rows, a matrix with a column a target; `row_loss` is a function of observed values and predictions.
number_losses <- function(target, judged, predictions, row_loss) {
  losses <- vapply(seq_along(target$columns), function(i) {
    row_loss(observed_of(judged, i), predictions[[i]])
  }, numeric(length(judged$weight)))
  matrix(losses, length(judged$weight))
}

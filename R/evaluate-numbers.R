# Evaluated rows of numbers: the measures of the network with their intervals, beside the baseline, the linear model
# and other parts. Several targets stand one after another, with the column `target` before the measures.

# How the i-th target is evaluated, see estimates-numbers.R.
how_numbers <- function(context, i, deviance = NULL) {
  list(centre = context$baseline$mean[i], deviance = deviance, at = context$target$loss$at)
}

evaluate_numbers <- function(context, evaluated, resampling, deviance = NULL) {
  target <- context$target
  each <- lapply(seq_along(target$columns), function(i) {
    how <- how_numbers(context, i, deviance)
    network <- number_estimates(how, evaluated, evaluated$predictions, i, resampling$unit, resampling)
    linear <- if (!is.null(evaluated$linear)) number_estimates(how, evaluated, evaluated$linear, i, resampling$unit)
    measures <- interval_table(network, resampling, linear)
    n <- length(evaluated$weight)
    always <- number_estimates(how, evaluated, constant_numbers(context$baseline, n, evaluated$exposure), i, rep(1L, n))
    measures$baseline <- unname(always$values[measures$measure])
    measures <- beside_parts(context, measures, function(part) measure_numbers(context, part, i, deviance))
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
measure_numbers <- function(context, evaluated, i = 1, deviance = NULL) {
  how <- how_numbers(context, i, deviance)
  number_estimates(how, evaluated, evaluated$predictions, i, rep(1L, length(evaluated$weight)))$values
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
number_losses <- function(target, evaluated, predictions, row_loss) {
  losses <- vapply(seq_along(target$columns), function(i) {
    row_loss(observed_of(evaluated, i), predictions[[i]])
  }, numeric(length(evaluated$weight)))
  matrix(losses, length(evaluated$weight))
}

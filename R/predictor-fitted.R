# The predictor of a fit that has ended.
new_predictor <- function(spec, fit) {
  a <- spec$analysis
  predictor <- structure(
    list(target = a$target, preparation = spec$learned$preparation, network = fit$network),
    class = "hylomath_predictor"
  )
  # of rows that the network has not learned, where there are enough: of those that it has errors are too small
  unlearned <- rows_in(a, "validation")
  rows <- if (length(unlearned) >= fewest_smeared) unlearned else rows_in(a, "training")
  training <- drawn_rows(rows, most_smeared, a$regimen$seed, "smear")
  smear <- fitted_smear(predictor, a$table[training, , drop = FALSE], weights_in(a, training))
  if (!is.null(smear)) predictor$preparation$target$smear <- smear
  predictor
}

# Of more rows some are drawn.
most_smeared <- 1000000
fewest_smeared <- 100

# The mean of exp(residual) of a log target over the training rows (Duan 1983, "Smearing estimate"); NULL where it isn't
# needed.
fitted_smear <- function(predictor, training, weight) {
  target <- predictor$target
  if (target$scaling != "log" || predictions_are(target) != "means") return(NULL)
  predictions <- as.matrix(predictions_of(predictor, training))
  of_target <- function(i) weighted_mean(training[[target$columns[i]]] / predictions[, i], weight)
  unname(vapply(seq_along(target$columns), of_target, 0))
}

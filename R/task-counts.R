# Counts: whole numbers from 0 by the Poisson likelihood, whose predictions are means. An exposure can stand beside
# them. What is said of numbers holds.

task_counts <- function() {
  utils::modifyList(task_numbers(), list(
    word = "count",
    losses = "poisson",
    several = FALSE,
    logarithm = FALSE,
    exposure = TRUE,
    claims = is_small_count,
    check = check_counts,
    check_target = function(target, values) NULL,
    output = function(loss, classes) "exponential",
    learn = function(values, target, weight) {
      learned <- plain_scale(lapply(values, as.numeric), weight)
      if (target$loss$output == "softplus") learned$scale <- learned$mean
      learned
    },
    primary = function(target) "Poisson deviance",
    row_losses = function(target, evaluated, predictions) number_losses(
      target, evaluated, predictions, row_poisson_deviance
    ),
    evaluate = function(context, evaluated, resampling) evaluate_numbers(context, evaluated, resampling, "poisson"),
    measure = function(context, evaluated, i = 1) measure_numbers(context, evaluated, i, "poisson"),
    estimate = function(context, evaluated, i, resampling) {
      number_estimates(
        how_numbers(context, i, "poisson"), evaluated, evaluated$predictions, i, resampling$unit, resampling
      )
    },
    error_scale = function(target) "count",
    describe = function(target) "count (Poisson likelihood, predictions are means)"
  ))
}

check_counts <- function(y, column, said) {
  check_numeric_target(y, column, "count")
  bad <- which(y < 0)
  if (length(bad)) {
    fail(
      sprintf("The target %s is negative in %s; a count can't be.", quoted(column), rows_text(bad)),
      "Set task = \"regression\", or mend the rows."
    )
  }
  bad <- which(y != round(y))
  if (length(bad)) {
    fail(
      sprintf("The target %s is not whole in %s; a count must be.", quoted(column), rows_text(bad)),
      "Set task = \"regression\"."
    )
  }
}

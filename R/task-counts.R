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
    row_losses = function(target, judged, predictions) number_losses(target, judged, predictions, row_poisson_deviance),
    judge = function(grounds, judged, resampling) judge_numbers(grounds, judged, resampling, "poisson"),
    measure = function(grounds, judged, i = 1) measure_numbers(grounds, judged, i, "poisson"),
    reckon = function(grounds, judged, i, resampling) {
      number_reckoning(how_numbers(grounds, i, "poisson"), judged, judged$predictions, i, resampling$unit, resampling)
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

# Quantiles of a number: one output for each share, put in rising order row by row. What is said of numbers holds.

task_quantiles <- function() {
  utils::modifyList(task_numbers(), list(
    losses = "quantile",
    claims = function(y, kind) FALSE,
    check_loss = function(loss, said, columns) {
      if (length(columns) > 1) {
        fail("The loss `quantile` is for one target at a time.", "Name one target, or use the loss `absolute`.")
      }
    },
    output = function(loss, classes) "identity",
    units = function(target) length(target$loss$at),
    start = function(target, learned, network, offset) {
      if (network$output == "identity") return(rep(0, length(target$loss$at)))
      start_numbers(target, learned, network, offset)
    },
    reading = read_quantiles,
    prediction = prediction_quantiles,
    baseline = function(values, target, learned, weight) {
      list(
        prediction = learned$median, is = "median", mean = learned$mean,
        quantiles = ordered_quantiles(values[[1]], weight, target$loss$at)
      )
    },
    primary = function(target) paste("quantile loss", format_number(middle_share(target))),
    row_losses = function(target, evaluated, predictions) {
      number_losses(target, evaluated, predictions, function(y, m) drop(pinball(y, cbind(m), middle_share(target))))
    },
    error_scale = function(target) {
      if (length(target$loss$at) > 1) "quantiles" else if (is_logarithmic(target)) "log" else "plain"
    },
    describe = function(target) {
      output <- if (target$loss$output == "identity") "" else sprintf(", %s output", target$loss$output)
      sprintf("regression (quantiles %s%s)", enumerate(format_each(target$loss$at)), output)
    }
  ))
}

middle_share <- function(target) target$loss$at[middle_quantile(target$loss$at)]

# Quantiles are put in rising order, row by row (Chernozhukov, Fernandez-Val and Galichon 2010).
read_quantiles <- function(target, learned) {
  utils::modifyList(read_numbers(learned, length(target$loss$at)), list(rising = TRUE))
}

prediction_quantiles <- function(values, target) {
  at <- target$loss$at
  names <- c("prediction", paste0("quantile_", format_each(at)))
  as_plain_frame(stats::setNames(c(values[middle_quantile(at)], values), names))
}

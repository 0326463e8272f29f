# Numbers: one output for each target, on a scale learned from the training rows. Counts and quantiles are kinds of
# them.

task_numbers <- function() {
  new_task(
    "regression", losses_of("numbers"), "numbers",
    several = TRUE, logarithm = TRUE, epoch_measures = c("mae", "rmse"),
    claims = function(y, kind) is.numeric(y) && !is_two_valued(y) && !is_small_count(y, kind),
    check = function(y, column, said) check_numeric_target(y, column, "regression"),
    check_target = check_numbers,
    output = function(loss, classes) loss_record(loss)$output,
    units = function(target) length(target$columns),
    strata = function(y, classes, bands) rank_bands(y, bands),
    observe = observe_numbers,
    learn = learn_numbers_target,
    encode = encode_numbers,
    start = start_numbers,
    reading = function(target, learned) read_numbers(learned),
    prediction = function(values, target) {
      several <- length(target$columns) > 1
      as_plain_frame(stats::setNames(values, if (several) paste0("prediction_", target$columns) else "prediction"))
    },
    baseline = function(values, target, learned, weight) {
      if (predictions_are(target) == "means") return(list(prediction = learned$mean, is = "mean", mean = learned$mean))
      list(prediction = learned$median, is = "median", mean = learned$mean)
    },
    primary = function(target) loss_record(target$loss)$primary(target$loss),
    row_losses = number_losses,
    evaluate = evaluate_numbers,
    measure = measure_numbers,
    estimate = function(context, evaluated, i, resampling) {
      how <- how_numbers(context, i)
      number_estimates(how, evaluated, evaluated$predictions, i, resampling$unit, resampling)
    },
    error_scale = function(target) if (is_logarithmic(target)) "log" else loss_record(target$loss)$errors,
    describe = describe_numbers
  )
}

# Whether the logarithm of the target is learned.
is_logarithmic <- function(target) target$scaling %in% c("log", "log_median")

# What the predictions are, in a word.
predictions_are <- function(target) loss_record(target$loss)$predicts

# Targets that a logarithm or a loss needs above 0.
check_numbers <- function(target, values) {
  output <- target$loss$output
  if (is_logarithmic(target) && output != "identity") {
    what <- "`prepare.target` is %s, but the output is %s, which has a logarithm of its own."
    fail(sprintf(what, quoted(target$scaling), quoted(output)), "Set one of them back.")
  }
  for (column in target$columns) {
    y <- values[[column]]
    if (is_logarithmic(target) || loss_record(target$loss)$above_zero == "target") {
      check_positive(y, column, target)
    } else if (output != "identity" && mean(y, na.rm = TRUE) <= 0) {
      what <- "The mean of the target %s is not above 0, but the output %s gives predictions above 0 only."
      fail(sprintf(what, quoted(column), quoted(output)), "Set `regimen.output` to `identity`.")
    }
  }
}

check_positive <- function(y, column, target) {
  bad <- which(y <= 0)
  if (length(bad) == 0) return()
  logarithmic <- is_logarithmic(target)
  why <- if (logarithmic) "so it has no logarithm" else sprintf("which the loss `%s` needs", target$loss$kind)
  try <- if (logarithmic) "Set `prepare.target` to \"zscore\"" else "Choose another loss"
  fail(
    sprintf("The target %s is not above 0 in %s, %s.", quoted(column), rows_text(bad), why),
    paste0(try, ", or set these rows aside.")
  )
}

observe_numbers <- function(values, target) {
  if (length(target$columns) == 1) return(as.numeric(values[[1]]))
  as.data.frame(lapply(values[target$columns], as.numeric), optional = TRUE)
}

# `smear` is the mean of exp(residual) on the training rows (Duan 1983), filled in after training, by which the
# predictions of a log target become means; it stays 1 for medians and quantiles. A target whose predictions are above 0
# is only scaled.
learn_numbers_target <- function(values, target, weight) {
  columns <- lapply(values, as.numeric)
  learned <- plain_scale(columns, weight)
  if (target$loss$output %in% c("softplus", "exponential")) {
    learned$scale <- learned$mean
    return(learned)
  }
  if (target$scaling == "none") return(learned)
  learned$log <- is_logarithmic(target)
  if (learned$log) columns <- lapply(columns, base::log)
  learned$shift <- unname(vapply(columns, weighted_mean, 0, weight))
  learned$scale <- above_zero(unname(vapply(columns, weighted_deviation, 0, weight)))
  learned
}

plain_scale <- function(columns, weight) {
  n <- length(columns)
  list(
    mean = unname(vapply(columns, weighted_mean, 0, weight)),
    median = unname(vapply(columns, ordered_quantiles, 0, weight, 0.5)),
    shift = rep(0, n), scale = rep(1, n), log = FALSE, smear = rep(1, n)
  )
}

encode_numbers <- function(values, target, learned) {
  y <- matrix(vapply(values, as.numeric, numeric(nrow(values))), nrow(values))
  if (learned$log) y <- log(y)
  sweep(sweep(y, 2, learned$shift), 2, learned$scale, `/`)
}

# The network's numbers in the targets' own units, `predictions` of them.
read_numbers <- function(learned, predictions = length(learned$scale)) {
  each <- function(x) rep_len(as.numeric(x), predictions)
  list(
    classes = FALSE, scale = each(learned$scale), shift = each(learned$shift), smear = each(learned$smear),
    logarithmic = learned$log, rising = FALSE
  )
}

# With these biases the network's first prediction is the baseline's.
start_numbers <- function(target, learned, network, offset) {
  level <- pmax(learned$mean, 1e-6) / learned$scale
  switch(network$output,
    exponential = log(level) - if (length(offset)) log(mean(exp(offset))) else 0,
    softplus = log(expm1(level)),
    identity = (if (learned$log) 0 else learned$mean - learned$shift) / learned$scale
  )
}

describe_numbers <- function(target) {
  loss <- target$loss
  record <- loss_record(loss)
  output <- if (loss$output == "identity" || record$deviance) "" else sprintf(", %s output", loss$output)
  sprintf("%s (%s%s)", target$task, record$describe(loss), output)
}

# ---- counts ----------------------------------------------------------------------------------------------------------

# Counts: whole numbers from 0 by the Poisson likelihood, whose predictions are means. An exposure can stand beside
# them. What is said of numbers holds.

task_counts <- function() {
  utils::modifyList(task_numbers(), list(
    word = "count",
    losses = losses_of("counts"),
    several = FALSE,
    logarithm = FALSE,
    exposure = TRUE,
    claims = is_small_count,
    check = check_counts,
    check_target = function(target, values) NULL,
    learn = function(values, target, weight) {
      learned <- plain_scale(lapply(values, as.numeric), weight)
      if (target$loss$output == "softplus") learned$scale <- learned$mean
      learned
    },
    error_scale = function(target) loss_record(target$loss)$errors
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

# ---- quantiles -------------------------------------------------------------------------------------------------------

# Quantiles of a number: one output for each share, put in rising order row by row. What is said of numbers holds.

task_quantiles <- function() {
  utils::modifyList(task_numbers(), list(
    losses = losses_of("quantiles"),
    claims = function(y, kind) FALSE,
    check_loss = function(loss, said, columns) {
      if (length(columns) > 1) {
        fail("The loss `quantile` is for one target at a time.", "Name one target, or use the loss `absolute`.")
      }
    },
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
    error_scale = function(target) {
      if (length(target$loss$at) > 1) "quantiles" else if (is_logarithmic(target)) "log" else "plain"
    }
  ))
}

# Quantiles are put in rising order, row by row (Chernozhukov, Fernandez-Val and Galichon 2010).
read_quantiles <- function(target, learned) {
  utils::modifyList(read_numbers(learned, length(target$loss$at)), list(rising = TRUE))
}

prediction_quantiles <- function(values, target) {
  at <- target$loss$at
  names <- c("prediction", paste0("quantile_", format_each(at)))
  as_plain_frame(stats::setNames(c(values[middle_quantile(at)], values), names))
}

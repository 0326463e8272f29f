# A loss is one record: all that R knows of it. What the core knows of it is a record of src/core/loss.cpp, and its
# arithmetic a case of loss_here() in src/core/kernel_body.hpp.
#
#   task              the name of its task in task-known.R
#   settings          types and defaults of its own settings, as type_kind() takes them
#   core              what the core calls it
#   output            the output's usual function; NULL where the task decides that
#   above_zero        what has to be above 0: nothing, the "predictions", or the "target" too
#   predicts          "means", "medians", "quantiles" or "probabilities"
#   smooth            whether it has a slope everywhere
#   errors            in what unit errors are alike, see conformal.R
#   primary(loss)     the measure that it is trained for
#   row(y, m, loss)   what a row costs by that measure
#   deviance          whether `row` is a deviance with a measure of its own, named by `primary`
#   learns_from       what a student with it can be taught by: "predictions", or only "labels" or "observed values"
#   describe(loss)    what a brief prints of it
#   curve             list(name) of its curve by epoch, and of one target list(convert, name, short) `in_unit`

#' @include setting.R
NULL

new_loss <- function(task, describe, primary, row, curve, ...) {
  usual <- list(
    settings = list(), output = "identity", above_zero = "nothing", predicts = "means", smooth = TRUE,
    errors = "plain", deviance = FALSE, learns_from = "predictions", core = NULL
  )
  own <- list(task = task, describe = describe, primary = primary, row = row, curve = curve, ...)
  c(own, usual[setdiff(names(usual), names(own))])
}

# 2 (y log(y / m) - (y - m)) (McCullagh and Nelder 1989, 2.3).
row_poisson_deviance <- function(y, m, loss) {
  m <- pmax(m, .Machine$double.xmin)
  2 * (ifelse(y > 0, y * log(pmax(y, .Machine$double.xmin) / m), 0) - (y - m))
}

# 2 ((y - m) / m - log(y / m)) (McCullagh and Nelder 1989, 8.3); NA where an observed value is not above 0.
row_gamma_deviance <- function(y, m, loss) {
  m <- pmax(m, .Machine$double.xmin)
  2 * ((y - m) / m - log(ifelse(y > 0, y, NA) / m))
}

# What a quantile costs a row: share times the distance where it is too low, the rest of it where it is too high
# (Koenker and Bassett 1978).
pinball <- function(observed, quantiles, at) {
  distance <- observed - quantiles
  pmax(rep(at, each = length(observed)) * distance, rep(at - 1, each = length(observed)) * distance)
}

middle_share <- function(loss) loss$at[middle_quantile(loss$at)]

# The place of the share next to a half: the quantile that is predicted. (The core's is middle_quantile() in loss.hpp.)
middle_quantile <- function(shares) which.min(abs(shares - 0.5))

# ---- the records ---------------------------------------------------------------------------------------------------

loss_records <- local({
  always <- function(text) {
    force(text)
    function(loss) text
  }
  by_class <- function(task, ...) new_loss(
    task, always(""), always("cross-entropy"), row = NULL, curve = list(name = "Cross-entropy"), output = NULL,
    core = "cross_entropy", predicts = "probabilities", ...
  )
  list(
    squared = new_loss(
      "numbers", always("squared error"), always("RMSE"), row = function(y, m, loss) (y - m)^2,
      curve = list(
        name = "Squared error, as a share of the targets' variances",
        in_unit = list(convert = sqrt, name = "Root mean squared error of %s", short = "RMSE")
      )
    ),
    absolute = new_loss(
      "numbers", always("absolute error, predictions are medians"), always("MAE"),
      row = function(y, m, loss) abs(y - m), predicts = "medians", smooth = FALSE,
      curve = list(
        name = "Absolute error of the scaled targets",
        in_unit = list(convert = identity, name = "Mean absolute error of %s", short = "MAE")
      )
    ),
    huber = new_loss(
      "numbers", function(loss) sprintf("Huber's loss with delta %s", format_number(loss$delta)), always("RMSE"),
      row = function(y, m, loss) (y - m)^2, settings = list(delta = kind_setting(type_number(0, open_low = TRUE), 1)),
      curve = list(name = "Huber's loss of the scaled target")
    ),
    quantile = new_loss(
      "quantiles", function(loss) sprintf("quantiles %s", enumerate(format_each(loss$at))),
      function(loss) paste("quantile loss", format_number(middle_share(loss))),
      row = function(y, m, loss) drop(pinball(y, cbind(m), middle_share(loss))),
      settings = list(at = kind_setting(type_shares, c(0.1, 0.5, 0.9))), predicts = "quantiles", smooth = FALSE,
      learns_from = "observed values",
      curve = list(
        name = "Quantile loss of the scaled target",
        in_unit = list(convert = identity, name = "Quantile loss of %s", short = "quantile loss")
      )
    ),
    gamma = new_loss(
      "numbers", always("gamma likelihood, predictions are means"), always("gamma deviance"),
      row = row_gamma_deviance, deviance = TRUE, output = "exponential", above_zero = "target", errors = "log",
      curve = list(name = "Half the gamma deviance")
    ),
    poisson = new_loss(
      "counts", always("Poisson likelihood, predictions are means"), always("Poisson deviance"),
      row = row_poisson_deviance, deviance = TRUE, output = "exponential", above_zero = "predictions",
      errors = "count", curve = list(name = "Half the Poisson deviance")
    ),
    cross_entropy = by_class(
      "classes", settings = list(smoothing = kind_setting(type_number(0, 1, open_high = TRUE), 0))
    ),
    ordinal = by_class("ordered", learns_from = "labels")
  )
})

# The losses of a task in their order, the first one being usual.
losses_of <- function(task) names(Filter(function(loss) loss$task == task, loss_records))

# As types of settings, see type_kind().
loss_kinds <- c(list(auto = list()), lapply(loss_records, `[[`, "settings"))

loss_record <- function(loss) loss_records[[loss$kind]]

# The measures that are deviances, by their losses.
deviance_measures <- vapply(
  Filter(function(loss) loss$deviance, loss_records), function(loss) loss$primary(), "", USE.NAMES = FALSE
)

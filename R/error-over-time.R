# How the error of evaluated rows goes on over time.

# What each row costs, by the measure that the network was trained for: `network`, `linear` and `baseline`, matrices
# with a column a target.
losses_of_rows <- function(context, evaluated) {
  target <- context$target
  own <- function(predictions) if (!is.null(predictions)) own_losses(target, evaluated, predictions)
  drop_nulls(list(
    network = own(evaluated$predictions), linear = own(evaluated$linear),
    baseline = own(baseline_predictions(context, evaluated))
  ))
}

# The same prediction for every row, in the shape of the network's.
baseline_predictions <- function(context, evaluated) {
  n <- length(evaluated$weight)
  if (!has_classes(context$target)) {
    return(stats::setNames(constant_numbers(context$baseline, n, evaluated$exposure), names(evaluated$predictions)))
  }
  share <- unlist(context$baseline$share)[context$target$classes]
  probabilities <- matrix(share, n, length(share), byrow = TRUE)
  colnames(probabilities) <- paste0("probability_", context$target$classes)
  data.frame(prediction = context$baseline$prediction, probabilities, check.names = FALSE)
}

#' The error over time
#'
#' The evaluated rows are cut into stretches of time with about as many rows each. For each of them the measure that the
#' network was trained for stands beside that of the linear model and of predicting the same for every row: a network
#' that ages shows it here.
#'
#' @param appraisal An appraisal whose rows have an order, see [set_columns()].
#' @param periods How many stretches; rows of one time stay together.
#' @return A data frame with a row for each stretch (and `target`, with several): `period`, the `from` and `to` of its
#'   rows, `rows`, `measure`, `value` with its interval `low` to `high`, `linear` and `baseline`. Where intervals follow
#'   time (see [adapt()]), `held` is the share of rows whose interval or set at 90 % held, with its Wilson interval
#'   `held_low` to `held_high`. Case weights count; the intervals take rows (or groups) as independent.
#' @section Errors: Rows without an order; an order column that is no date, time or number.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered") |>
#'   quick() |> train(progress = "none")
#' error_over_time(appraise(model), 4)
#' plot_over_time(appraise(model))
#' @export
error_over_time <- function(appraisal, periods = 10) {
  if (!inherits(appraisal, "hylomath_appraisal")) {
    fail("An error over time is that of an appraisal.", "Give what appraise() returns.")
  }
  type_number(1, 1000, whole = TRUE)(periods, "periods")
  if (is.null(appraisal$when)) {
    fail("The evaluated rows have no order.", "Name a column by set_columns(order = ...) and train again.")
  }
  when <- moments_of_order(appraisal$when, appraisal$order_kind, appraisal$order)
  period <- stretches(appraisal$when, periods)
  period <- match(period, sort(unique(period)))
  targets <- appraisal$target
  each <- lapply(seq_along(targets), function(i) {
    rows <- do.call(rbind, lapply(seq_len(max(period)), function(p) {
      own <- which(period == p)
      data.frame(
        period = p, from = min(when[own]), to = max(when[own]), rows = length(own), measure = appraisal$primary,
        loss_of_stretch(appraisal, i, own)
      )
    }))
    if (length(targets) > 1) cbind(target = targets[i], rows) else rows
  })
  do.call(rbind, each)
}

# Times as they were, from their numbers.
moments_of_order <- function(when, kind, column) {
  switch(kind,
    date = as.Date(when, "1970-01-01"), time = as.POSIXct(when, "UTC", "1970-01-01"), number = , count = when,
    fail(sprintf("The order column %s is neither a date, a time nor a number.", quoted(column)))
  )
}

loss_of_stretch <- function(appraisal, i, own) {
  weight <- appraisal$weight[own]
  read <- loss_measure(appraisal$primary)
  mean_of <- function(who) {
    losses <- appraisal$losses[[who]]
    if (is.null(losses)) NA_real_ else read(weighted_mean(losses[own, i], weight))
  }
  loss <- appraisal$losses$network[own, i]
  unit <- match(appraisal$unit[own], unique(appraisal$unit[own]))
  mean <- weighted_mean(loss, weight)
  influence <- unit_sums(cbind(weight * (loss - mean)), unit, max(unit)) / sum(weight)
  half <- if (max(unit) > 1) student_half(influence, appraisal$level, max(unit)) else NA_real_
  found <- data.frame(
    value = read(mean), low = read(max(mean - half, 0)), high = read(mean + half), linear = mean_of("linear"),
    baseline = mean_of("baseline")
  )
  held <- appraisal$held
  if (is.null(held)) return(found)
  held <- held[own, min(i, ncol(held))]
  sums <- unit_sums(cbind(weight * held, weight), unit, max(unit))
  ends <- share_interval(
    sums[, 1, drop = FALSE], sums[, 2, drop = FALSE], appraisal$level, appraisal$units == "rows" && all(weight == 1)
  )[1, ]
  cbind(found, held = weighted_mean(held, weight), held_low = ends[["low"]], held_high = ends[["high"]])
}

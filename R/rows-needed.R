#' How many rows a prediction model needs beforehand
#'
#' Before rows are collected, how many of them a model with so many inputs needs at least, by the criteria of Riley et
#' al. (2019, 2020): it is hardly overfitted, its measure is hardly too good, and the share or mean of the target is
#' known well. They are derived for models without hidden layers; a network needs no fewer. Once there are rows,
#' [more_rows()] shows what more would bring.
#'
#' @param inputs How many inputs there are after preparation: a category counts for its levels less one.
#' @param share Of two classes the share of the positive one, between 0 and 1.
#' @param auc Of two classes the area under the ROC curve that is expected; or `r_squared`, that of Cox and Snell.
#' @param r_squared Of numbers the R-squared (adjusted) that is expected on new rows.
#' @param mean,sd Of numbers the target's mean and standard deviation, for the precision of the mean; without them that
#'   criterion is left out.
#' @param shrinkage The slope that is wanted at least when the model is calibrated on new rows.
#' @param optimism By how much the measure may be too good: a share of R-squared (for classes of its highest value).
#' @param margin How precisely the share of the positive class is to be known, on either side at 95 %; and the mean
#'   absolute error that its probabilities may have (van Smeden et al. 2019).
#' @return An object of class `hylomath_rows_needed` with `criteria`, a data frame of `criterion` and `rows`; `rows`,
#'   the largest of them; and for classes `cases`, how many of these rows are of the positive class. [as.data.frame()]
#'   gives the criteria.
#' @section Errors: Neither a `share` nor an `r_squared`; values that no model can have.
#' @references Riley et al. (2019), Minimum sample size for developing a multivariable prediction model: Part I
#'   \doi{10.1002/sim.7993}, Part II \doi{10.1002/sim.7992}; Riley et al. (2020) \doi{10.1136/bmj.m441}; van Smeden et
#'   al. (2019) \doi{10.1177/0962280218784726}; Riley, Van Calster and Collins (2021) \doi{10.1002/sim.8806}.
#' @examples
#' rows_needed(inputs = 20, share = 0.12, auc = 0.75)
#' rows_needed(inputs = 12, r_squared = 0.4, mean = 52, sd = 30)
#' @export
rows_needed <- function(inputs, share = NULL, auc = NULL, r_squared = NULL, mean = NULL, sd = NULL, shrinkage = 0.9,
                        optimism = 0.05, margin = 0.05) {
  between <- type_number(0, 1, open_low = TRUE, open_high = TRUE)
  type_count(1e6)(inputs, "inputs")
  for (name in c("shrinkage", "optimism", "margin")) between(get(name), name)
  if (is.null(share) && is.null(r_squared)) {
    fail("Say what is predicted: the `share` of a class and its `auc`, or the `r_squared` of a number.")
  }
  criteria <- if (is.null(share)) {
    between(r_squared, "r_squared")
    rows_for_number(inputs, r_squared, mean, sd, shrinkage, optimism)
  } else {
    between(share, "share")
    rows_for_class(inputs, share, expected_cox_snell(share, auc, r_squared), shrinkage, optimism, margin)
  }
  criteria$rows <- ceiling(criteria$rows - 1e-9)
  needed <- max(criteria$rows)
  new_result(
    drop_nulls(list(
      criteria = criteria, rows = needed, cases = if (!is.null(share)) ceiling(needed * share), inputs = inputs
    )),
    "rows_needed"
  )
}

# ---- two classes -----------------------------------------------------------------------------------------------------

# The R-squared of Cox and Snell, as it is given or as the area implies it.
expected_cox_snell <- function(share, auc, r_squared) {
  if (is.null(auc) == is.null(r_squared)) fail("Of classes either the `auc` is given or the `r_squared`.")
  highest <- highest_cox_snell(share)
  if (is.null(r_squared)) {
    type_number(0.5, 1, open_low = TRUE, open_high = TRUE)(auc, "auc")
    return(cox_snell_of_area(share, auc))
  }
  type_number(0, highest, open_low = TRUE, open_high = TRUE)(r_squared, "r_squared")
}

# A model that knows every row reaches no more.
highest_cox_snell <- function(share) 1 - exp(2 * (share * log(share) + (1 - share) * log(1 - share)))

# With scores that are normal in both classes with the same spread (Riley, Van Calster and Collins 2021), by the
# integral in place of a simulation: the log-odds are then linear in the score.
cox_snell_of_area <- function(share, auc) {
  apart <- sqrt(2) * stats::qnorm(auc)
  log_odds_at <- function(score) stats::qlogis(share) + apart * score - apart^2 / 2
  gain <- function(of, mean) {
    stats::integrate(function(score) {
      stats::plogis(of * log_odds_at(score), log.p = TRUE) * stats::dnorm(score, mean)
    }, -Inf, Inf, rel.tol = 1e-10)$value
  }
  likelihood <- share * gain(1, apart) + (1 - share) * gain(-1, 0)
  alone <- share * log(share) + (1 - share) * log(1 - share)
  1 - exp(-2 * (likelihood - alone))
}

rows_for_class <- function(inputs, share, r_squared, shrinkage, optimism, margin) {
  for_slope <- function(slope) inputs / ((slope - 1) * log(1 - r_squared / slope))
  data.frame(
    criterion = c(
      sprintf("calibration slope of at least %s on new rows", format_number(shrinkage)),
      sprintf("R-squared too high by at most %s of its highest", format_number(optimism)),
      sprintf("share of the class known to %s", format_number(margin)),
      sprintf("mean error of the probabilities at most %s", format_number(margin))
    ),
    rows = c(
      for_slope(shrinkage), for_slope(r_squared / (r_squared + optimism * highest_cox_snell(share))),
      (stats::qnorm(0.975) / margin)^2 * share * (1 - share),
      exp((-0.508 + 0.259 * log(min(share, 1 - share)) + 0.504 * log(inputs) - log(margin)) / 0.544)
    )
  )
}

# ---- a number --------------------------------------------------------------------------------------------------------

rows_for_number <- function(inputs, r_squared, mean, sd, shrinkage, optimism) {
  apparent <- function(n) (r_squared * (n - inputs - 1) + inputs) / (n - 1)
  slope <- function(n) 1 + (inputs - 2) / (n * log(1 - apparent(n)))
  enough <- fewest_from(inputs + 2, function(n) inputs <= 2 || slope(n) >= shrinkage)
  criteria <- data.frame(
    criterion = c(
      sprintf("calibration slope of at least %s on new rows", format_number(shrinkage)),
      sprintf("R-squared too high by at most %s", format_number(optimism)), "residual deviation known to a tenth"
    ),
    rows = c(enough, 1 + inputs * (1 - r_squared) / optimism, 234 + inputs)
  )
  if (is.null(mean) || is.null(sd)) return(criteria)
  type_number()(mean, "mean")
  type_number(0, open_low = TRUE)(sd, "sd")
  if (mean == 0) fail("`mean` is 0, of which nothing can be known to a tenth.", "Leave `mean` and `sd` out.")
  precise <- function(n) {
    stats::qt(0.975, n - inputs - 1) * sqrt(sd^2 * (1 - r_squared) / n) <= 0.1 * abs(mean)
  }
  rbind(criteria, data.frame(
    criterion = "mean of the target known to a tenth", rows = fewest_from(inputs + 3, precise)
  ))
}

# The smallest whole number from `low` on from which something holds.
fewest_from <- function(low, holds) {
  if (holds(low)) return(low)
  high <- 2 * low
  while (!holds(high)) {
    low <- high
    high <- 2 * high
  }
  while (high - low > 1) {
    middle <- (low + high) %/% 2
    if (holds(middle)) high <- middle else low <- middle
  }
  high
}

#' @export
as.data.frame.hylomath_rows_needed <- function(x, ...) x$criteria

#' @export
format.hylomath_rows_needed <- function(x, ...) {
  cases <- if (!is.null(x$cases)) sprintf(", %s of the class", format_count(x$cases)) else ""
  c(
    cli::style_bold(sprintf("%s needed for %s%s", counted(x$rows, "row"), counted(x$inputs, "input"), cases)), "",
    as_text_table(rows_needed_cells(x), 1), "",
    paragraphs(paste(
      "That is the least, for a model without hidden layers, beside the rows that it is tested on.",
      "With rows at hand, more_rows() shows whether more would help."
    ))
  )
}

rows_needed_cells <- function(x) list(criterion = x$criteria$criterion, rows = format_each_count(x$criteria$rows))

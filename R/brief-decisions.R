# What a brief says of the decisions that its predictions are for.

#' Say what decisions the predictions are for
#'
#' How long a list can be worked through, what each outcome earns, and which thresholds are thought of. Every print and
#' report of an appraisal then says what the network is good for in these terms. It changes nothing about the training.
#'
#' @param b A brief, or a model, whose brief is meant.
#' @param top How many rows can be looked at, the highest probabilities first: whole numbers, see [top_rows()].
#' @param gains What each outcome earns, see [profit_curve()].
#' @param thresholds Probabilities from which a row would be treated as the class, see [net_benefit()].
#' @param class The class that decisions are about; the default is the positive one of two.
#' @param ... Not used.
#' @return The brief, or the model. What is not given stays; an empty value, such as `top = numeric()`, takes it back.
#' @section Errors: A value of another kind; gains by which finding a row of the class does not pay.
#' @examples
#' b <- brief(recovery, target = "returned") |> set_columns(group = patient) |>
#'   set_decisions(top = 50, gains = c(found = 120, false_alarm = -15))
#' set.seed(1)
#' appraise(train(quick(b), progress = "none"))
#' @export
set_decisions <- function(b, top = NULL, gains = NULL, thresholds = NULL, class = NULL, ...) UseMethod("set_decisions")

#' @export
set_decisions.hylomath_brief <- function(b, top = NULL, gains = NULL, thresholds = NULL, class = NULL, ...) {
  check_others(...)
  said <- drop_nulls(list(class = class, top = top, gains = gains, thresholds = thresholds))
  b <- with_said(b, "decisions", said)
  check_decisions(b)
  b
}

#' @export
set_decisions.hylomath_model <- function(b, top = NULL, gains = NULL, thresholds = NULL, class = NULL, ...) {
  b$brief <- set_decisions(b$brief, top, gains, thresholds, class, ...)
  b
}

#' @export
set_decisions.default <- function(b, ...) wrong_object("set_decisions", "a brief or a model", b)

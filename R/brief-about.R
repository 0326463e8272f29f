#' Say what a network is for
#'
#' What no table holds: why the network is made, who is responsible for it, and what it must not be used for. It stands
#' in the brief, goes with the model, and heads the model card of [write_report()]. It changes nothing about the
#' training.
#'
#' @param b A brief, or a model, whose brief is meant.
#' @param purpose What the predictions are for, a sentence or two.
#' @param owner Who is responsible for the network.
#' @param limits What it is not for, and where it must not be trusted: one text or several.
#' @param ... Not used.
#' @return The brief, or the model. What is not given stays; an empty text takes it back.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   set_about(
#'     purpose = "To see before unloading which firings need a second look.",
#'     owner = "The kiln office, Skerrow", limits = c("Gas kilns only.", "No ground for paying less for a lot.")
#'   )
#' @export
set_about <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) UseMethod("set_about")

#' @export
set_about.hylomath_brief <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) {
  check_others(...)
  said <- settle_settings(drop_nulls(list(purpose = purpose, owner = owner, limits = limits)), about_schema(), "about")
  about <- utils::modifyList(as.list(b$about), said)
  about <- Filter(function(text) any(nzchar(text)), about)
  settings <- brief_settings(b)
  settings$about <- if (length(about)) in_schema_order(about, about_schema())
  new_brief(settings, b$table)
}

#' @export
set_about.hylomath_model <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) {
  b$brief <- set_about(b$brief, purpose, owner, limits, ...)
  b
}

#' @export
set_about.default <- function(b, ...) wrong_object("set_about", "a brief or a model", b)

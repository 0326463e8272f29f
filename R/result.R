# What verbs return that evaluate, compare, explain and watch: a list with a class of its own, and `hylomath_result`.
# Each kind has `format()`, and most have `as.data.frame()`, `autoplot()` and `in_document()`; what these come to for
# all results is here and in report-knit.R.

# `parts` as a result of this kind.
new_result <- function(parts, kind) structure(parts, class = c(paste0("hylomath_", kind), "hylomath_result"))

#' @export
print.hylomath_result <- function(x, ...) print_lines(x, ...)

#' @export
plot.hylomath_result <- function(x, ...) {
  rlang::check_installed("ggplot2", "to draw a result")
  print(ggplot2::autoplot(x, ...))
}

#' Honest feedforward networks for tabular records
#'
#' The analyst's day in order: [look()] at a table; start a [brief()] that says what to predict, and refine it with
#' [set_columns()], [prepare()], [hold_out()], [wire()] and [regimen()]; [train()] it; [appraise()] the model on rows
#' that it never saw, [decide()] how classes are predicted, ask what it goes by with [importance()], [effect_of()] and
#' [contributions()], and [lineup()] it with others; evaluate the brief itself by [folds()], [vary()] its settings and
#' [sift()] its inputs; keep it with [write_model()] and put it to work with [predict()][predict.hylomath_model]. The
#' command `hylomath` offers the same verbs to the shell, see [install_command()].
#'
#' @keywords internal
#' @useDynLib hylomath, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang %||% .data
"_PACKAGE"

# What is printed while a network trains is decided here and not by train(), which computes and prints nothing.
.onLoad <- function(libname, pkgname) {
  if (is.null(getOption("hylomath.progress"))) options(hylomath.progress = progress_auto)
  options(hylomath.progress_kinds = list(line = progress_line, lines = progress_lines))
}

package_version_text <- function() as.character(utils::packageVersion("hylomath"))

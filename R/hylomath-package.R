#' Honest feedforward networks for tabular records
#'
#' The analyst's day in order: [look()] at a table; start a [brief()] that says what to predict, and refine it with
#' [set_columns()], [prepare()], [hold_out()], [wire()] and [regimen()]; [train()] it; [appraise()] the model on rows
#' that it never saw, [decide()] how classes are predicted, ask what it goes by with [importance()], [effect_of()],
#' [contributions()] and [try_row()], and [lineup()] it with others; evaluate the brief itself by [folds()], [vary()]
#' its settings and [sift()] its inputs; keep it with [write_model()] and put it to work with
#' [predict()][predict.hylomath_model]. The command `hylomath` offers the same verbs to the shell, see
#' [install_command()].
#'
#' @section Errors: Every error has the class `hylomath_error` and one of its verb, whose help page explains it, such as
#'   `hylomath_error_train`. Its fields are `what` is wrong and where, what to `try`, the verb that was called (`call`),
#'   and as `argument` the argument or setting that is wrong; it is NULL where several are, or the data. Warnings have
#'   classes too:
#'   `hylomath_warning_far` (values outside the training data), `hylomath_warning_groups`, `hylomath_warning_zone`.
#' @examples
#' b <- brief(kilns, target = "outcome")
#' tryCatch(regimen(b, epochs = -1), hylomath_error_regimen = function(e) e[c("what", "argument")])
#' @keywords internal
#' @useDynLib hylomath, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang %||% .data
"_PACKAGE"

# What is printed while a network trains is decided here and not by train(), which computes and prints nothing.
.onLoad <- function(libname, pkgname) {
  register_own_tasks()
  if (is.null(getOption("hylomath.progress"))) options(hylomath.progress = progress_auto)
  options(hylomath.progress_kinds = list(line = progress_line, lines = progress_lines, curves = progress_curves))
}

package_version_text <- function() as.character(utils::packageVersion("hylomath"))

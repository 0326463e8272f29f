#' Write a report
#'
#' One page for readers who will not open R: what was predicted, how well and against what, how sure that is and what to
#' watch out for; then figures and tables, what each input does, the rows to look at, the brief in force, how to
#' make it again, and a model card. The page needs nothing but itself, prints well, and works by keyboard; cells of the
#' confusion matrix list rows, curves are read by pointing or by a slider, tables sort.
#'
#' A model keeps no inputs. What needs them (what each input does, the columns of rows to look at, unusual rows)
#' is in the report when the table is given that the model was trained on.
#'
#' @param x A model, or what [folds()], [scout()], [lineup()] or [watch_model()] returns.
#' @param file A path that ends in `.html`, or in `.pdf` where the browser Chromium is there to print it.
#' @param data Of a model, the table that it was trained on.
#' @param rows Whether the report may show single rows: their keys, values and predictions, also as points of figures.
#' @param ... Not used.
#' @return `file`, invisibly. It is written whole or not at all.
#' @section Looks: A report of a model counts as a look at its test rows, see [appraise()].
#' @section Errors: Another ending; a table that is not the one of the training. A model of whose rows nothing is left
#'   to evaluate it by is reported without measures.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |>
#'   set_about(purpose = "To find firings that need a second look.", limits = "Gas kilns only.") |>
#'   quick() |> regimen(epochs = 20) |> train(progress = "none")
#' if (rlang::is_installed(c("ggplot2", "htmltools", "svglite"))) {
#'   file <- tempfile(fileext = ".html")
#'   write_report(model, file, kilns)
#'   file.size(file)
#' }
#' @export
write_report <- function(x, file, data = NULL, rows = TRUE, ...) {
  check_others(...)
  if (!is_flag(rows)) fail(sprintf("`rows` must be TRUE or FALSE, not %s.", describe(rows)))
  if (!is_text(file, 1)) fail(sprintf("A report's file is named by one text, not %s.", describe(file)))
  ending <- tolower(sub("^.*[.]", "", basename(file)))
  if (!ending %in% c("html", "pdf")) {
    fail(sprintf("%s has no ending that names a format for reports.", quoted(file)), "It is .html or .pdf.")
  }
  check_can_write(file)
  rlang::check_installed(c("ggplot2", "htmltools", "svglite"), "to write reports")
  on.exit(reporter("auto")(list(event = "done")))
  page <- page_text(report_parts(x, data, rows))
  if (ending == "pdf") page_to_pdf(page, file) else write_whole(charToRaw(enc2utf8(page)), file)
  invisible(file)
}

# What the page consists of: list(title, kicker, lead, sections).
report_parts <- function(x, data, rows) UseMethod("report_parts")

#' @export
report_parts.default <- function(x, data, rows) {
  wrong_object("write_report", "a model, folds, a scouting, a lineup or a watch", x)
}

check_no_data <- function(data, what) {
  if (!is.null(data)) fail(sprintf("A report of %s takes no `data`: it holds all that the report shows.", what))
}

kicker_of <- function(what) sprintf("%s, %s", what, format(Sys.Date(), "%Y-%m-%d"))

# In a knitr document printed objects become tables and figures: sentences, pipe tables that every format takes, and the
# figure that tells most.

# What stands in the document: list(title, said, tables, figure). A table is list(cells, keys), `figure` a function.
in_document <- function(x) UseMethod("in_document")

#' @export
in_document.hylomath_model <- function(x) {
  facts <- list(
    wiring = wiring_text(x), parameters = format_count(all_parameters(x$predictor)), rows = parts_text(x$parts),
    method = method_text(regimen_of(x), x$evidence_l2), seeds = seeds_text(x$brief)
  )
  list(
    title = sprintf("%s %s", capitalised(predicting_words(x)), enumerate(x$brief$target)),
    tables = list(list(list(" " = names(facts), "  " = unlist(facts, use.names = FALSE)), 2)),
    figure = if (nrow(x$curves)) function() plot_curves(x)
  )
}

#' @export
in_document.hylomath_appraisal <- function(x) {
  cells <- measures_cells(x)
  beside <- if (predicts_classes(x$task)) list(classes_cells(x$classes), 1) else list(bands_cells(x), 1)
  list(
    title = sprintf("%s on %s", enumerate(x$target), evaluated_rows_text(x)),
    said = c(in_words(x), x$notes$note),
    tables = list(list(c(cells$key, cells$evaluated, cells$parts), length(cells$key)), beside),
    figure = function() plot_appraisal(x)
  )
}

#' @export
in_document.hylomath_folds <- function(x) {
  list(
    title = sprintf("%s: %d %s", enumerate(x$target), x$k, kind_of_folds(x)), said = in_words(x$pooled),
    tables = list(list(fold_measures_cells(x), 1), list(each_fold_cells(x), 1)),
    figure = function() plot_appraisal(x$pooled)
  )
}

#' @export
in_document.hylomath_lineup <- function(x) {
  cells <- lineup_cells(x)
  list(
    title = sprintf("%s: %d candidates", enumerate(x$target), nrow(x$models)), said = lineup_sentences(x),
    tables = list(list(c(cells$evaluated, cells$beside), 1)), figure = function() plot_lineup(x)
  )
}

#' @export
in_document.hylomath_scouting <- function(x) {
  cells <- scouting_cells(x, scouting_shown(x))
  list(
    title = sprintf("%s: %s", enumerate(x$target), counted(nrow(x$trials), "trial")), said = winner_text(x),
    tables = list(list(unlist(unname(cells), recursive = FALSE), 1)), figure = function() plot_scouting(x)
  )
}

#' @export
in_document.hylomath_watch <- function(x) {
  list(
    title = capitalised(x$verdict), said = c(x$sentence, x$notes$note),
    tables = list(list(moved_cells(moved_shown(x)), 2)), figure = function() plot_watch(x)
  )
}

# Of what is told best by its figure.
drawn_in_document <- function(x, draw) list(said = sub("^ +", "", cli::ansi_strip(format(x)[1])), figure = draw)

#' @export
in_document.hylomath_importance <- function(x) drawn_in_document(x, function() plot_importance(x))

#' @export
in_document.hylomath_effect <- function(x) drawn_in_document(x, function() plot_effect(x))

#' @export
in_document.hylomath_contributions <- function(x) drawn_in_document(x, function() plot_contributions(x))

#' @export
in_document.hylomath_contributions_of_rows <- function(x) drawn_in_document(x, function() plot_contributions(x))

#' @export
in_document.hylomath_interactions <- function(x) drawn_in_document(x, function() plot_interactions(x))

#' @export
in_document.hylomath_sifting <- function(x) drawn_in_document(x, function() plot_sifting(x))

#' @export
in_document.hylomath_variation <- function(x) drawn_in_document(x, function() plot_variation(x))

#' @export
in_document.hylomath_more_rows <- function(x) drawn_in_document(x, function() plot_more_rows(x))

#' @export
in_document.hylomath_unusual_rows <- function(x) {
  cells <- lapply(x$columns[c("column", "unseen", "missing", "outside", "trained_on")], as.character)
  list(said = format(x)[1], tables = if (nrow(x$columns)) list(list(cells, 1)))
}

#' @export
in_document.hylomath_rows_needed <- function(x) {
  list(said = cli::ansi_strip(format(x)[1]), tables = list(list(rows_needed_cells(x), 1)))
}

#' @export
in_document.hylomath_smallest_change <- function(x) {
  said <- cli::ansi_strip(format(x))
  if (nrow(x$changes) == 0) return(list(said = paste(trimws(said), collapse = " ")))
  list(said = said[1], tables = list(list(changes_cells(x), 4)))
}

#' @export
in_document.hylomath_tried_row <- function(x) list(said = format(x)[1], tables = list(list(tried_cells(x), 4)))

knit_in_document <- function(x, ...) {
  shown <- in_document(x)
  if (!is.null(shown$figure) && rlang::is_installed("ggplot2")) print(shown$figure())
  tables <- vapply(shown$tables, function(table) pipe_table(table[[1]], table[[2]]), "")
  title <- if (!is.null(shown$title)) sprintf("**%s**", in_pipe(shown$title))
  knitr::asis_output(paste0("\n\n", paste(c(title, in_pipe(shown$said), tables), collapse = "\n\n"), "\n\n"))
}

#' Hylomath's objects in a knitr document
#'
#' In a document that knitr makes, models, appraisals, folds, searches, lineups, watches and explanations print as
#' tables and figures in the place of plain text, in every format. The chunk option `render = knitr::normal_print` keeps
#' the text.
#'
#' @param x An object.
#' @param ... Not used.
#' @return What knitr puts into the document.
#' @examples
#' if (rlang::is_installed("knitr")) {
#'   set.seed(1)
#'   model <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 5) |> train(progress = "none")
#'   cat(knitr::knit_print(appraise(model)))
#' }
#' @name knit_print.hylomath
#' @exportS3Method knitr::knit_print hylomath_model
knit_print.hylomath_model <- function(x, ...) knit_in_document(x)

#' @rdname knit_print.hylomath
#' @exportS3Method knitr::knit_print hylomath_result
knit_print.hylomath_result <- function(x, ...) knit_in_document(x)

# ---- text that markdown takes as it stands ------------------------------------------------------------------------

in_pipe <- function(text) {
  text <- gsub("&", "&amp;", text, fixed = TRUE)
  text <- gsub("<", "&lt;", text, fixed = TRUE)
  gsub("([|*_])", "\\\\\\1", gsub("\n", " ", text, fixed = TRUE))
}

# The first `keys` columns to the left, the others to the right.
pipe_table <- function(cells, keys) {
  row <- function(texts) paste0("| ", paste(in_pipe(texts), collapse = " | "), " |")
  bar <- paste0("|", paste(ifelse(seq_along(cells) <= keys, ":---", "---:"), collapse = "|"), "|")
  rows <- vapply(seq_along(cells[[1]]), function(i) row(vapply(cells, function(cell) as.character(cell[i]), "")), "")
  paste(c(row(names(cells)), bar, rows), collapse = "\n")
}

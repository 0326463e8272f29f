# Levels that are the same thing written in several ways.

#' Put levels together that are written in several ways
#'
#' Levels that differ only in case, blanks or accents, such as `"Stromness"`, `"stromness "` and `"STROMNESS"`, become
#' the one that most rows have. What is put together is written into the brief as a column of [add_columns()], so that
#' it can be read and changed, and does the same in predictions and transcripts.
#'
#' @param b A brief with its table.
#' @param ... Columns, as in [set_columns()]; without any, all columns of text that have such levels.
#' @return The brief.
#' @section Errors: A column that is not there or holds no such levels.
#' @examples
#' table <- kilns
#' table$glaze[1:40] <- toupper(table$glaze[1:40])
#' brief(table, target = "outcome") |> merge_levels(glaze)
#' @export
merge_levels <- function(b, ...) UseMethod("merge_levels")

#' @export
merge_levels.hylomath_brief <- function(b, ...) {
  table <- b$table
  if (is.null(table)) fail("This brief has no table, so its levels are not known.", "Start from one with brief().")
  texts <- setdiff(names(table)[vapply(table, function(x) is.character(x) || is.factor(x), NA)], b$columns$drop)
  named <- rlang::enquos(...)
  columns <- if (length(named)) {
    unique(unlist(lapply(named, function(quosure) selected_names(quosure, table, "merge_levels()"))))
  }
  groups <- lapply(stats::setNames(nm = columns %||% texts), function(column) alike_levels(labels_in(table[[column]])))
  none <- names(groups)[lengths(groups) == 0]
  if (length(columns) && length(none)) {
    fail(sprintf("%s has no levels that differ only in case, blanks or accents.", quoted(none[1])))
  }
  derived <- as.list(b$add_columns)
  for (column in setdiff(names(groups), none)) {
    if (!is.null(derived[[column]])) {
      hint <- "Put its levels together there: see add_columns()."
      fail(sprintf("%s is a derived column already.", quoted(column)), hint)
    }
    derived[[column]] <- merging_text(column, groups[[column]], as_label(table[[column]]))
    b$columns$kinds[[column]] <- NULL
  }
  if (b$target[1] %in% names(groups)) b[c("task", "classes", "positive")] <- NULL
  b$add_columns <- if (length(derived)) derived
  completed_anew(b)
}

#' @export
merge_levels.default <- function(b, ...) wrong_object("merge_levels", "a brief", b)

merging_text <- function(column, groups, values) {
  name <- column_text(column)
  text <- function(x) encodeString(x, quote = "\"")
  merged <- name
  for (group in groups) {
    counts <- tabulate(match(values, group), length(group))
    kept <- group[which.max(counts)]
    others <- setdiff(group, kept)
    merged <- sprintf("ifelse(%s %%in%% c(%s), %s, %s)", name, paste(text(others), collapse = ", "), text(kept), merged)
  }
  format_expression(parse_expression(merged, quoted(column)))
}

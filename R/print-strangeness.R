#' @export
print.hylomath_strangeness <- function(x, ...) print_lines(x)

#' @export
format.hylomath_strangeness <- function(x, ...) {
  said <- strange_counts_text(x$n, sum(x$rows != ""), x$columns)
  if (any(x$rows != "") && x$clear == 0) c(said, "  So many are to be expected by chance.") else said
}

strange_counts_text <- function(n, strange, columns) {
  rows <- counted(n, "row")
  if (strange == 0) return(sprintf("None of %s differs from what the network was trained on.", rows))
  what <- "%s of %s differ from what the network was trained on; predictions there are not to be trusted."
  c(sprintf(what, format_count(strange), rows), strange_columns_text(columns))
}

strange_columns_text <- function(columns) {
  vapply(seq_len(nrow(columns)), function(i) {
    column <- columns[i, ]
    counts <- c(
      "with a level that training never saw" = column$unseen, "missing, which training never met" = column$missing,
      "outside the training range" = column$outside
    )
    counts <- counts[counts > 0]
    parts <- paste(format_each_count(counts), names(counts), collapse = ", ")
    trained <- if (column$trained_on == "") "" else sprintf(" (%s)", column$trained_on)
    sprintf("  %s: %s%s", column$column, parts, trained)
  }, "")
}

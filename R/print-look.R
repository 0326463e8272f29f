#' @export
print.hylomath_look <- function(x, all = FALSE, ...) {
  write_lines(format(x, all = all))
  invisible(x)
}

# The first and last columns of a wide table, or all of them on request.
#' @export
format.hylomath_look <- function(x, all = FALSE, most = 40, ...) {
  columns <- x$columns
  shown <- seq_len(nrow(columns))
  if (!all && length(shown) > most) shown <- c(utils::head(shown, most - 10), utils::tail(shown, 10))
  left_out <- nrow(columns) - length(shown)
  columns <- columns[shown, ]
  name <- shorten(columns$column, 30)
  room <- cli::console_width() - max(nchar(name, "width"), 6) - 36
  c(
    cli::style_bold(sprintf("%s, %s", counted(x$n, "row"), counted(nrow(x$columns), "column"))),
    text_table(list(
      column = name, kind = columns$kind, gaps = gaps_text(columns$gaps, x$n),
      distinct = vapply(columns$distinct, format_count, ""), outliers = outliers_text(columns$outliers), values = shorten(columns$values, room)
    ), right = 3:5),
    if (left_out > 0) sprintf("  (%d columns in the middle are left out; print(x, all = TRUE) shows them)", left_out),
    if (x$n > 0 && nrow(x$columns) > most) c("", kinds_text(x$columns$kind)),
    target_text(x),
    format_notes(x$notes)
  )
}

gaps_text <- function(gaps, n) ifelse(gaps == 0, "0", paste0(format(signif(100 * gaps / n, 2), trim = TRUE, digits = 2), " %"))

outliers_text <- function(x) ifelse(is.na(x) | x == 0, "", vapply(x, format_count, ""))

kinds_text <- function(kinds) {
  count <- sort(table(kinds), decreasing = TRUE)
  paste0("  kinds: ", paste(names(count), as.integer(count), collapse = ", "))
}

target_text <- function(x) {
  if (is.null(x$shares)) return(NULL)
  c(
    "", cli::style_bold(sprintf("Target %s", x$target)),
    text_table(list(class = x$shares$class, rows = vapply(x$shares$rows, format_count, ""), share = format_percent(x$shares$share)), right = 2:3)
  )
}

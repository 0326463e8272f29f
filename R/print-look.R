#' @export
print.hylomath_look <- function(x, all = FALSE, ...) print_lines(x, all = all)

# The first and last columns of a wide table, or all of them on request.
#' @export
format.hylomath_look <- function(x, all = FALSE, most = 40, ...) {
  columns <- x$columns
  shown <- seq_len(nrow(columns))
  if (!all && length(shown) > most) shown <- c(utils::head(shown, most - 10), utils::tail(shown, 10))
  left_out <- nrow(columns) - length(shown)
  c(
    cli::style_bold(sprintf("%s, %s", counted(x$n, "row"), counted(nrow(columns), "column"))),
    look_table(columns[shown, ], x$n),
    if (left_out > 0) {
      sprintf("  (%d columns in the middle are left out; print(x, all = TRUE) shows them)", left_out)
    },
    if (x$n > 0 && nrow(columns) > most) c("", kinds_text(columns$kind)),
    target_text(x),
    format_notes(x$notes)
  )
}

look_table <- function(columns, n) {
  name <- shorten(columns$column, 30)
  room <- cli::console_width() - max(nchar(name, "width"), 6) - 36
  cells <- list(
    column = name, kind = columns$kind, missing = missing_text(columns$missing, n),
    distinct = format_each_count(columns$distinct), outliers = outliers_text(columns$outliers),
    values = shorten(columns$values, room)
  )
  text_table(cells, right = 3:5)
}

missing_text <- function(missing, n) {
  ifelse(missing == 0, "0", paste0(format(signif(100 * missing / n, 2), trim = TRUE, digits = 2), " %"))
}

outliers_text <- function(x) ifelse(is.na(x) | x == 0, "", format_each_count(x))

kinds_text <- function(kinds) {
  count <- sort(table(kinds), decreasing = TRUE)
  paste0("  kinds: ", paste(names(count), as.integer(count), collapse = ", "))
}

target_text <- function(x) {
  shares <- x$shares
  if (is.null(shares)) return(NULL)
  cells <- list(class = shares$class, rows = format_each_count(shares$rows), share = format_percent(shares$share))
  c("", cli::style_bold(sprintf("Target %s", x$target)), text_table(cells, right = 2:3))
}

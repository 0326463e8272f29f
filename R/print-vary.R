#' @export
print.hylomath_variation <- function(x, ...) print_lines(x)

#' @export
format.hylomath_variation <- function(x, ...) {
  v <- x$values
  c(
    cli::style_bold(sprintf("%s: %s varied, everything else fixed", enumerate(x$target), x$setting)), "",
    variation_lines(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "value"),
      sprintf(
        paste(
          "The %s is the mean over %s that all values share; differences are fold by fold, with %s %% intervals",
          "corrected for training sets that overlap. Parameters, rows, updates and seconds are means of a fit."
        ),
        x$primary, folds_words(x$k, x$repeats, ","), format_number(100 * x$level)
      ),
      if (which.min(v$mean) != which(v$value == x$against)) {
        c(
          sprintf("The lowest of %d is lower here than it will be on new rows.", nrow(v)),
          expected_text(x$expected, x$primary, sprintf("with %s %s", x$setting, x$against))
        )
      }
    ))
  )
}

variation_lines <- function(x) {
  v <- x$values
  apart <- difference_cell(v$difference, v$difference_low, v$difference_high)
  columns <- list(
    shorten(v$value, 26), format_measure(v$mean), format_measure(v$sd), ifelse(v$value == x$against, "", apart),
    parameters = format_each_count(round(v$parameters)), rows = format_each_count(round(v$rows)),
    updates = format_each_count(round(v$updates)), seconds = format_each_short(signif(v$seconds, 2))
  )
  names(columns)[1:4] <- c(x$setting, x$primary, "spread", paste("less", shorten(x$against, 14)))
  lines <- as_text_table(columns, 1)
  if (too_wide(lines)) lines <- c(as_text_table(columns[1:4], 1), "", as_text_table(columns[c(1, 5:8)], 1))
  lines
}

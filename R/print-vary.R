#' @export
print.hylomath_variation <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_variation <- function(x, ...) {
  v <- x$values
  first <- v$value == x$against
  columns <- list(
    shorten(v$value, 26), format_measure(v$mean), format_measure(v$sd), ifelse(first, "", sprintf("%s (%s)", format_signed(v$difference), paste(format_signed(v$difference_low), "to", format_signed(v$difference_high)))),
    parameters = format_each_count(round(v$parameters)), rows = format_each_count(round(v$rows)), updates = format_each_count(round(v$updates)), seconds = format_each_short(signif(v$seconds, 2))
  )
  names(columns)[1:4] <- c(x$setting, x$primary, "spread", paste("less", shorten(x$against, 14)))
  lines <- as_text_table(columns, 1)
  if (max(cli::ansi_nchar(lines, "width")) > cli::console_width()) lines <- c(as_text_table(columns[1:4], 1), "", as_text_table(columns[c(1, 5:8)], 1))
  c(
    cli::style_bold(sprintf("%s: %s varied, everything else fixed", enumerate(x$target), x$setting)), "", lines, "",
    paragraphs(c(
      left_out_text(x$left_out, "value"),
      sprintf("The %s is the mean over %s%s that all values share; differences are fold by fold, with %s %% intervals corrected for training sets that overlap. Parameters, rows, updates and seconds are means of a fit.", x$primary, counted(x$k, "fold"), if (x$repeats > 1) sprintf(", dealt %d times,", x$repeats) else "", format_number(100 * x$level)),
      if (which.min(v$mean) != which(first)) sprintf("The lowest of %d is lower here than it will be on new rows.", nrow(v))
    ))
  )
}

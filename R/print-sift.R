#' @export
print.hylomath_sifting <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_sifting <- function(x, ...) {
  p <- x$path
  n <- length(x$small)
  mark <- ifelse(p$inputs == length(x$best), "best", ifelse(p$inputs == n, "smallest within one error", ""))
  if (length(x$best) == n) mark[p$inputs == n] <- "best, and smallest within one error"
  columns <- list(inputs = as.character(p$inputs), column = ifelse(is.na(p$column), "", shorten(p$column, 24)), format_measure(p$mean), spread = format_measure(p$sd), "above the best" = sprintf("%s (error %s)", format_measure(p$difference), format_measure(p$error)), mark)
  names(columns)[c(2, 3, 6)] <- c(if (x$direction == "forward") "added" else "dropped", x$primary, "")
  c(
    cli::style_bold(sprintf("%s: inputs sifted, %s", enumerate(x$target), switch(x$direction, backward = "one by one taken out", forward = "one by one put in", ranking = "taken out by rank"))), "",
    text_table(columns, right = c(1, 3:5)), "",
    paragraphs(c(
      left_out_text(x$left_out, "set"),
      sprintf("Kept: %s.", enumerate(x$small, limit = 60)), if (length(x$dropped)) sprintf("Dropped: %s.", enumerate(x$dropped, limit = 60)) else "None is dropped.",
      sprintf("The %s is the mean over %s%s; errors are those of paired differences from the best. The best of %d sets looks better here than it is: judge its network on the test rows.", x$primary, counted(x$k, "fold"), if (x$repeats > 1) sprintf(", dealt %d times", x$repeats) else "", nrow(p))
    ))
  )
}

#' @export
print.hylomath_sifting <- function(x, ...) print_lines(x)

#' @export
format.hylomath_sifting <- function(x, ...) {
  way <- switch(x$direction,
    backward = "one by one taken out", forward = "one by one put in", ranking = "taken out by rank"
  )
  dropped <- if (length(x$dropped)) {
    sprintf("Dropped: %s.", enumerate(x$dropped, limit = 60))
  } else {
    "None is dropped."
  }
  c(
    cli::style_bold(sprintf("%s: inputs sifted, %s", enumerate(x$target), way)), "",
    sifting_table(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "set"),
      sprintf("Kept: %s.", enumerate(x$small, limit = 60)),
      dropped,
      sprintf(
        paste(
          "The %s is the mean over %s; errors are those of paired differences from the best.",
          "The best of %d sets looks better here than it is: evaluate its network on the test rows."
        ),
        x$primary, folds_words(x$k, x$repeats), nrow(x$path)
      ),
      expected_text(x$expected, x$primary, "all inputs"),
      single_networks_text(x$brief, "Each fit")
    ))
  )
}

sifting_table <- function(x) {
  p <- x$path
  columns <- list(
    inputs = as.character(p$inputs), column = ifelse(is.na(p$column), "", shorten(p$column, 24)),
    format_measure(p$mean), spread = format_measure(p$sd),
    "above the best" = sprintf("%s (error %s)", format_measure(p$difference), format_measure(p$error)),
    sifting_marks(p$inputs, length(x$best), length(x$small))
  )
  names(columns)[c(2, 3, 6)] <- c(if (x$direction == "forward") "added" else "dropped", x$primary, "")
  text_table(columns, right = c(1, 3:5))
}

sifting_marks <- function(inputs, best, small) {
  if (best == small) return(ifelse(inputs == small, "best, and smallest within one error", ""))
  ifelse(inputs == best, "best", ifelse(inputs == small, "smallest within one error", ""))
}

#' @export
print.hylomath_appraisal <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_appraisal <- function(x, ...) {
  c(
    cli::style_bold(sprintf("%s on %s that the network %s", enumerate(x$target), counted(x$n, paste(x$rows, "row")), rows_seen(x$rows))),
    "",
    measures_text(x),
    if (x$task == "classification") c("", confusion_text(x)),
    format_notes(x$notes)
  )
}

rows_seen <- function(rows) {
  if (rows == "validation") "was stopped by" else if (rows == "new") "was given" else "never saw"
}

measures_text <- function(x) {
  several <- length(x$target) > 1
  baseline <- if (x$task == "classification") sprintf("always %s", x$baseline_answer) else if (several) paste("always the", x$baseline_is) else sprintf("always %s", signif(x$baseline_answer, 4))
  columns <- list(measure = x$measures$measure, network = format_measure(x$measures$value), format_measure(x$measures$baseline))
  names(columns)[3] <- baseline
  if (several) columns <- c(list(target = ifelse(duplicated(x$measures$target), "", x$measures$target)), columns)
  c(
    text_table(columns, right = length(columns) - 1:0),
    if (anyNA(x$measures$value)) "  (-: not defined for these rows; the mean relative error has no meaning where an observed value is 0)"
  )
}

# Counts, then each class's recall, precision and F1 on its row.
confusion_text <- function(x) {
  classes <- rownames(x$confusion)
  if (length(classes) > 12) return(classes_text(x$classes))
  counts <- apply(x$confusion, 2, format_weighted_count, simplify = FALSE)
  names(counts) <- shorten(classes, 12)
  measures <- list(rows = format_weighted_count(x$classes$support), recall = format_share(x$classes$recall), precision = format_share(x$classes$precision), F1 = format_share(x$classes$f1))
  columns <- c(list("observed" = shorten(classes, 20)), counts, measures)
  c("Answered (columns) against observed (rows)", text_table(columns, right = 1 + seq_len(length(columns) - 1)))
}

classes_text <- function(classes) {
  text_table(list(
    class = shorten(classes$class, 20), rows = format_weighted_count(classes$support), recall = format_share(classes$recall),
    precision = format_share(classes$precision), F1 = format_share(classes$f1)
  ), right = 2:5)
}

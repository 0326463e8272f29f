#' @export
print.hylomath_decision <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_decision <- function(x, ...) {
  c(
    cli::style_bold(decision_line(x)),
    if (is.null(x$before)) "  There are no validation rows to show what it does." else
      c("", "On the validation rows, answers (columns) against observed classes (rows), before", matrix_text(x$before), "", "and after", matrix_text(x$after), "", paragraphs(decision_effect(x)))
  )
}

decision_line <- function(decision) {
  rule <- decision$rule
  if (!is.null(rule$costs)) return("The answer is the class with the lowest expected cost")
  sprintf("The answer is \"%s\" from a probability of %s (%s)", rule$class, signif(rule$threshold, 4), decision$by)
}

matrix_text <- function(confusion) {
  classes <- rownames(confusion)
  counts <- apply(confusion, 2, format_weighted_count, simplify = FALSE)
  names(counts) <- shorten(classes, 12)
  as_text_table(c(list(observed = shorten(classes, 20)), counts, list(found = format_share(diag(confusion) / rowSums(confusion)))), 1)
}

decision_effect <- function(x) {
  if (!is.null(x$rule$costs)) {
    cost <- function(confusion) sum(confusion * x$rule$costs) / sum(confusion)
    return(sprintf("The mean cost goes from %s to %s.", format_measure(cost(x$before)), format_measure(cost(x$after))))
  }
  class <- x$rule$class
  found <- function(confusion) c(confusion[class, class], sum(confusion[, class]))
  before <- found(x$before)
  after <- found(x$after)
  sprintf(
    "Of %s rows that are \"%s\" it finds %s in place of %s, and answers %s others so in place of %s. The rule was chosen on these rows and does a little worse on others: appraise() the model.",
    format_weighted_count(sum(x$before[class, ])), class, format_weighted_count(after[1]), format_weighted_count(before[1]), format_weighted_count(after[2] - after[1]), format_weighted_count(before[2] - before[1])
  )
}

#' @export
print.hylomath_decision <- function(x, ...) print_lines(x)

#' @export
format.hylomath_decision <- function(x, ...) {
  rule <- cli::style_bold(decision_line(x))
  if (is.null(x$before)) return(c(rule, "  There are no validation rows to show what it does."))
  c(
    rule, "",
    wrapped(sprintf("On %s, predictions (columns) against observed classes (rows), before", deciding_rows_text(x)), 0),
    matrix_text(x$before), "",
    "and after", matrix_text(x$after), "", paragraphs(decision_effect(x))
  )
}

deciding_rows_text <- function(x) {
  switch(x$on,
    out_of_fold = "the out-of-fold predictions, brought to the ensemble's scale", calibration = "the calibration rows",
    "the validation rows"
  )
}

decision_line <- function(decision) {
  rule <- decision$rule
  if (!is.null(rule$costs)) {
    return(paste0("The prediction is the class with the lowest expected cost", costs_text(rule$costs)))
  }
  sprintf("The prediction is \"%s\" from a probability of %s (%s)", rule$class, signif(rule$threshold, 4), decision$by)
}

# The costliest mistakes.
costs_text <- function(costs) {
  at <- which(costs > 0, arr.ind = TRUE)
  if (nrow(at) == 0) return("")
  at <- at[order(-costs[at]), , drop = FALSE]
  shown <- utils::head(at, 4)
  said <- sprintf(
    "\"%s\" predicted \"%s\" costs %s", rownames(costs)[shown[, 1]], colnames(costs)[shown[, 2]],
    format_each_short(costs[shown])
  )
  sprintf(" (%s%s)", paste(said, collapse = ", "), if (nrow(at) > 4) ", ..." else "")
}

matrix_text <- function(confusion) {
  found <- format_share(diag(confusion) / rowSums(confusion))
  classes <- list(observed = shorten(rownames(confusion), 20))
  as_text_table(c(classes, confusion_columns(confusion), list(found = found)), 1)
}

decision_effect <- function(x) {
  if (!is.null(x$rule$costs)) {
    cost <- function(confusion) format_measure(sum(confusion * x$rule$costs) / sum(confusion))
    return(sprintf("The mean cost goes from %s to %s.", cost(x$before), cost(x$after)))
  }
  class <- x$rule$class
  hits <- function(confusion) confusion[class, class]
  alarms <- function(confusion) format_weighted_count(sum(confusion[, class]) - hits(confusion))
  sprintf(
    paste(
      "Of %s rows that are \"%s\" it finds %s in place of %s, and predicts %s others so in place of %s.",
      advice_here("The rule was chosen on these rows and does a little worse on others, which appraise(model) shows.")
    ),
    format_weighted_count(sum(x$before[class, ])), class, format_weighted_count(hits(x$after)),
    format_weighted_count(hits(x$before)), alarms(x$after), alarms(x$before)
  )
}

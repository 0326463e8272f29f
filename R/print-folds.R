#' @export
print.hylomath_folds <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_folds <- function(x, ...) {
  m <- x$measures
  how <- switch(x$by, ordered = "stretches of time, each judged by what came before it", group = "folds, a group each", if (is.null(x$brief$columns$group)) "folds" else sprintf("folds of whole groups (%s)", x$brief$columns$group))
  p <- x$pooled
  several <- length(x$target) > 1
  baseline <- if (x$task == "classification") sprintf("always %s", shorten(p$baseline_answer, 10)) else if (several) paste("always", p$baseline_is) else sprintf("always %s", signif(p$baseline_answer, 4))
  columns <- list(measure = m$measure, pooled = format_measure(m$value), interval = interval_cell(m$low, m$high), baseline = format_measure(m$baseline), "mean of folds" = format_measure(m$mean), spread = format_measure(m$sd))
  names(columns)[3:4] <- c(sprintf("%s %% interval", format_number(100 * x$level)), baseline)
  if (several) columns <- c(list(target = ifelse(duplicated(m$target), "", m$target)), columns)
  c(
    cli::style_bold(sprintf("%s: %d %s%s", enumerate(x$target), x$k, how, if (x$repeats > 1) sprintf(", dealt %d times", x$repeats) else "")), "",
    paragraphs(in_words(p)), "",
    as_text_table(columns, length(columns) - 5), "",
    if (x$task == "classification") c(confusion_text(p), ""),
    each_fold_text(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "fit"),
      sprintf("The test rows of the brief had no part in this. Every row was judged by a network that had not learned from it; the intervals are about which %s there are, the spread is that of the folds.", p$units)
    )),
    format_notes(p$notes)
  )
}

each_fold_text <- function(x) {
  shown <- if (nrow(x$each) > 20) utils::head(x$each, 20) else x$each
  primary <- if (length(x$target) > 1) paste(x$target[1], x$primary) else x$primary
  measures <- unique(c(primary, intersect(if (x$task == "classification") c("accuracy", "balanced accuracy") else c("MAE", "R\u00b2"), names(x$each))))
  columns <- c(list(fold = as.character(shown$fold), rows = format_each_count(shown$rows), "learned from" = format_each_count(shown$training), "kept epoch" = format_each_count(shown$best_epoch)), lapply(stats::setNames(nm = measures), function(m) format_measure(shown[[m]])))
  if (x$repeats > 1) columns <- c(list("dealt" = as.character(shown[["repeat"]])), columns)
  c(as_text_table(columns, 0), if (nrow(x$each) > 20) sprintf("  and %d more", nrow(x$each) - 20))
}

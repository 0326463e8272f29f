#' @export
print.hylomath_folds <- function(x, ...) print_lines(x)

#' @export
format.hylomath_folds <- function(x, ...) {
  pooled <- x$pooled
  classes <- predicts_classes(x$task)
  dealt <- if (x$repeats > 1) sprintf(", dealt %d times", x$repeats) else ""
  c(
    cli::style_bold(sprintf("%s: %d %s%s", enumerate(x$target), x$k, kind_of_folds(x), dealt)), "",
    paragraphs(in_words(pooled)), "",
    fold_measures_text(x), "",
    if (classes) c(confusion_text(pooled), ""),
    each_fold_text(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "fit"),
      sprintf(
        paste(
          "The test rows of the brief had no part in this. Every row was predicted by a network that had not learned",
          "from it; the intervals are about which %s there are, the spread is that of the folds."
        ),
        pooled$units
      )
    )),
    format_notes(pooled$notes)
  )
}

kind_of_folds <- function(x) {
  group <- x$brief$columns$group
  switch(x$by,
    ordered = "stretches of time, each predicted from what came before it",
    group = "folds, a group each",
    if (is.null(group)) "folds" else sprintf("folds of whole groups (%s)", group)
  )
}

fold_measures_text <- function(x) {
  cells <- fold_measures_cells(x)
  as_text_table(cells, length(cells) - 5)
}

fold_measures_cells <- function(x) {
  rows <- x$measures
  cells <- list(
    measure = rows$measure, pooled = format_measure(rows$value), interval = interval_cell(rows$low, rows$high),
    baseline = format_measure(rows$baseline), "mean of folds" = format_measure(rows$mean),
    spread = format_measure(rows$sd)
  )
  names(cells)[3:4] <- c(interval_heading(x$level), baseline_heading(x$pooled))
  if (length(x$target) > 1) cells <- c(list(target = said_once(rows$target)), cells)
  cells
}

each_fold_text <- function(x) {
  c(as_text_table(each_fold_cells(x, 20), 0), if (nrow(x$each) > 20) sprintf("  and %d more", nrow(x$each) - 20))
}

each_fold_cells <- function(x, most = Inf) {
  shown <- utils::head(x$each, most)
  primary <- if (length(x$target) > 1) paste(x$target[1], x$primary) else x$primary
  known <- if (predicts_classes(x$task)) c("accuracy", "balanced accuracy") else c("MAE", "R\u00b2")
  measures <- unique(c(primary, intersect(known, names(x$each))))
  cells <- list(
    fold = as.character(shown$fold), rows = format_each_count(shown$rows),
    "learned from" = format_each_count(shown$training), "best epoch" = format_each_count(shown$best_epoch)
  )
  cells <- c(cells, lapply(stats::setNames(nm = measures), function(m) format_measure(shown[[m]])))
  if (x$repeats > 1) c(list("dealt" = as.character(shown[["repeat"]])), cells) else cells
}

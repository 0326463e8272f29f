#' Draw a confusion matrix
#'
#' Observed classes in rows, predictions in columns. A tile's depth is its share of the row, so that rare classes are
#' seen as well as common ones; the diagonal is outlined. Of more than 12 classes, or of long names, the columns have
#' the numbers of the rows; of more than 12, classes that are taken for each other stand together, and the cells say
#' what is most often confused.
#'
#' @param appraisal An appraisal of a classification.
#' @param shares Of what the shares are: `"observed"` (the rows of a class: the diagonal is recall), `"predicted"` (the
#'   rows with a prediction: the diagonal is precision) or `"all"`.
#' @param show What stands in the tiles: `"shares"`, `"counts"` or `"both"`; by default both up to 12 classes, and
#'   shares of more.
#' @return A ggplot.
#' @section Errors: An appraisal of numbers.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_confusion(appraise(model))
#' @export
plot_confusion <- function(appraisal, shares = "observed", show = NULL) {
  check_appraisal_drawn(appraisal, "plot_confusion")
  type_choice(c("observed", "predicted", "all"))(shares, "shares")
  if (!predicts_classes(appraisal$task)) fail("Only a classification has a confusion matrix.", "See plot_fit().")
  classes <- rownames(appraisal$confusion)
  many <- length(classes) > 12
  if (many) classes <- classes[confusion_order(appraisal$confusion)]
  show <- show %||% if (many) "shares" else "both"
  type_choice(c("shares", "counts", "both"))(show, "show")
  numbered <- many || max(nchar(classes, "width")) * length(classes) > 70
  d <- confusion_cells(appraisal, classes, shares, show)
  right <- d[as.character(d$observed) == as.character(d$prediction), ]
  ggplot2::ggplot(d, ggplot2::aes(.data$prediction, .data$observed)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$share), colour = figure_paper, linewidth = 1.2) +
    ggplot2::geom_tile(data = right, fill = NA, colour = hue("ochre"), linewidth = 1) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$label, colour = .data$share > 0.45), size = cell_text_size(length(classes)),
      lineheight = 0.95
    ) +
    shades(limits = c(0, 1), guide = "none") +
    text_on_shades() +
    ggplot2::scale_x_discrete(
      position = "top", labels = if (numbered) stats::setNames(seq_along(classes), classes) else identity
    ) +
    ggplot2::scale_y_discrete(
      labels = function(class) if (numbered) sprintf("%s (%d)", shorten(class, 24), match(class, classes)) else class
    ) +
    ggplot2::labs(
      title = sprintf("%s: what was predicted for each observed class", enumerate(appraisal$target)),
      subtitle = paste0(confusion_subtitle(appraisal, shares), if (many) most_confused(appraisal)),
      x = "predicted",
      y = "observed"
    ) +
    figure_theme() + no_grid() + confusion_axes(many)
}

# Classes that are taken for each other side by side: average linkage of what the rows of both are predicted as.
confusion_order <- function(confusion) {
  share <- confusion / pmax(rowSums(confusion), 1e-9)
  stats::hclust(stats::as.dist(2 - share - t(share)), "average")$order
}

# The three largest cells off the diagonal.
most_confused <- function(appraisal) {
  cells <- confusion_table(appraisal)
  wrong <- cells[cells$observed != cells$prediction & cells$weight > 0, ]
  if (nrow(wrong) == 0) return("")
  wrong <- utils::head(wrong[order(-wrong$weight), ], 3)
  said <- sprintf("%s as %s (%s)", wrong$observed, wrong$prediction, format_weighted_count(wrong$weight))
  sprintf("\nMost often confused: %s", paste(said, collapse = ", "))
}

# The cells with what is written into them.
confusion_cells <- function(appraisal, classes, shares, show) {
  d <- confusion_table(appraisal)
  d$share <- d[[paste0("of_", shares)]]
  d$share[is.na(d$share)] <- 0
  counts <- format_weighted_count(d$weight)
  percents <- format_percent_short(d$share)
  if (length(classes) > 12) percents <- sub(" %", "", percents, fixed = TRUE)
  d$label <- switch(show, counts = counts, shares = percents, both = sprintf("%s\n%s", counts, percents))
  if (length(classes) > 12) d$label[d$weight == 0] <- ""
  d$observed <- factor(d$observed, rev(classes))
  d$prediction <- factor(d$prediction, classes)
  d
}

cell_text_size <- function(classes) {
  if (classes <= 6) 4.6 else if (classes <= 12) 3.2 else if (classes <= 25) 2.6 else 1.6
}

confusion_subtitle <- function(appraisal, shares) {
  accuracy <- measure_of(appraisal, "accuracy")
  balanced <- measure_of(appraisal, "balanced accuracy")
  of <- c(observed = "shares are of the row", predicted = "shares are of the column", all = "shares are of all rows")
  sprintf(
    "%s; %s\nAccuracy %s (always %s: %s), balanced accuracy %s (%s)", evaluated_rows_text(appraisal), of[[shares]],
    format_share(accuracy$value), appraisal$baseline_prediction, format_share(accuracy$baseline),
    format_share(balanced$value), format_share(balanced$baseline)
  )
}

confusion_axes <- function(many) {
  ggplot2::theme(
    axis.text = ggplot2::element_text(size = if (many) 9 else 12, colour = figure_text)
  )
}

#' Draw observed against predicted values
#'
#' @param appraisal An appraisal of a regression or of counts.
#' @return A ggplot. Points on the line are right; both axes have the same scale.
#' @section Errors: An appraisal of classes.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> quick() |> train(progress = "none")
#' plot_fit(appraise(model))
#' @export
plot_fit <- function(appraisal) {
  check_appraisal_drawn(appraisal, "plot_fit")
  if (predicts_classes(appraisal$task)) fail("Observed against predicted is for numbers.", "See plot_confusion().")
  if (length(appraisal$target) > 1) return(plot_fits(appraisal))
  trimmed <- without_outermost(appraisal$evaluated, appraisal$n, c("observed", "prediction"))
  evaluated <- spread_counts(trimmed$rows, "observed")
  limits <- range(evaluated$observed, evaluated$prediction)
  ggplot2::ggplot(evaluated, ggplot2::aes(.data$prediction, .data$observed)) +
    cloud(nrow(evaluated), bins = 100) +
    fit_line() +
    numbers_across() + numbers_up() +
    ggplot2::coord_fixed(xlim = limits, ylim = limits) +
    ggplot2::labs(
      title = sprintf("%s: observed against predicted", appraisal$target),
      subtitle = fit_subtitle(appraisal, trimmed$said), x = "predicted", y = "observed"
    ) +
    figure_theme()
}

# Whole numbers that many rows share are drawn a little apart, in a fixed way, so that they don't hide each other.
spread_counts <- function(d, column) {
  y <- d[[column]]
  if (any(y != round(y)) || length(unique(y)) > length(y) / 5) return(d)
  d[[column]] <- y + 0.6 * (seq_along(y) * 0.618034) %% 1 - 0.3
  d
}

fit_line <- function() ggplot2::geom_abline(slope = 1, intercept = 0, colour = hue("ochre"), linewidth = 0.8)

fit_subtitle <- function(appraisal, left_out) {
  mae <- measure_of(appraisal, "MAE")
  sprintf(
    "%s. MAE %s (always %s: %s)\nR\u00b2 %s%s", evaluated_rows_text(appraisal), format_measure(mae$value),
    signif(appraisal$baseline_prediction, 4), format_measure(mae$baseline),
    format_share(measure_of(appraisal, "R\u00b2")$value), sub("\n", "; ", left_out %||% "")
  )
}

# One panel a target.
plot_fits <- function(appraisal) {
  r2 <- measure_of(appraisal, "R\u00b2")
  long <- do.call(rbind, lapply(number_pairs(appraisal), function(pair) {
    panel <- sprintf("%s, R\u00b2 %s", pair$target, format_share(r2$value[r2$target == pair$target]))
    data.frame(panel = panel, prediction = pair$prediction, observed = pair$observed)
  }))
  long$panel <- factor(long$panel, unique(long$panel))
  ggplot2::ggplot(long, ggplot2::aes(.data$prediction, .data$observed)) +
    cloud(nrow(long), bins = 100) +
    fit_line() +
    ggplot2::facet_wrap(~panel, scales = "free") +
    ggplot2::labs(
      title = sprintf("%s: observed against predicted", enumerate(appraisal$target)),
      subtitle = evaluated_rows_text(appraisal), x = "predicted", y = "observed"
    ) +
    figure_theme()
}

plot_appraisal <- function(appraisal) {
  if (predicts_classes(appraisal$task)) plot_confusion(appraisal) else plot_fit(appraisal)
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_appraisal <- function(object, ...) plot_appraisal(object)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_folds <- function(object, ...) plot_appraisal(object$pooled)

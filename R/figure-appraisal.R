#' Draw a confusion matrix
#'
#' Observed classes in rows, answers in columns. A tile's depth is its share of the row, so that rare classes are seen
#' as well as common ones; the diagonal is outlined.
#'
#' @param appraisal An appraisal of a classification.
#' @param shares Of what the shares are: `"observed"` (the rows of a class: the diagonal is recall), `"answered"` (the
#'   rows with an answer: the diagonal is precision) or `"all"`.
#' @return A ggplot.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_confusion(appraise(model))
#' @export
plot_confusion <- function(appraisal, shares = "observed") {
  need_ggplot()
  type_choice(c("observed", "answered", "all"))(shares, "shares")
  if (!answers_classes(appraisal$task)) fail("Only a classification has a confusion matrix.", "See plot_fit().")
  classes <- rownames(appraisal$confusion)
  d <- confusion_cells(appraisal, classes, shares)
  right <- d[as.character(d$observed) == as.character(d$answer), ]
  ggplot2::ggplot(d, ggplot2::aes(.data$answer, .data$observed)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$share), colour = figure_paper, linewidth = 1.2) +
    ggplot2::geom_tile(data = right, fill = NA, colour = hue("ochre"), linewidth = 1) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$label, colour = .data$share > 0.45), size = cell_text_size(length(classes)),
      lineheight = 0.95
    ) +
    shades(limits = c(0, 1), guide = "none") +
    text_on_shades() +
    ggplot2::scale_x_discrete(position = "top") +
    ggplot2::labs(
      title = sprintf("%s: what was answered for each observed class", enumerate(appraisal$target)),
      subtitle = confusion_subtitle(appraisal, shares), x = "answered", y = "observed"
    ) +
    figure_theme() + no_grid() + confusion_axes(many = length(classes) > 12)
}

# The cells with what is written into them.
confusion_cells <- function(appraisal, classes, shares) {
  d <- confusion_table(appraisal)
  d$share <- d[[paste0("of_", shares)]]
  d$share[is.na(d$share)] <- 0
  counts <- format_weighted_count(d$weight)
  d$label <- if (length(classes) > 12) {
    ifelse(d$weight > 0, counts, "")
  } else {
    sprintf("%s\n%s", counts, format_percent_short(d$share))
  }
  d$observed <- factor(d$observed, rev(classes))
  d$answer <- factor(d$answer, classes)
  d
}

cell_text_size <- function(classes) {
  if (classes <= 6) 4.6 else if (classes <= 12) 3.2 else if (classes <= 25) 2.6 else 1.6
}

confusion_subtitle <- function(appraisal, shares) {
  accuracy <- measure_of(appraisal, "accuracy")
  balanced <- measure_of(appraisal, "balanced accuracy")
  of <- c(observed = "shares are of the row", answered = "shares are of the column", all = "shares are of all rows")
  sprintf(
    "%s; %s\nAccuracy %s (always %s: %s), balanced accuracy %s (%s)", judged_rows_text(appraisal), of[[shares]],
    format_share(accuracy$value), appraisal$baseline_answer, format_share(accuracy$baseline),
    format_share(balanced$value), format_share(balanced$baseline)
  )
}

confusion_axes <- function(many) {
  ggplot2::theme(
    axis.text = ggplot2::element_text(size = if (many) 9 else 12, colour = figure_text),
    axis.text.x.top = if (many) ggplot2::element_text(angle = 60, hjust = 0)
  )
}

#' Draw observed against predicted values
#'
#' @param appraisal An appraisal of a regression or of counts.
#' @return A ggplot. Points on the line are right; both axes have the same scale.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> train(progress = "none")
#' plot_fit(appraise(model))
#' @export
plot_fit <- function(appraisal) {
  need_ggplot()
  if (answers_classes(appraisal$task)) fail("Observed against predicted is for numbers.", "See plot_confusion().")
  if (length(appraisal$target) > 1) return(plot_fits(appraisal))
  trimmed <- without_outermost(appraisal$judged, appraisal$n, c("observed", "answer"))
  judged <- trimmed$rows
  limits <- range(judged$observed, judged$answer)
  ggplot2::ggplot(judged, ggplot2::aes(.data$answer, .data$observed)) +
    cloud(nrow(judged), bins = 100) +
    fit_line() +
    ggplot2::coord_fixed(xlim = limits, ylim = limits) +
    ggplot2::labs(
      title = sprintf("%s: observed against predicted", appraisal$target),
      subtitle = fit_subtitle(appraisal, trimmed$said), x = "predicted", y = "observed"
    ) +
    figure_theme()
}

fit_line <- function() ggplot2::geom_abline(slope = 1, intercept = 0, colour = hue("ochre"), linewidth = 0.8)

fit_subtitle <- function(appraisal, left_out) {
  mae <- measure_of(appraisal, "MAE")
  sprintf(
    "%s. MAE %s (always %s: %s)\nR\u00b2 %s%s", judged_rows_text(appraisal), format_measure(mae$value),
    signif(appraisal$baseline_answer, 4), format_measure(mae$baseline),
    format_share(measure_of(appraisal, "R\u00b2")$value), sub("\n", "; ", left_out %||% "")
  )
}

# One panel a target.
plot_fits <- function(appraisal) {
  r2 <- measure_of(appraisal, "R\u00b2")
  long <- do.call(rbind, lapply(number_pairs(appraisal), function(pair) {
    panel <- sprintf("%s, R\u00b2 %s", pair$target, format_share(r2$value[r2$target == pair$target]))
    data.frame(panel = panel, answer = pair$answer, observed = pair$observed)
  }))
  long$panel <- factor(long$panel, unique(long$panel))
  ggplot2::ggplot(long, ggplot2::aes(.data$answer, .data$observed)) +
    cloud(nrow(long), bins = 100) +
    fit_line() +
    ggplot2::facet_wrap(~panel, scales = "free") +
    ggplot2::labs(
      title = sprintf("%s: observed against predicted", enumerate(appraisal$target)),
      subtitle = judged_rows_text(appraisal), x = "predicted", y = "observed"
    ) +
    figure_theme()
}

plot_appraisal <- function(appraisal) {
  if (answers_classes(appraisal$task)) plot_confusion(appraisal) else plot_fit(appraisal)
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_appraisal <- function(object, ...) plot_appraisal(object)

#' @export
plot.hylomath_appraisal <- function(x, ...) print(plot_appraisal(x))

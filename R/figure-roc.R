#' Draw the ROC curve
#'
#' The share of a class's rows that are found against the share of other rows taken with them, over all thresholds of its
#' probability. The diagonal is what chance does.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes to draw; the default is the positive one of two, else the six with the most rows.
#' @return A ggplot.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_roc(appraise(model))
#' @export
plot_roc <- function(appraisal, class = NULL) {
  need_ggplot()
  areas <- if (!is.null(appraisal$classes)) appraisal$classes[order(-appraisal$classes$support), ]
  if (is.null(class) && NROW(areas) > 2) class <- utils::head(areas$class[!is.na(areas$auc)], length(figure_lines))
  points <- thinned(roc_curve(appraisal, class))
  shown <- unique(points$class)
  if (length(shown) > length(figure_lines)) fail(sprintf("At most %d curves are told apart in one figure, not %d.", length(figure_lines), length(shown)), "Name fewer classes.")
  label <- sprintf("%s (AUC %s)", shown, format_share(areas$auc[match(shown, areas$class)]))
  points$label <- factor(label[match(points$class, shown)], label)
  ggplot2::ggplot(points, ggplot2::aes(.data$false_positive_rate, .data$recall, colour = .data$label, linetype = .data$label)) +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4) +
    ggplot2::geom_step(linewidth = 0.9, direction = "hv") +
    ggplot2::scale_colour_manual(values = unname(figure_lines)[seq_along(label)]) +
    ggplot2::scale_linetype_manual(values = c("solid", "22", "solid", "22", "solid", "22")[seq_along(label)]) +
    ggplot2::coord_fixed(xlim = c(0, 1), ylim = c(0, 1)) +
    ggplot2::labs(
      title = sprintf("%s: rows found against false alarms", enumerate(appraisal$target)),
      subtitle = sprintf("%s; the dashed line is chance", counted(appraisal$n, paste(appraisal$rows, "row"))),
      x = "share of other rows taken (false positive rate)", y = "share of the class found (recall)", colour = NULL, linetype = NULL
    ) +
    figure_theme() +
    ggplot2::theme(legend.position = c(0.98, 0.02), legend.justification = c(1, 0), legend.background = ggplot2::element_rect(fill = figure_paper, colour = NA), legend.key.width = grid::unit(28, "pt"))
}

# Of very many points as many as can be told apart, for each class.
thinned <- function(points, most = 1000) {
  kept <- lapply(split(seq_len(nrow(points)), factor(points$class, unique(points$class))), function(rows) {
    if (length(rows) <= most) rows else rows[unique(round(seq(1, length(rows), length.out = most)))]
  })
  points[unlist(kept), ]
}

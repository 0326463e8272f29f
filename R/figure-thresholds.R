#' Draw what the thresholds of a class's probability find
#'
#' `plot_roc()`: the share of a class's rows that are found against the share of other rows taken with them; the diagonal is
#' chance. `plot_precision_recall()`: how many of those taken are of the class, against the share of it that is found; the dashed
#' line is the class's share of all rows. `plot_gain()`: the share found against the share of all rows that is taken, from the
#' most probable downwards; or how many times more than by chance (lift). A point marks the rule of [decide()], if there is one.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes to draw; the default is the positive one of two, else the six with the most rows.
#' @param what `"gain"` or `"lift"`.
#' @return A ggplot.
#' @seealso [threshold_curve()] for the figures.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_roc(appraise(model))
#' plot_precision_recall(appraise(model))
#' plot_gain(appraise(model), what = "lift")
#' @name plot_roc
NULL

#' @rdname plot_roc
#' @export
plot_roc <- function(appraisal, class = NULL) {
  d <- drawn_thresholds(appraisal, class, "auc", "AUC")
  threshold_figure(d, appraisal, "false_positive_rate", "recall") +
    ggplot2::annotate("segment", x = 0, y = 0, xend = 1, yend = 1, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4) +
    ggplot2::coord_fixed(xlim = c(0, 1), ylim = c(0, 1)) +
    ggplot2::labs(
      title = sprintf("%s: rows found against false alarms", enumerate(appraisal$target)), subtitle = sprintf("%s; the dashed line is chance", judged_rows_text(appraisal)),
      x = "share of other rows taken (false positive rate)", y = "share of the class found (recall)", colour = NULL, linetype = NULL
    ) +
    legend_inside(0.98, 0.02)
}

#' @rdname plot_roc
#' @export
plot_precision_recall <- function(appraisal, class = NULL) {
  d <- drawn_thresholds(appraisal, class, "average_precision", "average precision")
  d$points <- d$points[!is.na(d$points$precision), ]
  shares <- class_shares(appraisal, d)
  threshold_figure(d, appraisal, "recall", "precision", step = FALSE) +
    ggplot2::geom_hline(data = shares, ggplot2::aes(yintercept = .data$share, colour = .data$label), linetype = "dashed", linewidth = 0.4, show.legend = FALSE) +
    ggplot2::coord_fixed(xlim = c(0, 1), ylim = c(0, 1)) +
    ggplot2::labs(
      title = sprintf("%s: how sure are those that are found", enumerate(appraisal$target)), subtitle = sprintf("%s; dashed: the class's share of all rows", judged_rows_text(appraisal)),
      x = "share of the class found (recall)", y = "share of those taken that are right (precision)", colour = NULL, linetype = NULL
    ) +
    (if (length(d$shown) == 1) legend_inside(0.02, 0.02) else ggplot2::theme(legend.key.width = grid::unit(28, "pt")))
}

#' @rdname plot_roc
#' @export
plot_gain <- function(appraisal, class = NULL, what = "gain") {
  type_choice(c("gain", "lift"))(what, "what")
  d <- drawn_thresholds(appraisal, class, NULL, NULL)
  gain <- what == "gain"
  # the first few rows' lift jumps from one to the next
  if (!gain) d$points <- d$points[!is.na(d$points$lift) & d$points$taken >= min(0.02, 10 / appraisal$n), ]
  threshold_figure(d, appraisal, "taken", if (gain) "recall" else "lift", step = gain) +
    (if (gain) ggplot2::annotate("segment", x = 0, y = 0, xend = 1, yend = 1, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4) else
      ggplot2::geom_hline(yintercept = 1, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4)) +
    (if (gain) ggplot2::coord_fixed(xlim = c(0, 1), ylim = c(0, 1)) else ggplot2::coord_cartesian(xlim = c(0, 1), ylim = c(0, NA))) +
    ggplot2::labs(
      title = sprintf(if (gain) "%s: found by taking the most probable first" else "%s: how many times more than by chance", enumerate(appraisal$target)),
      subtitle = sprintf("%s; the dashed line is chance", judged_rows_text(appraisal)), x = "share of all rows taken, the most probable first",
      y = if (gain) "share of the class found" else "lift", colour = NULL, linetype = NULL
    ) +
    (if (gain) legend_inside(0.98, 0.02) else legend_inside(0.98, 0.98))
}

judged_rows_text <- function(appraisal) counted(appraisal$n, paste(appraisal$rows, "row"))

# Points of the chosen classes with the labels of their lines.
drawn_thresholds <- function(appraisal, class, area, area_name) {
  need_ggplot()
  classes_to_draw(appraisal, class, "A curve over thresholds")
  classes <- appraisal$classes[order(-appraisal$classes$support), ]
  if (is.null(class) && nrow(classes) > 2) class <- utils::head(classes$class[classes$support > 0 & classes$support < sum(classes$support)], length(figure_lines))
  points <- thinned(threshold_curve(appraisal, class))
  shown <- unique(points$class)
  if (length(shown) > length(figure_lines)) fail(sprintf("At most %d curves are told apart in one figure, not %d.", length(figure_lines), length(shown)), "Name fewer classes.")
  figure <- if (!is.null(area)) classes[[area]][match(shown, classes$class)]
  label <- if (is.null(area)) shown else ifelse(is.na(figure), shown, sprintf("%s (%s %s)", shown, area_name, format_share(figure)))
  points$label <- factor(label[match(points$class, shown)], label)
  list(points = points, shown = shown, label = label)
}

class_shares <- function(appraisal, d) {
  support <- appraisal$classes$support
  data.frame(label = factor(d$label, d$label), share = support[match(d$shown, appraisal$classes$class)] / sum(support))
}

threshold_figure <- function(d, appraisal, x, y, step = TRUE) {
  line <- if (step) ggplot2::geom_step(linewidth = 0.9, direction = "hv") else ggplot2::geom_line(linewidth = 0.9)
  figure <- ggplot2::ggplot(d$points, ggplot2::aes(.data[[x]], .data[[y]], colour = .data$label, linetype = .data$label)) + line +
    ggplot2::scale_colour_manual(values = unname(figure_lines)[seq_along(d$label)]) +
    ggplot2::scale_linetype_manual(values = c("solid", "22", "solid", "22", "solid", "22")[seq_along(d$label)]) +
    figure_theme()
  rule <- appraisal$decision$rule
  if (is.null(rule$threshold) || !rule$class %in% d$shown) return(figure)
  own <- d$points[d$points$class == rule$class & d$points$threshold >= rule$threshold, ]
  if (nrow(own) == 0) return(figure)
  figure + ggplot2::geom_point(data = own[nrow(own), ], size = 3.4, show.legend = FALSE)
}

legend_inside <- function(x, y) {
  ggplot2::theme(legend.position = c(x, y), legend.justification = c(round(x), round(y)), legend.background = ggplot2::element_rect(fill = figure_paper, colour = NA), legend.key.width = grid::unit(28, "pt"))
}

# Of very many points as many as can be told apart, for each class.
thinned <- function(points, most = 1000) {
  kept <- lapply(split(seq_len(nrow(points)), factor(points$class, unique(points$class))), function(rows) {
    if (length(rows) <= most) rows else rows[unique(round(seq(1, length(rows), length.out = most)))]
  })
  points[unlist(kept), ]
}

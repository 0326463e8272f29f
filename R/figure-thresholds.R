#' Draw what the thresholds of a class's probability find
#'
#' `plot_roc()`: the share of a class's rows that are found against the share of other rows taken with them; the
#' diagonal is chance. `plot_precision_recall()`: how many of those taken are of the class, against the share of it
#' that is found; the dotted line is the class's share of all rows. `plot_gain()`: the share found against the share of
#' all rows that is taken, from the most probable downwards; or how many times more than by chance (lift). A point
#' marks the rule of [decide()], if there is one.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes to draw; the default is the positive one of two, else the six with the most rows.
#' @param what `"gain"` or `"lift"`.
#' @return A ggplot.
#' @seealso [threshold_curve()] for the figures.
#' @section Errors: An appraisal of numbers; a class that there is not, or that no evaluated row is of.
#' @references Fawcett (2006) \doi{10.1016/j.patrec.2005.10.010}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_roc(appraise(model))
#' plot_precision_recall(appraise(model))
#' plot_gain(appraise(model), what = "lift")
#' @name plot_roc
NULL

#' @rdname plot_roc
#' @export
plot_roc <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_roc")
  d <- drawn_thresholds(appraisal, class, "auc", "AUC")
  threshold_figure(d, appraisal, "false_positive_rate", "recall") +
    chance_line() +
    unit_square() +
    ggplot2::labs(
      title = sprintf("%s: rows found against false alarms", enumerate(appraisal$target)),
      subtitle = sprintf("%s; the dotted line is chance", paste0(evaluated_rows_text(appraisal), d$left)),
      x = "share of other rows taken (false positive rate)", y = "share of the class found (recall)", colour = NULL,
      linetype = NULL
    ) +
    legend_inside(0.98, 0.02)
}

#' @rdname plot_roc
#' @export
plot_precision_recall <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_precision_recall")
  d <- drawn_thresholds(appraisal, class, "average_precision", "average precision")
  d$points <- d$points[!is.na(d$points$precision), ]
  threshold_figure(d, appraisal, "recall", "precision", step = FALSE) +
    ggplot2::geom_hline(
      data = class_shares(appraisal, d), ggplot2::aes(yintercept = .data$share, colour = .data$label),
      linetype = "dotted", linewidth = 0.6, show.legend = FALSE
    ) +
    unit_square() +
    ggplot2::labs(
      title = sprintf("%s: how sure are those that are found", enumerate(appraisal$target)),
      subtitle = sprintf("%s; dotted: the class's share of all rows", paste0(evaluated_rows_text(appraisal), d$left)),
      x = "share of the class found (recall)", y = "share of those taken that are right (precision)", colour = NULL,
      linetype = NULL
    ) +
    (if (length(d$shown) == 1) legend_inside(0.02, 0.02) else wide_keys())
}

#' @rdname plot_roc
#' @export
plot_gain <- function(appraisal, class = NULL, what = "gain") {
  check_appraisal_drawn(appraisal, "plot_gain")
  type_choice(c("gain", "lift"))(what, "what")
  d <- drawn_thresholds(appraisal, class, NULL, NULL)
  figure <- if (what == "gain") gain_figure(d, appraisal) else lift_figure(d, appraisal)
  figure + ggplot2::labs(
    subtitle = sprintf("%s; the dotted line is chance", paste0(evaluated_rows_text(appraisal), d$left)),
    x = "share of all rows taken, the most probable first", colour = NULL, linetype = NULL
  )
}

gain_figure <- function(d, appraisal) {
  title <- "%s: found by taking the most probable first"
  threshold_figure(d, appraisal, "taken", "recall") +
    chance_line() +
    unit_square() +
    ggplot2::labs(title = sprintf(title, enumerate(appraisal$target)), y = "share of the class found") +
    legend_inside(0.98, 0.02)
}

lift_figure <- function(d, appraisal) {
  # the first few rows' lift jumps from one to the next
  d$points <- d$points[!is.na(d$points$lift) & d$points$taken >= min(0.02, 10 / appraisal$n), ]
  title <- "%s: how many times more than by chance"
  threshold_figure(d, appraisal, "taken", "lift", step = FALSE) +
    ggplot2::geom_hline(yintercept = 1, colour = hue("stone"), linetype = "dotted", linewidth = 0.6) +
    ggplot2::coord_cartesian(xlim = c(0, 1), ylim = c(0, NA)) +
    ggplot2::labs(title = sprintf(title, enumerate(appraisal$target)), y = "lift") +
    legend_inside(0.98, 0.98)
}

# Points of the chosen classes with the labels of their lines.
drawn_thresholds <- function(appraisal, class, area, area_name) {
  need_ggplot()
  classes_to_draw(appraisal, class, "A curve over thresholds")
  classes <- appraisal$classes[order(-appraisal$classes$support), ]
  if (is.null(class) && nrow(classes) > 2) {
    varying <- classes$support > 0 & classes$support < sum(classes$support)
    class <- utils::head(classes$class[varying], length(figure_lines))
  }
  points <- thinned(threshold_curve(appraisal, class))
  shown <- unique(points$class)
  check_lines(length(shown), "Name fewer classes.")
  areas <- if (is.null(area)) rep(NA, length(shown)) else classes[[area]][match(shown, classes$class)]
  label <- ifelse(is.na(areas), shown, sprintf("%s (%s %s)", shown, area_name %||% "", format_share(areas)))
  points$label <- factor(label[match(points$class, shown)], label)
  left <- if (nrow(appraisal$classes) > 2) drawn_of(length(shown), nrow(appraisal$classes), "classes") else ""
  looks <- looks_of(shown, appraisal$classes$class)
  list(points = points, shown = shown, label = label, left = left, looks = looks)
}

class_shares <- function(appraisal, d) {
  support <- appraisal$classes$support
  own <- support[match(d$shown, appraisal$classes$class)]
  data.frame(label = factor(d$label, d$label), share = own / sum(support))
}

threshold_figure <- function(d, appraisal, x, y, step = TRUE) {
  place <- ggplot2::aes(.data[[x]], .data[[y]], colour = .data$label, linetype = .data$label)
  line <- if (step) {
    ggplot2::geom_step(linewidth = 0.9, direction = "hv")
  } else {
    ggplot2::geom_line(linewidth = 0.9)
  }
  ggplot2::ggplot(d$points, place) + line + line_scales(d$looks) + figure_theme() +
    decision_mark(d, appraisal$decision$rule)
}

# The point of the stored threshold on its class's curve.
decision_mark <- function(d, rule) {
  if (is.null(rule$threshold) || !rule$class %in% d$shown) return(NULL)
  own <- d$points[d$points$class == rule$class & d$points$threshold >= rule$threshold, ]
  if (nrow(own)) ggplot2::geom_point(data = own[nrow(own), ], size = 3.4, show.legend = FALSE)
}

# Of very many points as many as can be told apart, for each class.
thinned <- function(points, most = 1000) {
  kept <- lapply(split(seq_len(nrow(points)), factor(points$class, unique(points$class))), function(rows) {
    if (length(rows) <= most) rows else rows[unique(round(seq(1, length(rows), length.out = most)))]
  })
  points[unlist(kept), ]
}

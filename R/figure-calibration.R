#' Draw how right probabilities are
#'
#' For each tenth of the rows the mean probability of a class against the share of rows that are of it, with its
#' interval (points), and a smooth curve through all rows with its band. On the diagonal probabilities are right; above
#' it they are too low, below it too high.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes to draw, a panel each; the default is the positive one of two, else the twelve with the
#'   most rows.
#' @return A ggplot.
#' @seealso [calibration_curve()] for the figures, [recalibrate()] to put them right.
#' @section Errors: An appraisal of numbers; a class that there is not.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_calibration(appraise(model))
#' @export
plot_calibration <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_calibration")
  classes_to_draw(appraisal, class, "A calibration curve")
  shown <- panels_of(appraisal, class, 12)
  d <- calibration_curve(appraisal, shown)
  smooth <- calibration_curve(appraisal, shown, smooth = TRUE) %||% d[0, ]
  d$class <- factor(d$class, unique(d$class))
  smooth$class <- factor(smooth$class, levels(d$class))
  one <- nlevels(d$class) == 1
  error <- measure_of(appraisal, "calibration error")
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$probability, .data$observed)) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high), smooth, fill = hue("ink"), alpha = 0.12
    ) +
    dashed_diagonal() +
    ggplot2::geom_line(data = smooth, colour = hue("ink"), linewidth = 0.8) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$low, ymax = .data$high), colour = hue("ochre"), linewidth = 0.8
    ) +
    ggplot2::geom_point(colour = hue("ochre"), size = 2.2) +
    ggplot2::scale_x_continuous(breaks = seq(0, 1, 0.25), labels = c("0", "0.25", "0.5", "0.75", "1")) +
    ggplot2::labs(
      title = sprintf("%s: are the probabilities right?", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s, in tenths (points) and smoothed\nmean distance from the diagonal %s (%s)",
        evaluated_rows_text(appraisal),
        format_measure(error$value), interval_ends(error)
      ),
      x = paste0("probability named", if (one) sprintf(" for \"%s\"", levels(d$class))), y = "share observed"
    ) +
    figure_theme()
  # one panel is a square; of several each has its own room
  if (one) return(figure + unit_square())
  figure + ggplot2::facet_wrap(~class) + ggplot2::coord_cartesian(xlim = c(0, 1), ylim = c(0, 1))
}

interval_ends <- function(row) paste(format_measure(row$low), "to", format_measure(row$high))

# The classes that get a panel: those asked for, the positive one of two, or those with the most rows, in their own
# order.
panels_of <- function(appraisal, class, most) {
  if (!is.null(class)) return(class)
  if (!is.null(appraisal$positive)) return(appraisal$positive)
  classes <- appraisal$classes[appraisal$classes$support > 0, ]
  classes$class[sort(utils::head(order(-classes$support), most))]
}

# What of the classes has no panel.
panels_left <- function(appraisal, class, shown) {
  if (!is.null(class) || !is.null(appraisal$positive)) return("")
  drawn_of(shown, sum(appraisal$classes$support > 0), "classes")
}

#' Draw how well classes are separated
#'
#' How the probabilities of a class are spread over its own rows and over all others. The less the two overlap, the
#' better the class is separated. A line marks the threshold of [decide()].
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes to draw, a panel each; the default is the positive one of two, else the twenty with the
#'   most rows.
#' @return A ggplot.
#' @section Errors: An appraisal of numbers; a class that there is not.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' plot_scores(appraise(model))
#' @export
plot_scores <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_scores")
  classes_to_draw(appraisal, class, "A distribution of scores")
  shown <- panels_of(appraisal, class, 20)
  one <- length(shown) == 1
  bins <- if (appraisal$n < 300) 15 else if (length(shown) > 4) 20 else 30
  d <- scores_by_class(appraisal, shown, bins)
  two_hues <- unname(figure_colours[c("ochre", "ink")])
  apart <- if (one) sprintf("\"%s\" is", shown) else "the classes are"
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$middle, .data$share, fill = .data$of, colour = .data$of)) +
    ggplot2::geom_col(width = 1 / bins, alpha = 0.45, position = "identity", linewidth = 0.3) +
    ggplot2::scale_fill_manual(values = two_hues) +
    ggplot2::scale_colour_manual(values = two_hues) +
    ggplot2::scale_x_continuous(limits = c(0, 1), breaks = c(0, 0.5, 1), labels = c("0", "0.5", "1")) +
    ggplot2::labs(
      title = sprintf("%s: how well %s separated", enumerate(appraisal$target), apart),
      subtitle = sprintf(
        "%s; shares of each kind of rows%s", evaluated_rows_text(appraisal),
        panels_left(appraisal, class, length(shown))
      ),
      x = if (one) sprintf("probability of \"%s\"", shown) else "probability of the class",
      y = "share of the rows", fill = NULL, colour = NULL
    ) +
    figure_theme() + legend_on_top() + threshold_mark(appraisal$decision$rule, shown)
  if (one) return(figure)
  figure + ggplot2::facet_wrap(~class, scales = "free_y") + ggplot2::scale_y_continuous(n.breaks = 3)
}

threshold_mark <- function(rule, shown) {
  if (is.null(rule$threshold) || !rule$class %in% shown) return(NULL)
  at <- data.frame(class = factor(rule$class, shown), at = rule$threshold)
  ggplot2::geom_vline(data = at, ggplot2::aes(xintercept = .data$at), colour = hue("plum"), linewidth = 0.7)
}

# For each class the shares of its own rows and of the others by bins of its probability.
scores_by_class <- function(appraisal, shown, bins) {
  kinds <- c("rows of the class", "other rows")
  d <- do.call(rbind, lapply(shown, function(one) {
    own <- appraisal$evaluated$observed == one
    p <- appraisal$evaluated[[paste0("probability_", one)]]
    rbind(
      binned_shares(p[own], appraisal$weight[own], bins, one, kinds[1]),
      binned_shares(p[!own], appraisal$weight[!own], bins, one, kinds[2])
    )
  }))
  d$class <- factor(d$class, shown)
  d$of <- factor(d$of, kinds)
  d
}

binned_shares <- function(p, weight, bins, class, of) {
  if (length(p) == 0) return(NULL)
  bin <- pmin(floor(p * bins), bins - 1)
  sums <- vapply(seq_len(bins) - 1, function(k) sum(weight[bin == k]), 0)
  data.frame(class = class, of = of, middle = (seq_len(bins) - 0.5) / bins, share = sums / sum(sums))
}

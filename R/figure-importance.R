#' Draw which columns matter
#'
#' @param importance What [importance()] returns.
#' @param most How many columns to show, the most important ones.
#' @return A ggplot: a bar a column, with its interval.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_importance(importance(model, kilns))
#' @export
plot_importance <- function(importance, most = 25) {
  check_drawn(importance, "hylomath_importance", "plot_importance", "importance()")
  d <- importance_shown(importance, most)
  left <- length(unique(importance$columns$column)) - nlevels(d$column)
  rows <- counted(importance$n, paste(part_words(importance$rows), "row"))
  value <- enumerate(format_measure(importance$value))
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$importance, .data$column)) +
    ggplot2::geom_col(fill = hue("ink"), width = 0.66) +
    ggplot2::geom_errorbarh(
      ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("ochre"), linewidth = 0.8, height = 0.25
    ) +
    ggplot2::labs(
      title = sprintf("%s: how much worse without each column", enumerate(importance$target)),
      subtitle = sprintf(
        "%s; the rise of the %s (%s) when the column is shuffled%s", rows, importance$measure, value,
        if (left > 0) sprintf("\n%s more are not shown", left) else ""
      ),
      x = sprintf("rise of the %s", importance$measure), y = NULL
    ) +
    figure_theme() + no_grid_up()
  if (length(importance$target) > 1) figure + ggplot2::facet_wrap(~target, scales = "free_x") else figure
}

# The columns that matter most, on top.
importance_shown <- function(importance, most) {
  d <- importance$columns
  d <- if (length(importance$target) > 1) {
    d[d$column %in% utils::head(unique(d$column[order(-d$share)]), most), ]
  } else {
    utils::head(d, most)
  }
  d$column <- factor(d$column, rev(unique(d$column)))
  d
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_importance <- function(object, ...) plot_importance(object)

#' @export
plot.hylomath_importance <- function(x, ...) print(plot_importance(x))

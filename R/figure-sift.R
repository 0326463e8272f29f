#' Draw the path of a sifting
#'
#' @param sifting What [sift()] returns.
#' @return A ggplot: the measure against the number of inputs with the spread of the folds; the best set and the
#'   smallest one within one standard error are marked.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' plot_sifting(sift(b, direction = "ranking", k = 3, progress = "none"))
#' @export
plot_sifting <- function(sifting) {
  check_drawn(sifting, "hylomath_sifting", "plot_sifting", "sift()")
  p <- sifting$path
  forward <- sifting$direction == "forward"
  best <- length(sifting$best)
  p$low <- p$mean - p$sd
  p$high <- p$mean + p$sd
  p$label <- ifelse(is.na(p$column), "", paste(if (forward) "+" else "\u2212", p$column))
  marked <- p[p$inputs %in% c(best, length(sifting$small)), ]
  marked$mark <- ifelse(marked$inputs == best, "best", "smallest within one error")
  folds <- counted(sifting$k, "fold")
  how <- "%s, mean of %s with their spread; below: the column %s on the way there"
  ggplot2::ggplot(p, ggplot2::aes(.data$inputs, .data$mean)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = hue("sea"), alpha = 0.18) +
    ggplot2::geom_line(colour = hue("ink"), linewidth = 0.7) +
    ggplot2::geom_point(colour = hue("ink"), size = 2) +
    ggplot2::geom_point(data = marked, colour = hue("ochre"), size = 4.2) +
    ggplot2::geom_text(
      data = marked, ggplot2::aes(label = .data$mark), vjust = -1.4, colour = figure_faint, size = 4
    ) +
    ggplot2::geom_text(
      ggplot2::aes(y = .data$low, label = .data$label), angle = 90, hjust = 1.1, size = 3, colour = figure_faint
    ) +
    ggplot2::scale_x_continuous(breaks = if (nrow(p) <= 30) p$inputs else ggplot2::waiver()) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0.42, 0.12))) +
    ggplot2::labs(
      title = sprintf("%s: how many inputs are needed", enumerate(sifting$target)),
      subtitle = sprintf(how, sifting$primary, folds, if (forward) "added" else "dropped"), x = "inputs",
      y = sifting$primary
    ) +
    figure_theme()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_sifting <- function(object, ...) plot_sifting(object)

#' @export
plot.hylomath_sifting <- function(x, ...) print(plot_sifting(x))

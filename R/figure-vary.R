#' Draw what a setting does
#'
#' @param variation What [vary()] returns.
#' @return A ggplot: the measure's mean over folds at each value, with its standard error (heavy) and the spread of the folds (thin);
#'   on a logarithmic axis where the values span more than a factor of 20.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' plot_variation(vary(b, units = c(2, 4, 8), k = 3, progress = "none"))
#' @export
plot_variation <- function(variation) {
  need_ggplot()
  if (!inherits(variation, "hylomath_variation")) fail("plot_variation() draws what vary() returns.")
  d <- variation$values
  numeric <- variation$numeric
  d$at <- if (numeric) as.numeric(d$value) else factor(d$value, d$value)
  wide <- numeric && min(d$at) > 0 && max(d$at) / min(d$at) > 20
  line <- if (numeric) ggplot2::geom_line(colour = figure_colours[["ink"]], linewidth = 0.7)
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$mean)) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$mean - .data$sd, ymax = .data$mean + .data$sd), colour = figure_colours[["sea"]], linewidth = 0.5) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$mean - .data$error, ymax = .data$mean + .data$error), colour = figure_colours[["ochre"]], linewidth = 1.6) +
    line + ggplot2::geom_point(colour = figure_colours[["ink"]], size = 2.8) +
    (if (wide) ggplot2::scale_x_log10(breaks = d$at) else if (numeric && nrow(d) <= 12) ggplot2::scale_x_continuous(breaks = d$at)) +
    ggplot2::labs(
      title = sprintf("%s: %s by %s", enumerate(variation$target), variation$primary, variation$setting),
      subtitle = sprintf("Mean of %s%s; heavy: its standard error, thin: the spread of the folds", counted(variation$k, "fold"), if (variation$repeats > 1) sprintf(", dealt %d times", variation$repeats) else ""),
      x = paste0(variation$setting, if (wide) " (logarithmic)" else ""), y = variation$primary
    ) +
    figure_theme()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_variation <- function(object, ...) plot_variation(object)

#' @export
plot.hylomath_variation <- function(x, ...) print(plot_variation(x))

#' Draw what a setting does
#'
#' @param variation What [vary()] returns.
#' @return A ggplot: the measure's mean over folds at each value, with its standard error (heavy) and the spread of the
#'   folds (thin); on a logarithmic axis where the values span more than a factor of 20.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' plot_variation(vary(b, units = c(2, 4, 8), k = 3, progress = "none"))
#' @export
plot_variation <- function(variation) {
  check_drawn(variation, "hylomath_variation", "plot_variation", "vary()")
  d <- variation$values
  numeric <- variation$numeric
  d$at <- if (numeric) as.numeric(d$value) else factor(d$value, d$value)
  wide <- numeric && min(d$at) > 0 && max(d$at) / min(d$at) > 20
  dealt <- if (variation$repeats > 1) sprintf(", dealt %d times", variation$repeats) else ""
  how <- "Mean of %s%s; heavy: its standard error, thin: the spread of the folds"
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$mean)) +
    spread_lines("sd", hue("sea"), 0.5) +
    spread_lines("error", hue("ochre"), 1.6) +
    (if (numeric) ggplot2::geom_line(colour = hue("ink"), linewidth = 0.7)) +
    ggplot2::geom_point(colour = hue("ink"), size = 2.8) +
    varied_axis(d, numeric, wide) +
    ggplot2::labs(
      title = sprintf("%s: %s by %s", enumerate(variation$target), variation$primary, variation$setting),
      subtitle = sprintf(how, counted(variation$k, "fold"), dealt),
      x = axis_name(variation$setting, wide), y = variation$primary
    ) +
    figure_theme()
}

# From one to the other side of the mean.
spread_lines <- function(by, colour, width) {
  ends <- ggplot2::aes(ymin = .data$mean - .data[[by]], ymax = .data$mean + .data[[by]])
  ggplot2::geom_linerange(ends, colour = colour, linewidth = width)
}

varied_axis <- function(d, numeric, wide) {
  if (wide) return(ggplot2::scale_x_log10(breaks = d$at))
  if (numeric && nrow(d) <= 12) ggplot2::scale_x_continuous(breaks = d$at)
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_variation <- function(object, ...) plot_variation(object)

#' @export
plot.hylomath_variation <- function(x, ...) print(plot_variation(x))

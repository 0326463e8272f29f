#' Draw models side by side
#'
#' @param lineup What [lineup()] returns.
#' @param measures The measures to draw, a panel each; the default is the one that the models were trained for and the
#'   first two others.
#' @return A ggplot: each model's value with its interval.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> hold_out(seed = 3) |> quick()
#' plot_lineup(lineup(small = b |> wire("4 tanh") |> train(progress = "none"), usual = b |> train(progress = "none")))
#' @export
plot_lineup <- function(lineup, measures = NULL) {
  check_drawn(lineup, "hylomath_lineup", "plot_lineup", "lineup()")
  known <- unique(lineup$measures$measure)
  measures <- measures %||% utils::head(c(lineup$primary, setdiff(known, lineup$primary)), 3)
  unknown <- setdiff(measures, known)
  if (length(unknown)) fail(sprintf("There is no measure %s.", describe(unknown[1])), suggestion(unknown[1], known))
  d <- lineup$measures[lineup$measures$measure %in% measures, ]
  d$measure <- factor(d$measure, measures)
  d$model <- factor(d$model, rev(lineup$models$model))
  rows <- counted(lineup$n, paste(part_words(lineup$rows), "row"))
  warning <- "overlapping intervals can hide a clear difference row by row: see the table"
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$value, .data$model)) +
    numbers_across(n.breaks = 3) +
    ggplot2::geom_errorbarh(
      ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("sea"), linewidth = 0.8, height = 0.18
    ) +
    ggplot2::geom_point(colour = hue("ink"), size = 3.2) +
    ggplot2::labs(
      title = sprintf("%s: the models on the same rows", enumerate(lineup$target)),
      subtitle = sprintf("%s, %s %% intervals\n%s", rows, format_number(100 * lineup$level), warning),
      x = NULL, y = NULL
    ) +
    figure_theme() + ggplot2::theme(panel.spacing = grid::unit(26, "pt"))
  if (is.null(d$target)) return(figure + ggplot2::facet_wrap(~measure, scales = "free_x"))
  figure + ggplot2::facet_grid(target ~ measure, scales = "free_x")
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_lineup <- function(object, ...) plot_lineup(object)

#' @export
plot.hylomath_lineup <- function(x, ...) print(plot_lineup(x))

#' Draw models side by side
#'
#' @param lineup What [lineup()] returns.
#' @param measures The measures to draw, a panel each; the default is the one that the models were trained for and the
#'   first two others.
#' @return A ggplot: each model's value with its interval.
#' @section Errors: An object that [lineup()] did not return.
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

# ---- a distillation --------------------------------------------------------------------------------------------------

#' Draw what teaching is good for
#'
#' @param model A model that [distil()] returned.
#' @return A ggplot: for each measure the mean over folds of teacher, student, and the student taught by labels alone,
#'   with the spread of the folds.
#' @section Errors: A model that was not taught, or without a comparison.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' student <- distil(train(b, progress = "none"), b |> wire("6 tanh"), k = 3, progress = "none")
#' plot_distillation(student)
#' @export
plot_distillation <- function(model) {
  need_ggplot()
  taught <- if (is_model(model)) model$distilled
  if (is.null(taught)) fail("plot_distillation() draws a model that distil() returned.")
  if (is.null(taught$comparison)) {
    fail("The student was not compared with its teacher.", "Distil it with k = 5 or so.")
  }
  t <- main_measures(taught$comparison)
  t$network <- factor(t$network, rev(unique(t$network)))
  t$label <- sprintf("%s  (%s parameters)", format_measure(t$mean), format_each_count(round(t$parameters)))
  t$low <- t$mean - t$sd
  t$high <- t$mean + t$sd
  how <- "Mean of %d folds that all three share, with the spread of the folds"
  ggplot2::ggplot(t, ggplot2::aes(.data$mean, .data$network, colour = .data$network)) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data$low, xmax = .data$high), linewidth = 0.8) +
    ggplot2::geom_point(size = 3.6) +
    ggplot2::geom_text(ggplot2::aes(label = .data$label), vjust = -1.3, size = 3.8) +
    ggplot2::facet_wrap(~measure, scales = "free_x", ncol = 1) +
    ggplot2::scale_colour_manual(values = unname(figure_colours[c("stone", "ochre", "ink")]), guide = "none") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.12)) +
    ggplot2::scale_y_discrete(expand = ggplot2::expansion(add = c(0.5, 0.9))) +
    ggplot2::labs(
      title = sprintf("%s: what the teacher is good for", enumerate(model$brief$target)),
      subtitle = sprintf(how, as.integer(taught$k)), x = NULL, y = NULL
    ) +
    figure_theme()
}

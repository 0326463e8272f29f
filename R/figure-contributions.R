#' Draw which inputs moved the prediction for one row
#'
#' @param contributions What [contributions()] returns.
#' @param most How many bars to show: the columns that moved the prediction most, and one for all others together.
#' @return A ggplot: a bar a column, from the mean prediction towards the row's own.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_contributions(contributions(model, 5, kilns))
#' @export
plot_contributions <- function(contributions, most = 20) {
  check_drawn(contributions, "hylomath_contributions", "plot_contributions", "contributions()")
  d <- contributions$columns
  d$label <- sprintf("%s = %s", d$column, d$value)
  if (nrow(d) > most) {
    rest <- d[most:nrow(d), ]
    together <- sprintf("the other %s", counted(nrow(rest), "column"))
    d <- rbind(d[seq_len(most - 1), ], transform(
      rest[1, ], contribution = sum(rest$contribution), error = sqrt(sum(rest$error^2)), label = together
    ))
  }
  d$label <- factor(d$label, rev(d$label))
  d$low <- d$contribution - 1.96 * d$error
  d$high <- d$contribution + 1.96 * d$error
  what <- sprintf(
    if (predicts_classes(contributions$task)) "the probability of \"%s\"" else "the prediction for %s", contributions$of
  )
  sampled <- !is.null(contributions$passes)
  how <- paste0(
    "Over the other rows it is %s on average",
    if (sampled) "; thin lines are 95 %% of the error of sampling"
  )
  ggplot2::ggplot(d, ggplot2::aes(.data$contribution, .data$label, fill = .data$contribution > 0)) +
    ggplot2::geom_col(width = 0.66) +
    (if (sampled) {
      ggplot2::geom_errorbarh(
        ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("stone"), linewidth = 0.6, height = 0.25
      )
    }) +
    ggplot2::geom_vline(xintercept = 0, colour = hue("stone"), linewidth = 0.4) +
    ggplot2::scale_fill_manual(values = c(`TRUE` = hue("ink"), `FALSE` = hue("ochre")), guide = "none") +
    ggplot2::labs(
      title = sprintf("Why %s is %s", what, format_measure(contributions$prediction)),
      subtitle = sprintf(how, format_measure(contributions$mean)), x = sprintf("moves %s by", what), y = NULL
    ) +
    figure_theme() + no_grid_up()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_contributions <- function(object, ...) plot_contributions(object)

#' @export
plot.hylomath_contributions <- function(x, ...) print(plot_contributions(x))

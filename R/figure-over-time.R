#' Draw the error over time
#'
#' The measure that the network was trained for, over stretches of time with about as many evaluated rows each, with its
#' interval, beside the linear model and predicting the same for every row; or the share of rows whose interval or set
#' held, where intervals follow time.
#'
#' @param appraisal,periods See [error_over_time()].
#' @param what `"error"`, or `"held"` for the share that intervals held.
#' @return A ggplot; with several targets a panel each.
#' @section Errors: Those of [error_over_time()]; `"held"` of a model whose intervals do not follow time.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered") |>
#'   quick() |> train(progress = "none")
#' plot_over_time(appraise(model))
#' @export
plot_over_time <- function(appraisal, periods = 10, what = "error") {
  check_appraisal_drawn(appraisal, "plot_over_time")
  type_choice(c("error", "held"))(what, "what")
  d <- error_over_time(appraisal, periods)
  d$middle <- d$from + (d$to - d$from) / 2
  if (!is.null(d$target)) d$target <- factor(d$target, appraisal$target)
  figure <- if (what == "error") error_in_time_figure(d, appraisal) else held_figure(d, appraisal)
  figure <- figure + ggplot2::labs(x = appraisal$order, colour = NULL, linetype = NULL)
  if (is.null(d$target)) figure else figure + ggplot2::facet_wrap(~target, scales = "free_y")
}

# Whether there are rows and times enough for a figure.
drawn_over_time <- function(appraisal) {
  !is.null(appraisal$when) && appraisal$order_kind %in% c("date", "time", "number", "count") &&
    length(unique(appraisal$when)) >= 10
}

error_in_time_figure <- function(d, appraisal) {
  long <- in_long_form(
    d, "value", c("the network" = "value", "a linear model" = "linear", "the same for every row" = "baseline")
  )
  ggplot2::ggplot(long, ggplot2::aes(.data$middle, .data$value)) +
    ggplot2::geom_linerange(
      data = d, ggplot2::aes(ymin = .data$low, ymax = .data$high), colour = hue("ink"), linewidth = 0.7, alpha = 0.6
    ) +
    ggplot2::geom_line(ggplot2::aes(colour = .data$label, linetype = .data$label), linewidth = 0.9) +
    ggplot2::geom_point(data = d, colour = hue("ink"), size = 2) +
    line_scales() + figure_theme() + legend_on_top() + wide_keys() + numbers_up() + ggplot2::expand_limits(y = 0) +
    ggplot2::labs(
      title = sprintf("%s: the error over time", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s in %d stretches; %s with its %s", evaluated_rows_text(appraisal), max(d$period), appraisal$primary,
        interval_heading(appraisal$level)
      ),
      y = appraisal$primary
    )
}

held_figure <- function(d, appraisal) {
  if (is.null(d$held)) {
    fail("This appraisal has no intervals that follow time.", "Draw the error: plot_over_time(appraisal).")
  }
  ggplot2::ggplot(d, ggplot2::aes(.data$middle, .data$held)) +
    ggplot2::geom_hline(yintercept = coverage_level, colour = hue("stone"), linetype = "dashed", linewidth = 0.5) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$held_low, ymax = .data$held_high), colour = hue("ochre"), linewidth = 0.8
    ) +
    ggplot2::geom_line(colour = hue("ink"), linewidth = 0.8) +
    ggplot2::geom_point(colour = hue("ink"), size = 2) +
    ggplot2::coord_cartesian(ylim = c(NA, 1)) + figure_theme() +
    ggplot2::labs(
      title = sprintf("%s: how many rows their intervals held, over time", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s in %d stretches; dashed: the %s that is asked for", evaluated_rows_text(appraisal), max(d$period),
        format_percent_short(coverage_level)
      ),
      y = "share of rows held"
    )
}

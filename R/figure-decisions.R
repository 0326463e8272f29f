#' Draw what decisions come to
#'
#' `plot_net_benefit()`: the net benefit of deciding by a class's probability, over the threshold, beside that of the
#' linear model, of treating all rows as the class and of treating none. `plot_top()`: how many rows of a class are
#' found among those with the highest probabilities, over how many rows are taken, with the interval, beside the linear
#' model and chance. `plot_profit()`: what all evaluated rows earn together over the threshold, with the interval. A
#' line marks the threshold of [decide()], if there is one.
#'
#' @param appraisal An appraisal of a classification.
#' @param class,gains See [diagnostic_accuracy()] and [profit_curve()].
#' @return A ggplot.
#' @seealso [net_benefit()], [top_rows()] and [profit_curve()] for the figures.
#' @section Errors: Those of the functions that give the figures.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' appraisal <- appraise(model)
#' plot_net_benefit(appraisal)
#' plot_top(appraisal)
#' plot_profit(appraisal, gains = c(found = 120, false_alarm = -15))
#' @name plot_net_benefit
NULL

#' @rdname plot_net_benefit
#' @export
plot_net_benefit <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_net_benefit")
  class <- decided_rows(appraisal, class, "A decision curve")$class
  # beyond, fewer than five rows are treated
  most <- utils::head(sort(appraisal$evaluated[[paste0("probability_", class)]], decreasing = TRUE), 5)
  d <- net_benefit(appraisal, seq(0.01, max(0.1, min(0.99, floor(100 * min(most)) / 100)), 0.01), class)
  named <- c(
    network = "the network", linear = "a linear model", all = sprintf("all rows as \"%s\"", shorten(class, 20)),
    none = "no row"
  )
  named <- named[unique(d$strategy)]
  d$label <- factor(named[d$strategy], named)
  # below the axis a strategy only does harm
  room <- max(d$net_benefit)
  ggplot2::ggplot(d, ggplot2::aes(.data$threshold, .data$net_benefit)) +
    lines_over_band(d[d$strategy == "network", ]) +
    force_mark(appraisal, class) +
    ggplot2::coord_cartesian(ylim = c(-0.25, 1.05) * room) +
    ggplot2::labs(
      title = sprintf("%s: what deciding by the probability is good for", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s; net benefit: rows found less false alarms, which count t / (1 - t) each%s",
        evaluated_rows_text(appraisal), force_words(appraisal, class)
      ),
      x = sprintf("threshold t: treated as \"%s\" from this probability on", class), y = "net benefit, a row",
      colour = NULL, linetype = NULL
    )
}

# The threshold in force; NULL without one.
threshold_in_force <- function(appraisal, class) {
  rule <- appraisal$decision$rule
  if (identical(rule$class, class)) rule$threshold
}

force_mark <- function(appraisal, class) {
  at <- threshold_in_force(appraisal, class)
  if (!is.null(at)) ggplot2::geom_vline(xintercept = at, colour = hue("stone"), linewidth = 0.7)
}

force_words <- function(appraisal, class) {
  at <- threshold_in_force(appraisal, class)
  if (is.null(at)) "" else sprintf("; grey line: the threshold in force, %s", format_short(at))
}

#' @rdname plot_net_benefit
#' @export
plot_top <- function(appraisal, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_top")
  all <- sum(appraisal$weight)
  d <- top_rows(appraisal, unique(pmax(1, round(seq(all / 50, all, length.out = 50)))), class)
  shown <- d$class[1]
  long <- in_long_form(
    d, "found", c("by the network" = "found", "by a linear model" = "linear", "by chance" = "chance")
  )
  wanted <- appraisal$decisions$top[appraisal$decisions$top <= all]
  marked <- if (length(wanted)) top_rows(appraisal, wanted, shown)
  ggplot2::ggplot(long, ggplot2::aes(.data$n, .data$found)) +
    lines_over_band(d) +
    (if (!is.null(marked)) ggplot2::geom_point(data = marked, colour = hue("ink"), size = 3.2)) +
    (if (!is.null(marked)) {
      ggplot2::geom_text(
        data = marked, ggplot2::aes(label = sprintf("%s of %s", format_weighted_count(round(.data$found)), .data$n)),
        hjust = -0.15, vjust = 1.4, colour = figure_text, size = 3.8
      )
    }) +
    numbers_across() + numbers_up() +
    ggplot2::labs(
      title = sprintf("%s: how many \"%s\" a list of rows holds", enumerate(appraisal$target), shorten(shown, 20)),
      subtitle = sprintf("%s, of which %s are", evaluated_rows_text(appraisal), format_weighted_count(d$of[1])),
      x = "rows taken, the highest probability first", y = "of them found", colour = NULL, linetype = NULL
    )
}

#' @rdname plot_net_benefit
#' @export
plot_profit <- function(appraisal, gains = NULL, class = NULL) {
  check_appraisal_drawn(appraisal, "plot_profit")
  d <- profit_curve(appraisal, gains, class)
  best <- attr(d, "best_threshold")
  d <- d[!is.na(d$threshold), ]
  shown <- d$class[1]
  long <- in_long_form(
    d, "profit", c("the network" = "profit", "a linear model" = "linear", "all rows" = "all", "no row" = "none")
  )
  ggplot2::ggplot(long, ggplot2::aes(.data$threshold, .data$profit)) +
    lines_over_band(d) +
    ggplot2::geom_vline(xintercept = best, colour = hue("stone"), linetype = "dotted", linewidth = 0.7) +
    force_mark(appraisal, shown) + numbers_up() +
    ggplot2::labs(
      title = sprintf("%s: profit by the threshold", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s together; dotted: %s, from where treating a row pays if probabilities are right%s",
        evaluated_rows_text(appraisal), format_short(signif(best, 3)), force_words(appraisal, shown)
      ),
      x = sprintf("threshold: treated as \"%s\" from this probability on", shown), y = "profit", colour = NULL,
      linetype = NULL
    )
}

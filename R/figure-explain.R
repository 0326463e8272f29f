#' Draw which columns matter
#'
#' @param importance What [importance()] returns.
#' @param most How many columns to show, the most important ones.
#' @return A ggplot: a bar a column, with its interval.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_importance(importance(model, kilns))
#' @export
plot_importance <- function(importance, most = 25) {
  need_ggplot()
  if (!inherits(importance, "hylomath_importance")) fail("plot_importance() draws what importance() returns.")
  several <- length(importance$target) > 1
  d <- importance$columns
  d <- if (several) d[d$column %in% utils::head(unique(d$column[order(-d$share)]), most), ] else utils::head(d, most)
  d$column <- factor(d$column, rev(unique(d$column)))
  left <- length(unique(importance$columns$column)) - nlevels(d$column)
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$importance, .data$column)) +
    ggplot2::geom_col(fill = figure_colours[["ink"]], width = 0.66) +
    ggplot2::geom_errorbarh(ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = figure_colours[["ochre"]], linewidth = 0.8, height = 0.25) +
    ggplot2::labs(
      title = sprintf("%s: how much worse without each column", enumerate(importance$target)),
      subtitle = sprintf("%s; the rise of the %s (%s) when the column is shuffled%s", counted(importance$n, paste(importance$rows, "row")), importance$measure, enumerate(format_measure(importance$value)), if (left > 0) sprintf("\n%s more are not shown", left) else ""),
      x = sprintf("rise of the %s", importance$measure), y = NULL
    ) +
    figure_theme() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
  if (several) figure + ggplot2::facet_wrap(~target, scales = "free_x") else figure
}

#' Draw how the answer goes with an input
#'
#' @param effect What [effect_of()] returns.
#' @return A ggplot: for one number the mean (heavy) and single rows (thin), with marks where rows lie; for categories the means
#'   with the range of nine of ten rows; for two numbers a map; for a number and a category a line a level.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_effect(effect_of(model, peak_c, kilns, of = "crazed"))
#' @export
plot_effect <- function(effect) {
  need_ggplot()
  if (!inherits(effect, "hylomath_effect")) fail("plot_effect() draws what effect_of() returns.")
  curve <- effect$curve
  curve$of <- factor(curve$of, unique(curve$of))
  along <- vapply(effect$input, function(column) is.numeric(curve[[column]]) || is_moment(curve[[column]]), NA)
  figure <- if (length(along) == 1) {
    if (along) effect_lines(effect, curve) else effect_points(effect, curve)
  } else if (all(along)) {
    effect_map(effect, curve)
  } else {
    effect_levels(effect, curve, effect$input[which(along)[1]], effect$input[which(!along)[1]])
  }
  what <- if (effect$task == "classification") "probability" else "answer"
  one <- nlevels(curve$of) == 1
  figure <- figure + ggplot2::labs(
    title = sprintf("%s by %s", if (one) sprintf(if (effect$task == "classification") "Probability of \"%s\"" else "%s", levels(curve$of)) else enumerate(effect$target), enumerate(effect$input)),
    subtitle = sprintf("Mean over %s, everything else as it is%s", counted(effect$n, "row"), if (length(along) == 1 && along) "; thin lines are single rows" else if (length(along) == 1) "; lines hold nine of ten rows" else "")
  ) + figure_theme()
  if (length(along) == 1 && along) figure <- figure + ggplot2::labs(y = what)
  if (one) figure else figure + ggplot2::facet_wrap(~of, scales = if (effect$task == "classification") "fixed" else "free_y")
}

effect_lines <- function(effect, curve) {
  lines <- effect$lines
  lines$of <- factor(lines$of, levels(curve$of))
  seen <- data.frame(at = effect$seen[[1]])
  inside <- seen$at >= min(curve[[effect$input]]) & seen$at <= max(curve[[effect$input]])
  ggplot2::ggplot(curve, ggplot2::aes(.data[[effect$input]], .data$answer)) +
    ggplot2::geom_line(data = lines, ggplot2::aes(group = .data$row), colour = figure_colours[["sea"]], alpha = 0.3, linewidth = 0.35) +
    ggplot2::geom_rug(data = seen[inside, , drop = FALSE], ggplot2::aes(x = .data$at), inherit.aes = FALSE, sides = "b", colour = figure_colours[["stone"]], alpha = 0.35) +
    ggplot2::geom_line(colour = figure_colours[["ink"]], linewidth = 1.3)
}

effect_points <- function(effect, curve) {
  column <- effect$input
  curve[[column]] <- if (is.logical(curve[[column]]) || is.numeric(curve[[column]])) factor(curve[[column]]) else factor(curve[[column]], unique(curve[[column]]))
  figure <- ggplot2::ggplot(curve, ggplot2::aes(.data$answer, .data[[column]])) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = figure_colours[["sea"]], linewidth = 0.8) +
    ggplot2::geom_point(colour = figure_colours[["ink"]], size = 3.2)
  figure + ggplot2::labs(x = if (effect$task == "classification") "probability" else "answer", y = column) +
    ggplot2::theme(panel.spacing = grid::unit(14, "pt"))
}

# Cells reach halfway to their neighbours, since the values are at equal shares and not at equal distances.
effect_map <- function(effect, curve) {
  edges <- function(x) {
    values <- sort(unique(as.numeric(x)))
    middles <- (values[-1] + values[-length(values)]) / 2
    list(low = c(values[1], middles)[match(as.numeric(x), values)], high = c(middles, values[length(values)])[match(as.numeric(x), values)])
  }
  across <- edges(curve[[effect$input[1]]])
  up <- edges(curve[[effect$input[2]]])
  curve[c("left", "right", "bottom", "top")] <- list(across$low, across$high, up$low, up$high)
  moment_axis <- function(column, scale) if (is_moment(curve[[column]])) scale(labels = function(v) format(structure(v, class = class(curve[[column]])))) else scale()
  ggplot2::ggplot(curve, ggplot2::aes(xmin = .data$left, xmax = .data$right, ymin = .data$bottom, ymax = .data$top, fill = .data$answer)) +
    ggplot2::geom_rect() +
    ggplot2::scale_fill_gradient(low = "#EEF2F6", high = figure_colours[["ink"]]) +
    moment_axis(effect$input[1], ggplot2::scale_x_continuous) + moment_axis(effect$input[2], ggplot2::scale_y_continuous) +
    ggplot2::labs(x = effect$input[1], y = effect$input[2], fill = if (effect$task == "classification") "probability" else "answer")
}

effect_levels <- function(effect, curve, along, level) {
  if (is.na(along)) {  # two categories
    return(
      ggplot2::ggplot(curve, ggplot2::aes(factor(.data[[effect$input[1]]]), factor(.data[[effect$input[2]]]), fill = .data$answer)) + ggplot2::geom_tile() +
        ggplot2::geom_text(ggplot2::aes(label = format_measure(.data$answer), colour = .data$answer > mean(range(.data$answer))), size = 4) +
        ggplot2::scale_colour_manual(values = c(`FALSE` = "#22303F", `TRUE` = "#FFFFFF"), guide = "none") +
        ggplot2::scale_fill_gradient(low = "#EEF2F6", high = figure_colours[["ink"]], guide = "none") + ggplot2::labs(x = effect$input[1], y = effect$input[2])
    )
  }
  shown <- utils::head(unique(as.character(curve[[level]])), length(figure_lines))
  curve <- curve[as.character(curve[[level]]) %in% shown, ]
  curve$level <- factor(as.character(curve[[level]]), shown)
  ggplot2::ggplot(curve, ggplot2::aes(.data[[along]], .data$answer, colour = .data$level, linetype = .data$level)) +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::scale_colour_manual(values = unname(figure_lines)) +
    ggplot2::scale_linetype_manual(values = c("solid", "22", "solid", "22", "solid", "22")) +
    ggplot2::labs(x = along, y = if (effect$task == "classification") "probability" else "answer", colour = level, linetype = level) +
    ggplot2::theme(legend.key.width = grid::unit(28, "pt"))
}

#' Draw which inputs moved the answer to one row
#'
#' @param contributions What [contributions()] returns.
#' @param most How many columns to show, those that moved the answer most.
#' @return A ggplot: a bar a column, from the mean answer towards the row's own.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_contributions(contributions(model, 5, kilns))
#' @export
plot_contributions <- function(contributions, most = 20) {
  need_ggplot()
  if (!inherits(contributions, "hylomath_contributions")) fail("plot_contributions() draws what contributions() returns.")
  d <- utils::head(contributions$columns, most)
  d$label <- sprintf("%s = %s", d$column, d$value)
  d$label <- factor(d$label, rev(d$label))
  what <- if (contributions$task == "classification") sprintf("the probability of \"%s\"", contributions$of) else sprintf("the answer for %s", contributions$of)
  ggplot2::ggplot(d, ggplot2::aes(.data$contribution, .data$label, fill = .data$contribution > 0)) +
    ggplot2::geom_col(width = 0.66) +
    ggplot2::geom_errorbarh(ggplot2::aes(xmin = .data$contribution - 1.96 * .data$error, xmax = .data$contribution + 1.96 * .data$error), colour = figure_colours[["stone"]], linewidth = 0.6, height = 0.25) +
    ggplot2::geom_vline(xintercept = 0, colour = figure_colours[["stone"]], linewidth = 0.4) +
    ggplot2::scale_fill_manual(values = c(`TRUE` = figure_colours[["ink"]], `FALSE` = figure_colours[["ochre"]]), guide = "none") +
    ggplot2::labs(
      title = sprintf("Why %s is %s", what, format_measure(contributions$answer)), subtitle = sprintf("Over the other rows it is %s on average; thin lines are the error of sampling", format_measure(contributions$mean)),
      x = sprintf("moves %s by", what), y = NULL
    ) +
    figure_theme() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

#' Draw models side by side
#'
#' @param lineup What [lineup()] returns.
#' @param measures The measures to draw, a panel each; the default is the one that the models were trained for and the first two
#'   others.
#' @return A ggplot: each model's value with its interval.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> hold_out(seed = 3)
#' plot_lineup(lineup(small = b |> wire("4 tanh") |> train(progress = "none"), usual = b |> train(progress = "none")))
#' @export
plot_lineup <- function(lineup, measures = NULL) {
  need_ggplot()
  if (!inherits(lineup, "hylomath_lineup")) fail("plot_lineup() draws what lineup() returns.")
  known <- unique(lineup$measures$measure)
  measures <- measures %||% utils::head(c(lineup$primary, setdiff(known, lineup$primary)), 3)
  unknown <- setdiff(measures, known)
  if (length(unknown)) fail(sprintf("There is no measure %s.", describe(unknown[1])), suggestion(unknown[1], known))
  d <- lineup$measures[lineup$measures$measure %in% measures, ]
  d$measure <- factor(d$measure, measures)
  d$model <- factor(d$model, rev(lineup$models$model))
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$value, .data$model)) + ggplot2::scale_x_continuous(n.breaks = 4) +
    ggplot2::geom_errorbarh(ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = figure_colours[["sea"]], linewidth = 0.8, height = 0.18) +
    ggplot2::geom_point(colour = figure_colours[["ink"]], size = 3.2) +
    ggplot2::labs(
      title = sprintf("%s: the models on the same rows", enumerate(lineup$target)),
      subtitle = sprintf("%s, %s %% intervals\noverlapping intervals can hide a clear difference row by row: see the table", counted(lineup$n, paste(lineup$rows, "row")), format_number(100 * lineup$level)), x = NULL, y = NULL
    ) +
    figure_theme() + ggplot2::theme(panel.spacing = grid::unit(18, "pt"))
  if (is.null(d$target)) figure + ggplot2::facet_wrap(~measure, scales = "free_x") else figure + ggplot2::facet_grid(target ~ measure, scales = "free_x")
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_importance <- function(object, ...) plot_importance(object)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_effect <- function(object, ...) plot_effect(object)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_contributions <- function(object, ...) plot_contributions(object)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_lineup <- function(object, ...) plot_lineup(object)

#' @export
plot.hylomath_importance <- function(x, ...) print(plot_importance(x))

#' @export
plot.hylomath_effect <- function(x, ...) print(plot_effect(x))

#' @export
plot.hylomath_contributions <- function(x, ...) print(plot_contributions(x))

#' @export
plot.hylomath_lineup <- function(x, ...) print(plot_lineup(x))

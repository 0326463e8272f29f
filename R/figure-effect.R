#' Draw how the prediction changes with an input
#'
#' @param effect What [effect_of()] returns.
#' @return A ggplot: for one number the mean (heavy) and single rows (thin), with marks where rows lie; for categories
#'   the means with the range of nine of ten rows; for two numbers a map; for a number and a category a line a level.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_effect(effect_of(model, peak_c, kilns, of = "crazed"))
#' @export
plot_effect <- function(effect) {
  check_drawn(effect, "hylomath_effect", "plot_effect", "effect_of()")
  curve <- effect$curve
  curve$of <- factor(curve$of, unique(curve$of))
  all <- curve
  if (!is.null(curve$near)) curve <- curve[curve$near, ]
  along <- vapply(effect$input, function(column) is.numeric(curve[[column]]) || is_moment(curve[[column]]), NA)
  alone <- length(along) == 1
  figure <- if (alone) {
    if (along) effect_lines(effect, curve) else effect_points(effect, curve)
  } else if (all(along)) {
    effect_map(effect, curve)
  } else if (any(along)) {
    effect_levels(effect, curve, effect$input[along], effect$input[!along])
  } else {
    effect_tiles(effect, curve)
  }
  how <- if (!alone) "" else if (along) "; thin lines are single rows" else "; lines hold nine of ten rows"
  figure <- figure + ggplot2::labs(
    title = effect_title(effect, levels(curve$of)),
    subtitle = paste0(
      sprintf("Mean over %s, everything else as it is%s", counted(effect$n, "row"), how), levels_left_text(effect),
      if (!alone && !all(all$near)) "\nWhere no rows are near, nothing is drawn"
    )
  ) + figure_theme()
  if (alone && along) figure <- figure + ggplot2::labs(y = prediction_word(effect$task))
  if (nlevels(curve$of) == 1) return(figure)
  figure + ggplot2::facet_wrap(~of, scales = if (predicts_classes(effect$task)) "fixed" else "free_y")
}

# Levels that are too many to be shown.
levels_left_text <- function(effect) {
  left <- effect$left_out[effect$left_out > 0]
  if (length(left) == 0) return("")
  sprintf("; %s of %s left out, the rarest", paste(left, collapse = " and "), enumerate(names(left)))
}

effect_title <- function(effect, of) {
  what <- if (length(of) > 1) {
    enumerate(effect$target)
  } else if (predicts_classes(effect$task)) {
    sprintf("Probability of \"%s\"", of)
  } else {
    of
  }
  sprintf("%s by %s", what, enumerate(effect$input))
}

effect_lines <- function(effect, curve) {
  lines <- effect$lines
  lines$of <- factor(lines$of, levels(curve$of))
  values <- curve[[effect$input]]
  seen <- data.frame(at = effect$seen[[1]])
  seen <- seen[seen$at >= min(values) & seen$at <= max(values), , drop = FALSE]
  ggplot2::ggplot(curve, ggplot2::aes(.data[[effect$input]], .data$prediction)) +
    ggplot2::geom_line(
      data = lines, ggplot2::aes(group = .data$row), colour = hue("sea"), alpha = 0.3, linewidth = 0.35
    ) +
    ggplot2::geom_rug(
      data = seen, ggplot2::aes(x = .data$at), inherit.aes = FALSE, sides = "b", colour = hue("stone"), alpha = 0.35
    ) +
    ggplot2::geom_line(colour = hue("ink"), linewidth = 1.3)
}

effect_points <- function(effect, curve) {
  column <- effect$input
  values <- curve[[column]]
  curve[[column]] <- if (is.logical(values) || is.numeric(values)) factor(values) else factor(values, unique(values))
  ggplot2::ggplot(curve, ggplot2::aes(.data$prediction, .data[[column]])) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("sea"), linewidth = 0.8
    ) +
    ggplot2::geom_point(colour = hue("ink"), size = 3.2) +
    ggplot2::labs(x = prediction_word(effect$task), y = column) +
    ggplot2::theme(panel.spacing = grid::unit(14, "pt"))
}

effect_map <- function(effect, curve) {
  across <- cell_edges(curve[[effect$input[1]]])
  up <- cell_edges(curve[[effect$input[2]]])
  curve[c("left", "right", "bottom", "top")] <- list(across$low, across$high, up$low, up$high)
  moment_axis <- function(column, scale) {
    if (!is_moment(curve[[column]])) return(scale())
    scale(labels = function(v) format(structure(v, class = class(curve[[column]]))))
  }
  place <- ggplot2::aes(
    xmin = .data$left, xmax = .data$right, ymin = .data$bottom, ymax = .data$top, fill = .data$prediction
  )
  ggplot2::ggplot(curve, place) +
    ggplot2::geom_rect() +
    shades() +
    moment_axis(effect$input[1], ggplot2::scale_x_continuous) +
    moment_axis(effect$input[2], ggplot2::scale_y_continuous) +
    ggplot2::labs(x = effect$input[1], y = effect$input[2], fill = prediction_word(effect$task))
}

# Cells reach halfway to their neighbours, since the values are at equal shares and not at equal distances.
cell_edges <- function(x) {
  values <- sort(unique(as.numeric(x)))
  middles <- (values[-1] + values[-length(values)]) / 2
  place <- match(as.numeric(x), values)
  list(low = c(values[1], middles)[place], high = c(middles, values[length(values)])[place])
}

# Two categories.
effect_tiles <- function(effect, curve) {
  first <- effect$input[1]
  second <- effect$input[2]
  ggplot2::ggplot(curve, ggplot2::aes(factor(.data[[first]]), factor(.data[[second]]), fill = .data$prediction)) +
    ggplot2::geom_tile() +
    ggplot2::geom_text(
      ggplot2::aes(label = format_measure(.data$prediction), colour = .data$prediction > mean(range(.data$prediction))),
      size = 4
    ) +
    text_on_shades() +
    shades(guide = "none") +
    ggplot2::labs(x = first, y = second)
}

# A line for each of the first levels.
effect_levels <- function(effect, curve, along, level) {
  label <- as.character(curve[[level]])
  shown <- utils::head(unique(label), length(figure_lines))
  curve <- curve[label %in% shown, ]
  curve$level <- factor(curve[[level]], shown)
  ggplot2::ggplot(
    curve, ggplot2::aes(.data[[along]], .data$prediction, colour = .data$level, linetype = .data$level)
  ) +
    ggplot2::geom_line(linewidth = 1) +
    line_scales() +
    ggplot2::labs(x = along, y = prediction_word(effect$task), colour = level, linetype = level) +
    wide_keys()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_effect <- function(object, ...) plot_effect(object)

#' @export
plot.hylomath_effect <- function(x, ...) print(plot_effect(x))

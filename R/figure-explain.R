#' Draw which inputs moved the prediction for a row, or for many
#'
#' @param contributions What [contributions()] returns.
#' @param most How many columns to show, those that moved the prediction most; of one row the last bar is all others
#'   together.
#' @return A ggplot: a bar a column, from the mean prediction towards the row's own; of many rows a line a column,
#'   within which it moved nine of ten of them, and a mark at the mean.
#' @section Errors: An object that [contributions()] did not return.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_contributions(contributions(model, kilns, 5))
#' @export
plot_contributions <- function(contributions, most = 20) {
  if (inherits(contributions, "hylomath_contributions_of_rows")) return(moves_of_many(contributions, most))
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

moves_of_many <- function(x, most) {
  moves <- x$contributions
  moves <- moves[, utils::head(order(-colMeans(abs(moves))), most), drop = FALSE]
  ends <- apply(moves, 2, stats::quantile, c(0.05, 0.95), names = FALSE)
  d <- data.frame(column = colnames(moves), mean = colMeans(moves), low = ends[1, ], high = ends[2, ])
  d$column <- factor(d$column, rev(d$column))
  one <- unique(x$rows$of)
  what <- prediction_word(x$task)
  if (length(one) == 1 && predicts_classes(x$task)) what <- sprintf("%s of \"%s\"", what, one)
  ggplot2::ggplot(d, ggplot2::aes(.data$mean, .data$column)) +
    ggplot2::geom_vline(xintercept = 0, colour = hue("stone"), linewidth = 0.4) +
    ggplot2::geom_linerange(ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("sea"), linewidth = 2) +
    ggplot2::geom_point(colour = hue("ink"), size = 2.6) +
    ggplot2::labs(
      title = sprintf("%s: what moved the predictions", enumerate(x$target)),
      subtitle = sprintf(
        "%s, from the mean over %s; lines hold nine of ten rows, marks are means", counted(nrow(x$rows), "row"),
        counted(x$others, "other row")
      ),
      x = sprintf("moves the %s by", what), y = NULL
    ) +
    figure_theme() + no_grid_up()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_contributions <- function(object, ...) plot_contributions(object)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_contributions_of_rows <- function(object, ...) plot_contributions(object)

# ---- importance ------------------------------------------------------------------------------------------------------

#' Draw which columns matter
#'
#' @param importance What [importance()] returns.
#' @param most How many columns to show, the most important ones.
#' @return A ggplot: a bar a column, with its interval.
#' @section Errors: An object that [importance()] did not return.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_importance(importance(model, kilns))
#' @export
plot_importance <- function(importance, most = 25) {
  check_drawn(importance, "hylomath_importance", "plot_importance", "importance()")
  d <- importance_shown(importance, most)
  left <- length(unique(importance$columns$column)) - nlevels(d$column)
  rows <- counted(importance$n, paste(part_words(importance$rows), "row"))
  value <- enumerate(format_measure(importance$value))
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$importance, .data$column)) +
    bars_with_intervals() +
    ggplot2::labs(
      title = sprintf("%s: how much worse without each column", enumerate(importance$target)),
      subtitle = sprintf(
        "%s; the rise of the %s (%s) when the column is shuffled%s%s", rows, importance$measure, value,
        if (importance$among_alike) "\namong rows that are alike in the others" else "",
        if (left > 0) sprintf("\n%s more are not shown", left) else ""
      ),
      x = sprintf("rise of the %s", importance$measure), y = NULL
    ) +
    figure_theme() + no_grid_up()
  if (length(importance$target) > 1) figure + ggplot2::facet_wrap(~target, scales = "free_x") else figure
}

# The columns that matter most, on top.
importance_shown <- function(importance, most) {
  d <- importance$columns
  d <- if (length(importance$target) > 1) {
    d[d$column %in% utils::head(unique(d$column[order(-d$share)]), most), ]
  } else {
    utils::head(d, most)
  }
  d$column <- factor(d$column, rev(unique(d$column)))
  d
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_importance <- function(object, ...) plot_importance(object)

# ---- interactions ----------------------------------------------------------------------------------------------------

#' Draw which columns act together
#'
#' @param interactions What [interactions()] returns.
#' @param most How many pairs to show for each class or target.
#' @return A ggplot: a bar a pair, with its interval.
#' @section Errors: An object that [interactions()] did not return.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_interactions(interactions(model, kilns, columns = c("peak_c", "soak_min", "glaze"), of = "crazed"))
#' @export
plot_interactions <- function(interactions, most = 15) {
  check_drawn(interactions, "hylomath_interactions", "plot_interactions", "interactions()")
  d <- do.call(rbind, lapply(split(interactions$pairs, interactions$pairs$of), utils::head, most))
  d$pair <- sprintf("%s, %s", d$first, d$second)
  d$pair <- factor(d$pair, rev(unique(d$pair[order(-d$size)])))
  d$of <- factor(d$of, unique(interactions$pairs$of))
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$size, .data$pair)) +
    bars_with_intervals() +
    ggplot2::labs(
      title = sprintf("%s: which columns act together", enumerate(interactions$target)),
      subtitle = sprintf(
        "Over %s; how far two columns' mean effect is from the sum of their own", counted(interactions$n, "row")
      ),
      x = sprintf("deviation of the %s", prediction_word(interactions$task)), y = NULL
    ) +
    figure_theme() + no_grid_up()
  if (nlevels(d$of) == 1) return(figure)
  figure + ggplot2::facet_wrap(~of)
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_interactions <- function(object, ...) plot_interactions(object)

# ---- effects ---------------------------------------------------------------------------------------------------------

#' Draw how the prediction changes with an input
#'
#' @param effect What [effect_of()] returns.
#' @return A ggplot: for one number the mean (heavy) and single rows (thin), with marks where rows lie; for categories
#'   the means with the range of nine of ten rows; for two numbers a map; for a number and a category a line a level.
#' @section Errors: An object that [effect_of()] did not return; a class or target that it does not hold.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' plot_effect(effect_of(model, kilns, peak_c, of = "crazed"))
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
  how <- if (effect$local) {
    sprintf("; each is moved within its own step; %s of %g %%", if (along) "band" else "lines", 100 * effect$level)
  } else if (!alone) {
    ""
  } else if (along) {
    "; thin lines are single rows"
  } else {
    "; lines hold nine of ten rows"
  }
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

# The mean over its band, or over lines of single rows.
effect_lines <- function(effect, curve) {
  around <- if (effect$local) {
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = hue("sea"), alpha = 0.3)
  } else {
    lines <- effect$lines
    lines$of <- factor(lines$of, levels(curve$of))
    ggplot2::geom_line(
      data = lines, ggplot2::aes(group = .data$row), colour = hue("sea"), alpha = 0.3, linewidth = 0.35
    )
  }
  values <- curve[[effect$input]]
  seen <- data.frame(at = effect$seen[[1]])
  seen <- seen[seen$at >= min(values) & seen$at <= max(values), , drop = FALSE]
  ggplot2::ggplot(curve, ggplot2::aes(.data[[effect$input]], .data$prediction)) +
    around +
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

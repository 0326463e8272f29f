#' Draw a search
#'
#' @param scouting What [scout()] returns.
#' @param what `"settings"`: the measure against each setting; `"progress"`: the best so far, trial by trial; `"map"`:
#'   the lowest measure for each number of layers and units.
#' @return A ggplot. Trials that were stopped early are hollow, the brief's own settings are a triangle.
#' @section Errors: A map of a search that doesn't go over both `layers` and `units`.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' s <- scout(b, layers = 1:2, units = bounds(2, 32), budget = 8, k = 3, progress = "none")
#' plot_scouting(s)
#' plot_scouting(s, "progress")
#' plot_scouting(s, "map")
#' @export
plot_scouting <- function(scouting, what = "settings") {
  check_drawn(scouting, "hylomath_scouting", "plot_scouting", "scout()")
  type_choice(c("settings", "progress", "map"))(what, "what")
  draw <- switch(what, settings = scouting_by_setting, progress = scouting_progress, map = scouting_map)
  draw(scouting)
}

trial_states <- c(own = "the brief's own", best = "best", whole = "evaluated in full", stopped = "stopped early")

scouting_points <- function(x) {
  t <- x$trials[is.finite(x$trials$mean), ]
  # of some folds only, a weak trial can look better than the best: it stands no lower
  t$mean[!t$whole] <- pmax(t$mean[!t$whole], min(t$mean[t$whole]))
  state <- ifelse(t$trial == x$own, "own", ifelse(t$trial == x$best, "best", ifelse(t$whole, "whole", "stopped")))
  t$state <- factor(trial_states[state], trial_states)
  t[order(t$state, decreasing = TRUE), ]
}

# A layer of points, told apart by what became of the trials; `states` are those that there are.
trial_points <- function(states = trial_states) {
  by_state <- function(values) stats::setNames(values, trial_states)
  colours <- by_state(figure_colours[c("ink", "ochre", "sea", "sea")])
  list(
    ggplot2::geom_point(ggplot2::aes(shape = .data$state, colour = .data$state, size = .data$state)),
    ggplot2::scale_shape_manual(values = by_state(c(17, 19, 19, 1)), name = NULL, breaks = states, drop = FALSE),
    ggplot2::scale_colour_manual(values = colours, name = NULL, breaks = states, drop = FALSE),
    ggplot2::scale_size_manual(values = by_state(c(3.4, 3.6, 2.2, 1.8)), name = NULL, breaks = states, drop = FALSE)
  )
}

scouting_title <- function(x, what) sprintf("%s: %s", enumerate(x$target), what)

# The lower half of the plot is where the decision falls: far worse trials are drawn at the upper edge.
measure_limits <- function(t) {
  low <- min(t$mean)
  middle <- stats::median(t$mean[t$whole])
  own <- t$mean[t$state == trial_states["own"]]
  c(low, max(middle + 2 * (middle - low), stats::quantile(t$mean, 0.6), own))
}

# ---- by setting ---------------------------------------------------------------------------------------------------

# A panel a setting, each with its own kind of axis: places within the bounds, and the values there as text below.
scouting_by_setting <- function(x) {
  t <- scouting_points(x)
  limits <- measure_limits(t)
  span <- diff(limits)
  points <- do.call(rbind, lapply(x$settings, function(name) points_of_setting(x$space[[name]], t, limits[2])))
  ticks <- do.call(rbind, lapply(x$settings, function(name) cbind(setting = name, axis_ticks(x$space[[name]]))))
  titles <- vapply(x$settings, function(name) axis_name(name, isTRUE(x$space[[name]]$log)), "")
  points$panel <- factor(titles[match(points$setting, x$settings)], titles)
  ticks$panel <- factor(titles[match(ticks$setting, x$settings)], titles)
  points$at <- side_by_side(points$at, points$panel)
  blend <- blends(x$brief, x$evaluate)
  upper <- "Far worse trials stand at the upper edge"
  ggplot2::ggplot(points, ggplot2::aes(.data$at, .data$measure)) +
    ggplot2::geom_vline(data = ticks, ggplot2::aes(xintercept = .data$at), colour = figure_grid, linewidth = 0.4) +
    (if (blend) own_line(t)) +
    trial_points(if (blend) trial_states[-1] else trial_states) +
    ggplot2::geom_text(
      data = ticks, ggplot2::aes(y = limits[1] - 0.14 * span, label = .data$label), size = 3.2, colour = figure_faint
    ) +
    ggplot2::scale_x_continuous(breaks = NULL, limits = c(-0.09, 1.09)) +
    ggplot2::coord_cartesian(ylim = c(limits[1] - 0.16 * span, limits[2])) +
    ggplot2::facet_wrap(~panel) +
    ggplot2::labs(
      title = scouting_title(x, sprintf("%s by each setting that was searched", x$primary)),
      subtitle = if (blend) paste0(upper, "; the dashed line is the brief's own ensemble") else upper,
      x = NULL, y = x$primary
    ) +
    figure_theme() +
    ggplot2::theme(
      legend.position = "bottom", panel.grid.major.x = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(face = "bold", colour = hue("ink"))
    )
}

# A blend has no place among the settings.
own_line <- function(t) {
  own <- t$mean[t$state == trial_states["own"]]
  ggplot2::geom_hline(yintercept = own, linetype = "22", colour = hue("ink"), linewidth = 0.7)
}

points_of_setting <- function(dimension, t, top) {
  at <- axis_places(dimension, t)
  d <- data.frame(
    setting = dimension$name, at = pmin(pmax(at, -0.06), 1.06), measure = pmin(t$mean, top), state = t$state
  )
  d[!is.na(at), ]
}

# Trials at the same place would hide one another.
side_by_side <- function(at, panel) {
  turn <- stats::ave(seq_along(at), panel, at, FUN = seq_along) - 1
  shared <- stats::ave(at, panel, at, FUN = length) > 1
  at + 0.012 * turn %% 5 - 0.024 * shared
}

# Where the values of a setting stand between 0 and 1.
places_along <- function(dimension, values) {
  rows <- stats::setNames(data.frame(values), dimension$name)
  space_places(stats::setNames(list(dimension), dimension$name), rows)[, 1]
}

axis_places <- function(dimension, t) {
  values <- t[[dimension$name]]
  place <- places_along(dimension, values)
  place[is.na(values)] <- NA
  if (is_numeric_dimension(dimension)) return(place)
  (ifelse(place == 0, NA, place) - 0.5) / length(dimension$values)
}

axis_ticks <- function(dimension) {
  if (dimension$kind == "bounds") return(bounds_ticks(dimension))
  n <- length(dimension$values)
  shown <- unique(round(seq(1, n, length.out = min(n, 8))))
  data.frame(at = (shown - 0.5) / n, label = vapply(dimension$values[shown], value_text, ""))
}

# The bounds themselves, and of the round values, powers of ten before others, those that leave room for the text.
bounds_ticks <- function(dimension) {
  ends <- c(dimension$low, dimension$high)
  round_ones <- if (dimension$log) {
    grDevices::axisTicks(log10(ends), log = TRUE, nint = 4)
  } else {
    pretty(ends, 4)
  }
  if (dimension$whole) round_ones <- unique(round(round_ones))
  place <- function(values) places_along(dimension, values)
  shown <- ends
  for (value in round_ones[order(abs(log10(round_ones)) %% 1 != 0)]) {
    if (isTRUE(min(abs(place(value) - place(shown))) > 0.19)) shown <- c(shown, value)
  }
  data.frame(at = place(shown), label = format_each_short(shown))
}

# ---- trial by trial -----------------------------------------------------------------------------------------------

scouting_progress <- function(x) {
  t <- scouting_points(x)
  limits <- measure_limits(t)
  t$shown <- pmin(t$mean, limits[2])
  whole <- t[t$whole, ][order(t$trial[t$whole]), ]
  lowest <- cummin(whole$mean)
  best <- data.frame(trial = c(whole$trial, max(t$trial)), measure = c(lowest, min(lowest)))
  filling <- sum(t$origin == "filling") + 1.5
  ggplot2::ggplot(t, ggplot2::aes(.data$trial, .data$shown)) +
    ggplot2::geom_vline(xintercept = filling, colour = hue("stone"), linetype = "22", linewidth = 0.5) +
    ggplot2::geom_step(data = best, ggplot2::aes(y = .data$measure), colour = hue("ochre"), linewidth = 0.9) +
    trial_points() +
    ggplot2::coord_cartesian(ylim = limits) +
    ggplot2::labs(
      title = scouting_title(x, "the best so far, trial by trial"),
      subtitle = "Right of the dashed line by what was learned; far worse trials stand at the upper edge", x = "trial",
      y = x$primary
    ) +
    figure_theme() + ggplot2::theme(legend.position = "bottom")
}

# ---- layers by units ----------------------------------------------------------------------------------------------

scouting_map <- function(x) {
  if (!all(c("layers", "units") %in% x$settings)) {
    fail(
      "A map needs a search over both `layers` and `units`.",
      "For example scout(b, layers = 1:3, units = bounds(4, 64))."
    )
  }
  cells <- map_cells(x$trials[x$trials$whole & !is.na(x$trials$units), ])
  dark <- cells$measure < mean(range(cells$measure))
  how <- "%s of trials evaluated in full, and how many there were; whatever their other settings"
  ggplot2::ggplot(cells, ggplot2::aes(.data$band, factor(.data$layers), fill = .data$measure)) +
    ggplot2::geom_tile(colour = figure_paper, linewidth = 1.5) +
    ggplot2::geom_tile(
      data = cells[cells$measure == min(cells$measure), ], colour = hue("ochre"), linewidth = 1.6
    ) +
    ggplot2::geom_text(
      ggplot2::aes(label = paste0(format_measure(.data$measure), "\n", .data$n)),
      colour = ifelse(dark, "white", hue("ink")), size = 3.8, lineheight = 0.95
    ) +
    ggplot2::scale_fill_gradient(low = hue("ink"), high = "#E3E9EE", name = x$primary) +
    ggplot2::scale_x_discrete(drop = FALSE) +
    ggplot2::labs(
      title = scouting_title(x, "the lowest measure by layers and units"), subtitle = sprintf(how, x$primary),
      x = "units of a layer", y = "layers"
    ) +
    figure_theme() + no_grid()
}

# The lowest measure, and the number of trials, by layers and bands of units.
map_cells <- function(t) {
  limits <- range(t$units)
  edges <- if (diff(limits) < 12) {
    seq(limits[1] - 0.5, limits[2] + 0.5)
  } else {
    exp(seq(log(limits[1]), log(limits[2] + 1), length.out = 9))
  }
  edges[1] <- limits[1]  # exp(log(3)) is a little more than 3
  band <- cut(t$units, edges, labels = FALSE, include.lowest = TRUE, right = FALSE)
  by <- list(layers = t$layers, band = band)
  cells <- stats::aggregate(list(measure = t$mean), by, min)
  cells$n <- stats::aggregate(list(n = t$mean), by, length)$n
  low <- ceiling(edges[-length(edges)] - 1e-6)
  high <- pmax(low, ceiling(edges[-1] - 1e-6) - 1)
  labels <- ifelse(low == high, low, paste0(low, "\u2013", high))
  cells$band <- factor(labels[cells$band], unique(labels))
  cells
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_scouting <- function(object, ...) plot_scouting(object, ...)

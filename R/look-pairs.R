# What plot_pairs() shows: values of numeric inputs against each other, with the class or the target's band.

# So many groups are told apart by colour; rarer ones are put together.
most_groups <- 12

# Bands of a number, or classes in their order.
pairs_groups <- function(y) {
  if (has_many_values(y)) return(band_of(y))
  label <- as_label(y)
  counts <- sort(table(label), decreasing = TRUE)
  kept <- names(counts)
  if (length(kept) > most_groups) kept <- kept[seq_len(most_groups - 1)]
  rest <- sprintf("(%d others)", length(counts) - length(kept))
  label[!is.na(label) & !label %in% kept] <- rest
  factor(label, c(natural_order(kept, y), if (length(counts) > length(kept)) rest))
}

# `columns` of the table, at most `most` rows. Rare classes keep their rows longer than common ones when rows are
# drawn, so that they can be seen; `seed` fixes the draw.
pairs_data <- function(data, target, columns, most = 2000, seed = 1) {
  y <- data[[target]]
  group <- pairs_groups(y)
  known <- which(!is.na(group))
  rows <- known
  if (length(known) > most) {
    turn <- shuffled(length(known), seed, "pairs")
    # the place of each row among those of its class, as a share of the class's size to the power of one half
    within <- stats::ave(seq_along(known)[turn], group[known][turn], FUN = seq_along)
    size <- as.numeric(table(group)[as.character(group[known][turn])])
    rows <- sort(known[turn][order(within / sqrt(size))[seq_len(most)]])
  }
  pairs <- expand.grid(row = columns, column = columns, stringsAsFactors = FALSE)
  do.call(rbind, lapply(seq_len(nrow(pairs)), function(i) {
    data.frame(
      row = factor(pairs$row[i], columns), column = factor(pairs$column[i], columns), group = group[rows],
      x = as.numeric(data[[pairs$column[i]]][rows]), y = as.numeric(data[[pairs$row[i]]][rows])
    )
  }))
}

# The numeric columns that go with the target most: by the share of their ranks' variance that lies between its groups.
pairs_columns <- function(data, target, most = 4) {
  kinds <- unlist(guess_kinds(data))
  numeric <- setdiff(names(kinds)[kinds %in% c("number", "count")], target)
  if (length(numeric) < 2) {
    fail(
      "Drawing pairs needs two columns of numbers beside the target.",
      "Name columns with `columns`, or look at the table with look()."
    )
  }
  y <- data[[target]]
  group <- if (has_many_values(y)) band_of(y) else as_label(y)
  between <- vapply(numeric, function(column) {
    known <- !is.na(group) & !is.na(data[[column]])
    r <- rank(data[[column]][known])
    stats::var(stats::ave(r, as.character(group[known]))) / stats::var(r)
  }, 0)
  utils::head(numeric[order(-between)], most)
}

# ---- drawn -----------------------------------------------------------------------------------------------------------

#' Draw inputs against each other
#'
#' Scatter plots of pairs of numeric columns, coloured by the target's class (or by thirds of a numeric target), with
#' each column's distribution by class on the diagonal. The classes' shares stand in the legend.
#'
#' @param data A data frame, or the path of a file that [brief()] can read.
#' @param target The column to predict.
#' @param columns Names of two to six columns of numbers; by default the four whose ranks differ most between the
#'   classes.
#' @param rows The most rows to draw. Of larger tables a fixed draw is shown in which rare classes are over-represented,
#'   so that they can be seen.
#' @return A ggplot.
#' @section Errors: Fewer than two columns of numbers beside the target; a column that is not there.
#' @examples
#' plot_pairs(kilns, target = "outcome", columns = c("moisture_pct", "ramp_c_h", "load_kg"))
#' @export
plot_pairs <- function(data, target, columns = NULL, rows = 2000) {
  need_ggplot()
  if (is.character(data)) data <- read_table(data)
  data <- as_table(data)
  check_is_column(data, target, "target")
  columns <- columns %||% pairs_columns(data, target)
  for (column in columns) check_is_column(data, column, "column of the figure")
  d <- pairs_data(data, target, columns, rows)
  shown <- nrow(d) / length(columns)^2
  d <- d[!is.na(d$x) & !is.na(d$y), ]
  groups <- levels(d$group)
  share <- as.numeric(table(pairs_groups(data[[target]]))[groups])
  labels <- sprintf("%s (%s)", groups, format_percent_short(share / sum(share)))
  # the commonest class lies below the others
  points <- d[d$row != d$column, ]
  points <- points[order(-share[as.integer(points$group)]), ]
  diagonal <- d[d$row == d$column, ]
  ggplot2::ggplot(points, ggplot2::aes(.data$x, .data$y, colour = .data$group)) +
    ggplot2::geom_point(size = 0.9, alpha = 0.6, stroke = 0) +
    ggplot2::geom_line(data = density_lines(diagonal), linewidth = 0.7) +
    numbers_across(n.breaks = 4) + numbers_up(n.breaks = 4) +
    ggplot2::facet_grid(
      row ~ column, scales = "free", switch = "both",
      labeller = function(labels) lapply(labels, function(x) vapply(x, function(one) {
        paste(strwrap(gsub("_", " ", one), 14), collapse = "\n")
      }, ""))
    ) +
    ggplot2::scale_colour_manual(values = group_colours(length(groups)), labels = labels, name = target) +
    ggplot2::guides(colour = ggplot2::guide_legend(override.aes = list(size = 3, alpha = 1))) +
    ggplot2::labs(
      title = sprintf("Pairs of inputs by %s", target),
      subtitle = pairs_subtitle(shown, nrow(data), nrow(data) > rows), x = NULL, y = NULL
    ) +
    figure_theme(11) +
    ggplot2::theme(
      strip.placement = "outside", panel.spacing = ggplot2::unit(11, "pt"),
      strip.text = ggplot2::element_text(colour = figure_text)
    )
}

pairs_subtitle <- function(shown, all, drawn) {
  what <- "%s of %s rows, rare classes more often than they occur."
  rows <- if (drawn) sprintf(what, format_count(shown), format_count(all)) else counted(shown, "row")
  paste0(rows, "\nDiagonal: each class's distribution, to a height of its own")
}

# Density of each class of each column, stretched to the height of the column's own axis.
density_lines <- function(diagonal) {
  parts <- split(diagonal, list(diagonal$row, diagonal$group), drop = TRUE)
  do.call(rbind, lapply(parts, function(d) {
    if (nrow(d) < 3) return(NULL)
    limits <- range(diagonal$x[diagonal$row == d$row[1]])
    f <- stats::density(d$x, from = limits[1], to = limits[2], n = 100)
    height <- limits[1] + 0.95 * diff(limits) * f$y / max(f$y)
    data.frame(row = d$row[1], column = d$column[1], group = d$group[1], x = f$x, y = height)
  }))
}

# Those of the curves, by the place of the class; shades between them for more.
group_colours <- function(n) {
  colours <- unname(figure_lines)
  if (n <= length(colours)) colours[seq_len(n)] else grDevices::colorRampPalette(colours)(n)
}

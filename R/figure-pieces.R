# Pieces that several figures share.

# What figures of appraisals are given.
check_appraisal_drawn <- function(x, figure) {
  need_ggplot()
  if (inherits(x, "hylomath_appraisal")) return()
  hint <- if (is_model(x)) sprintf("Evaluate the model first: %s(appraise(model)).", figure)
  if (inherits(x, "hylomath_folds")) hint <- sprintf("Draw the pooled appraisal: %s(folds$pooled).", figure)
  fail(sprintf("%s() draws an appraisal, not %s.", figure, describe_kind(x)), hint)
}

# One line a label, in the column `value`: `lines` names the columns of `d` that they are drawn of. Those that are not
# there, or not known, are left out.
in_long_form <- function(d, value, lines) {
  lines <- Filter(function(column) any(!is.na(d[[column]])), lines)
  each <- lapply(lines, function(column) {
    own <- d
    own[[value]] <- d[[column]]
    own
  })
  long <- do.call(rbind, each)
  long$label <- factor(rep(names(lines), each = nrow(d)), names(lines))
  long
}

# Lines by their labels over the band of one of them, `low` to `high`.
lines_over_band <- function(band) {
  list(
    ggplot2::geom_ribbon(
      data = band, ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = hue("ink"), alpha = 0.12
    ),
    ggplot2::geom_line(ggplot2::aes(colour = .data$label, linetype = .data$label), linewidth = 0.9),
    line_scales(), figure_theme(), legend_on_top(), wide_keys()
  )
}

# Refuses what a figure can't draw.
check_drawn <- function(x, class, figure, verb) {
  need_ggplot()
  if (!inherits(x, class)) fail(sprintf("%s() draws what %s returns.", figure, verb))
}

dashed_diagonal <- function() {
  ggplot2::geom_abline(slope = 1, intercept = 0, colour = hue("stone"), linetype = "dashed", linewidth = 0.4)
}

# From corner to corner, where axes don't begin at 0; dotted, since curves of classes can be dashed.
chance_line <- function() {
  ggplot2::annotate(
    "segment", x = 0, y = 0, xend = 1, yend = 1, colour = hue("stone"), linetype = "dotted", linewidth = 0.6
  )
}

zero_line <- function() {
  ggplot2::geom_hline(yintercept = 0, colour = hue("stone"), linetype = "dashed", linewidth = 0.4)
}

unit_square <- function() ggplot2::coord_fixed(xlim = c(0, 1), ylim = c(0, 1))

# Shades from light to dark.
shades <- function(...) ggplot2::scale_fill_gradient(low = figure_pale, high = hue("ink"), ...)

# Dark text on light cells, light text on dark ones; mapped to whether a cell is dark.
text_on_shades <- function() {
  ggplot2::scale_colour_manual(values = c(`FALSE` = figure_text, `TRUE` = "#FFFFFF"), guide = "none")
}

no_grid <- function() ggplot2::theme(panel.grid.major = ggplot2::element_blank())

no_grid_up <- function() ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())

# Curves of several things in one figure; `which` are the places of their looks.
line_scales <- function(which = seq_along(figure_lines)) {
  list(
    ggplot2::scale_colour_manual(values = unname(figure_lines)[which]),
    ggplot2::scale_linetype_manual(values = figure_dashes[which])
  )
}

# The looks of some of the classes: a class has the same one in every figure, as long as there are enough of them.
looks_of <- function(shown, classes) {
  places <- (match(shown, classes) - 1) %% length(figure_lines) + 1
  if (anyDuplicated(places)) seq_along(shown) else places
}

# What of a list is drawn and what is left out, for a subtitle; empty where all of it is.
drawn_of <- function(shown, all, what, which = "with most rows") {
  if (shown >= all) return("")
  sprintf("; the %d %s %s, of %d", shown, what, which, all)
}

wide_keys <- function() ggplot2::theme(legend.key.width = grid::unit(28, "pt"))

legend_on_top <- function() ggplot2::theme(legend.position = "top", legend.justification = "left")

legend_inside <- function(x, y) {
  ggplot2::theme(
    legend.position = c(x, y), legend.justification = c(round(x), round(y)),
    legend.background = ggplot2::element_rect(fill = figure_paper, colour = NA)
  ) + wide_keys()
}

check_lines <- function(n, advice) {
  if (n <= length(figure_lines)) return()
  fail(sprintf("A figure shows at most %d different curves, not %d.", length(figure_lines), n), advice)
}

# Bars of a value with its interval.
bars_with_intervals <- function() {
  list(
    ggplot2::geom_col(fill = hue("ink"), width = 0.66),
    ggplot2::geom_errorbarh(
      ggplot2::aes(xmin = .data$low, xmax = .data$high), colour = hue("ochre"), linewidth = 0.8, height = 0.25
    )
  )
}

# What a prediction is called.
prediction_word <- function(task) if (predicts_classes(task)) "probability" else "prediction"

evaluated_rows_text <- function(appraisal) counted(appraisal$n, paste(part_words(appraisal$rows), "row"))

measure_of <- function(appraisal, name) appraisal$measures[appraisal$measures$measure == name, ]

# ---- clouds of points ---------------------------------------------------------------------------------------------

most_points <- 5000

point_alpha <- function(n) min(1, max(0.08, 300 / n))

# Points, or cells for very many of them, which darken with the logarithm of their count, so that a few rows are seen
# beside very many.
cloud <- function(n, bins) {
  points <- if (n > most_points) {
    ggplot2::geom_bin2d(bins = bins, show.legend = FALSE)
  } else {
    ggplot2::geom_point(colour = hue("ink"), alpha = point_alpha(n), size = 1.8, stroke = 0)
  }
  list(points, ggplot2::scale_fill_gradient(low = "#D5DCE6", high = hue("ink"), trans = "log10"))
}

# Of more rows than are drawn as points the outermost two thousandths along each column are left out, and said to be:
# they would press the others into a corner.
without_outermost <- function(d, n, columns) {
  if (n <= most_points) return(list(rows = d))
  inside <- Reduce(`&`, lapply(columns, function(column) {
    ends <- stats::quantile(d[[column]], c(0.001, 0.999), names = FALSE, na.rm = TRUE)
    is.na(d[[column]]) | (d[[column]] >= ends[1] & d[[column]] <= ends[2])
  }))
  said <- if (!all(inside)) sprintf("\nthe outermost %s are left out", counted(sum(!inside), "row"))
  list(rows = d[inside, , drop = FALSE], said = said)
}

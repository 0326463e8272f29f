#' Draw the errors of a regression or of counts
#'
#' `plot_errors()`: a histogram of the errors (answer less observed), or the errors against what was predicted or any column, with
#' their median and the band that holds nine of ten along it. Errors that grow, bend or drift along an axis tell what the network
#' has missed.
#'
#' @param appraisal An appraisal of numbers.
#' @param against `NULL` for a histogram, `predicted`, or a column of `data`, bare or as text.
#' @param data The table that the appraised rows come from; rows are found by id, or by place.
#' @return A ggplot; with several targets a panel each. More than 5,000 points are counted in cells.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> train(progress = "none")
#' plot_errors(appraise(model))
#' plot_errors(appraise(model), predicted)
#' plot_errors(appraise(model), fare, data = crossings)
#' @export
plot_errors <- function(appraisal, against = NULL, data = NULL) {
  need_ggplot()
  pairs <- number_pairs(appraisal)
  against <- errors_axis(rlang::enquo(against), appraisal, data)
  d <- do.call(rbind, lapply(pairs, function(pair) {
    data.frame(target = pair$target, error = pair$answer - pair$observed, at = if (identical(against$name, "predicted")) pair$answer else against$values %||% NA, weight = appraisal$weight)
  }))
  d$target <- factor(d$target, appraisal$target)
  figure <- if (is.null(against)) errors_histogram(d, appraisal) else if (is.numeric(d$at) || is_moment(d$at)) errors_cloud(d, appraisal, against$name) else errors_by_level(d, appraisal, against$name)
  if (length(pairs) > 1) figure + ggplot2::facet_wrap(~target, scales = "free") else figure
}

# The values of the horizontal axis: list(name, values); `predicted` has its values from the appraisal.
errors_axis <- function(quosure, appraisal, data) {
  if (rlang::quo_is_null(quosure)) return(NULL)
  expression <- rlang::quo_get_expr(quosure)
  if (rlang::is_symbol(expression, "predicted") || identical(expression, "predicted")) return(list(name = "predicted"))
  column <- chosen_column(quosure, data, "against")
  data <- as_table(data)
  list(name = column, values = data[[column]][appraised_places(appraisal, data)])
}

errors_title <- function(appraisal, what) sprintf("%s: %s", enumerate(appraisal$target), what)

errors_histogram <- function(d, appraisal) {
  bias <- appraisal$measures[appraisal$measures$measure == "mean bias", ]
  median <- appraisal$measures[appraisal$measures$measure == "median absolute error", ]
  spread <- without_outermost(d, appraisal$n, "error")
  ggplot2::ggplot(spread$rows, ggplot2::aes(.data$error, weight = .data$weight)) +
    ggplot2::geom_histogram(bins = if (appraisal$n < 200) 20 else 50, fill = figure_colours[["ink"]], colour = figure_paper, linewidth = 0.2) +
    ggplot2::geom_vline(xintercept = 0, colour = figure_colours[["ochre"]], linewidth = 0.8) +
    ggplot2::labs(
      title = errors_title(appraisal, "how far off the answers are"),
      subtitle = sprintf(
        "%s; half of them are off by less than %s, the mean bias is %s%s", judged_rows_text(appraisal), enumerate(format_measure(median$value)), enumerate(format_signed(bias$value)),
        spread$said %||% ""
      ),
      x = "answer less observed", y = "rows"
    ) +
    figure_theme()
}

errors_cloud <- function(d, appraisal, name) {
  trimmed <- without_outermost(d, appraisal$n, c("error", if (is.numeric(d$at)) "at"))
  d <- trimmed$rows
  bands <- do.call(rbind, lapply(split(d, d$target), function(own) error_quantiles(own)))
  points <- if (nrow(d) > most_points) ggplot2::geom_bin2d(bins = 90, show.legend = FALSE) else ggplot2::geom_point(colour = figure_colours[["ink"]], alpha = point_alpha(nrow(d)), size = 1.8, stroke = 0)
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$error)) +
    points + cell_colours() +
    ggplot2::geom_hline(yintercept = 0, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4) +
    (if (!is.null(bands)) error_band(bands)) +
    ggplot2::labs(title = errors_title(appraisal, sprintf("errors along %s", if (name == "predicted") "the answers" else name)), subtitle = paste0(judged_rows_text(appraisal), if (!is.null(bands)) "; the median, and the band that holds nine of ten", trimmed$said), x = name, y = "answer less observed") +
    figure_theme()
}

error_band <- function(bands) {
  line <- function(y, width, dash) ggplot2::geom_line(data = bands, ggplot2::aes(.data$at, .data[[y]]), colour = figure_colours[["ochre"]], linewidth = width, linetype = dash)
  list(line("middle", 1, "solid"), line("low", 0.6, "22"), line("high", 0.6, "22"))
}

# Of more rows than are drawn as points the outermost two thousandths along each column are left out, and said to be: they would
# press the others into a corner.
without_outermost <- function(d, n, columns) {
  if (n <= most_points) return(list(rows = d))
  inside <- Reduce(`&`, lapply(columns, function(column) {
    ends <- stats::quantile(d[[column]], c(0.001, 0.999), names = FALSE, na.rm = TRUE)
    is.na(d[[column]]) | (d[[column]] >= ends[1] & d[[column]] <= ends[2])
  }))
  list(rows = d[inside, , drop = FALSE], said = if (!all(inside)) sprintf("\nthe outermost %s are left out", counted(sum(!inside), "row")))
}

most_points <- 5000

point_alpha <- function(n) min(1, max(0.08, 300 / n))

# Cells darken with the logarithm of their count, so that a few rows are seen beside very many.
cell_colours <- function() ggplot2::scale_fill_gradient(low = "#D5DCE6", high = figure_colours[["ink"]], trans = "log10")

# Along equal counts of rows: as many steps as leave thirty rows to each, at most twenty; NULL where these are fewer than two.
error_quantiles <- function(d) {
  at <- as.numeric(d$at)
  known <- !is.na(at)
  steps <- min(20, sum(known) %/% 30)
  if (steps < 2) return(NULL)
  band <- pmin(ceiling(rank(at[known], ties.method = "average") / sum(known) * steps), steps)
  own <- lapply(sort(unique(band)), function(k) which(known)[band == k])
  share <- function(p) vapply(own, function(rows) stats::quantile(d$error[rows], p, names = FALSE), 0)
  middle <- vapply(own, function(rows) mean(at[rows]), 0)
  if (is_moment(d$at)) middle <- structure(middle, class = class(d$at), tzone = attr(d$at, "tzone"))
  data.frame(target = d$target[1], at = middle, middle = share(0.5), low = share(0.05), high = share(0.95))
}

errors_by_level <- function(d, appraisal, name) {
  d$at <- subgroups(d$at, name)
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$error)) +
    ggplot2::geom_hline(yintercept = 0, colour = figure_colours[["stone"]], linetype = "dashed", linewidth = 0.4) +
    ggplot2::geom_boxplot(colour = figure_colours[["ink"]], fill = "#EEF2F6", outlier.alpha = point_alpha(nrow(d)), outlier.size = 1.2, width = 0.6) +
    ggplot2::labs(title = errors_title(appraisal, sprintf("errors by %s", name)), subtitle = sprintf("%s; boxes hold the middle half", judged_rows_text(appraisal)), x = name, y = "answer less observed") +
    figure_theme()
}

#' Draw the errors of a regression or of counts
#'
#' `plot_errors()`: a histogram of the errors (prediction less observed), or the errors against what was predicted or
#' any column, with their median and the band that holds nine of ten along it. Errors that grow, bend or drift along an
#' axis show what the network has missed.
#'
#' @param appraisal An appraisal of numbers.
#' @param against `NULL` for a histogram, `predicted`, or a column of `data`, bare or as text.
#' @param data The table that the appraised rows come from; rows are found by id, or by place.
#' @return A ggplot; with several targets a panel each. More than 5,000 points are counted in cells.
#' @section Errors: An appraisal of classes.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> quick() |> train(progress = "none")
#' plot_errors(appraise(model))
#' plot_errors(appraise(model), against = predicted)
#' plot_errors(appraise(model), crossings, against = fare)
#' @export
plot_errors <- function(appraisal, data = NULL, against = NULL) {
  check_appraisal_drawn(appraisal, "plot_errors")
  pairs <- number_pairs(appraisal)
  axis <- errors_axis(rlang::enquo(against), appraisal, data)
  d <- do.call(rbind, lapply(pairs, function(pair) {
    at <- if (identical(axis$name, "predicted")) pair$prediction else axis$values %||% NA
    data.frame(target = pair$target, error = pair$prediction - pair$observed, at = at, weight = appraisal$weight)
  }))
  d$target <- factor(d$target, appraisal$target)
  figure <- if (is.null(axis)) {
    errors_histogram(d, appraisal)
  } else if (is.numeric(d$at) || is_moment(d$at)) {
    errors_cloud(d, appraisal, axis$name)
  } else {
    errors_by_level(d, appraisal, axis$name)
  }
  if (length(pairs) > 1) figure + ggplot2::facet_wrap(~target, scales = "free") else figure
}

# The values of the horizontal axis: list(name, values); `predicted` has its values from the appraisal.
errors_axis <- function(quosure, appraisal, data) {
  if (rlang::quo_is_null(quosure)) return(NULL)
  expression <- rlang::quo_get_expr(quosure)
  if (rlang::is_symbol(expression, "predicted") || identical(expression, "predicted")) {
    return(list(name = "predicted"))
  }
  column <- chosen_column(quosure, data, "against")
  data <- as_table(data)
  list(name = column, values = data[[column]][appraised_places(appraisal, data)])
}

errors_title <- function(appraisal, what) sprintf("%s: %s", enumerate(appraisal$target), what)

errors_histogram <- function(d, appraisal) {
  bias <- format_signed(measure_of(appraisal, "mean bias")$value)
  median <- format_measure(measure_of(appraisal, "median absolute error")$value)
  trimmed <- without_outermost(d, appraisal$n, "error")
  bins <- if (appraisal$n < 200) 20 else 50
  ggplot2::ggplot(trimmed$rows, ggplot2::aes(.data$error, weight = .data$weight)) +
    ggplot2::geom_histogram(bins = bins, fill = hue("ink"), colour = figure_paper, linewidth = 0.2) +
    ggplot2::geom_vline(xintercept = 0, colour = hue("ochre"), linewidth = 0.8) +
    ggplot2::labs(
      title = errors_title(appraisal, "how far off the predictions are"),
      subtitle = sprintf(
        "%s; half of them are off by less than %s, the mean bias is %s%s", evaluated_rows_text(appraisal),
        enumerate(median), enumerate(bias), trimmed$said %||% ""
      ),
      x = "prediction less observed", y = "rows"
    ) +
    figure_theme()
}

errors_cloud <- function(d, appraisal, name) {
  trimmed <- without_outermost(d, appraisal$n, c("error", if (is.numeric(d$at)) "at"))
  d <- trimmed$rows
  bands <- do.call(rbind, lapply(split(d, d$target), error_quantiles))
  along <- if (name == "predicted") "the predictions" else name
  banded <- if (!is.null(bands)) "; the median, and the band that holds nine of ten"
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$error)) +
    cloud(nrow(d), bins = 90) +
    numbers_up() +
    (if (!is_moment(d$at)) numbers_across()) +
    zero_line() +
    (if (!is.null(bands)) error_band(bands)) +
    ggplot2::labs(
      title = errors_title(appraisal, sprintf("errors along %s", along)),
      subtitle = paste0(evaluated_rows_text(appraisal), banded, trimmed$said), x = name, y = "prediction less observed"
    ) +
    figure_theme()
}

error_band <- function(bands) {
  line <- function(y, width, dash) {
    place <- ggplot2::aes(.data$at, .data[[y]])
    ggplot2::geom_line(data = bands, place, colour = hue("ochre"), linewidth = width, linetype = dash)
  }
  list(line("middle", 1, "solid"), line("low", 0.6, "22"), line("high", 0.6, "22"))
}

# Along equal counts of rows: as many steps as leave thirty rows to each, at most twenty; NULL where these are fewer
# than two.
error_quantiles <- function(d) {
  at <- as.numeric(d$at)
  known <- !is.na(at)
  steps <- min(20, sum(known) %/% 30)
  if (steps < 2) return(NULL)
  band <- pmin(ceiling(rank(at[known], ties.method = "average") / sum(known) * steps), steps)
  own <- lapply(sort(unique(band)), function(k) which(known)[band == k])
  share <- function(p) vapply(own, function(rows) stats::quantile(d$error[rows], p, names = FALSE), 0)
  middle <- vapply(own, function(rows) mean(at[rows]), 0)
  if (is_moment(d$at)) middle <- as_moment_like(middle, d$at)
  data.frame(target = d$target[1], at = middle, middle = share(0.5), low = share(0.05), high = share(0.95))
}

errors_by_level <- function(d, appraisal, name) {
  d$at <- subgroups(d$at, name)
  # names beside the boxes have room for any number of letters
  sideways <- sum(nchar(levels(d$at))) > 70
  if (sideways) d$at <- factor(d$at, rev(levels(d$at)))
  figure <- ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$error)) +
    zero_line() +
    ggplot2::geom_boxplot(
      colour = hue("ink"), fill = figure_pale, outlier.alpha = point_alpha(nrow(d)), outlier.size = 1.2, width = 0.6
    ) +
    ggplot2::labs(
      title = errors_title(appraisal, sprintf("errors by %s", name)),
      subtitle = sprintf("%s; boxes hold the middle half", evaluated_rows_text(appraisal)), x = name,
      y = "prediction less observed"
    ) +
    numbers_up() +
    figure_theme()
  if (sideways) figure + ggplot2::coord_flip() else figure
}

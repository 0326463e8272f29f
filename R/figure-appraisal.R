#' Draw a confusion matrix
#'
#' Observed classes in rows, answers in columns. A tile's depth is its share of the row, so that rare classes are seen
#' as well as common ones; the diagonal is outlined.
#'
#' @param appraisal An appraisal of a classification.
#' @param shares Of what the shares are: `"observed"` (the rows of a class: the diagonal is recall), `"answered"` (the rows with an
#'   answer: the diagonal is precision) or `"all"`.
#' @return A ggplot.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' plot_confusion(appraise(model))
#' @export
plot_confusion <- function(appraisal, shares = "observed") {
  need_ggplot()
  type_choice(c("observed", "answered", "all"))(shares, "shares")
  if (appraisal$task != "classification") fail("Only a classification has a confusion matrix.", "See plot_fit().")
  classes <- rownames(appraisal$confusion)
  d <- confusion_table(appraisal)
  d$share <- d[[paste0("of_", shares)]]
  d$share[is.na(d$share)] <- 0
  many <- length(classes) > 12
  d$label <- if (many) ifelse(d$weight > 0, format_weighted_count(d$weight), "") else sprintf("%s\n%s", format_weighted_count(d$weight), format_percent_short(d$share))
  d$observed <- factor(d$observed, rev(classes))
  d$answer <- factor(d$answer, classes)
  size <- if (length(classes) <= 6) 4.6 else if (length(classes) <= 12) 3.2 else if (length(classes) <= 25) 2.6 else 1.6
  accuracy <- appraisal$measures[appraisal$measures$measure == "accuracy", ]
  balanced <- appraisal$measures[appraisal$measures$measure == "balanced accuracy", ]
  ggplot2::ggplot(d, ggplot2::aes(.data$answer, .data$observed)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$share), colour = figure_paper, linewidth = 1.2) +
    ggplot2::geom_tile(data = d[as.character(d$observed) == as.character(d$answer), ], fill = NA, colour = figure_colours[["ochre"]], linewidth = 1) +
    ggplot2::geom_text(ggplot2::aes(label = .data$label, colour = .data$share > 0.45), size = size, lineheight = 0.95) +
    ggplot2::scale_fill_gradient(low = "#EEF2F6", high = figure_colours[["ink"]], limits = c(0, 1), guide = "none") +
    ggplot2::scale_colour_manual(values = c(`FALSE` = "#22303F", `TRUE` = "#FFFFFF"), guide = "none") +
    ggplot2::scale_x_discrete(position = "top") +
    ggplot2::labs(
      title = sprintf("%s: what was answered for each observed class", enumerate(appraisal$target)),
      subtitle = sprintf(
        "%s; %s\nAccuracy %s (always %s: %s), balanced accuracy %s (%s)", judged_rows_text(appraisal), c(observed = "shares are of the row", answered = "shares are of the column", all = "shares are of all rows")[[shares]],
        format_share(accuracy$value), appraisal$baseline_answer, format_share(accuracy$baseline), format_share(balanced$value), format_share(balanced$baseline)
      ),
      x = "answered", y = "observed"
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text = ggplot2::element_text(size = if (many) 9 else 12, colour = "#22303F"), axis.text.x.top = if (many) ggplot2::element_text(angle = 60, hjust = 0))
}

#' Draw observed against predicted values
#'
#' @param appraisal An appraisal of a regression or of counts.
#' @return A ggplot. Points on the line are right; both axes have the same scale.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> train(progress = "none")
#' plot_fit(appraise(model))
#' @export
plot_fit <- function(appraisal) {
  need_ggplot()
  if (appraisal$task == "classification") fail("Observed against predicted is for numbers.", "See plot_confusion().")
  if (length(appraisal$target) > 1) return(plot_fits(appraisal))
  trimmed <- without_outermost(appraisal$judged, appraisal$n, c("observed", "answer"))
  judged <- trimmed$rows
  limits <- range(judged$observed, judged$answer)
  measure <- function(name, column = "value") appraisal$measures[appraisal$measures$measure == name, column]
  ggplot2::ggplot(judged, ggplot2::aes(.data$answer, .data$observed)) +
    fit_points(nrow(judged)) + cell_colours() +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = figure_colours[["ochre"]], linewidth = 0.8) +
    ggplot2::coord_fixed(xlim = limits, ylim = limits) +
    ggplot2::labs(
      title = sprintf("%s: observed against predicted", appraisal$target),
      subtitle = sprintf(
        "%s. MAE %s (always %s: %s)\nR\u00b2 %s%s", counted(appraisal$n, paste(appraisal$rows, "row")), format_measure(measure("MAE")),
        signif(appraisal$baseline_answer, 4), format_measure(measure("MAE", "baseline")), format_share(measure("R\u00b2")), sub("\n", "; ", trimmed$said %||% "")
      ),
      x = "predicted", y = "observed"
    ) +
    figure_theme()
}

# Points, or cells for very many of them.
fit_points <- function(n) {
  if (n > most_points) return(ggplot2::geom_bin2d(bins = 100, show.legend = FALSE))
  ggplot2::geom_point(colour = figure_colours[["ink"]], alpha = point_alpha(n), size = 1.8, stroke = 0)
}

# One panel a target.
plot_fits <- function(appraisal) {
  of <- function(what, target) appraisal$judged[[paste0(what, "_", target)]]
  r2 <- appraisal$measures[appraisal$measures$measure == "R\u00b2", ]
  long <- do.call(rbind, lapply(appraisal$target, function(target) {
    data.frame(panel = sprintf("%s, R\u00b2 %s", target, format_share(r2$value[r2$target == target])), answer = of("answer", target), observed = of("observed", target))
  }))
  long$panel <- factor(long$panel, unique(long$panel))
  ggplot2::ggplot(long, ggplot2::aes(.data$answer, .data$observed)) +
    fit_points(nrow(long)) + cell_colours() +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = figure_colours[["ochre"]], linewidth = 0.8) +
    ggplot2::facet_wrap(~panel, scales = "free") +
    ggplot2::labs(title = sprintf("%s: observed against predicted", enumerate(appraisal$target)), subtitle = counted(appraisal$n, paste(appraisal$rows, "row")), x = "predicted", y = "observed") +
    figure_theme()
}

plot_appraisal <- function(appraisal) if (appraisal$task == "classification") plot_confusion(appraisal) else plot_fit(appraisal)

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_appraisal <- function(object, ...) plot_appraisal(object)

#' @export
plot.hylomath_appraisal <- function(x, ...) print(plot_appraisal(x))

#' Draw how a network's rows have moved
#'
#' @param watch What [watch_model()] returns.
#' @param most How many columns to show, those that have moved most.
#' @return A ggplot. For one period a line a column, from the movement that is least like chance: how far, with its
#'   interval; within the pale band it is too small to matter. For several periods a tile a column and period.
#' @section Errors: An object that [watch_model()] did not return.
#' @examples
#' set.seed(1)
#' model <- brief(kilns[1:2000, ], target = "outcome") |> quick() |> regimen(epochs = 20) |> train(progress = "none")
#' plot_watch(watch_model(model, kilns[2001:4000, ]))
#' @export
plot_watch <- function(watch, most = 20) {
  check_drawn(watch, "hylomath_watch", "plot_watch", "watch_model()")
  d <- watch_shown(watch, most)
  figure <- if (length(unique(d$period)) == 1) watch_lines(d) else watch_tiles(d)
  figure + ggplot2::labs(
    title = sprintf("%s: %s newer rows", capitalised(watch$verdict), format_count(watch$rows)),
    subtitle = watch$sentence
  )
}

# Of each column and period the movement that is least like chance; its size as a multiple of what matters.
watch_shown <- function(watch, most) {
  m <- watch$movements
  least_of <- c(deviations = least_shift, share = least_share, "of the measure" = least_loss)
  m$size <- m$moved / least_of[m$unit]
  m$from <- m$low / least_of[m$unit]
  m$to <- m$high / least_of[m$unit]
  m$about <- ifelse(m$what == "measure", paste("loss of", m$column), m$column)
  m <- m[order(!m$called, m$p), ]
  m <- m[!duplicated(m[c("about", "period")]), ]
  strongest <- unique(m$about)
  left_out <- setdiff(strongest, utils::head(strongest, most))
  m <- m[!m$about %in% left_out, ]
  m$about <- factor(m$about, rev(utils::head(strongest, most)))
  m$label <- paste0(movement_words[m$what], ifelse(m$level == "", "", paste0(" of \"", m$level, "\"")))
  m
}

watch_lines <- function(d) {
  d$state <- ifelse(d$called, "moved", "no more than chance, or too small to matter")
  ggplot2::ggplot(d, ggplot2::aes(.data$size, .data$about, colour = .data$state)) +
    ggplot2::annotate("rect", xmin = -1, xmax = 1, ymin = -Inf, ymax = Inf, fill = figure_pale) +
    ggplot2::geom_vline(xintercept = 0, colour = hue("stone"), linewidth = 0.4) +
    ggplot2::geom_errorbarh(ggplot2::aes(xmin = .data$from, xmax = .data$to), height = 0, linewidth = 0.9) +
    ggplot2::geom_point(size = 2.6) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$label), colour = figure_faint, size = 3, vjust = -0.9, hjust = 0.5
    ) +
    ggplot2::scale_colour_manual(
      values = c(moved = hue("ochre"), "no more than chance, or too small to matter" = hue("ink")), name = NULL
    ) +
    ggplot2::labs(x = "how far, as a multiple of what matters (pale: less than that)", y = NULL) +
    figure_theme() + no_grid_up() + ggplot2::theme(legend.position = "bottom")
}

watch_tiles <- function(d) {
  d$period <- factor(d$period, unique(c(sort_periods(setdiff(d$period, "all")), "all")))
  most <- max(3, min(10, max(abs(d$size))))
  d$shown <- pmin(pmax(d$size, -most), most)
  ggplot2::ggplot(d, ggplot2::aes(.data$period, .data$about, fill = .data$shown)) +
    ggplot2::geom_tile(colour = figure_paper, linewidth = 1) +
    ggplot2::geom_point(
      data = d[d$called, ], shape = 21, fill = figure_paper, colour = figure_text, size = 2.4, show.legend = FALSE
    ) +
    ggplot2::scale_fill_gradient2(
      low = hue("sea"), mid = figure_pale, high = hue("ochre"), limits = c(-most, most),
      name = "multiple of\nwhat matters"
    ) +
    ggplot2::labs(x = "period (a dot: more than chance, and it matters)", y = NULL) +
    figure_theme() + ggplot2::theme(panel.grid = ggplot2::element_blank())
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_watch <- function(object, ...) plot_watch(object)

#' @export
print.hylomath_watch <- function(x, ...) print_lines(x)

#' @export
format.hylomath_watch <- function(x, ...) {
  title <- sprintf(
    "%s newer rows against the %s of its training", format_count(x$rows), format_count(x$rows_then)
  )
  c(
    cli::style_bold(title), "", paragraphs(x$sentence), "", periods_text(x), moved_text(x), format_notes(x$notes)
  )
}

periods_text <- function(x) {
  if (nrow(x$periods) == 1 && !x$known) return(NULL)
  cells <- periods_cells(x)
  c(text_table(cells, right = seq_along(cells)[-1]), "")
}

periods_cells <- function(x) {
  d <- x$periods
  calls <- vapply(d$period, function(p) sum(x$movements$called[x$movements$period == p]), 0)
  cells <- list(period = d$period, rows = format_each_count(d$rows), moved = format_each_count(calls))
  if (x$known) {
    cells[[x$loss]] <- ifelse(is.na(d$loss), "-", format_measure(d$loss))
    cells[["at training"]] <- ifelse(is.na(d$then), "-", format_measure(d$then))
  }
  cells
}

most_movements_shown <- 12

# What was called, or else what has moved most.
moved_text <- function(x) {
  shown <- moved_shown(x)
  if (nrow(shown) == 0) return(NULL)
  any <- any(shown$called)
  head <- if (any) "What has moved, and matters" else "What has moved most, none of it more than chance"
  left <- if (any) sum(x$movements$called) - nrow(shown) else 0
  c(head, text_table(moved_cells(shown)), if (left > 0) sprintf("  and %s more", format_count(left)))
}

moved_shown <- function(x) {
  m <- x$movements[x$movements$period == "all" | x$movements$called, ]
  m <- m[order(!m$called, m$p), ]
  if (any(m$called)) utils::head(m[m$called, ], most_movements_shown) else utils::head(m, 5)
}

moved_cells <- function(shown) {
  share <- shown$unit == "share"
  number <- function(value) ifelse(share, format_percent_short(value), format_each(signif(value, 4)))
  moved <- ifelse(share, paste(format_each(signif(100 * shown$moved, 2)), "points"), paste(
    format_each(signif(shown$moved, 2)), ifelse(shown$unit == "deviations", "deviations", "of the measure")
  ))
  cells <- list(
    "what" = paste0(shown$column, ifelse(shown$level == "", "", paste0(" = ", shown$level))),
    "measured" = movement_words[shown$what], period = shown$period, then = number(shown$before),
    now = number(shown$now), moved = moved
  )
  if (all(shown$period == "all")) cells$period <- NULL
  cells
}

movement_words <- c(
  place = "mean", spread = "deviation", missing = "missing", level = "share", new = "new levels",
  outside = "out of range",
  prediction = "mean prediction", measure = "loss"
)

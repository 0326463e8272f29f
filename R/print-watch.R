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
  d <- x$periods
  calls <- vapply(d$period, function(p) sum(x$movements$called[x$movements$period == p]), 0)
  cells <- list(period = d$period, rows = format_each_count(d$rows), moved = format_each_count(calls))
  if (x$known) {
    cells[[x$loss]] <- ifelse(is.na(d$loss), "-", format_measure(d$loss))
    cells[["at training"]] <- ifelse(is.na(d$then), "-", format_measure(d$then))
  }
  c(text_table(cells, right = seq_along(cells)[-1]), "")
}

most_movements_shown <- 12

# What was called, or else what has moved most.
moved_text <- function(x) {
  m <- x$movements[x$movements$period == "all" | x$movements$called, ]
  m <- m[order(!m$called, m$p), ]
  shown <- utils::head(if (any(m$called)) m[m$called, ] else m, if (any(m$called)) most_movements_shown else 5)
  if (nrow(shown) == 0) return(NULL)
  share <- shown$unit == "share"
  number <- function(value) ifelse(share, format_percent_short(value), format_each(signif(value, 4)))
  moved <- ifelse(share, paste(format_each(signif(100 * shown$moved, 2)), "points"), paste(
    format_each(signif(shown$moved, 2)), ifelse(shown$unit == "deviations", "deviations", "of the loss")
  ))
  cells <- list(
    "what" = paste0(shown$column, ifelse(shown$level == "", "", paste0(" = ", shown$level))),
    " " = movement_words[shown$what], period = shown$period, then = number(shown$before), now = number(shown$now),
    moved = moved
  )
  if (all(shown$period == "all")) cells$period <- NULL
  head <- if (any(m$called)) "What has moved, and matters" else "What has moved most, none of it more than chance"
  left <- sum(m$called) - nrow(shown)
  c(head, text_table(cells), if (left > 0) sprintf("  and %s more", format_count(left)))
}

movement_words <- c(
  place = "mean", spread = "deviation", gaps = "missing", level = "share", new = "new levels", outside = "out of range",
  answer = "mean answer", measure = "loss"
)

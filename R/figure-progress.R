# What `progress = "curves"` draws while a network trains.

# The losses by epoch in the session's graphics device, twice a second at most: of one network its two curves, of many
# the median of those that are at work, within the span of all.
progress_curves <- function(event) {
  if (event$event %in% c("start", "begin")) {
    the_curves$fits <- list()
    the_curves$last <- -Inf
  }
  if (event$event %in% c("epoch", "step")) {
    fit <- paste(event$fit, event$start)
    the_curves$fits[[fit]] <- rbind(the_curves$fits[[fit]], c(event$epoch, event$training, event$validation))
    the_curves$best <- event$best
  }
  now <- proc.time()[["elapsed"]]
  ends <- event$event %in% c("end", "finish")
  if (length(the_curves$fits) && (ends || now - the_curves$last >= 0.5)) {
    the_curves$last <- now
    draw_curves(the_curves$fits, the_curves$best)
  }
  if (!event$event %in% c("epoch", "step")) progress_lines(event)
}

the_curves <- new.env()

draw_curves <- function(fits, best) {
  rows <- do.call(rbind, fits)
  at <- unique(round(seq(1, max(2, rows[, 1]), length.out = 100)))
  values <- lapply(2:3, function(column) {
    vapply(fits, function(fit) {
      place <- findInterval(at, fit[, 1])
      ifelse(place == 0 | at > max(fit[, 1]), NA, fit[pmax(place, 1), column])
    }, numeric(length(at)))
  })
  shown <- unlist(values)
  shown <- shown[is.finite(shown)]
  if (length(shown) == 0) return(invisible())
  looks <- figure_lines[1:2]
  graphics::plot(
    range(at), range(shown), type = "n", log = if (all(shown > 0)) "y" else "", xlab = "epoch", ylab = "loss",
    bty = "n", las = 1, col.axis = figure_faint, col.lab = figure_faint
  )
  for (i in 1:2) {
    across <- apply(matrix(values[[i]], length(at)), 1, stats::quantile, c(0, 0.5, 1), na.rm = TRUE, names = FALSE)
    # where some of them have ended, a few that go on would be no picture of all
    known <- rowSums(!is.na(matrix(values[[i]], length(at)))) >= length(fits) / 3
    if (!any(known)) next
    if (length(fits) > 1) {
      graphics::polygon(
        c(at[known], rev(at[known])), c(across[1, known], rev(across[3, known])), border = NA,
        col = grDevices::adjustcolor(looks[i], 0.15)
      )
    }
    graphics::lines(at[known], across[2, known], col = looks[i], lwd = 2, lty = i)
  }
  if (length(fits) == 1 && best > 0) graphics::abline(v = best, col = hue("stone"), lty = 3)
  graphics::legend("topright", c("training", "validation"), col = looks, lty = 1:2, lwd = 2, bty = "n")
  grDevices::dev.flush()
}

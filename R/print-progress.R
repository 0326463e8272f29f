# What is seen while a network trains. train() knows nothing of this: it calls whatever function the option
# `hylomath.progress` holds, see .onLoad.

progress_auto <- function(event) {
  if (cli::is_dynamic_tty(stderr())) progress_line(event) else progress_lines(event)
}

# One line that is updated ten times a second at most.
progress_line <- function(event) {
  if (event$event == "start") {
    the_line$shown <- 0
    return(message(start_text(event)))
  }
  now <- proc.time()[["elapsed"]]
  if (event$event == "epoch") {
    if (now - the_line$shown < 0.1) return()
    the_line$shown <- now
    return(cat("\r", cli::ansi_strtrim(epoch_text(event), cli::console_width() - 1), "\033[K", sep = "", file = stderr()))
  }
  cat("\r\033[K", file = stderr())
  message(end_text(event))
}
the_line <- new.env()
the_line$shown <- 0

# A line for the first epoch, then for round numbers: some ten for the whole run, whatever its length.
progress_lines <- function(event) {
  if (event$event == "start") return(message(start_text(event)))
  if (event$event == "end") return(message(end_text(event)))
  every <- 10^max(0, floor(log10(event$epochs / 5)))
  if (event$epoch == 1 || event$epoch %% every == 0) message(epoch_text(event))
}

start_text <- function(event) {
  sprintf(
    "Training on %s, validation on %s; %s, %s after preparation.", counted(event$rows[["training"]], "row"),
    format_count(event$rows[["validation"]]), counted(event$inputs, "input column"), format_count(event$features)
  )
}

epoch_text <- function(event) {
  validation <- if (is.na(event$validation)) "" else
    sprintf("  validation %s  best %s (epoch %d)", format_loss(event$validation), format_loss(event$best_loss), as.integer(event$best))
  rate <- event$rows * event$epoch / max(event$seconds, 1e-9)
  left <- (event$epochs - event$epoch) * event$seconds / event$epoch
  sprintf(
    "epoch %*d of %d  training %s%s  %s rows/s  at most %s left", nchar(event$epochs), as.integer(event$epoch),
    as.integer(event$epochs), format_loss(event$training), validation, format_short(rate), format_seconds(left)
  )
}

format_loss <- function(x) formatC(x, digits = 4, format = if (abs(x) < 1e-3 || abs(x) >= 1e4) "e" else "f")

end_text <- function(event) {
  why <- switch(event$stopped,
    epochs = sprintf("Done: all %d epochs.", event$epochs),
    patience = sprintf("Stopped after epoch %d: no lower validation loss for %d epochs.", event$epochs, as.integer(event$patience)),
    interrupted = sprintf("Interrupted after %s.", counted(event$epochs, "epoch")),
    diverged = sprintf("Stopped in epoch %d: the loss became infinite.", event$epochs + 1L)
  )
  if (event$best == 0) return(why)
  kept <- event$curves[event$best, ]
  loss <- if (is.na(kept$validation)) sprintf("training %s", format_loss(kept$training)) else
    sprintf("training %s, validation %s", format_loss(kept$training), format_loss(kept$validation))
  sprintf("%s Kept epoch %d: %s.", why, event$best, loss)
}

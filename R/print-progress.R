# What is seen while a network trains. train() knows nothing of this: it calls whatever function the option
# `hylomath.progress` holds, see .onLoad.

progress_auto <- function(event) {
  if (cli::is_dynamic_tty(stderr())) progress_line(event) else progress_lines(event)
}

# One line that is updated ten times a second at most.
progress_line <- function(event) {
  if (event$event %in% c("begin", "step", "ended", "finish")) return(many_line(event))
  if (event$event == "round") return(if (event$new) message(round_text(event)))
  if (event$event == "start") {
    the_line$shown <- 0
    the_line$losses <- numeric()
    return(message(start_text(event)))
  }
  now <- proc.time()[["elapsed"]]
  if (event$event == "epoch") {
    if (event$start == 1) the_line$losses <- c(the_line$losses, if (is.na(event$validation)) event$training else event$validation)
    if (now - the_line$shown < 0.1) return()
    the_line$shown <- now
    return(cat("\r", cli::ansi_strtrim(epoch_text(event, loss_spark(the_line$losses)), cli::console_width() - 1), "\033[K", sep = "", file = stderr()))
  }
  cat("\r\033[K", file = stderr())
  message(end_text(event))
}
the_line <- new.env()
the_line$shown <- 0

# Many fits at once: how many have ended, and how far the last one that spoke is.
many_line <- function(event) {
  if (event$event == "begin") {
    the_line$shown <- 0
    the_line$ended <- 0L
    the_line$began <- proc.time()[["elapsed"]]
    return(if (is.null(event$within)) message(sprintf("Training %s.", counted(event$fits, event$what))))
  }
  if (event$event == "finish") return(cat("\r\033[K", file = stderr()))
  now <- proc.time()[["elapsed"]]
  if (event$event == "ended") the_line$ended <- event$ended
  if (now - the_line$shown < 0.1) return()
  the_line$shown <- now
  cat("\r", cli::ansi_strtrim(many_text(event, the_line$ended, now - the_line$began), cli::console_width() - 1), "\033[K", sep = "", file = stderr())
}

many_text <- function(event, ended, seconds) {
  done <- round(12 * ended / event$fits)
  bar <- if (cli::is_utf8_output()) paste(rep(c("\u2588", "\u2591"), c(done, 12 - done)), collapse = "") else ""
  left <- if (ended > 0) sprintf("  about %s left", format_seconds(seconds / ended * (event$fits - ended)))
  last <- if (event$event == "step") sprintf("  %s %d: epoch %d, training %s", event$what, as.integer(event$fit), as.integer(event$epoch), format_loss(event$training))
  paste0(sprintf("%s %s%d of %d %ss done", bar, if (is.null(event$within)) "" else paste0(event$within, ": "), ended, event$fits, event$what), left, last)
}

# The loss so far as a row of bars, on a logarithmic scale whose top is the ninth tenth, so that the first epochs don't
# flatten the rest.
loss_spark <- function(losses, width = 16) {
  losses <- losses[is.finite(losses) & losses > 0]
  if (length(losses) < 2 || !cli::is_utf8_output()) return("")
  at <- round(seq(1, length(losses), length.out = min(width, length(losses))))
  height <- log(losses[at])
  height <- pmin(height, stats::quantile(height, 0.9))
  span <- max(diff(range(height)), 1e-12)
  bars <- strsplit("\u2581\u2582\u2583\u2584\u2585\u2586\u2587\u2588", "")[[1]]
  paste0("  ", paste(bars[1 + floor(7.999 * (height - min(height)) / span)], collapse = ""))
}

# A line for the first epoch, then for round numbers: some ten for the whole run, whatever its length.
progress_lines <- function(event) {
  if (event$event %in% c("begin", "ended") && !is.null(event$within)) return()
  if (event$event == "begin") return(message(sprintf("Training %s.", counted(event$fits, event$what))))
  if (event$event == "ended") return(many_done(event))
  if (event$event == "round") return(if (event$new) message(round_text(event)))
  if (event$event %in% c("step", "finish")) return()
  if (event$event == "start") return(message(start_text(event)))
  if (event$event == "end") return(message(end_text(event)))
  every <- 10^max(0, floor(log10(event$epochs / 5)))
  if (event$start == 1 && (event$epoch == 1 || event$epoch %% every == 0)) message(epoch_text(event))
}

round_text <- function(event) sprintf("Round %d done: %d of %d trials, lowest %s so far %s.", as.integer(event$round), event$trials, as.integer(event$budget), event$primary, format_measure(event$best))

# A line for each tenth.
many_done <- function(event) {
  tenth <- function(n) floor(10 * n / event$fits)
  if (event$fits > 1 && tenth(event$ended) > tenth(event$ended - 1)) message(sprintf("%d of %d done.", event$ended, event$fits))
}

start_text <- function(event) {
  starts <- if (event$starts > 1) sprintf(" %d starts at once.", event$starts) else ""
  sprintf(
    "Training by %s on %s, validation on %s; %s, %s after preparation.%s", event$method, counted(event$rows[["training"]], "row"),
    format_count(event$rows[["validation"]]), counted(event$inputs, "input column"), format_count(event$features), starts
  )
}

epoch_text <- function(event, spark = "") {
  validation <- if (is.na(event$validation)) "" else
    sprintf("  validation %s  best %s (epoch %d)", format_loss(event$validation), format_loss(event$best_loss), as.integer(event$best))
  rate <- event$rows * event$epoch / max(event$seconds, 1e-9)
  left <- (event$epochs - event$epoch) * event$seconds / event$epoch
  sprintf(
    "%sepoch %*d of %d  training %s%s%s  %s rows/s  at most %s left", if (event$starts > 1) sprintf("start %d  ", event$start) else "", nchar(event$epochs), as.integer(event$epoch),
    as.integer(event$epochs), format_loss(event$training), validation, spark, format_short(rate), format_seconds(left)
  )
}

format_loss <- function(x) formatC(x, digits = 4, format = if (abs(x) < 1e-3 || abs(x) >= 1e4) "e" else "f")

end_text <- function(event) {
  why <- switch(event$stopped,
    epochs = sprintf("Done: all %d epochs.", event$epochs),
    patience = sprintf("Stopped after epoch %d: no lower validation loss for %d epochs.", event$epochs, as.integer(event$patience)),
    gradient = sprintf("Stopped after epoch %d: the gradient is within its bound.", event$epochs),
    loss = sprintf("Stopped after epoch %d: the training loss is as low as was wanted.", event$epochs),
    seconds = sprintf("Stopped after epoch %d by the time limit.", event$epochs),
    converged = sprintf("Converged after epoch %d: no step lowers the loss any more.", event$epochs),
    interrupted = sprintf("Interrupted after %s.", counted(event$epochs, "epoch")),
    diverged = sprintf("Stopped in epoch %d: the loss became infinite.", event$epochs + 1L)
  )
  if (event$best == 0) return(why)
  kept <- event$curves[event$best, ]
  loss <- if (is.na(kept$validation)) sprintf("training %s", format_loss(kept$training)) else
    sprintf("training %s, validation %s", format_loss(kept$training), format_loss(kept$validation))
  spread <- range(event$restarts$loss, na.rm = TRUE)
  starts <- if (event$starts > 1) sprintf(" The %d starts end at losses from %s to %s; number %d is the best.", event$starts, format_loss(spread[1]), format_loss(spread[2]), event$kept) else ""
  sprintf("%s Kept epoch %d: %s.%s", why, event$best, loss, starts)
}

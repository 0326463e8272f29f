# Who is told how training goes on. What computes knows nothing of screens: it calls a function with events, lists
# whose `event` is "start", "epoch", "end" (one network), "begin", "step", "ended", "finish" (many), "round" (a
# search), "scored" and "stored" (a table), "doing" and "done" (what takes seconds, such as reading a large file).

# `progress` as the verbs take it: "auto" is what the session shows, see progress.R, or progressr where its
# handlers are on.
reporter <- function(progress) {
  if (identical(progress, "auto")) progress <- if (progressr_is_on()) "progressr" else getOption("hylomath.progress")
  if (is.null(progress) || identical(progress, "none")) return(function(event) NULL)
  if (identical(progress, "progressr")) return(progressr_reporter())
  kinds <- getOption("hylomath.progress_kinds")
  if (is.character(progress) && all(progress %in% names(kinds))) progress <- kinds[[progress[1]]]
  if (!is.function(progress)) {
    fail("`progress` is \"auto\", \"line\", \"lines\", \"curves\", \"progressr\", \"none\" or a function.")
  }
  progress
}

progressr_is_on <- function() isNamespaceLoaded("progressr") && isTRUE(progressr::handlers(global = NA))

# Signals progress to whatever handlers there are: an epoch of one network, a fit of many, a trial of a search is a
# step.
progressr_reporter <- function() {
  rlang::check_installed("progressr", "to signal progress to it")
  signal <- NULL
  done <- 0
  open <- function(steps) {
    signal <<- progressr::progressor(steps = steps, on_exit = FALSE, auto_finish = FALSE)
    done <<- 0
  }
  step_to <- function(at, message) {
    if (at > done) signal(message, amount = at - done)
    done <<- max(done, at)
  }
  close <- function() {
    signal(type = "finish")
    signal <<- NULL
  }
  function(event) {
    if (!is.null(event$within)) return()
    switch(event$event,
      start = open(event$epochs),
      epoch = step_to(event$epoch, sprintf("epoch %d", as.integer(event$epoch))),
      end = close(),
      begin = open(event$fits),
      ended = step_to(event$ended, sprintf("%d of %d %ss", event$ended, event$fits, event$what)),
      finish = close(),
      round = {
        if (is.null(signal)) open(event$budget)
        step_to(event$trials, sprintf("%d of %d trials", event$trials, as.integer(event$budget)))
        if (event$last) close()
      }
    )
  }
}

# ---- shown -----------------------------------------------------------------------------------------------------------

# What is seen while a network trains. train() knows nothing of this: it calls whatever function the option
# `hylomath.progress` holds, see .onLoad.

progress_auto <- function(event) {
  if (cli::is_dynamic_tty(stderr())) progress_line(event) else progress_lines(event)
}

# ---- one line that is updated ten times a second at most ----------------------------------------------------------

progress_line <- function(event) {
  switch(event$event,
    begin = , step = , ended = , finish = many_line(event),
    round = if (event$new) message(round_text(event)),
    pass = message(pass_text(event)),
    doing = doing_line(event),
    done = clear_line(),
    scored = ,
    stored = if (event$last) clear_line() else if (is_due()) show_line(rows_text_of(event)),
    start = {
      the_line$shown <- 0
      the_line$losses <- numeric()
      message(start_text(event))
    },
    epoch = epoch_line(event),
    {
      clear_line()
      message(end_text(event))
    }
  )
}

the_line <- new.env()
the_line$shown <- 0

epoch_line <- function(event) {
  if (event$start == 1) {
    loss <- if (is.na(event$validation)) event$training else event$validation
    the_line$losses <- c(the_line$losses, loss)
  }
  if (is_due()) show_line(epoch_text(event, loss_spark(the_line$losses)))
}

# Whether a tenth of a second, or so many, has passed since the line was shown.
is_due <- function(seconds = 0.1) {
  now <- proc.time()[["elapsed"]]
  if (now - the_line$shown < seconds) return(FALSE)
  the_line$shown <- now
  TRUE
}

# What tells how much of it is done is told with the time that is left.
doing_line <- function(event) {
  now <- proc.time()[["elapsed"]]
  share <- event$share %||% 0
  if (share == 0) the_line$began <- now
  took <- now - the_line$began
  left <- if (share > 0 && took > 1) sprintf(" %s left", format_seconds(took * (1 - share) / share)) else ""
  show_line(paste0(doing_text(event), left))
}

doing_text <- function(event) {
  switch(event$what,
    reading = sprintf("Reading %s, %s MB ...", event$of, format_count(round(event$bytes / 1e6))),
    explaining = sprintf("Shuffling columns to see their importance, %s done ...", format_percent_short(event$share)),
    drawing = sprintf("Drawing %s ...", event$of)
  )
}

show_line <- function(text) {
  the_line$text <- cli::ansi_strtrim(harmless(text), cli::console_width() - 1)
  # a cursor that is hidden would stay so after a signal that ends R
  withr::local_options(cli.hide_cursor = FALSE)
  if (is.null(the_line$bar)) {
    the_line$bar <- cli::cli_progress_bar(
      format = "{text}", total = NA, clear = TRUE, .auto_close = FALSE, .envir = the_line
    )
  }
  cli::cli_progress_update(id = the_line$bar, force = TRUE, .envir = the_line)
}

clear_line <- function() {
  if (is.null(the_line$bar)) return()
  cli::cli_progress_done(id = the_line$bar, .envir = the_line)
  the_line$bar <- NULL
}

# Many fits at once: how long they will take, and how far the last one that spoke is.
many_line <- function(event) {
  note_many(event)
  switch(event$event,
    begin = if (is.null(event$within)) message(many_begin_text(event)),
    finish = clear_line(),
    if (is_due()) show_line(many_text(event))
  )
}

# What is known of the fits that are under way.
note_many <- function(event) {
  switch(event$event,
    begin = {
      the_line$shown <- 0
      the_line$ended <- 0L
      the_line$under_way <- list()
      if ((event$before %||% 0) == 0) the_line$began <- proc.time()[["elapsed"]]
    },
    step = the_line$under_way[[as.character(event$fit)]] <-
      min(1, event$epoch / min(event$epochs, usual_epochs)),
    ended = the_line$ended <- event$ended
  )
}

# After so many epochs most trainings have stopped, however many there may be.
usual_epochs <- 100

# From the start: as long as nothing has ended by the epochs so far, later by what those that have ended took.
many_left <- function(event) {
  later <- event$later %||% 0
  ended <- the_line$ended + (event$before %||% 0)
  done <- if (ended > 0) ended else sum(unlist(the_line$under_way))
  if (done < 0.2) return("")  # too little to tell
  seconds <- (proc.time()[["elapsed"]] - the_line$began) * (event$fits - the_line$ended + later) / done
  sprintf("%s %s left", if (ended > 0 && later > 0) "at most" else "about", format_seconds(seconds))
}

many_begin_text <- function(event) {
  later <- event$later %||% 0
  follow <- if (later > 0) sprintf(", and then at most %s more by what these show", format_count(later))
  paste0("Training ", counted(event$fits, event$what), follow, ".")
}

many_text <- function(event) {
  before <- event$before %||% 0
  done <- round(12 * (before + the_line$ended) / (before + event$fits + (event$later %||% 0)))
  bar <- if (cli::is_utf8_output()) paste(rep(c("\u2588", "\u2591"), c(done, 12 - done)), collapse = "") else ""
  within <- if (is.null(event$within)) "" else paste0(event$within, ": ")
  last <- if (event$event == "step") {
    loss <- format_loss(event$training)
    sprintf("  %s %d: epoch %d, training %s", event$what, as.integer(event$fit), as.integer(event$epoch), loss)
  }
  count <- sprintf("%d of %d %ss done", the_line$ended, event$fits, event$what)
  paste0(bar, " ", within, paste(c(many_left(event), count), collapse = "  "), last)
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

# ---- lines for logs -----------------------------------------------------------------------------------------------

# A line for the first epoch, then for round numbers: some ten for the whole run, whatever its length.
progress_lines <- function(event) {
  alone <- is.null(event$within)
  if (event$event %in% c("begin", "step", "ended")) note_many(event)
  switch(event$event,
    begin = if (alone) message(many_begin_text(event)),
    ended = if (alone) many_done(event),
    round = if (event$new) message(round_text(event)),
    pass = message(pass_text(event)),
    scored = , stored = if (!event$last && is_due(30)) message(rows_text_of(event)),
    start = message(start_text(event)),
    end = message(end_text(event)),
    epoch = {
      every <- 10^max(0, floor(log10(event$epochs / 5)))
      shown <- event$start == 1 && (event$epoch == 1 || event$epoch %% every == 0)
      if (shown) message(epoch_text(event))
    }
  )
}

# A line for each tenth.
many_done <- function(event) {
  tenth <- function(n) floor(10 * n / event$fits)
  if (event$fits > 1 && tenth(event$ended) > tenth(event$ended - 1)) {
    left <- if (event$ended < event$fits || (event$later %||% 0) > 0) paste0(", ", many_left(event))
    message(sprintf("%d of %d done", event$ended, event$fits), left, ".")
  }
}

# ---- words --------------------------------------------------------------------------------------------------------

rows_text_of <- function(event) {
  share <- if (is.na(event$share)) "" else sprintf(", %s", format_percent_short(event$share))
  verb <- if (event$event == "stored") "stored" else "predicted"
  sprintf("%s %s%s", counted(event$rows, "row"), verb, share)
}

round_text <- function(event) {
  what <- "Round %d done: %d of %d trials, lowest %s so far %s."
  budget <- as.integer(event$budget)
  sprintf(what, as.integer(event$round), event$trials, budget, event$primary, format_measure(event$best))
}

pass_text <- function(event) {
  sprintf("%s done, with %s.", sub("^p", "P", event$within), counted(event$inputs, "input"))
}

start_text <- function(event) {
  starts <- if (event$starts > 1) sprintf(" %d starts at once.", event$starts) else ""
  rows <- sprintf(
    "%s, validation on %s", counted(event$rows[["training"]], "row"), format_count(event$rows[["validation"]])
  )
  inputs <- sprintf("%s, %s after preparation", counted(event$inputs, "input column"), format_count(event$features))
  sprintf("Training by %s on %s; %s.%s", event$method, rows, inputs, starts)
}

epoch_text <- function(event, spark = "") {
  validation <- if (is.na(event$validation)) "" else {
    best <- sprintf("best %s (epoch %d)", format_loss(event$best_loss), as.integer(event$best))
    sprintf("  validation %s  %s", format_loss(event$validation), best)
  }
  start <- if (event$starts > 1) sprintf("start %d  ", event$start) else ""
  epochs <- as.integer(event$epochs)
  place <- sprintf("%sepoch %*d of %d", start, nchar(event$epochs), as.integer(event$epoch), epochs)
  rate <- event$rows * event$epoch / max(event$seconds, 1e-9)
  left <- (event$epochs - event$epoch) * event$seconds / event$epoch
  # what is cut off at a narrow terminal is what matters least
  sprintf(
    "%s  at most %s left  training %s%s  %s rows/s%s", place, format_seconds(left), format_loss(event$training),
    validation, format_short(rate), spark
  )
}

format_loss <- function(x) formatC(x, digits = 4, format = if (abs(x) < 1e-3 || abs(x) >= 1e4) "e" else "f")

end_text <- function(event) {
  why <- end_reason(event)
  if (event$best == 0) return(why)
  kept <- event$curves[event$best, ]
  loss <- sprintf("training %s", format_loss(kept$training))
  if (!is.na(kept$validation)) loss <- sprintf("%s, validation %s", loss, format_loss(kept$validation))
  starts <- if (event$starts > 1) starts_text(event) else ""
  sprintf("%s Kept epoch %d: %s.%s", why, event$best, loss, starts)
}

starts_text <- function(event) {
  spread <- range(event$restarts$loss, na.rm = TRUE)
  what <- " The %d starts end at losses from %s to %s; number %d is the best."
  sprintf(what, event$starts, format_loss(spread[1]), format_loss(spread[2]), event$kept)
}

end_reason <- function(event) {
  epochs <- event$epochs
  switch(event$stopped,
    epochs = sprintf("Done: all %d epochs.", epochs),
    patience = sprintf(
      "Stopped after epoch %d: no lower validation loss for %d epochs.", epochs, as.integer(event$patience)
    ),
    gradient = sprintf("Stopped after epoch %d: the gradient is small enough.", epochs),
    loss = sprintf("Stopped after epoch %d: the training loss is as low as wanted.", epochs),
    seconds = sprintf("Stopped after epoch %d by the time limit.", epochs),
    converged = sprintf("Converged after %d epochs: no step lowers the training loss.", epochs),
    interrupted = sprintf("Interrupted after %s.", counted(epochs, "epoch")),
    diverged = sprintf("Stopped in epoch %d: the loss grew without bounds.", epochs + 1L),
    vanished = sprintf("Stopped after epoch %d: the first layer's gradient vanished.", epochs)
  )
}

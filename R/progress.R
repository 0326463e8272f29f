# Who is told how training goes on. What computes knows nothing of screens: it calls a function with events, lists
# whose `event` is "start", "epoch", "end" (one network), "begin", "step", "ended", "finish" (many), "round" (a
# search), "scored" and "stored" (a table), "doing" and "done" (what takes seconds, such as reading a large file).

# `progress` as the verbs take it: "auto" is what the session shows, see print-progress.R, or progressr where its
# handlers are on.
reporter <- function(progress) {
  if (identical(progress, "auto")) progress <- if (progressr_is_on()) "progressr" else getOption("hylomath.progress")
  if (is.null(progress) || identical(progress, "none")) return(function(event) NULL)
  if (identical(progress, "progressr")) return(progressr_reporter())
  kinds <- getOption("hylomath.progress_kinds")
  if (is.character(progress) && all(progress %in% names(kinds))) progress <- kinds[[progress[1]]]
  if (!is.function(progress)) {
    fail("`progress` is \"auto\", \"line\", \"lines\", \"progressr\", \"none\" or a function.")
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

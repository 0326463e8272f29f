# Workers on this machine, as `options(hylomath.workers = 2)` and the command's `--workers 2` ask for them: R sessions
# that are spoken to through pipes, so that nobody else can reach them. They stay for the next jobs, and end with R.

local_workers_asked <- function() {
  workers <- getOption("hylomath.workers")
  if (is.null(workers)) return(0L)
  type_count(1000)(workers, "hylomath.workers")
  as.integer(workers)
}

the_local_workers <- new.env()

# A worker that doesn't run for so many seconds is given up.
longest_standstill <- 10

# A crew as jobs-workers.R has it.
local_crew <- function(size) {
  start <- function() callr::r_session$new(callr::r_session_options(supervise = TRUE))
  known <- the_local_workers$sessions
  idle <- vapply(known, function(session) session$is_alive() && session$get_state() == "idle", NA)
  kept <- utils::head(which(idle), size)
  # others are too many, or at work for somebody who was interrupted
  for (session in known[setdiff(seq_along(known), kept)]) session$kill()
  sessions <- c(known[kept], lapply(seq_len(size - length(kept)), function(i) start()))
  remember <- function() the_local_workers$sessions <- sessions
  remember()
  list(
    size = function() length(sessions),
    send = function(order) {
      free <- which(vapply(sessions, function(s) s$get_state() == "idle", NA))[1]
      if (is.na(free)) return(simpleError("no worker is free"))
      work <- function(order) get("work_off", asNamespace("hylomath"))(order)
      lost <- tryCatch({
        sessions[[free]]$call(work, list(order))
        NULL
      }, error = function(e) e)
      if (inherits(lost, "error")) lost else list(session = sessions[[free]], standstill = new.env())
    },
    is_back = function(sent) {
      !sent$session$is_alive() || sent$session$poll_process(0) == "ready" || stands_still(sent)
    },
    response = function(sent) {
      if (stands_still(sent)) {
        sent$session$kill()
        return(simpleError("it stood still"))
      }
      came <- tryCatch(sent$session$read(), error = function(e) list(error = e))
      came$result %||% came$error %||% simpleError("it ended")
    },
    mend = function() {
      alive <- vapply(sessions, function(s) s$is_alive() && s$get_state() == "idle", NA)
      for (session in sessions[!alive]) session$kill()
      sessions[!alive] <<- lapply(which(!alive), function(i) start())
      remember()
      TRUE
    }
  )
}

# Stopped by a signal, as Linux tells it, and for long.
stands_still <- function(sent) {
  file <- sprintf("/proc/%d/stat", sent$session$get_pid())
  state <- if (file.exists(file)) tryCatch(readLines(file, 1, warn = FALSE), error = function(e) "") else ""
  if (!any(grepl(") T ", state, fixed = TRUE))) {
    sent$standstill$since <- NULL
    return(FALSE)
  }
  now <- proc.time()[["elapsed"]]
  sent$standstill$since <- sent$standstill$since %||% now
  now - sent$standstill$since > longest_standstill
}

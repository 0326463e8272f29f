# What a desk does in processes of their own, so that its page never waits: a worker that looks, draws and checks, and
# for everything that takes long one job after the other.

# ---- a sheet's code, run ---------------------------------------------------------------------------------------------

# Runs the calls of a sheet in the desk's folder and gives the last value. What the sheets before it made is there under
# its name in the script, read when it is used. `adapt` may change a call before it is run.
run_sheet <- function(state, sheet, adapt = identity) {
  env <- sheet_environment(state, sheet)
  value <- NULL
  for (call in sheet_calls(state, sheet)) value <- eval(adapt(call), env)
  value
}

sheet_environment <- function(state, sheet) {
  env <- new.env(parent = asNamespace("hylomath"))
  for (id in sheet_roots(state, sheet$id)) {
    root <- state$sheets[[id]]
    if (!makes_model(root)) next
    local({
      own <- root
      delayedAssign(as.character(sheet_symbols(own)$model), read_model(model_place(own)), environment(), env)
      if (kind_of(own)$from == "brief") {
        delayedAssign(as.character(sheet_symbols(own)$brief), read_brief(brief_place(own)), environment(), env)
      }
    })
  }
  env
}

# ---- what is shown of it ---------------------------------------------------------------------------------------------

# A sheet drawn again from what it left in the folder, or else from its code run once more.
desk_sheet <- function(state, id) {
  sheet <- state$sheets[[id]]
  file <- kind_of(sheet)$leaves(sheet)
  value <- if (makes_model(sheet)) {
    read_model(file)
  } else if (kind_of(sheet)$from == "brief") {
    read_result(file)
  } else {
    run_sheet(state, sheet)
  }
  list(page = sheet_page(state, sheet, value))
}

# As text. Names within it are the sheet's own, since several sheets lie on one page.
sheet_page <- function(state, sheet, value) {
  trained <- state$sheets[[training_of(state, sheet$id)]]
  page <- as_html(kind_of(sheet)$page(value, sheet, read_brief(brief_place(trained))$table))
  page <- gsub("role=\"region\" aria-label=\"([^\"]*)\"", sprintf(
    "role=\"region\" aria-label=\"\\1, sheet %d\"", as.integer(sheet$id)
  ), page)
  own <- sprintf("\\1\\2s%d-\\3", as.integer(sheet$id))
  gsub("( id=| aria-controls=| for=|url\\(#|href=\"#)([\"']?)([a-z])", own, page)
}

# ---- jobs ------------------------------------------------------------------------------------------------------------

# One sheet, worked off in a process of its own: its progress goes into a file of JSON lines, its result into the desk's
# folders, and what is shown of it comes back: list(how, says, page). A training that was cut off goes on where it was.
desk_job <- function(folder, state, id) {
  withr::local_dir(folder)
  # the page has priority
  tools::psnice(value = 5)
  sheet <- state$sheets[[id]]
  progress <- progress_writer(job_place(sheet, "progress"), sheet)
  options(hylomath.progress = progress$report)
  checkpoint <- job_place(sheet, "checkpoint")
  kept <- function(call) {
    # beside what is shown as the sheet's code: a killed training goes on from there to the same weights
    trains <- is.call(call) && identical(call[[1]], quote(`<-`)) && is.call(call[[3]]) &&
      identical(call[[3]][[1]], quote(train))
    if (trains) call[[3]]$checkpoint <- list(file = checkpoint, after = 2)
    call
  }
  value <- run_sheet(state, sheet, kept)
  progress$flush()
  how <- "done"
  if (sheet$kind == "train") how <- settle_training(sheet, read_model(model_place(sheet)))
  if (was_interrupted(value)) how <- "stopped"
  unlink(checkpoint)
  count_looks(state, id)
  page <- sheet_page(state, sheet, value)
  # the file says what has been looked at
  if (sheet$kind == "train") write_model(with_looks(value), model_place(sheet))
  list(how = how, says = character(), page = page)
}

# How many networks were evaluated on the same test rows is counted over all processes of the desk.
count_looks <- function(state, id) {
  for (sheet in Filter(function(one) one$kind == "train" && one$id < id && has_ended_well(one), state$sheets)) {
    model <- read_model(model_place(sheet))
    if (!is.null(test_rows_id(model))) look_at_test(model)
  }
}

# What doesn't take long, done by the worker: list(page).
desk_run <- function(state, id) {
  sheet <- state$sheets[[id]]
  count_looks(state, id)
  # done here, whether what is shown looks at it or not
  value <- run_sheet(state, sheet)
  list(page = sheet_page(state, sheet, value))
}

was_interrupted <- function(found) {
  is.list(found) && (identical(found$stopped, "interrupted") || isTRUE(found$left_out > 0))
}

# Where a training was stopped by hand is written into its brief, so that the script stops there too.
settle_training <- function(sheet, model) {
  if (model$stopped != "interrupted") return("done")
  b <- read_brief(brief_place(sheet), read = FALSE)
  own <- model$brief
  b <- if (is.null(model$members)) {
    set_section(b, "regimen", own[["regimen"]][c("restarts", "stop")])
  } else {
    set_section(b, "hold_out", own[["hold_out"]][c("folds", "only_folds")])
  }
  write_brief(b, brief_place(sheet))
  "stopped"
}

# Progress as JSON lines, four a second at most: what has ended of how much, and the new points of the curves, each of
# a fit's number, epoch, training and validation loss.
progress_writer <- function(file, sheet, every = 0.25) {
  unlink(file)
  unit <- if (sheet$kind == "train") unit_of_brief(read_brief(brief_place(sheet))) else no_unit
  said <- list(loss = unit$name)
  points <- list()
  last <- 0
  drawn <- numeric()
  # of many epochs each is less to see
  is_drawn <- function(event) {
    curve <- paste(event$fit, event$start)
    if (event$epoch < (if (curve %in% names(drawn)) 1.01 * drawn[[curve]] + 1 else 1)) return(FALSE)
    drawn[curve] <<- event$epoch
    TRUE
  }
  flush <- function() {
    if (length(said) == 0 && length(points) == 0) return(invisible())
    line <- c(said, list(points = lapply(points, I)))
    text <- jsonlite::toJSON(line, auto_unbox = TRUE, digits = 6, null = "null", na = "null")
    lost <- core_append_file(file, charToRaw(paste0(text, "\n")))
    if (nzchar(lost)) fail(sprintf("The progress can't be written: %s.", lost), "Is there room?")
    said <<- list()
    points <<- list()
  }
  report <- function(event) {
    own <- switch(event$event,
      start = list(fits = 1, what = "network", epochs = event$epochs, patience = event$patience),
      begin = list(fits = event$fits, what = event$what, ended = 0),
      step = , epoch = list(
        epochs = event$epochs, epoch = event$epoch, best = event$best, gradient = event$gradient,
        updates = event$updates, seconds = event$seconds
      ),
      ended = list(ended = event$ended),
      end = list(stopped = event$stopped, best = event$best),
      round = list(ended = event$trials, fits = event$budget, what = "trial"),
      doing = list(doing = doing_text(event)),
      list()
    )
    said[names(own)] <<- own
    if (event$event %in% c("step", "epoch") && is_drawn(event)) {
      loss <- unit$convert(c(event$training, event$validation))
      points[[length(points) + 1]] <<- c(event$fit, event$start, event$epoch, signif(loss, 6))
    }
    now <- proc.time()[["elapsed"]]
    if (now - last >= every || !event$event %in% c("step", "epoch")) {
      last <<- now
      flush()
    }
  }
  list(report = report, flush = flush)
}

# The loss as it is in training, and in the unit in which it is drawn.
no_unit <- list(convert = identity, name = "loss")

unit_of_brief <- function(b) {
  a <- settle(b)
  loss_unit(a$target, learn_preparation(a)$target$scale)
}

# ---- the worker ------------------------------------------------------------------------------------------------------

# What the worker can be asked for, by name. Each function runs in the desk's folder.
desk_tasks <- function() {
  list(
    table = desk_see_table, rows = desk_rows, start = desk_start, draft = desk_draft, sheet = desk_sheet,
    run = desk_run, keep = keep_table, sources = desk_sources
  )
}

desk_task <- function(folder, task, arguments) {
  withr::local_dir(folder)
  options(hylomath.progress = "none")
  tryCatch(
    list(value = do.call(desk_tasks()[[task]], arguments)),
    hylomath_error = function(e) list(wrong = list(what = e$what, try = e$try, argument = e$argument)),
    error = function(e) list(wrong = list(what = conditionMessage(e)))
  )
}

# A session that is asked for one thing after the other, with `arguments`, or what a function gives for them when its
# turn has come; `then` gets list(value) or list(wrong = list(what, try, argument)). Of several that ask for the same
# `of` and have not begun only the last one is asked for.
desk_worker <- function(folder) {
  session <- NULL
  waiting <- list()
  asked <- NULL
  start <- function() session <<- callr::r_session$new(callr::r_session_options(supervise = TRUE), wait = FALSE)
  begin <- function() {
    if (!is.null(asked) || length(waiting) == 0) return(invisible())
    if (is.null(session) || !session$is_alive()) start()
    if (session$get_state() == "starting") {
      if (session$poll_process(0) == "ready") session$read()
      if (session$get_state() != "idle") return(invisible())
    }
    asked <<- waiting[[1]]
    waiting[[1]] <<- NULL
    arguments <- if (is.function(asked$arguments)) asked$arguments() else asked$arguments
    session$call(desk_task, list(folder, asked$task, arguments), package = TRUE)
  }
  list(
    ask = function(task, arguments, then, of = NULL) {
      if (!is.null(of)) waiting <<- Filter(function(one) !identical(one$of, of), waiting)
      waiting[[length(waiting) + 1]] <<- list(task = task, arguments = arguments, then = then, of = of)
      begin()
    },
    # whether something came back
    tick = function() {
      begin()
      if (is.null(asked) || (session$is_alive() && session$poll_process(0) != "ready")) return(FALSE)
      came <- tryCatch(session$read(), error = function(e) list(error = e))
      if (is.null(came) && session$is_alive()) return(FALSE)
      done <- asked
      asked <<- NULL
      ended <- list(wrong = list(what = "The process that worked on it ended.", try = "Try again."))
      done$then(came$result %||% ended)
      begin()
      TRUE
    },
    is_busy = function() !is.null(asked) || length(waiting) > 0,
    close = function() if (!is.null(session)) session$kill()
  )
}

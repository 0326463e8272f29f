# Jobs worked off by the core's own threads.

# So much of encoded tables is held at a time.
most_bytes_at_once <- 1e9

# `keep` gets the number of each job of `todo` that was done and its result; jobs that an interrupt cut short are left
# out. Whether there was one.
run_here <- function(table, jobs, keep, report, laid = list(), todo = seq_along(jobs),
                     checkpoint = no_checkpoint()) {
  lay <- remembering(function(plan) lay_folds(plan, table), lapply(laid, function(one) list(x = one$plan, value = one)))
  prepare <- preparing()
  while (length(todo)) {
    specs <- next_specs(jobs, todo, lay, prepare)
    numbers <- as.integer(names(specs))
    for (key in names(specs)) {
      core <- specs[[key]]$core
      specs[[key]]$core$states <- checkpoint$states(key, core$starts) %||% core$states
    }
    keep_state <- function(fit, ...) checkpoint$keep_state(as.character(numbers[fit]), ...)
    todo <- setdiff(todo, numbers)
    each <- function(i, fit) {
      if (fit$stopped == "interrupted") return(NULL)
      wanted <- job_results()[[jobs[[numbers[i]]]$want]]
      keep(numbers[i], wanted(specs[[i]], fit))
      TRUE
    }
    step <- function(event) {
      epochs <- specs[[event$fit]]$core$regimen$epochs
      report(utils::modifyList(event, list(event = "step", fit = numbers[event$fit], epochs = epochs)))
    }
    kept <- fit_networks(specs, epoch_reporter(step, list()), each, list(every = checkpoint$every, keep = keep_state))
    if (attr(kept, "interrupted")) return(TRUE)
  }
  FALSE
}

# As many of the next jobs' specs as fit into memory at once, named by the jobs' numbers.
next_specs <- function(jobs, todo, lay, prepare) {
  specs <- list()
  bytes <- 0
  for (number in todo) {
    job <- jobs[[number]]
    spec <- fold_spec(lay(job$plan), job$fold, job$taught, job$on, prepare)
    specs[[as.character(number)]] <- spec
    bytes <- bytes + 8 * length(spec$core$rows) * length(network_inputs(spec$learned$preparation))
    if (bytes >= most_bytes_at_once) break
  }
  specs
}

# The function, but for an argument that is known, or that of the last call, its value is had from memory. `known` is a
# list of list(x, value).
remembering <- function(f, known = list()) {
  last <- NULL
  function(x) {
    for (one in c(known, list(last))) if (identical(one$x, x)) return(one$value)
    last <<- list(x = x, value = f(x))
    last$value
  }
}

# ---- processes of this machine ---------------------------------------------------------------------------------------

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

# A crew as jobs.R has it.
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

# ---- what a job gives ------------------------------------------------------------------------------------------------

# What can be wanted of a job: functions of the fit's spec and the fit.
job_results <- function() {
  list(
    predictions = fold_rows_evaluated, loss = fold_loss, rises = fold_rises, teaching = fold_teaching,
    member = fold_member,
    members = fold_members, whole = fold_whole
  )
}

# The fit of a plan's i-th fold, on the parts of the table that are its own; `taught` is what a teacher says, see
# taught_spec(), `on` what it goes on from, see learning_on(), and `prepare` learns a preparation. `evaluated` are the
# fold's evaluated rows.
fold_spec <- function(laid, i, taught = NULL, on = NULL, prepare = learn_preparation) {
  settled <- laid$analysis
  parts <- switch(on$whole %||% "no", all = whole_parts(settled), ensemble = laid$all(i), laid$parts(i))
  a <- with_parts(settled, parts, settled$regimen$seed + i - 1)
  if (!is.null(on$regimen)) a$regimen <- utils::modifyList(on$regimen, list(seed = a$regimen$seed))
  learned <- learn_training(a, on$preparation %||% prepare(a))
  spec <- if (is.null(taught)) fit_spec(a, learned) else taught_spec(a, learned, taught)
  spec <- learning_on(spec, on)
  spec$evaluated <- rows_in(a, if ("evaluated" %in% a$part) "evaluated" else "validation")
  spec
}

# Of a network that learned from all rows.
fold_whole <- function(spec, fit) {
  training <- fit[c("curves", "best", "stopped", "penalty", "kernel")]
  kept <- unlist(best_losses(fit$curves, fit$best)[c("training", "validation")])
  c(list(predictor = new_predictor(spec, fit), training = training, kept = kept), fit_facts(spec, fit))
}

# What the fold's network predicts for the fold's evaluated rows.
fold_rows_evaluated <- function(spec, fit) {
  evaluated <- evaluated_in_fold(spec, new_predictor(spec, fit), spec$evaluated)
  evaluated$row <- spec$evaluated
  c(list(evaluated = evaluated), fit_facts(spec, fit))
}

# A network that is to predict with others, how it was trained, and what it predicts for the fold's evaluated rows.
fold_member <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  # of the rows that it was stopped by it has not learned either; see member_disagreement()
  stopping <- if (has_classes(predictor$target)) rows_in(spec$analysis, "validation") else integer()
  predictions <- predictions_in_fit(spec, predictor, c(spec$evaluated, stopping))
  is_second <- seq_len(nrow(predictions)) > length(spec$evaluated)
  evaluated <- evaluated_in_fold(spec, predictor, spec$evaluated, predictions[!is_second, , drop = FALSE])
  evaluated$row <- spec$evaluated
  second <- predictions[is_second, , drop = FALSE]
  training <- fit[c("curves", "best", "stopped", "penalty", "kernel")]
  kept <- unlist(best_losses(fit$curves, fit$best)[c("training", "validation")])
  states <- if (spec$core$keeps) list(states = fit$states)
  of <- list(predictor = predictor, evaluated = evaluated, second = second, second_rows = stopping)
  c(of, list(training = training, kept = kept), states, fit_facts(spec, fit))
}

# The same of a fold in which an ensemble is trained: also what it predicts out of its inner fold.
fold_members <- function(spec, fit) {
  member <- fold_member(spec, fit)
  out_of_fold <- rows_in(spec$analysis, "out_of_fold")
  member$out_of_fold <- c(evaluated_in_fold(spec, member$predictor, out_of_fold), list(row = out_of_fold))
  member[setdiff(names(member), "training")]
}

evaluated_in_fold <- function(spec, predictor, rows, predictions = predictions_in_fit(spec, predictor, rows)) {
  a <- spec$analysis
  beside <- a$table[rows, columns_but_inputs(a), drop = FALSE]
  evaluated_rows(predictor, a$roles, beside, rows, predictions = predictions)
}

# What a fit took.
fit_facts <- function(spec, fit) {
  epochs <- nrow(fit$curves)
  list(
    best_epoch = fit$best, epochs = epochs, updates = if (fit$best > 0) fit$curves$updates[epochs] else 0,
    learned = case_count(spec$analysis, rows_in(spec$analysis, "training")),
    evaluating = case_count(spec$analysis, spec$evaluated),
    parameters = total_parameters(fit$network), seconds = max(fit$curves$seconds, 0)
  )
}

# Of a fold's teacher: what it says of all rows but those that are evaluated, and its own evaluation.
fold_teaching <- function(spec, fit) {
  teaching <- teaching_of(new_predictor(spec, fit), spec$analysis$table)
  teaching$predictions[spec$evaluated, ] <- NA
  c(list(teaching = teaching), fold_rows_evaluated(spec, fit))
}

# The loss of the fold's evaluated rows.
fold_loss <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  c(list(loss = mean_loss(predictor, evaluated_in_fold(spec, predictor, spec$evaluated))), fit_facts(spec, fit))
}

# That, and how much the loss of others rises when a column is shuffled.
fold_rises <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  loss <- mean_loss(predictor, evaluated_in_fold(spec, predictor, spec$evaluated))
  list(loss = loss, rise = shuffling_rise(spec, predictor))
}

# So many rows tell well enough which column matters least.
most_rows_shuffled <- 2000

# How much the loss of rows that the fold has not learned from, evaluated and validation, rises when a column is
# shuffled: for each column and repeat a copy of the rows with that column shuffled, all predicted in one go.
shuffling_rise <- function(spec, predictor, repeats = 3) {
  a <- spec$analysis
  seed <- a$regimen$seed
  rows <- c(spec$evaluated, spec$core$rows[spec$core$validation])
  if (a$counts) rows <- rows[counted_places(weights_in(a, rows))]
  rows <- drawn_rows(rows, most_rows_shuffled, seed, "ranked rows")
  n <- length(rows)
  here <- a$table[rows, looked_at_columns(a), drop = FALSE]
  copies <- expand.grid("repeat" = seq_len(repeats), column = input_columns(a), stringsAsFactors = FALSE)
  many <- as.data.frame(lapply(here, rep, times = nrow(copies)), optional = TRUE)
  for (i in seq_len(nrow(copies))) {
    column <- copies$column[i]
    order <- shuffled(n, seed, "ranked columns", copies[["repeat"]][i])
    many[[column]][(i - 1) * n + seq_len(n)] <- here[[column]][order]
  }
  roles <- a$roles[if (a$counts) setdiff(names(a$roles), "weight") else names(a$roles)]
  evaluated <- evaluated_rows(predictor, roles, many, seq_len(nrow(many)))
  losses <- own_losses(predictor$target, evaluated, evaluated$predictions) * evaluated$weight
  sums <- unit_sums(losses, rep(seq_len(nrow(copies)), each = n), nrow(copies))
  means <- sums / sum(evaluated$weight[seq_len(n)])
  shuffled_loss <- apply(means, 1, function(losses) one_loss(predictor, losses))
  colMeans(matrix(shuffled_loss, repeats)) - mean_loss(predictor, evaluated_rows(predictor, roles, here, rows))
}

# Targets and columns with a role; and with the inputs.
columns_but_inputs <- function(a) unique(c(a$target$columns, unlist(a$roles[column_roles])))

looked_at_columns <- function(a) union(input_columns(a), columns_but_inputs(a))

# Many fits over one table: folds, searches and siftings all come down to a list of jobs, which is worked off here, by
# the core's threads or by the workers of a future::plan().
#
# A job is plain data, so that it can travel and be told from others: `plan` (see plan-folds.R), `fold`, the number of
# one of the plan's folds, and `want`, the word for what is made of the fit (see jobs-local.R); `taught`, if there is
# a teacher, see taught_spec(); `on`, if a network learns on, see learning_on(). Its result depends on the job and the
# table alone.

# The jobs of a plan's folds.
fold_jobs <- function(laid, want) {
  lapply(seq_len(nrow(laid$each)), function(i) list(plan = laid$plan, fold = i, want = want))
}

# The results of all jobs in their order, NULL for those that an interrupt left out. `what` they are is shown while
# they run; `each` is called with a job's number and its result as soon as it is there, in whatever order they end;
# `laid` are plans that were laid out over the table already; a `checkpoint` knows jobs by their numbers. The attribute
# `interrupted` says whether there was one.
run_jobs <- function(table, jobs, what, report, each = function(i, result) NULL, laid = list(),
                     checkpoint = no_checkpoint()) {
  about <- list(what = what, fits = length(jobs))
  results <- vector("list", length(jobs))
  ended <- 0L
  keep <- function(i, result) {
    ended <<- ended + 1L
    results[[i]] <<- result
    each(i, result)
    report(c(list(event = "ended", ended = ended), about))
  }
  keep_new <- function(i, result) {
    checkpoint$keep_result(as.character(i), result)
    keep(i, result)
  }
  tell <- function(event) report(utils::modifyList(event, about))
  report(c(list(event = "begin"), about))
  known <- lapply(seq_along(jobs), function(i) checkpoint$result(as.character(i)))
  todo <- which(vapply(known, is.null, NA))
  for (i in setdiff(seq_along(jobs), todo)) keep(i, known[[i]])
  interrupted <- if (use_workers()) {
    run_on_workers(table, jobs[todo], function(i, result) keep_new(todo[i], result), tell)
  } else {
    run_here(table, jobs, keep_new, tell, laid, todo, checkpoint)
  }
  report(c(list(event = "finish", ended = ended), about))
  structure(results, interrupted = interrupted)
}

# The error when not one of them was done; `kept_in` is the checkpoint's file, if it was written.
check_any_done <- function(done, what, kept_in = NULL) {
  if (done > 0) return(invisible())
  hint <- if (is.null(kept_in)) "Nothing was kept: train again." else {
    sprintf("%s has the networks that were trained. Train again with this checkpoint to go on.", kept_in)
  }
  fail(sprintf("Training was interrupted before the first %s had ended.", what), hint)
}

# ---- over workers ----------------------------------------------------------------------------------------------------

# Jobs spread over workers: those of the user's future::plan(), other machines or a queue, or R sessions on this
# machine, see jobs-local.R.
#
# The table reaches each worker once: as a file by its content hash where the worker sees the same disk, otherwise sent
# along when a worker says that it lacks it. Results don't depend on who works: seeds travel with the jobs, and so does
# the kernel level. The jobs of a worker that is lost are done again by others, or here when none is left.

use_workers <- function() local_workers_asked() > 0 || planned_workers()

planned_workers <- function() isNamespaceLoaded("future") && !inherits(future::plan(), "sequential")

# A *crew* is list(size, send, is_back, response, mend): how many there are; `send(order)` gives what was sent, of which
# `is_back()` says whether there is a response and `response()` gives it, an error for a worker that was lost; `mend()`
# starts others in place of these, and says whether there are any.
crew_asked <- function(jobs) {
  if (!planned_workers()) return(local_crew(min(local_workers_asked(), jobs)))
  list(
    size = future::nbrOfWorkers,
    # a worker that can't even be reached is found out when its response is asked for
    send = function(order) {
      tryCatch(
        future::future(
          work_off(order), globals = list(order = order, work_off = work_off), packages = "hylomath", seed = NULL,
          lazy = FALSE
        ),
        error = function(e) e
      )
    },
    is_back = function(future) tryCatch(future::resolved(future), error = function(e) TRUE),
    response = function(future) tryCatch(future::value(future), error = function(e) e),
    mend = mend_plan
  )
}

# A chunk of jobs that has cost so many workers is not sent out again.
most_losses <- 3

# As run_here().
run_on_workers <- function(table, jobs, keep, report) {
  former <- options(future.globals.maxSize = Inf)
  on.exit(options(former))
  order <- list(hash = table_hash(table), table = NULL, kernel = core_kernel(), host = Sys.info()[["nodename"]])
  order$shared <- shared_table(table, order$hash)
  crew <- crew_asked(length(jobs))
  order$threads <- max(1L, thread_count() %/% as.integer(min(crew$size(), length(jobs))))
  chunks <- split(seq_along(jobs), (seq_along(jobs) - 1) %/% chunk_size(length(jobs), order$threads))
  waiting <- lapply(chunks, function(numbers) list(numbers = numbers, with_table = FALSE, losses = 0))
  running <- list()
  hurt <- FALSE
  come_back <- function(chunk) {
    response <- if (is_lost(chunk$sent)) chunk$sent else crew$response(chunk$sent)
    again <- again_after(chunk, response, order)
    if (is.null(again)) for (j in seq_along(chunk$numbers)) keep(chunk$numbers[j], response$results[[j]])
    else waiting <<- c(list(again), waiting)
    if (is_lost(response)) hurt <<- TRUE
  }
  # of the command: what has come back is kept, whatever signal comes
  if (isTRUE(getOption("hylomath.catch_term"))) core_note_signals(TRUE)
  tryCatch(
    {
      while (length(waiting) || length(running)) {
        if (core_asked_to_stop()) return(TRUE)
        # a plan is mended when nobody works on it
        if (hurt && length(running) == 0) {
          if (!crew$mend()) return(finish_here(table, jobs, waiting, keep, report))
          hurt <- FALSE
        }
        while (length(waiting) && !hurt && length(running) < crew$size()) {
          running <- c(running, list(sent_out(waiting[[1]], order, table, jobs, crew)))
          waiting <- waiting[-1]
        }
        back <- vapply(running, function(chunk) is_lost(chunk$sent) || crew$is_back(chunk$sent), NA)
        for (chunk in running[back]) come_back(chunk)
        running <- running[!back]
        if (!any(back)) Sys.sleep(0.02)
      }
      FALSE
    },
    interrupt = function(e) TRUE
  )
}

# Jobs that go out together: as many as work side by side on a machine. What waits in a queue and starts an R of its own
# is dealt out once.
chunk_size <- function(jobs, threads) {
  if (!planned_workers() || !inherits(future::plan(), "batchtools")) return(threads)
  max(threads, ceiling(jobs / future::nbrOfWorkers()))
}

# The chunk as it has to be sent out once more after such a response; NULL when its work is done.
again_after <- function(chunk, response, order) {
  if (is_lost(response)) {
    chunk$losses <- chunk$losses + 1
    if (chunk$losses == most_losses) {
      what <- sprintf("%d workers were lost over the same fits.", most_losses)
      fail(what, paste("The last one:", conditionMessage(response)))
    }
    return(chunk)
  }
  if (!is.null(response$failed)) rlang::cnd_signal(response$failed)
  if (identical(response$lacks, "kernel")) {
    what <- "The worker on %s can't compute at the kernel level `%s` of this machine."
    hint <- "Start R here with HYLOMATH_KERNEL=%s, so that all of them compute alike."
    fail(sprintf(what, response$host, order$kernel), sprintf(hint, response$best))
  }
  if (!identical(response$lacks, "table")) return(NULL)
  chunk$with_table <- TRUE
  chunk
}

finish_here <- function(table, jobs, waiting, keep, report) {
  rest <- sort(unlist(lapply(waiting, `[[`, "numbers")))
  rlang::warn(sprintf("All workers were lost; the last %s are done here.", counted(length(rest), "fit")))
  run_here(table, jobs[rest], function(i, result) keep(rest[i], result), report)
}

# After a loss: workers that the plan starts by itself are started anew; of a cluster that was handed to it those stay
# that still respond. Whether there is any.
mend_plan <- function() {
  plans <- future::plan("list")
  workers <- formals(future::plan())$workers
  future::plan(future::sequential)
  if (!inherits(workers, "cluster")) {
    future::plan(plans)
    return(TRUE)
  }
  responding <- vapply(seq_along(workers), function(i) still_responds(workers[i]), NA)
  if (any(responding)) future::plan(future::cluster, workers = workers[responding])
  any(responding)
}

still_responds <- function(worker) {
  tryCatch(
    {
      parallel::clusterCall(worker, Sys.getpid)
      TRUE
    },
    error = function(e) FALSE
  )
}

# A chunk of jobs on its way.
sent_out <- function(chunk, order, table, jobs, crew) {
  if (chunk$with_table) order$table <- table
  order$jobs <- jobs[chunk$numbers]
  chunk$sent <- crew$send(order)
  chunk
}

# What a job says of itself comes back as its response, so an error is one of the way there and back.
is_lost <- function(response) inherits(response, "error")

# The table in a file that workers on the same disk can read; the folder is the option `hylomath.cache`, which a
# cluster's workers have to share, else that of the session; FALSE is for no file.
#
# list(file, checksum): what the workers read is that of these bytes, or nothing. A stored table is there already.
shared_table <- function(table, hash) {
  if (is_stored(table)) return(list(file = attr(table, "stored")$folder))
  if (isFALSE(getOption("hylomath.cache"))) return(list(file = ""))
  file <- file.path(cache_folder(), sprintf("hylomath-%s.rds", hash))
  bytes <- serialize(table, NULL, xdr = FALSE)
  checksum <- cli::hash_raw_sha256(bytes)
  if (!file.exists(file) || !identical(cli::hash_file_sha256(file), checksum)) write_whole(bytes, file)
  list(file = file, checksum = checksum)
}

# ---- on the worker ------------------------------------------------------------------------------------------------

# list(results), or what the worker lacks, or how a job failed.
work_off <- function(order) tryCatch(results_of(order), error = function(e) list(failed = e))

results_of <- function(order) {
  table <- table_by_hash(order)
  if (is.null(table)) return(list(lacks = "table"))
  former <- Sys.getenv("HYLOMATH_KERNEL", NA)
  on.exit(if (is.na(former)) Sys.unsetenv("HYLOMATH_KERNEL") else Sys.setenv(HYLOMATH_KERNEL = former))
  best <- core_kernel()
  Sys.setenv(HYLOMATH_KERNEL = order$kernel)
  here <- Sys.info()[["nodename"]]
  if (inherits(try(core_kernel(), silent = TRUE), "try-error")) return(list(lacks = "kernel", host = here, best = best))
  # the cores of the asker's machine are shared out; another machine's are its own
  threads <- options(hylomath.threads = if (here == order$host) order$threads else getOption("hylomath.threads"))
  on.exit(options(threads), add = TRUE)
  results <- vector("list", length(order$jobs))
  run_here(table, order$jobs, function(i, result) results[[i]] <<- result, function(event) NULL)
  list(results = results)
}

# NULL where there is no such file here, or it is another one. Its bytes are checked before R makes anything of them.
read_shared_table <- function(shared, hash) {
  if (is_table_folder(shared$file)) {
    table <- read_table(shared$file)
    return(if (identical(table_hash(table), hash)) table)
  }
  if (!file.exists(shared$file)) return(NULL)
  bytes <- readBin(shared$file, "raw", file.size(shared$file))
  if (identical(cli::hash_raw_sha256(bytes), shared$checksum)) unserialize(bytes)
}

# The last table that this worker was given is kept.
the_table <- new.env()

table_by_hash <- function(order) {
  if (identical(the_table$hash, order$hash)) return(the_table$table)
  table <- order$table
  if (is.null(table)) table <- read_shared_table(order$shared, order$hash)
  if (is.null(table)) return(NULL)
  the_table$hash <- order$hash
  the_table$table <- table
  table
}

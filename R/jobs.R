# Many fits over one table: folds, searches and siftings all come down to a list of jobs, which is worked off here, by
# the core's threads or by the workers of a future::plan().
#
# A job is plain data, so that it can travel and be told from others: `plan` (see plan-folds.R), `fold`, the number of
# one of the plan's folds, and `want`, the word for what is made of the fit (see jobs-wanted.R); `taught`, if there is
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

# Jobs worked off by the core's own threads.

# So much of encoded tables is held at a time.
most_bytes_at_once <- 1e9

# `keep` gets the number of each job that was done and its result; jobs that an interrupt cut short are left out. Whether there was one.
run_here <- function(table, jobs, keep, report) {
  lay <- remembering(function(plan) lay_folds(plan, table))
  todo <- seq_along(jobs)
  while (length(todo)) {
    specs <- list()
    bytes <- 0
    while (length(todo) && (length(specs) == 0 || bytes < most_bytes_at_once)) {
      job <- jobs[[todo[1]]]
      laid <- lay(job$plan)
      spec <- fold_spec(laid$plan$brief, laid$table, laid$parts(job$fold), job$fold, job$taught)
      specs[[as.character(todo[1])]] <- spec
      bytes <- bytes + 8 * length(spec$core$rows) * length(network_inputs(spec$preparation))
      todo <- todo[-1]
    }
    numbers <- as.integer(names(specs))
    each <- function(i, fit) {
      if (fit$stopped == "interrupted") return(NULL)
      keep(numbers[i], job_results()[[jobs[[numbers[i]]]$want]](specs[[i]], fit))
      TRUE
    }
    step <- function(event) report(utils::modifyList(event, list(event = "step", fit = numbers[event$fit], epochs = specs[[event$fit]]$core$regimen$epochs)))
    kept <- fit_networks(specs, epoch_reporter(step, list()), each)
    if (attr(kept, "interrupted")) return(TRUE)
  }
  FALSE
}

# The function, but for the same argument as in the last call its last value.
remembering <- function(f) {
  last <- list()
  function(x) {
    if (!identical(last$x, x)) last <<- list(x = x, value = f(x))
    last$value
  }
}

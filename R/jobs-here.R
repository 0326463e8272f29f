# Jobs worked off by the core's own threads.

# So much of encoded tables is held at a time.
most_bytes_at_once <- 1e9

# `keep` gets the number of each job of `todo` that was done and its result; jobs that an interrupt cut short are left
# out. Whether there was one.
run_here <- function(table, jobs, keep, report, laid = list(), todo = seq_along(jobs),
                     checkpoint = no_checkpoint()) {
  lay <- remembering(function(plan) lay_folds(plan, table), lapply(laid, function(one) list(x = one$plan, value = one)))
  while (length(todo)) {
    specs <- next_specs(jobs, todo, lay)
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
next_specs <- function(jobs, todo, lay) {
  specs <- list()
  bytes <- 0
  for (number in todo) {
    job <- jobs[[number]]
    spec <- fold_spec(lay(job$plan), job$fold, job$taught, job$on)
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

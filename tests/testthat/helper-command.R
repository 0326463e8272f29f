# The command: its exit status and what it wrote to standard output and standard error.

program <- system.file("cli", "hylomath.R", package = "hylomath")
library_paths <- paste(normalizePath(.libPaths()), collapse = .Platform$path.sep)
libraries <- paste0("R_LIBS=", shQuote(library_paths))  # for a shell

# By its starter, in an R of its own. That takes seconds: for what concerns the process itself.
hylomath_started <- function(..., env = character()) {
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  status <- suppressWarnings(
    system2(
      file.path(R.home("bin"), "Rscript"), shQuote(c(program, ...)), stdout = out, stderr = err, env = c(libraries, env)
    )
  )
  list(status = status, out = readLines(out, warn = FALSE), err = readLines(err, warn = FALSE))
}

# What the command loads as it needs it, so that its forks have it.
load_for_commands <- function() {
  for (package in c("optparse", "data.table", "ggplot2", "ragg", "svglite", "htmltools", "yaml", "DBI", "RSQLite")) {
    requireNamespace(package, quietly = TRUE)
  }
}

# In a fork of this R, which has the package already and is not changed by what the command does.
hylomath <- function(..., env = character()) {
  if (.Platform$OS.type != "unix") return(hylomath_started(..., env = env))
  load_for_commands()
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  job <- parallel::mcparallel(
    {
      settings <- strsplit(env, "=", fixed = TRUE)
      for (one in settings) do.call(Sys.setenv, stats::setNames(list(one[2]), one[1]))
      if (exists(".Random.seed", globalenv())) rm(".Random.seed", envir = globalenv())
      errors <- file(err, "w")
      sink(out)
      sink(errors, type = "message")
      # a process shows its warnings as it ends
      status <- withCallingHandlers(cli_run(c(...)), warning = function(w) {
        message("Warning message:\n", conditionMessage(w))
        tryInvokeRestart("muffleWarning")
      })
      sink(type = "message")
      sink()
      close(errors)
      as.integer(status)
    },
    silent = TRUE
  )
  status <- parallel::mccollect(job)[[1]]
  read <- function(file) if (file.exists(file)) readLines(file, warn = FALSE) else character()
  list(status = if (is.integer(status)) status else 70L, out = read(out), err = read(err))
}

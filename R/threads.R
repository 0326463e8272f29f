# How many threads the core is given: the option `hylomath.threads`, else all cores. No result depends on it.

# Counting cores starts a process, so they are counted once.
core_count <- local({
  counted <- NULL
  function() {
    if (is.null(counted)) counted <<- max(1L, parallel::detectCores(), na.rm = TRUE)
    counted
  }
})

thread_count <- function() as.integer(getOption("hylomath.threads") %||% core_count())

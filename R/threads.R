# How many threads the core is given: the option `hylomath.threads`, else all cores. No result depends on it.

# Counting cores starts a process, so they are counted once.
core_count <- local({
  counted <- NULL
  function() {
    if (is.null(counted)) counted <<- max(1L, parallel::detectCores(), na.rm = TRUE)
    counted
  }
})

# More threads than this many times the cores only stand in each other's way.
most_threads_a_core <- 4

thread_count <- function() {
  asked <- getOption("hylomath.threads") %||% core_count()
  if (!is.numeric(asked) || length(asked) != 1 || is.na(asked) || asked < 1 || asked != round(asked)) {
    fail(
      sprintf("The option `hylomath.threads` must be a whole number from 1, not %s.", describe(asked)),
      "Set it back: options(hylomath.threads = NULL) takes all cores."
    )
  }
  as.integer(min(asked, most_threads_a_core * core_count()))
}

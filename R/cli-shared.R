# What the subcommands share: how results and messages are given, and options read.

cli_result <- function(x, options, facts, silent = FALSE, ...) {
  if (options$json) cli_json(facts) else if (!silent) print(x, ...)
  NULL
}

cli_json <- function(x) write_lines(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, na = "null", null = "null", pretty = TRUE))

cli_say <- function(options, text) if (!isTRUE(options$quiet)) message(text)

cli_progress <- function(options) {
  if (options$quiet) return("none")
  switch(options$progress, auto = "auto", none = "none", line = progress_line, lines = progress_lines,
    cli_wrong(sprintf("`--progress` can't be %s: it is line, lines, none or auto.", describe(options$progress)), "train")
  )
}

# The workers of the command: `--workers`, or what R_FUTURE_PLAN says when the package that heeds it is loaded.
cli_plan <- function(workers) {
  if (is.null(workers) && !nzchar(Sys.getenv("R_FUTURE_PLAN"))) return()
  rlang::check_installed("future", "to spread fits over workers")
  if (is.null(workers)) return(loadNamespace("future"))
  number <- as_one_number(workers)
  if (is.na(number)) future::plan(future::cluster, workers = cli_words(workers)) else future::plan(future::multisession, workers = type_number(1, 1000, whole = TRUE)(number, "--workers"))
}

cli_drawing <- function(figure, options) {
  if (is.null(options$figure)) return()
  write_figure(figure, options$figure)
  message(sprintf("Drew %s.", options$figure))
}

cli_number <- function(text, name, default = NULL) {
  if (is.null(text)) return(default)
  number <- as_one_number(text)
  if (is.na(number)) cli_wrong(sprintf("`--%s` must be a number, not %s.", name, describe(text)))
  number
}

cli_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1]])

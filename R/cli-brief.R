# From a brief file and the options of a subcommand to the brief that it works on.

# A brief file with its table, and what the command line overrides.
cli_brief_and_table <- function(file, options, beside = NULL) {
  b <- cli_override(read_brief(file, read = FALSE), options$set)
  options(hylomath.catch_term = TRUE)
  cli_plan(options$workers)
  if (is.null(b$data)) fail(sprintf("%s names no table.", quoted(file)), "Add the lines `data:` and `  file: <table>.csv`.")
  read_brief_table(b, dirname(file), beside)
}

# `--set regimen.epochs=50`, as if the brief file said so.
cli_override <- function(b, pairs) {
  if (length(pairs) == 0) return(b)
  settings <- brief_settings(b)
  for (pair in pairs) {
    if (!grepl("=", pair)) cli_wrong(sprintf("`--set %s` has no value: write it as key=value.", pair))
    path <- strsplit(sub("=.*", "", pair), ".", fixed = TRUE)[[1]]
    value <- parse_yaml(paste0("value: ", sub("^[^=]*=", "", pair)), sprintf("`--set %s`", pair))$value
    settings <- cli_settle(set_at(settings, path, value))
  }
  changed <- complete_brief(settings)
  if (is.null(b$table)) changed else attach_table(changed, b$table)
}

# The settings with a value at a path, whose upper parts may not be there yet. A word in its way is the kind of what is set
# (`regimen.loss.knee`), or gives way (`regimen.stop.seconds` for `none`); another kind has settings of its own.
set_at <- function(settings, path, value) {
  if (is.character(settings)) settings <- if (settings[1] %in% c("none", "even", "auto")) list() else list(kind = settings[1])
  if (path[1] == "kind") settings <- list()
  settings <- as.list(settings)
  settings[[path[1]]] <- if (length(path) == 1) value else set_at(settings[[path[1]]], path[-1], value)
  settings
}

# What is wrong with a key on the command line is a wrong call.
cli_settle <- function(settings) {
  tryCatch(
    settle_settings(settings, brief_schema()),
    hylomath_error = function(e) fail(e$what, e$try, class = "hylomath_error_usage")
  )
}

# Before hours of training, not after.
check_can_write <- function(file) {
  folder <- dirname(file)
  if (!dir.exists(folder)) fail(sprintf("There is no folder %s to write %s into.", quoted(folder), quoted(basename(file))))
  if (dir.exists(file)) fail(sprintf("%s is a folder; the model needs a file name.", quoted(file)))
  if (file.access(folder, 2) != 0) fail(sprintf("The folder %s is not writable.", quoted(folder)))
}

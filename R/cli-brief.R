# From a brief file and the options of a subcommand to the brief that it works on.

# A brief file with its table, and what the command line overrides.
cli_brief_and_table <- function(file, options, beside = NULL) {
  b <- cli_override(read_brief(file, read = FALSE), options$set)
  if (isTRUE(options$quick)) b <- quick(b)
  b <- with_seeds(b, checkpoint_seeds(options$checkpoint))
  options(hylomath.catch_term = TRUE)
  cli_plan(options$workers)
  if (is.null(b$data)) {
    fail(sprintf("%s names no table.", quoted(file)), "Add the lines `data:` and `  file: <table>.csv`.")
  }
  read_brief_table(b, dirname(file), beside)
}

# Seeds that the brief leaves open are those of the checkpoint that is to be gone on from.
with_seeds <- function(b, seeds) {
  for (section in names(drop_nulls(seeds))) b[[section]]$seed <- b[[section]]$seed %||% seeds[[section]]
  b
}

# `--set regimen.epochs=50`, as if the brief file said so.
cli_override <- function(b, pairs) {
  if (length(pairs) == 0) return(b)
  said <- brief_settings(b)
  for (pair in pairs) {
    if (!grepl("^[^=]+=", pair)) cli_wrong(sprintf("`--set %s` is no key with its value: write it as key=value.", pair))
    path <- strsplit(sub("=.*", "", pair), ".", fixed = TRUE)[[1]]
    value <- cli_set_value(pair)
    said <- cli_said(settle_settings(set_at(said, path, value), brief_schema()))
  }
  if (!is.null(b$table)) cli_columns(b$table, said$columns$drop, "set columns.drop")
  cli_said(complete_brief(said, b$table))
}

# A list or a map in YAML, and everything else as it stands.
cli_set_value <- function(pair) {
  text <- sub("^[^=]*=", "", pair)
  read <- function() parse_yaml(paste0("value: ", text), sprintf("`--set %s`", pair))$value
  if (grepl("^[[:space:]]*[[{]", text)) return(cli_said(read()))
  tryCatch(read(), hylomath_error = function(e) text)
}

# What `--set` says of how a table is read, which has to be known before its kinds are guessed.
cli_reading <- function(pairs) {
  said <- list()
  for (pair in grep("^(data|columns[.]formats)[.][^=]+=", pairs, value = TRUE)) {
    key <- sub("=.*", "", pair)
    path <- if (startsWith(key, "data.")) c("data", sub("^data[.]", "", key)) else {
      c("columns", "formats", sub("^columns[.]formats[.]", "", key))
    }
    said <- set_at(said, path, cli_set_value(pair))
  }
  cli_said(settle_settings(said, brief_schema()))
}

# Where a subcommand writes when nothing is said: beside the brief, with another ending.
cli_beside <- function(file, ending) paste0(sub("[.]ya?ml$", "", file), ending)

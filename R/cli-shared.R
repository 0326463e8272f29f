# What the subcommands share: how results and messages are given, and options read.

cli_result <- function(x, options, facts, ...) {
  if (options$json) cli_json(facts) else if (!isTRUE(options$quiet)) print(x, ...)
  NULL
}

cli_json <- function(x) {
  write_lines(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, na = "null", null = "null", pretty = TRUE))
}

cli_say <- function(options, text) if (!isTRUE(options$quiet)) message(harmless(text))

cli_progress <- function(options) {
  if (options$quiet) return("none")
  switch(options$progress, line = progress_line, lines = progress_lines, options$progress)
}

# The workers of the command: `--workers`, or what R_FUTURE_PLAN says when the package that heeds it is loaded.
cli_plan <- function(workers) {
  if (is.null(workers) && !nzchar(Sys.getenv("R_FUTURE_PLAN"))) return()
  number <- if (!is.null(workers)) as_one_number(workers) else NA
  if (!is.na(number)) return(options(hylomath.workers = number))
  rlang::check_installed("future", "to spread fits over workers")
  if (is.null(workers)) return(loadNamespace("future"))
  future::plan(future::cluster, workers = started_on(cli_words(workers)))
}

# An R on each of these hosts. Whether they respond is asked first: what waits for one that doesn't waits for ever.
started_on <- function(hosts) {
  loadNamespace("future")  # which takes its own settings from the environment
  silent <- Filter(Negate(is_reached_by_ssh), setdiff(hosts, c("localhost", "127.0.0.1", Sys.info()[["nodename"]])))
  if (length(silent)) {
    fail(
      sprintf("No R is reached on %s.", enumerate(quoted(silent))),
      sprintf("`ssh %s Rscript --version` has to work without a password.", silent[1])
    )
  }
  future::makeClusterPSOCK(hosts)
}

is_reached_by_ssh <- function(host) {
  command <- getOption("parallelly.makeNodePSOCK.rshcmd", "ssh")
  # of other commands the options are not known
  if (!identical(command, "ssh")) return(TRUE)
  how <- c(getOption("parallelly.makeNodePSOCK.rshopts"), "-o", "BatchMode=yes", "-o", "ConnectTimeout=20")
  words <- c(how, shQuote(host), shQuote("Rscript --version"))
  suppressWarnings(system2(command, words, stdout = FALSE, stderr = FALSE, timeout = 60)) == 0
}

# A number of processes, or names of hosts.
type_workers <- function(value, key) {
  if (!is.na(as_one_number(value))) return(as.character(type_count(1000)(value, key)))
  if (!all(grepl("^[[:alnum:]_][[:alnum:]_.:@-]*$", cli_words(value))) || !nzchar(value)) {
    what <- "%s must be a number of processes, or names of hosts with commas between them, not %s."
    fail(sprintf(what, quoted(key), describe(value)))
  }
  value
}

# Whether a table, or the names of its columns, has those that an option names.
cli_columns <- function(table, columns, option) {
  known <- if (is.data.frame(table)) names(table) else table
  unknown <- setdiff(columns, known)
  if (length(unknown) == 0) return()
  what <- sprintf("`--%s` names the column %s, which isn't there.", option, quoted(unknown[1]))
  fail(what, suggestion(unknown[1], known), class = "hylomath_error_usage")
}

cli_drawing <- function(figure, options) {
  if (is.null(options$figure)) return()
  write_figure(figure, options$figure)
  cli_say(options, sprintf("Drew %s.", options$figure))
}

# Draws each of the figures, a list by name, into a folder.
cli_draw_all <- function(figures, folder, width_of = function(name) 1280) {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  for (name in names(figures)) {
    write_figure(figures[[name]], file.path(folder, paste0(name, ".png")), width = width_of(name))
  }
  message(sprintf("Drew %s in %s.", enumerate(paste0(names(figures), ".png")), folder))
}

# Writes a table, and says so.
cli_write_table <- function(table, options, what = "row") {
  write_table(table, options$output)
  cli_say(options, sprintf("Wrote %s: %s.", options$output, counted(nrow(table), what)))
}

# Writes a model with what is known of its test rows, and says so.
cli_write_model <- function(model, output, options, former = NULL, rows = TRUE) {
  write_model(with_looks(model, former), output, rows = rows)
  cli_say(options, sprintf("Wrote %s.", output))
}

cli_write_brief <- function(b, options) {
  if (is.null(options$output)) return()
  write_brief(b, options$output)
  cli_say(options, sprintf("Wrote %s.", options$output))
}

cli_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1]])

# Where no checkpoint is named it lies beside the result: but for a result that goes to standard output, or that is to
# have nothing of single rows, since a checkpoint has.
cli_checkpoint <- function(options, beside, bare = FALSE) {
  named <- options$checkpoint
  if (!is.null(named)) return(if (named != "none") named)
  if (!bare && !isTRUE(options$piped)) list(file = paste0(beside, ".kept"), after = 60)
}

# Finished work needs no checkpoint any more.
cli_end_checkpoint <- function(options, interrupted) {
  place <- if (!is.null(options$checkpoint)) check_checkpoint(options$checkpoint)$file
  if (!interrupted) return(unlink(place, expand = FALSE))
  if (isTRUE(file.exists(place))) {
    cli_say(options, sprintf("%s has the state of this work. The same command goes on from it.", place))
  }
}

# ---- facts as JSON ---------------------------------------------------------------------------------------------------

# What is given as JSON.

# What a script wants to know of a model.
model_facts <- function(model) {
  b <- model$brief
  run <- training_run(model)
  curves <- run$curves
  list(
    target = b$target, task = b$task, wiring = wiring_text(model), parts = parts_of(model),
    parameters = all_parameters(model$predictor), epochs = run$epochs, best_epoch = run$best,
    stopped = run$stopped, seconds = model$seconds, method = regimen_of(model)$method,
    training_loss = curves$training[run$best], validation_loss = curves$validation[run$best],
    identity = identity_of(model), version = model$version, kernel = model$kernel, holds = rows_in_model(model),
    states = !is.null(model$states), resumed = model$resumed, refitted = model$refitted,
    restarts = model$restarts, members = model$members, notes = notes(model)
  )
}

# All but the evaluated rows themselves.
appraisal_facts <- function(appraisal) {
  behind <- c(
    "evaluated", "weight", "unit", "confusion", "decision", "linear", "losses", "held", "when", "order", "order_kind"
  )
  facts <- appraisal[setdiff(names(appraisal), behind)]
  if (!is.null(appraisal$confusion)) {
    facts$confusion <- confusion_table(appraisal)
    facts$calibration <- calibration_curve(appraisal)
  }
  facts
}

# What a script wants to know of a result.
result_facts <- function(found) {
  switch(class(found)[1],
    hylomath_folds = fold_facts(found),
    hylomath_variation = found[c("setting", "values", "against", "k", "repeats")],
    hylomath_more_rows = found[c("sizes", "curve", "now", "ahead", "gain", "law", "primary", "k", "repeats")],
    hylomath_sifting = found[c("path", "best", "small", "dropped", "direction")],
    hylomath_scouting = found[c(
      "trials", "settings", "best", "own", "stopped", "evaluate", "k", "repeats", "primary", "where", "file"
    )],
    unclass(found)
  )
}

fold_facts <- function(found) {
  pooled <- found$pooled
  facts <- c(found[c("measures", "each", "by", "k", "repeats")], list(notes = pooled[["notes"]]))
  if (!is.null(pooled$confusion)) facts$confusion <- confusion_table(pooled)
  facts
}

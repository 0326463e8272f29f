# The options of subcommands: how one is described, and those that several share.

# `metavar` stands for the value in the help; a flag has none. `type` is one of those that settings have: what it
# refuses is a wrong call, before anything is read.
cli_option <- function(flags, help, metavar = NULL, type = NULL, action = "store", default = NULL) {
  list(flags = flags, help = help, metavar = metavar, type = type, action = action, default = default)
}

cli_flag <- function(flags, help) cli_option(flags, help, action = "store_true")

cli_all_options <- function(verb) c(list(cli_flag(c("-h", "--help"), "Show this help.")), verb$options)

# The name by which the value of an option is found: `--most-rows` is most-rows.
option_key <- function(option) sub("^--", "", option$flags[length(option$flags)])

flags_of <- function(verb) unlist(lapply(cli_all_options(verb), `[[`, "flags"))

# Said once; the table of subcommands names them.
shared_options <- function() {
  list(
    output = cli_option(c("-o", "--output"), "Where to write the result.", "FILE"),
    output_model = cli_option(
      c("-o", "--output"), "Where to write the model; over the former one when it is not given.", "FILE"
    ),
    set = cli_option(
      "--set", "Override a key of the brief, such as regimen.epochs=50. May be given again.", "KEY=VALUE",
      action = "append"
    ),
    spreadsheet = cli_flag(
      "--spreadsheet", "Write cells that a spreadsheet takes for formulas with an apostrophe before them."
    ),
    json = cli_flag("--json", "Give the result as JSON on standard output."),
    quiet = cli_flag(c("-q", "--quiet"), "Say nothing but errors."),
    quick = cli_flag("--quick", "Train one network in place of an ensemble."),
    progress = cli_option(
      "--progress", "How progress is shown: line (one that is updated), lines, none, or auto.", "KIND",
      type_choice(c("line", "lines", "none", "auto")), default = "auto"
    ),
    query = cli_option(
      "--query",
      paste(
        "SQL for a database in place of a table: a SQLite file, or the name of a PostgreSQL database",
        "(PGHOST, PGUSER, ... are heeded)."
      ),
      "SQL"
    ),
    workers = cli_option(
      "--workers",
      paste(
        "Spread the fits: a number of processes here, or host names with commas between them.",
        "The environment variable R_FUTURE_PLAN is heeded too."
      ),
      "WHO", type_workers
    ),
    keep = cli_option(
      "--keep",
      "A file to keep the whole result in; `hylomath show` opens it, and `hylomath lineup` compares folds.", "FILE"
    ),
    figure = cli_option("--figure", "Draw it into a file (.png, .pdf or .svg).", "FILE"),
    row = cli_option("--row", "The id of the row, or its number from 1. Needed.", "ROW", type_text()),
    of = cli_option("--of", "Classes or targets to look at, with commas between them.", "NAMES"),
    repeats = cli_option("--repeats", "How often the rows are dealt anew.", "N", type_repeats()),
    by = cli_option(
      "--by", "How rows are dealt: stratified, random, ordered or group.", "HOW", type_choice(dealing_ways)
    ),
    checkpoint = cli_option(
      "--checkpoint",
      paste(
        "Keep in this file the networks that are trained; killed and called again, it goes on from there to the same",
        "bits. Removed at the end. Without this option it is the brief's name with the command's and .kept, written",
        "after a minute. `none` keeps nothing."
      ),
      "FILE"
    ),
    folds_5 = cli_option("--k", "The number of folds; 5 when it is not given.", "N", type_folds()),
    folds_10 = cli_option("--k", "The number of folds; 10 when it is not given.", "N", type_folds())
  )
}

# A list of options: own ones as they are, shared ones by their names.
cli_options <- function(...) {
  lapply(list(...), function(option) if (is.character(option)) shared_options()[[option]] else option)
}

# ---- calls that are wrong --------------------------------------------------------------------------------------------

# A call that was wrong: it ends with status 2.

# What `code` refuses was said in the call.
cli_said <- function(code, name = NULL) {
  tryCatch(code, hylomath_error = function(e) {
    try <- e$try %||% sprintf("See %s.", cli_help_of(name))
    fail(e$what, try, class = "hylomath_error_usage")
  })
}

cli_wrong <- function(what, name = NULL) {
  fail(what, sprintf("See %s.", cli_help_of(name)), class = "hylomath_error_usage")
}

cli_help_of <- function(name) paste(c("hylomath", name, "--help"), collapse = " ")

# ---- files of a call -------------------------------------------------------------------------------------------------

# The files of a call: what is to be written is looked at before any work; `-` stands for standard input and output.

# That each output's folder is there, and that none takes an input's place.
cli_check_outputs <- function(verb, name, parsed) {
  for (option in verb$options) {
    file <- parsed$options[[option_key(option)]]
    if (is.null(file)) next
    if (identical(option$metavar, "FOLDER")) cli_said(check_can_make_folder(file), name)
    if (!identical(option$metavar, "FILE") || file == "-") next
    cli_said(check_can_write(file), name)
    # a model can be written over the one that it comes from
    if (identical(option, shared_options()$output_model) || !file.exists(file)) next
    inputs <- parsed$arguments[file.exists(parsed$arguments)]
    if (normalizePath(file) %in% normalizePath(inputs)) {
      what <- "`%s %s` would take the place of a file that is read."
      cli_wrong(sprintf(what, option$flags[length(option$flags)], harmless(file)), name)
    }
  }
}

# `-` as an output: list(options, deliver), where the verb writes into a file of its own and says nothing beside it, and
# `deliver()` puts that on standard output. What is written row by row goes there by itself.
cli_through_output <- function(verb, name, options) {
  outputs <- vapply(Filter(function(option) identical(option$metavar, "FILE"), verb$options), option_key, "")
  piped <- Filter(function(key) identical(options[[key]], "-"), outputs)
  if (length(piped) == 0 || verb$input == "stream") return(list(options = options, deliver = function() NULL))
  if (length(piped) > 1 || isTRUE(options$json)) {
    cli_wrong("Only one thing can be written to standard output.", name)
  }
  file <- tempfile(fileext = if (piped %in% c("figure", "network")) ".png" else "")
  options[[piped]] <- file
  options$quiet <- TRUE
  options$piped <- TRUE
  list(options = options, deliver = function() {
    core_write_output(readBin(file, "raw", file.size(file)))
    unlink(file)
  })
}

# Standard input as a file, for the verbs that look at a table more than once; so is what comes by a pipe that the shell
# names, as with <(...).
cli_from_input <- function(verb, name, arguments) {
  piped <- arguments %in% c("-", "/dev/stdin")
  if (verb$input == "stream") return(replace(arguments, piped, "-"))
  handed <- grepl("^/(dev/fd|proc/self/fd)/[0-9]+$", arguments)
  if (!any(piped | handed)) return(arguments)
  if (verb$input == "none") {
    cli_wrong(sprintf("`hylomath %s` takes no standard input (-): give a file.", name), name)
  }
  if (sum(piped) > 1) cli_wrong("Standard input (-) is one table.", name)
  for (i in which(handed)) arguments[i] <- text_from(arguments[i])
  if (any(piped)) arguments[piped] <- text_from("-")
  arguments
}

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

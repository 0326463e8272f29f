# Parsing a subcommand's words and running it.

# Runs one of `verbs` with its words; returns the exit status.
cli_call <- function(verbs, args) {
  name <- args[1]
  if (!name %in% names(verbs)) {
    cli_wrong(paste(sprintf("There is no command %s.", quoted(name)), suggestion(name, names(verbs))))
  }
  parsed <- cli_parse(verbs[[name]], name, args[-1])
  if (is.null(parsed)) return(0L)
  verb <- verbs[[name]]
  cli_check_outputs(verb, name, parsed)
  through <- cli_through_output(verb, name, parsed$options)
  arguments <- cli_from_input(verb, name, parsed$arguments)
  attach_usual_packages()
  if (isTRUE(through$options$quiet) || identical(through$options$progress, "none")) {
    former <- options(hylomath.progress = NULL)
    on.exit(options(former))
  }
  withr::local_options(hylomath.place = "shell")
  if (isTRUE(through$options$spreadsheet)) withr::local_options(hylomath.spreadsheet = TRUE)
  status <- verb$run(arguments, through$options)
  through$deliver()
  if (is.integer(status)) status else 0L
}

# The starter leaves them out for a quick start; packages that draw count on them.
attach_usual_packages <- function() {
  usual <- c("datasets", "methods", "utils", "grDevices", "graphics", "stats")
  for (package in usual[!paste0("package:", usual) %in% search()]) attachNamespace(package)
}

# Returns list(options, arguments), or NULL when help was asked for (and printed).
cli_parse <- function(verb, name, args) {
  rlang::check_installed("optparse", "for the command")
  repeated <- cli_take_repeated(verb$options, cli_joined(verb, args, name))
  parser <- cli_parser(verb)
  parsed <- tryCatch(
    optparse::parse_args(parser, repeated$rest, print_help_and_exit = FALSE, positional_arguments = TRUE),
    error = function(e) cli_wrong(cli_parser_words(conditionMessage(e), flags_of(verb)), name)
  )
  if (isTRUE(parsed$options$help)) {
    write_lines(cli_help(verb, name))
    return(NULL)
  }
  n <- length(parsed$args)
  if (n < verb$least || n > verb$most) {
    takes <- if (verb$most == 0) "no files" else verb$takes
    cli_wrong(sprintf("`hylomath %s` takes %s, not %s.", name, takes, counted(n, "argument")), name)
  }
  given <- utils::modifyList(parsed$options, repeated$values)
  list(options = cli_typed(with_all_options(given, verb$options), verb$options, name), arguments = parsed$args)
}

# What stands behind an option is its value, be it `-1`: each with its value as one word, `--k=-1`.
cli_joined <- function(verb, args, name) {
  flags <- flags_of(verb)
  joined <- character()
  while (length(args)) {
    if (args[1] == "--") return(c(joined, args))
    option <- Find(function(option) args[1] %in% option$flags && !is.null(option$metavar), verb$options)
    if (is.null(option)) {
      joined <- c(joined, args[1])
      args <- args[-1]
    } else {
      if (length(args) == 1 || args[2] %in% flags) {
        cli_wrong(sprintf("`%s` wants %s behind it.", args[1], option$metavar), name)
      }
      joined <- c(joined, paste0("--", option_key(option), "=", args[2]))
      args <- args[-(1:2)]
    }
  }
  joined
}

# Each value as what its type makes of it; one that it refuses is a wrong call.
cli_typed <- function(values, options, name) {
  for (option in options) {
    key <- option_key(option)
    if (is.null(option$type) || is.null(values[[key]])) next
    values[[key]] <- cli_said(option$type(values[[key]], paste0("--", key)), name)
  }
  values
}

cli_parser <- function(verb) {
  optparse::OptionParser(
    prog = "hylomath", add_help_option = FALSE, option_list = lapply(cli_all_options(verb), cli_make_option)
  )
}

# Every option of the verb by its name, NULL when it was not given: `options$k` would otherwise find `keep`.
with_all_options <- function(given, options) {
  known <- vapply(options, option_key, "")
  given[setdiff(known, names(given))] <- list(NULL)
  given
}

# The parser keeps only the last value of a flag, so those that may be given again are taken out before it.
cli_take_repeated <- function(options, args) {
  values <- list()
  for (option in Filter(function(o) o$action == "append", options)) {
    given <- startsWith(args, paste0(option$flags, "="))
    values[[option_key(option)]] <- sub("^[^=]*=", "", args[given])
    args <- args[!given]
  }
  list(values = values, rest = args)
}

cli_make_option <- function(option) {
  if (option$action == "store_true") {
    return(optparse::make_option(option$flags, action = "store_true", default = FALSE, help = option$help))
  }
  optparse::make_option(
    option$flags, type = "character", default = option$default, help = option$help, metavar = option$metavar
  )
}

# The parser's messages name its own functions; what stands behind the last colon is for the reader.
cli_parser_words <- function(message, flags) {
  unknown <- "^.*(flag|option):? \"?([^\" ]+)\"?( is invalid.*|.*)$"
  if (!grepl(unknown, message)) return(sub("^Error[^:]*: *", "", message))
  flag <- sub("=.*", "", sub(unknown, "\\2", message))
  if (!startsWith(flag, "-")) flag <- paste0("--", flag)
  long <- flags[startsWith(flags, "--")]
  meant <- did_you_mean(sub("^-+", "", flag), sub("^--", "", long))
  paste(c(sprintf("There is no option %s.", flag), sub("`([^`]+)`", "`--\\1`", meant)), collapse = " ")
}

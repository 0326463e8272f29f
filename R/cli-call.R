# Parsing a subcommand's words and running it.

# Runs one of `verbs` with its words; returns the exit status.
cli_call <- function(verbs, args) {
  name <- args[1]
  if (!name %in% names(verbs)) {
    cli_wrong(paste(sprintf("There is no command %s.", quoted(name)), suggestion(name, names(verbs))))
  }
  parsed <- cli_parse(verbs[[name]], name, args[-1])
  if (is.null(parsed)) return(0L)
  cli_check_outputs(verbs[[name]], name, parsed)
  arguments <- cli_from_input(verbs[[name]], name, parsed$arguments)
  attach_usual_packages()
  if (isTRUE(parsed$options$quiet) || identical(parsed$options$progress, "none")) {
    former <- options(hylomath.progress = NULL)
    on.exit(options(former))
  }
  status <- verbs[[name]]$run(arguments, parsed$options)
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
  repeated <- cli_take_repeated(verb$options, args, name)
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
  list(options = with_all_options(given, verb$options), arguments = parsed$args)
}

# What is to be written is looked at before any work: that its folder is there, and that it takes no input's place.
cli_check_outputs <- function(verb, name, parsed) {
  for (option in verb$options) {
    key <- sub("^--", "", option$flags[length(option$flags)])
    file <- parsed$options[[key]]
    if (!identical(option$metavar, "FILE") || is.null(file) || file == "-") next
    check_can_write(file)
    # a model can be written over the one that it comes from
    if (identical(option, shared_options()$output_model) || !file.exists(file)) next
    inputs <- parsed$arguments[file.exists(parsed$arguments)]
    if (normalizePath(file) %in% normalizePath(inputs)) {
      what <- "`%s %s` would take the place of a file that is read."
      cli_wrong(sprintf(what, option$flags[length(option$flags)], harmless(file)), name)
    }
  }
}

# Standard input as a file, for the verbs that look at a table more than once.
cli_from_input <- function(verb, name, arguments) {
  piped <- arguments == "-"
  if (!any(piped) || verb$input == "stream") return(arguments)
  if (verb$input == "none") {
    cli_wrong(sprintf("`hylomath %s` takes no standard input (-): give a file.", name), name)
  }
  if (sum(piped) > 1) cli_wrong("Standard input (-) is one table.", name)
  arguments[piped] <- text_from(file("stdin", "rb"))
  arguments
}

cli_parser <- function(verb) {
  optparse::OptionParser(
    prog = "hylomath", add_help_option = FALSE, option_list = lapply(cli_all_options(verb), cli_make_option)
  )
}

# Every option of the verb by its name, NULL when it was not given: `options$k` would otherwise find `keep`.
with_all_options <- function(given, options) {
  known <- vapply(options, function(option) sub("^--", "", option$flags[length(option$flags)]), "")
  given[setdiff(known, names(given))] <- list(NULL)
  given
}

# The parser keeps only the last value of a flag, so those that may be given again are taken out before it.
cli_take_repeated <- function(options, args, name) {
  values <- list()
  for (option in Filter(function(o) o$action == "append", options)) {
    flag <- option$flags
    joined <- startsWith(args, paste0(flag, "="))
    apart <- which(args == flag)
    if (any(apart == length(args))) cli_wrong(sprintf("`%s` wants %s behind it.", flag, option$metavar), name)
    given <- sort(c(which(joined), apart))
    value_of <- function(i) if (joined[i]) sub("^[^=]*=", "", args[i]) else args[i + 1]
    values[[sub("^--", "", flag)]] <- vapply(given, value_of, "")
    args <- args[!seq_along(args) %in% c(given, apart + 1)]
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

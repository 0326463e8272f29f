# Parsing a subcommand's words and running it.

# Runs one of `verbs` with its words; returns the exit status.
cli_call <- function(verbs, args) {
  name <- args[1]
  if (!name %in% names(verbs)) {
    cli_wrong(paste(sprintf("There is no command %s.", quoted(name)), suggestion(name, names(verbs))))
  }
  parsed <- cli_parse(verbs[[name]], name, args[-1])
  if (is.null(parsed)) return(0L)
  status <- verbs[[name]]$run(parsed$arguments, parsed$options)
  if (is.integer(status)) status else 0L
}

# Returns list(options, arguments), or NULL when help was asked for (and printed).
cli_parse <- function(verb, name, args) {
  rlang::check_installed("optparse", "for the command")
  repeated <- cli_take_repeated(verb$options, args, name)
  parser <- cli_parser(verb, name)
  parsed <- tryCatch(
    optparse::parse_args(parser, repeated$rest, positional_arguments = TRUE),
    error = function(e) cli_wrong(cli_parser_words(conditionMessage(e)), name)
  )
  if (isTRUE(parsed$options$help)) {
    optparse::print_help(parser)
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

cli_parser <- function(verb, name) {
  help <- optparse::make_option(c("-h", "--help"), action = "store_true", default = FALSE, help = "Show this help.")
  optparse::OptionParser(
    usage = sprintf("hylomath %s %s [options]", name, verb$takes), prog = "hylomath", add_help_option = FALSE,
    description = paste0("\n", paste(strwrap(verb$does, 80), collapse = "\n")),
    epilogue = sprintf("Example:\n\t%s\n", verb$example),
    option_list = c(list(help), lapply(verb$options, cli_make_option))
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
cli_parser_words <- function(message) {
  message <- sub("^.*(flag|option) \"?([^\" ]+)\"? (is invalid|.*$)", "There is no option \\2.", message)
  sub("^Error[^:]*: *", "", message)
}

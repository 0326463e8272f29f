# The command's subcommands: what each takes and how its help reads. What each does stands in cli-verbs.R.

cli_verbs <- function() {
  output <- cli_option(c("-o", "--output"), "Where to write the result.", metavar = "FILE")
  set <- cli_option("--set", "Override a key of the brief, such as regimen.epochs=50. May be given again.", metavar = "KEY=VALUE", action = "append")
  json <- cli_option("--json", "Give the result as JSON on standard output.", action = "store_true")
  quiet <- cli_option(c("-q", "--quiet"), "Say nothing but errors.", action = "store_true")
  progress <- cli_option("--progress", "How progress is shown: line (one that is updated), lines, none, or auto.", metavar = "KIND", default = "auto")
  list(
    look = list(
      does = "Look at a table: kinds of columns, gaps, class shares, odd things.", takes = "TABLE.csv", run = cli_look, least = 1, most = 1,
      options = list(cli_option(c("-t", "--target"), "The column to predict.", metavar = "COLUMN"), cli_option("--all", "Show every column of a wide table.", action = "store_true"), json),
      example = "hylomath look kilns.csv --target outcome"
    ),
    brief = list(
      does = "Start a brief: guess kinds and task, and write the file that describes the analysis.", takes = "TABLE.csv", run = cli_brief, least = 1, most = 1,
      options = list(cli_option(c("-t", "--target"), "The column to predict. Needed.", metavar = "COLUMN"), output, set, json, quiet),
      example = "hylomath brief kilns.csv --target outcome -o kilns.yml"
    ),
    train = list(
      does = "Train the network of a brief and keep the model. Ctrl-C or SIGTERM ends training; the best network so far is written, marked as interrupted, and the exit status is 1.",
      takes = "BRIEF.yml", run = cli_train, least = 1, most = 1,
      options = list(output, set, progress, json, quiet), example = "hylomath train kilns.yml -o kilns.hylo --set regimen.epochs=100"
    ),
    appraise = list(
      does = "Judge a model on its test rows, or on the rows of another table.", takes = "MODEL.hylo [TABLE.csv]", run = cli_appraise, least = 1, most = 2,
      options = list(
        cli_option("--rows", "Which held-out rows: test or validation.", metavar = "PART"),
        cli_option("--figures", "A folder to draw the loss curves and the confusion matrix (or observed against predicted) into.", metavar = "FOLDER"), json
      ),
      example = "hylomath appraise kilns.hylo --figures figures"
    ),
    predict = list(
      does = "Put a model's answers beside the rows of a table.", takes = "MODEL.hylo TABLE.csv", run = cli_predict, least = 2, most = 2,
      options = list(output, json, quiet), example = "hylomath predict kilns.hylo new.csv -o scored.csv"
    ),
    show = list(
      does = "Show what a model or brief file holds.", takes = "MODEL.hylo|BRIEF.yml", run = cli_show, least = 1, most = 1,
      options = list(cli_option("--brief", "Give the model's brief as YAML.", action = "store_true"), cli_option("--curves", "Give the loss curves as CSV.", action = "store_true"), json),
      example = "hylomath show kilns.hylo --brief > again.yml"
    ),
    demo = list(
      does = "Run the whole example on made-up data and leave its files in a folder.", takes = "", run = cli_demo, least = 0, most = 0,
      options = list(cli_option(c("-o", "--output"), "The folder.", metavar = "FOLDER", default = "hylomath-demo"), progress),
      example = "hylomath demo -o demo"
    )
  )
}

cli_option <- function(flags, help, metavar = NULL, action = "store", default = NULL) {
  list(flags = flags, help = help, metavar = metavar, action = action, default = default)
}

# Returns list(options, arguments), or NULL when help was asked for (and printed).
cli_parse <- function(verb, name, args) {
  rlang::check_installed("optparse", "for the command")
  repeated <- cli_take_repeated(verb$options, args, name)
  args <- repeated$rest
  parser <- optparse::OptionParser(
    usage = sprintf("hylomath %s %s [options]", name, verb$takes), description = paste0("\n", paste(strwrap(verb$does, 80), collapse = "\n")),
    epilogue = sprintf("Example:\n\t%s\n", verb$example), prog = "hylomath", add_help_option = FALSE,
    option_list = c(list(optparse::make_option(c("-h", "--help"), action = "store_true", default = FALSE, help = "Show this help.")), lapply(verb$options, cli_make_option))
  )
  parsed <- tryCatch(optparse::parse_args(parser, args, positional_arguments = TRUE), error = function(e) {
    cli_wrong(cli_parser_words(conditionMessage(e)), name)
  })
  if (isTRUE(parsed$options$help)) {
    optparse::print_help(parser)
    return(NULL)
  }
  n <- length(parsed$args)
  if (n < verb$least || n > verb$most) {
    cli_wrong(sprintf("`hylomath %s` takes %s, not %s.", name, if (verb$most == 0) "no files" else verb$takes, counted(n, "argument")), name)
  }
  list(options = utils::modifyList(parsed$options, repeated$values), arguments = parsed$args)
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
    values[[sub("^--", "", flag)]] <- vapply(given, function(i) if (joined[i]) sub("^[^=]*=", "", args[i]) else args[i + 1], "")
    args <- args[!seq_along(args) %in% c(given, apart + 1)]
  }
  list(values = values, rest = args)
}

cli_make_option <- function(option) {
  if (option$action == "store_true") {
    return(optparse::make_option(option$flags, action = "store_true", default = FALSE, help = option$help))
  }
  optparse::make_option(option$flags, type = "character", default = option$default, help = option$help, metavar = option$metavar)
}

# The parser's messages name its own functions; what stands behind the last colon is for the reader.
cli_parser_words <- function(message) {
  message <- sub("^.*(flag|option) \"?([^\" ]+)\"? (is invalid|.*$)", "There is no option \\2.", message)
  sub("^Error[^:]*: *", "", message)
}

cli_wrong <- function(what, name = NULL) {
  fail(what, sprintf("See hylomath %s--help.", if (is.null(name)) "" else paste0(name, " ")), class = "hylomath_error_usage")
}

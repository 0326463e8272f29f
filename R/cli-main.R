#' The command
#'
#' `run_command()` is what the program `hylomath` calls: it reads its arguments, does the work and ends R with status
#' 0 (done), 1 (the work failed) or 2 (the call was wrong). Results go to standard output, messages to standard error.
#'
#' @param args Arguments, without the program's name.
#' @return Nothing: R ends.
#' @examples
#' \dontrun{
#' run_command(c("look", "kilns.csv", "--target", "outcome"))
#' }
#' @export
run_command <- function(args = commandArgs(trailingOnly = TRUE)) {
  quit(save = "no", status = cli_run(args))
}

# Runs the command in this session and returns its exit status.
cli_run <- function(args) {
  tryCatch(
    cli_dispatch(args),
    hylomath_error_usage = function(e) cli_say_error(e, 2L),
    hylomath_error = function(e) cli_say_error(e, 1L),
    interrupt = function(e) {
      message("Interrupted.")
      1L
    },
    error = function(e) cli_say_error(e, 1L)
  )
}

cli_dispatch <- function(args) {
  verbs <- cli_verbs()
  if (length(args) == 0 || args[1] %in% c("-h", "--help", "help")) {
    write_lines(cli_overview(verbs))
    return(if (length(args) == 0) 2L else 0L)
  }
  if (args[1] == "--version") {
    write_lines(paste("hylomath", utils::packageVersion("hylomath")))
    return(0L)
  }
  name <- args[1]
  if (!name %in% names(verbs)) cli_wrong(paste(sprintf("There is no command %s.", quoted(name)), suggestion(name, names(verbs))))
  parsed <- cli_parse(verbs[[name]], name, args[-1])
  if (is.null(parsed)) return(0L)
  status <- verbs[[name]]$run(parsed$arguments, parsed$options)
  if (is.integer(status)) status else 0L
}

cli_overview <- function(verbs) {
  short <- vapply(verbs, function(v) sub("[.:].*", "", v$does), "")
  c(
    "hylomath: honest feedforward networks for tabular records", "", "Usage: hylomath COMMAND [arguments] [options]", "",
    text_table(list(command = names(verbs), "what it does" = short)), "",
    "hylomath COMMAND --help tells more, with an example. A whole analysis:", "",
    "  hylomath look kilns.csv --target outcome", "  hylomath brief kilns.csv --target outcome -o kilns.yml", "  hylomath train kilns.yml -o kilns.hylo",
    "  hylomath appraise kilns.hylo", "  hylomath predict kilns.hylo new.csv -o scored.csv"
  )
}

cli_say_error <- function(e, status) {
  bullets <- if (inherits(e, "rlang_error")) c(e$message, e$body) else conditionMessage(e)
  message(paste(c(paste0("hylomath: ", bullets[1]), if (length(bullets) > 1) paste0("  ", bullets[-1])), collapse = "\n"))
  status
}

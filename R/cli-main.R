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
  # workers are spoken to through sockets, whose end must not be that of the command
  if (!any(startsWith(args, "--workers")) && !nzchar(Sys.getenv("R_FUTURE_PLAN"))) core_end_on_closed_pipe()
  status <- cli_run(args)
  lost <- core_lost_output()
  if (nzchar(lost)) {
    message("hylomath: Standard output can't be written: ", lost, ".")
    status <- max(status, 1L)
  }
  quit(save = "no", status = status)
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
  verbs <- c(cli_verbs(), list(demo = cli_demo_verb()))
  if (length(args) == 2 && args[1] == "help") args <- c(args[2], "--help")
  if (length(args) == 0 || args[1] %in% c("-h", "--help", "help")) {
    write_lines(cli_overview(verbs))
    return(if (length(args) == 0) 2L else 0L)
  }
  if (args[1] == "--version") {
    write_lines(paste("hylomath", package_version_text()))
    return(0L)
  }
  cli_call(verbs, args)
}

cli_overview <- function(verbs) {
  short <- vapply(verbs, function(v) sub("[.:].*", "", v$does), "")
  c(
    "hylomath: honest feedforward networks for tabular records", "",
    "Usage: hylomath COMMAND [arguments] [options]", "",
    text_table(list(command = names(verbs), "what it does" = short)), "",
    "hylomath COMMAND --help tells more, with an example. A whole analysis:", "",
    "  hylomath look kilns.csv --target outcome",
    "  hylomath brief kilns.csv --target outcome -o kilns.yml",
    "  hylomath train kilns.yml -o kilns.hylo",
    "  hylomath appraise kilns.hylo", "  hylomath predict kilns.hylo new.csv -o scored.csv"
  )
}

cli_say_error <- function(e, status) {
  message("hylomath: ", e$what %||% conditionMessage(e))
  if (!is.null(e$try)) message(paste(strwrap(e$try, cli::console_width(), indent = 2, exdent = 2), collapse = "\n"))
  status
}

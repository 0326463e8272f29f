#' The command
#'
#' `run_command()` is what the program `hylomath` calls: it reads its arguments, does the work and ends R with status
#' 0 (done), 1 (the work failed) or 2 (the call was wrong). Results go to standard output, messages to standard error.
#'
#' @param args Arguments, without the program's name.
#' @return Nothing: R ends.
#' @section Errors: None: what is wrong in a call is said on standard error, and the status is 2.
#' @examples
#' \dontrun{
#' run_command(c("look", "kilns.csv", "--target", "outcome"))
#' }
#' @export
run_command <- function(args = commandArgs(trailingOnly = TRUE)) {
  # what the starter sets for a quick start is not for the processes that are started from here
  Sys.unsetenv("R_DEFAULT_PACKAGES")
  # workers are spoken to through sockets or pipes, whose end must not be that of the command
  if (!any(startsWith(args, "--workers")) && !nzchar(Sys.getenv("R_FUTURE_PLAN"))) core_end_on_closed_pipe()
  core_end_with_a_word()
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
    rlib_error_package_not_found = function(e) {
      hint <- sprintf("Install it: Rscript -e 'install.packages(\"%s\")'.", e$pkg[1])
      cli_say_error(list(what = conditionMessage(e), try = hint), 1L)
    },
    error = function(e) cli_say_fault(e)
  )
}

# What no check has foreseen.
cli_say_fault <- function(e) {
  if (is_out_of_memory(e)) return(tryCatch(fail_out_of_memory(), error = function(e) cli_say_error(e, 1L)))
  message("hylomath: ", harmless(conditionMessage(e)))
  message("  This is a fault of hylomath itself: nothing in the call explains it. Please report it.")
  1L
}

cli_dispatch <- function(args) {
  beside <- list(completion = cli_completion_verb(c(cli_verbs(), list(demo = cli_demo_verb()))), demo = cli_demo_verb())
  groups <- c(cli_groups(), list("Beside them" = beside))
  if (!all(validUTF8(args))) cli_wrong("The call is not in UTF-8.")
  if (length(args) == 2 && args[1] == "help") args <- c(args[2], "--help")
  if (length(args) == 0 || args[1] %in% c("-h", "--help", "help")) {
    write_lines(cli_overview(groups))
    return(if (length(args) == 0) 2L else 0L)
  }
  if (args[1] == "--version") {
    write_lines(paste("hylomath", package_version_text()))
    return(0L)
  }
  cli_call(unlist(unname(groups), recursive = FALSE), args)
}

cli_say_error <- function(e, status) {
  message("hylomath: ", harmless(e$what %||% conditionMessage(e)))
  hint <- if (!is.null(e$try)) strwrap(harmless(e$try), cli::console_width(), indent = 2, exdent = 2)
  if (length(hint)) message(paste(hint, collapse = "\n"))
  status
}

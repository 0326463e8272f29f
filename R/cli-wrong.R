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

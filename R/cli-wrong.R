# A call that was wrong: it ends with status 2.
cli_wrong <- function(what, name = NULL) {
  help <- paste(c("hylomath", name, "--help"), collapse = " ")
  fail(what, sprintf("See %s.", help), class = "hylomath_error_usage")
}

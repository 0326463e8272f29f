# A call that was wrong: it ends with status 2.
cli_wrong <- function(what, name = NULL) {
  fail(what, sprintf("See hylomath %s--help.", if (is.null(name)) "" else paste0(name, " ")), class = "hylomath_error_usage")
}

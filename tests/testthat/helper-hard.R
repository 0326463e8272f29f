# What needs a server or minutes is tried by `make check-hard` alone.
skip_unless_hard <- function() {
  testthat::skip_if(Sys.getenv("HYLOMATH_HARD") == "", "left to `make check-hard`")
}

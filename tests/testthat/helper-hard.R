# What needs a server or minutes is tried by `make check-hard` alone.
is_hard_run <- function() Sys.getenv("HYLOMATH_HARD") != ""

skip_unless_hard <- function() testthat::skip_if(!is_hard_run(), "left to `make check-hard`")

# A real PostgreSQL server of this test's own, on a socket in a folder of its own. Skips where it can't start, and where
# nobody asked for what is hard.
local_postgres <- function(frame = parent.frame()) {
  skip_unless_hard()
  testthat::skip_on_os("windows")
  testthat::skip_if_not_installed("RPostgreSQL")
  programs <- sort(Sys.glob("/usr/lib/postgresql/*/bin"), decreasing = TRUE)
  if (length(programs) == 0) testthat::skip("PostgreSQL is not installed")
  folder <- withr::local_tempdir(.local_envir = frame)
  as_root <- identical(system("id -u", intern = TRUE), "0")
  if (as_root) system2("chown", c("postgres", folder))
  run <- function(program, ...) {
    words <- c(if (as_root) c("runuser", "-u", "postgres", "--"), file.path(programs[1], program), ...)
    system2(words[1], shQuote(words[-1]), stdout = FALSE, stderr = FALSE)
  }
  data <- file.path(folder, "data")
  Sys.chmod(dirname(folder), "711")
  made <- run("initdb", "-D", data, "-U", "skerrow", "--auth=trust")
  if (made != 0) testthat::skip("PostgreSQL could not make a cluster here")
  withr::defer(run("pg_ctl", "-D", data, "-m", "immediate", "stop"), envir = frame)
  options <- sprintf("-c listen_addresses='' -k %s", folder)
  if (run("pg_ctl", "-D", data, "-w", "-l", file.path(folder, "log"), "-o", options, "start") != 0) {
    testthat::skip("PostgreSQL could not start here")
  }
  withr::local_envvar(PGHOST = folder, PGUSER = "skerrow", PGPORT = "5432", .local_envir = frame)
}

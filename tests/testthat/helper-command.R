# The command as a process: its exit status and what it wrote to standard output and standard error.

program <- system.file("cli", "hylomath.R", package = "hylomath")
library_paths <- paste(normalizePath(.libPaths()), collapse = .Platform$path.sep)
libraries <- paste0("R_LIBS=", shQuote(library_paths))  # for a shell

hylomath <- function(..., env = character()) {
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  status <- suppressWarnings(
    system2(
      file.path(R.home("bin"), "Rscript"), shQuote(c(program, ...)), stdout = out, stderr = err, env = c(libraries, env)
    )
  )
  list(status = status, out = readLines(out, warn = FALSE), err = readLines(err, warn = FALSE))
}

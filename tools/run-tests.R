# Everything that `make test` runs, with one count at the end: the core's tests (without R), the package's tests, and
# the examples of the help pages and of examples/.
# With the argument `quick` only what is fast of it.
suppressPackageStartupMessages(library(testthat))
quick <- "quick" %in% commandArgs(TRUE)
passed <- 0
failed <- 0
tally <- function(what, good, bad) {
  passed <<- passed + good
  failed <<- failed + bad
  cat(sprintf("%s: %d passed, %d failed.\n\n", what, good, bad))
}

cat("---- core ----\n")
output <- suppressWarnings(system2(".build/core-tests", stdout = TRUE, stderr = TRUE))
cat(utils::tail(output, 40), sep = "\n")
last <- paste(utils::tail(output[output != ""], 2), collapse = " ")
number <- function(pattern) {
  found <- regmatches(last, regexec(pattern, last))[[1]]
  if (length(found) == 2) as.integer(found[2]) else NA
}
all_good <- number("All tests passed .* in ([0-9]+) test case")
if (!is.na(all_good)) tally("Core", all_good, 0) else tally(
  "Core", sum(number("([0-9]+) passed"), na.rm = TRUE), max(1, number("([0-9]+) failed"), na.rm = TRUE)
)

# whether another kind of processor comes to the same bits, where there is what compiles for it and emulates it
if (!quick && all(nzchar(Sys.which(c("aarch64-linux-gnu-g++", "qemu-aarch64"))))) {
  cat("---- core on ARM ----\n")
  same <- system2("make", c("--no-print-directory", "test-arm", shQuote("CASES='levels with*'"))) == 0
  tally("Core on ARM", same, !same)
}

cat("---- house ----\n")
stands <- system2("Rscript", "tools/house.R") == 0
tally("House", stands, !stands)

cat("---- package ----\n")
# snapshots of what is said are read here, and left alone by R CMD check
Sys.setenv(NOT_CRAN = "true")
slow <- "command|workers|scout|result-file|said|distil|explain|intervals|conformal|lineup|sift|vary|folds|figures"
results <- as.data.frame(test_dir(
  "tests/testthat", package = "hylomath", load_package = "installed", reporter = "summary", stop_on_failure = FALSE,
  filter = if (quick) slow, invert = quick
))
bad <- results$failed > 0 | results$error
tally("Package", sum(!bad), sum(bad))

run_script <- function(name, file) {
  log <- tempfile()
  status <- system2("Rscript", shQuote(file), stdout = log, stderr = log)
  if (status != 0) cat(sprintf("%s failed:\n", name), utils::tail(readLines(log), 20), sep = "\n")
  status == 0
}
example_of <- function(rd) {
  file <- tempfile(fileext = ".R")
  tools::Rd2ex(rd, file)
  if (!file.exists(file)) return(NA)
  lines <- c("library(hylomath)", "options(warn = 1)", "grDevices::pdf(NULL)", readLines(file))
  writeLines(lines, file)
  run_script(basename(rd), file)
}
if (!quick) {
  cat("---- examples ----\n")
  pages <- vapply(list.files("man", "[.]Rd$", full.names = TRUE), example_of, NA)
  scripts <- vapply(list.files("examples", "[.]R$", full.names = TRUE), function(f) run_script(f, f), NA)
  good <- c(pages[!is.na(pages)], scripts)
  tally("Examples", sum(good), sum(!good))
}

cat(sprintf("%d passed, %d failed\n", passed, failed))
quit(status = if (failed > 0) 1 else 0)

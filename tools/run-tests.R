# Everything that `make test` runs, with one count at the end: the core's tests (without R), the package's tests, and
# the examples of the help pages and of examples/.
# With the argument `quick` only what is fast of it; with `hard` only the tests that need servers or minutes.
suppressPackageStartupMessages(library(testthat))
quick <- "quick" %in% commandArgs(TRUE)
hard <- "hard" %in% commandArgs(TRUE)
passed <- 0
failed <- 0
tally <- function(what, good, bad) {
  passed <<- passed + good
  failed <<- failed + bad
  cat(sprintf("%s: %d passed, %d failed.\n\n", what, good, bad))
}

if (!hard) {
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

  cat("---- house ----\n")
  stands <- system2("Rscript", "tools/house.R") == 0
  tally("House", stands, !stands)
}

cat("---- package ----\n")
# snapshots of what is said are read here, and left alone by R CMD check
Sys.setenv(NOT_CRAN = "true")
files <- sub("^test-(.*)[.]R$", "\\1", list.files("tests/testthat", "^test-.*[.]R$"))
# how long each file took in the last run here; where nothing is known, by its size
record <- ".build/test-seconds.csv"
size <- file.size(sprintf("tests/testthat/test-%s.R", files)) / 1000
known <- if (file.exists(record)) utils::read.csv(record) else data.frame(file = character(), seconds = numeric())
expected <- ifelse(files %in% known$file, known$seconds[match(files, known$file)], size)
files <- files[order(-expected)]
if (quick) files <- files[sort(expected, decreasing = TRUE) < 10]
if (hard) {
  Sys.setenv(HYLOMATH_HARD = "true")
  is_hard <- function(name) {
    any(grepl("skip_unless_hard|is_hard_run|local_postgres", readLines(sprintf("tests/testthat/test-%s.R", name))))
  }
  files <- Filter(is_hard, files)
}
# each file in a fork of its own, as many at a time as there are cores; the long ones first, so that none is waited for
# alone at the end; what the command loads is there already
suppressPackageStartupMessages(library(hylomath))
cores <- max(1, parallel::detectCores())
source("tests/testthat/helper-command.R")
load_for_commands()
tests_of <- function(name) {
  began <- proc.time()[["elapsed"]]
  log <- tempfile()
  said <- file(log, "w")
  sink(said)
  sink(said, type = "message")
  results <- tryCatch(as.data.frame(test_dir("tests/testthat",
    filter = sprintf("^%s$", name), package = "hylomath", load_package = "installed", reporter = "check",
    stop_on_failure = FALSE
  )), error = print)
  sink(type = "message")
  sink()
  close(said)
  bad <- if (is.data.frame(results)) sum(results$failed > 0 | results$error) else 1
  if (bad > 0) cat(sprintf("test-%s.R:\n", name), utils::tail(readLines(log), 60), sep = "\n")
  c(
    good = if (is.data.frame(results)) nrow(results) - bad else 0, bad = bad,
    seconds = round(proc.time()[["elapsed"]] - began, 1)
  )
}
counts <- parallel::mclapply(files, tests_of, mc.cores = cores, mc.preschedule = FALSE)
lost <- !vapply(counts, is.numeric, NA)
if (any(lost)) cat("Ended by what they test:", files[lost], "\n")
whole <- do.call(rbind, counts[!lost])
took <- data.frame(file = files[!lost], seconds = whole[, "seconds"])
took <- rbind(took, known[!known$file %in% took$file, ])
if (!hard) utils::write.csv(took[order(-took$seconds), ], record, row.names = FALSE)
tally("Package", sum(whole[, "good"]), sum(whole[, "bad"]) + sum(lost))

run_script <- function(name, file) {
  log <- tempfile()
  status <- system2("Rscript", shQuote(file), stdout = log, stderr = log)
  if (status != 0) cat(sprintf("%s failed:\n", name), utils::tail(readLines(log), 20), sep = "\n")
  status == 0
}
# An R with the package loaded runs each page in a fork of its own.
example_of <- function(rd) {
  file <- tempfile(fileext = ".R")
  tools::Rd2ex(rd, file)
  if (!file.exists(file)) return(NA)
  said <- NULL
  options(warn = 1)
  grDevices::pdf(NULL)
  utils::capture.output(suppressMessages(suppressWarnings(
    tryCatch(source(file, local = new.env(parent = globalenv())), error = function(e) said <<- conditionMessage(e))
  )))
  if (length(said)) cat(sprintf("%s failed: %s\n", basename(rd), said))
  is.null(said)
}
if (!quick && !hard) {
  cat("---- examples ----\n")
  pages <- parallel::mclapply(list.files("man", "[.]Rd$", full.names = TRUE), example_of, mc.cores = cores,
    mc.preschedule = FALSE
  )
  scripts <- parallel::mclapply(list.files("examples", "[.]R$", full.names = TRUE), function(f) run_script(f, f),
    mc.cores = cores, mc.preschedule = FALSE
  )
  ran <- vapply(c(pages, scripts), function(ran) if (is.logical(ran)) ran else FALSE, NA)
  good <- ran[!is.na(ran)]
  tally("Examples", sum(good), sum(!good))
}

cat(sprintf("%d passed, %d failed\n", passed, failed))
quit(status = if (failed > 0) 1 else 0)

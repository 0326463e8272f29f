# Faults that are caused, not imagined: full disks, folders that can't be written, files that change while they are
# read, kills and interrupts at random moments, and memory that runs out, of every verb that writes. After each the
# folder is looked at: what was there is there, whole, and nothing half-written stands under a name that was asked
# for.
#   Rscript hard/faults.R [kills of each verb, 300 if nothing is said; interrupts are a fifth of them]
# As root also file systems are mounted. The exit status says whether something was found.
suppressMessages(library(hylomath))
times <- as.numeric(c(commandArgs(TRUE), 300)[1])
set.seed(1)
folder <- tempfile("faults-")
dir.create(folder)
setwd(folder)
root <- identical(system("id -u", intern = TRUE), "0")
rscript <- file.path(R.home("bin"), "Rscript")
program <- system.file("cli", "hylomath.R", package = "hylomath")
found <- 0
tell <- function(what, tried, wrong) {
  cat(sprintf("%s: %d tried, %d wrong\n", what, tried, length(wrong)))
  for (said in utils::head(unique(wrong), 5)) cat("  ", said, "\n")
  found <<- found + length(wrong)
}

data.table::fwrite(kilns[1:1500, ], "k.csv")
b <- brief("k.csv", target = "outcome") |> quick() |> hold_out(seed = 1) |> regimen(epochs = 6, seed = 1)
write_brief(b, "k.yml")
write_model(train(b, progress = "none"), "k.hylo")
write_brief(
  brief("k.csv", target = "outcome") |> hold_out(folds = 4, seed = 1) |> regimen(epochs = 20, seed = 1), "ensemble.yml"
)
inputs <- c("k.csv", "k.yml", "k.hylo", "ensemble.yml")

# What each verb writes, and whether that is whole.
whole_brief <- function(file) inherits(read_brief(file), "hylomath_brief")
whole_model <- function(file) inherits(read_model(file), "hylomath_model")
whole_text <- function(file) length(readLines(file)) > 3 && endsWith(rawToChar(readBin(file, "raw", 1e8)), "\n")
whole_result <- function(file) !is.null(read_result(file))
verbs <- list(
  list(c("brief", "k.csv", "-t", "outcome", "-o", "OUT.yml"), whole_brief),
  list(c("store", "k.csv", "-o", "OUT.table"), function(file) nrow(hylomath:::read_table(file)) == 1500),
  list(c("train", "k.yml", "-o", "OUT.hylo"), whole_model),
  list(c("train", "ensemble.yml", "-o", "OUT.hylo"), whole_model),
  list(c("train", "k.yml", "--checkpoint", "OUT.kept", "--every", "0", "-o", "x.hylo"), NULL),
  list(c("appraise", "k.hylo", "-o", "OUT.csv"), whole_text),
  list(c("decide", "k.hylo", "--recall", "0.5", "--class", "burst", "-o", "OUT.hylo"), whole_model),
  list(c("folds", "k.yml", "--k", "3", "--keep", "OUT.folds"), whole_result),
  list(c("sift", "k.yml", "--k", "2", "--direction", "ranking", "--keep", "OUT.sift"), whole_result),
  list(c("vary", "k.yml", "units=4,8", "--k", "2", "--keep", "OUT.vary"), whole_result),
  list(c("scout", "k.yml", "units=4..8", "--k", "2", "--budget", "3", "--keep", "OUT.scout"), NULL),
  list(c("refit", "k.hylo", "k.csv", "-o", "OUT.hylo"), whole_model),
  list(c("resume", "k.hylo", "k.csv", "-o", "OUT.hylo"), whole_model),
  list(c("predict", "k.hylo", "k.csv", "-o", "OUT.csv"), function(file) length(readLines(file)) == 1501),
  list(c("probe", "k.hylo", "k.csv", "-o", "OUT.csv"), whole_text),
  list(c("report", "k.hylo", "k.csv", "-o", "OUT.html"), whole_text),
  list(c("transcribe", "k.hylo", "--to", "c", "-o", "OUT.c"), whole_text),
  list(c("watch", "k.hylo", "k.csv", "-o", "OUT.csv"), whole_text)
)
words_in <- function(verb, place) sub("^OUT", file.path(place, "out"), verb[[1]])
output_of <- function(words) grep("/out[.]", words, value = TRUE)

started <- function(words, limit = NULL, place = ".") {
  command <- paste(shQuote(c(rscript, program, words)), collapse = " ")
  callr::process$new(
    "sh", c("-c", paste(limit, "exec", command)), stdout = NULL, stderr = file.path(place, "err.txt"),
    cleanup_tree = TRUE,
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), R_DEFAULT_PACKAGES = "NULL")
  )
}
said <- function(place = ".") {
  paste(utils::tail(readLines(file.path(place, "err.txt"), warn = FALSE), 3), collapse = " ")
}
inner <- function(text) grepl("fault of hylomath|std::|object '|subscript|TRUE/FALSE needed", text)

# What is wrong about the folder `place` after `words`; a former output may stand where it stood.
what_is_wrong <- function(verb, words, place, sums) {
  output <- output_of(words)
  wrong <- character()
  if (!identical(tools::md5sum(inputs), sums)) wrong <- "an input has changed"
  if (!is.null(verb[[2]]) && file.exists(output)) {
    whole <- tryCatch(isTRUE(verb[[2]](output)), error = function(e) FALSE)
    if (!whole) wrong <- c(wrong, paste(words[1], "left a broken", basename(output)))
  }
  wrong
}

# ---- kills and interrupts at random moments -----------------------------------------------------------------------

for (words in list(c("appraise", "k.hylo"), c("report", "k.hylo", "k.csv", "-o", "x.html"))) started(words)$wait()
sums <- tools::md5sum(inputs)  # that its test rows were looked at stands in the model's file now

started_in <- system.time(started("--version")$wait())[[3]]

# A fork of this R does what the command does, so that all moments fall into its work and none into R's start; every
# tenth is the command itself.
killed_fork <- function(words, seconds) {
  fork <- parallel::mcparallel({
    utils::capture.output(suppressMessages(hylomath:::cli_run(words)))
    TRUE
  })
  Sys.sleep(seconds)
  tools::pskill(fork$pid, tools::SIGKILL)
  is.null(suppressWarnings(parallel::mccollect(fork))[[1]])
}

# Returns whether the signal came while it ran, and what was wrong.
struck <- function(words, place, signal, seconds) {
  process <- started(words, place = place)
  process$wait(1000 * seconds)
  landed <- process$is_alive()
  process$signal(c(SIGKILL = 9L, SIGINT = 2L, SIGTERM = 15L, SIGHUP = 1L)[[signal]])
  process$wait(20000)
  wrong <- character()
  if (process$is_alive()) {
    wrong <- paste(words[1], "did not end in 20 seconds")
    process$kill()
  }
  if (signal != "SIGKILL" && inner(said(place))) wrong <- c(wrong, said(place))
  # a whole result, or a word, but for the moments in which R itself begins
  silent <- signal != "SIGKILL" && landed && process$get_exit_status() != 0 && !nzchar(said(place))
  if (silent && seconds > 2 * started_in) wrong <- c(wrong, paste(words[1], "ended without a word at", signal))
  list(landed = landed, wrong = wrong)
}

strike_verb <- function(verb, signal) {
  place <- tempfile("place-", tmpdir = ".")
  dir.create(place)
  words <- words_in(verb, place)
  took <- system.time(started(words, place = place)$wait())[[3]]
  work <- took - started_in
  wrong <- character()
  landed <- 0
  for (i in seq_len(if (signal == "SIGKILL") times else ceiling(times / 5))) {
    if (signal == "SIGKILL" && i %% 10) {
      landed <- landed + killed_fork(words, stats::runif(1, 0, 1) * work)
    } else {
      one <- struck(words, place, signal, stats::runif(1, 0.2, 1) * took)
      landed <- landed + one$landed
      wrong <- c(wrong, one$wrong)
    }
    wrong <- c(wrong, what_is_wrong(verb, words, place, sums))
  }
  # and then it works as if nothing had been
  again <- started(words, place = place)
  again$wait()
  if (again$get_exit_status() != 0) wrong <- c(wrong, paste("afterwards:", said(place)))
  wrong <- c(wrong, what_is_wrong(verb, words, place, sums))
  unlink(place, recursive = TRUE)
  list(what = sprintf("%s in the midst of %s", signal, paste(verb[[1]][1:2], collapse = " ")), landed = landed,
    wrong = wrong)
}
for (signal in c("SIGKILL", "SIGINT", "SIGTERM", "SIGHUP")) {
  struck_all <- parallel::mclapply(verbs, strike_verb, signal, mc.preschedule = FALSE)
  for (one in struck_all) {
    if (is.list(one)) tell(one$what, one$landed, one$wrong) else tell("a verb that was not tried to its end", 0, one)
  }
}

# ---- disks --------------------------------------------------------------------------------------------------------

refused_in <- function(place, limit = NULL) {
  wrong <- character()
  for (verb in verbs) {
    words <- words_in(verb, place)
    process <- started(words, limit)
    process$wait()
    status <- process$get_exit_status()
    if (!status %in% 1:2) wrong <- c(wrong, sprintf("%s ended with %d", words[1], status))
    if (inner(said()) || !grepl("hylomath:", paste(readLines("err.txt"), collapse = " "))) {
      wrong <- c(wrong, paste(words[1], said()))
    }
    there <- is.function(verb[[2]]) && any(file.exists(output_of(words)))
    if (there) wrong <- c(wrong, paste(words[1], "left something"))
    left <- setdiff(list.files(place, all.files = TRUE, no.. = TRUE), "filler")
    if (length(setdiff(left, basename(output_of(words))))) wrong <- c(wrong, paste(words[1], "left", toString(left)))
  }
  wrong
}
if (root) {
  dir.create("full")
  system("mount -t tmpfs -o size=64k tmpfs full")
  suppressWarnings(system("dd if=/dev/zero of=full/filler bs=4k 2> err.txt"))
  tell("full disk", length(verbs), refused_in("full"))
  system("umount full")
  dir.create("fixed")
  system("mount -t tmpfs -o ro tmpfs fixed")
  tell("folder that can't be written", length(verbs), refused_in("fixed"))
  system("umount fixed")
}

# ---- files that change or go while they are read --------------------------------------------------------------------

wrong <- character()
tried <- 0
for (i in seq_len(min(times, 60))) {
  data.table::fwrite(kilns[rep(1:4000, 60), ], "moving.csv")
  process <- started(c("predict", "k.hylo", "moving.csv", "-o", "moved.csv"))
  process$wait(1000 * stats::runif(1, 0.3, 1.5))
  tried <- tried + process$is_alive()
  if (i %% 2) unlink("moving.csv") else writeLines("a,b", "moving.csv")
  process$wait()
  if (!process$get_exit_status() %in% 0:1 || inner(said())) wrong <- c(wrong, said())
  if (process$get_exit_status() == 1 && file.exists("moved.csv")) wrong <- c(wrong, "half of it was written")
  unlink("moved.csv")
}
tell("table that goes or changes while it is read", tried, wrong)

# ---- memory -------------------------------------------------------------------------------------------------------

wrong <- character()
hungry <- c("train", "k.yml", "--set", "wiring=6000 relu > 6000 relu", "-o", "hungry.hylo")
limits <- c(1200000, 1500000, 2000000)
for (limit in limits) {
  process <- started(hungry, sprintf("ulimit -v %d;", limit))
  process$wait()
  if (process$get_exit_status() != 1 || !grepl("not enough memory", said())) wrong <- c(wrong, said())
  if (file.exists("hungry.hylo")) wrong <- c(wrong, "something was written")
}
tell("memory that runs out", length(limits), wrong)
quit(status = if (found > 0) 1 else 0)

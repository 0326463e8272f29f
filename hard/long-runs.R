# Long runs without growth: fits, appraisals and predictions by the thousand in one session, and a search of many
# trials.
#   Rscript hard/long-runs.R [share of 10,000 fits, 1,000 appraisals, 1,000 predictions and 2,000 trials]
suppressMessages(library(hylomath))
share <- as.numeric(c(commandArgs(TRUE), 1)[1])
resident <- function() {
  gc(full = TRUE)
  line <- grep("^VmRSS", readLines(sprintf("/proc/%d/status", Sys.getpid())), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
set.seed(1)
small <- kilns[seq(1, 4000, length.out = 200), c("moisture_pct", "peak_c", "glaze", "outcome")]
small$outcome <- ifelse(small$outcome == "sound", "sound", "not")
b <- brief(small, target = "outcome") |> quick() |> wire("4 relu") |> regimen(epochs = 3, seed = 1)
model <- train(b, progress = "none")
appraisal_of <- train(quick(brief(kilns, target = "outcome")) |> regimen(epochs = 2), progress = "none")
grown <- 0
repeated <- function(what, n, once) {
  # R and the allocator come to their size in the first half; what leaks goes on in the second
  half <- ceiling(n / 2)
  took <- system.time(for (i in seq_len(half)) once(i))[[3]]
  before <- resident()
  took <- took + system.time(for (i in seq_len(n - half)) once(i))[[3]]
  after <- resident()
  cat(sprintf("%s: %d in %.0f s, %.1f MiB after half of them and %.1f after all\n", what, n, took, before, after))
  grown <<- grown + (after > before + max(10, 0.05 * before))
}
repeated("fits", ceiling(10000 * share), function(i) train(regimen(b, seed = i), progress = "none"))
repeated("appraisals", ceiling(1000 * share), function(i) appraise(appraisal_of, draws = 100))
repeated("predictions", ceiling(1000 * share), function(i) predict(model, small))
trials <- max(10, ceiling(2000 * share))
file <- tempfile()
before <- resident()
took <- system.time(s <- scout(
  b, units = bounds(1, 64), l2 = bounds(1e-6, 0.1), learning_rate = bounds(1e-4, 0.1), dropout = bounds(0, 0.5),
  evaluate = "validation", budget = trials, file = file, progress = "none"
))[[3]]
cat(sprintf(
  "search: %d trials in %.0f s, %.1f MiB before and %.1f after, file of %.1f MB\n", nrow(s$trials), took, before,
  resident(), file.size(file) / 1e6
))
quit(status = if (grown > 0) 1 else 0)

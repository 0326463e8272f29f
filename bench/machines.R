# What it costs to have a job done elsewhere: on processes of this machine, on nodes by SSH and by a Slurm queue, both
# on the loopback. The jobs are fits of a few milliseconds, so that the way there and back is what is measured.
Sys.setenv(HYLOMATH_HARD = "true")
suppressPackageStartupMessages({
  library(hylomath)
  library(testthat)
})
for (name in c("hard", "machines")) source(sprintf("tests/testthat/helper-%s.R", name))

b <- brief(kilns[1:600, ], "outcome") |> quick() |> regimen(epochs = 3, seed = 1) |> hold_out(seed = 1)
seconds <- function(k) system.time(folds(b, k = k, draws = 100, progress = "none"))[[3]]
here <- seconds(40)
# `workers` is a number of them, or what starts them.
measured <- function(what, strategy, workers) {
  began <- proc.time()[[3]]
  future::plan(strategy, workers = workers())
  seconds(4)
  ready <- proc.time()[[3]] - began
  again <- seconds(4)
  job <- (seconds(40) - again) / 36
  cat(sprintf(
    "%s: the first 4 jobs with the start of 2 workers %.1f s, then %.0f ms a job\n", what, ready, 1000 * job
  ))
  future::plan(future::sequential)
}
cat(sprintf("here: %.0f ms a job by two threads\n", 1000 * here / 40))
measured("processes of this machine", future::multisession, function() 2)
local({
  local_ssh_nodes()
  measured("nodes by SSH", future::cluster, function() future::makeClusterPSOCK(c("node-1", "node-2")))
})
local({
  local_slurm()
  template <- system.file("cluster", "slurm.tmpl", package = "hylomath")
  loadNamespace("future.batchtools")
  # a queue's jobs are dealt out once, one a worker: what counts is the time until all are back
  future::plan(future.batchtools::batchtools_slurm, template = template, workers = 2)
  each <- vapply(c(2, 4, 40), seconds, 0)
  cat(sprintf("a Slurm queue, 2 workers: %.1f s for 2 jobs, %.1f s for 4, %.1f s for 40\n", each[1], each[2], each[3]))
  future::plan(future::sequential)
})

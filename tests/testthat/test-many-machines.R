# Jobs on other machines by SSH and by a Slurm queue: the same bits as here, and nothing lost when a machine is.

skip_unless_hard()
skip_if_not_installed("future")

base <- function() {
  withr::with_seed(1, brief(small_kilns(), "outcome")) |> regimen(epochs = 20, seed = 7, method = "adam") |>
    hold_out(folds = 0, seed = 5)
}
ensemble <- function() wire(hold_out(base(), folds = 3, seed = 5), "3 tanh")
searched <- function(progress = "none") {
  s <- scout(base(), units = bounds(2, 16), budget = 6, k = 3, progress = progress)
  s$trials[names(s$trials) != "seconds"]
}
work <- function() {
  list(
    folds = folds(base(), k = 4, progress = "none")$predictions, search = searched(),
    out_of_fold = train(ensemble(), progress = "none")$predictor
  )
}
here <- work()

planned <- function(..., frame = parent.frame()) {
  former <- future::plan(...)
  withr::defer(future::plan(former), envir = frame)
}

# Strikes once, when a fit has ended.
striking <- function(strike) {
  struck <- FALSE
  function(event) {
    if (event$event == "ended" && !struck) struck <<- isTRUE(strike())
  }
}

test_that("by SSH folds, searches and ensembles give the bits that they give here, and a killed node loses nothing", {
  local_ssh_nodes()
  planned(future::cluster, workers = c("node-1", "node-2"))
  expect_identical(work(), here)
  pids <- vapply(lapply(1:2, function(i) future::future({ Sys.sleep(0.5); Sys.getpid() })), future::value, 0L)
  expect_length(unique(pids), 2)
  hurt <- searched(striking(function() tools::pskill(pids[1], tools::SIGKILL)))
  expect_identical(hurt, here$search)
})

test_that("the command takes nodes by their names", {
  local_ssh_nodes()
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(small_kilns(), "k.csv")
  write_brief(regimen(quick(brief("k.csv", "outcome")), epochs = 5, seed = 1) |> hold_out(seed = 1), "k.yml")
  figures <- function(...) {
    run <- hylomath("folds", "k.yml", "--k", "4", "--json", ...)
    expect_equal(run$status, 0, info = paste(run$err, collapse = "\n"))
    jsonlite::fromJSON(paste(run$out, collapse = "\n"))$measures
  }
  expect_identical(figures("--workers", "node-1,node-2"), figures())
  expect_equal(hylomath("folds", "k.yml", "--workers", "node-1,nowhere.invalid", "-q")$status, 1)
})

test_that("by a queue they give the same bits, and a job that is cancelled loses nothing", {
  local_slurm()
  template <- system.file("cluster", "slurm.tmpl", package = "hylomath")
  suppressPackageStartupMessages(loadNamespace("future.batchtools"))
  planned(future.batchtools::batchtools_slurm, template = template, workers = 2)
  expect_identical(work(), here)
  many <- folds(base(), k = 12, progress = "none")$predictions
  future::plan(future::sequential)
  expect_identical(many, folds(base(), k = 12, progress = "none")$predictions)
  planned(future.batchtools::batchtools_slurm, template = template, workers = 2)
  cancelled <- FALSE
  cancel <- function() {
    queued <- system2("squeue", c("-h", "-o", "%A"), stdout = TRUE)
    if (length(queued)) cancelled <<- system2("scancel", queued[1]) == 0
    cancelled
  }
  expect_identical(searched(striking(cancel)), here$search)
  expect_true(cancelled)
})

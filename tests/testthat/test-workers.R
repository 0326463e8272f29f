# Jobs on socket workers of this machine.

base <- function() withr::with_seed(1, brief(small_kilns(), "outcome")) |>
  regimen(epochs = 20, seed = 7, method = "adam") |> hold_out(folds = 0, seed = 5)

local_workers <- function(frame = parent.frame()) {
  skip_if_not_installed("future")
  former <- future::plan(future::multisession, workers = 2)
  withr::defer(future::plan(former), envir = frame)
  # both are there, and this is how they are called
  pids <- lapply(1:2, function(i) future::future({ Sys.sleep(0.3); Sys.getpid() }))
  vapply(pids, future::value, 0L)
}

test_that("two workers give what one process gives, bit for bit", {
  b <- base()
  here <- folds(b, k = 4, progress = "none")
  search <- function() scout(
    b, units = bounds(2, 16), activation = c("relu", "tanh"), budget = 10, k = 3, progress = "none"
  )
  searched <- search()
  sifted <- sift(b, direction = "ranking", k = 2, progress = "none")
  teacher <- single(b, progress = "none")
  taught <- distil(teacher, wire(b, "3 tanh"), k = 2, progress = "none")
  ensemble <- wire(hold_out(b, folds = 3, seed = 5), "3 tanh")
  trained <- train(ensemble, progress = "none")
  local_workers()
  expect_identical(train(ensemble, progress = "none")$predictor, trained$predictor)
  there <- folds(b, k = 4, progress = "none")
  expect_identical(there$predictions, here$predictions)
  expect_identical(there$measures, here$measures)
  without <- function(s) s$trials[names(s$trials) != "seconds"]
  expect_identical(without(search()), without(searched))
  expect_identical(sift(b, direction = "ranking", k = 2, progress = "none")$path, sifted$path)
  expect_identical(distil(teacher, wire(b, "3 tanh"), k = 2, progress = "none")$distilled, taught$distilled)
})

test_that("the table reaches a worker once, by file or sent along", {
  local_workers()
  table <- small_kilns()
  order <- list(
    hash = rlang::hash(table), shared = list(file = tempfile()), table = NULL, kernel = core_kernel(), threads = 1L,
    host = "", jobs = list()
  )
  expect_identical(work_off(order), list(lacks = "table"))
  order$table <- table
  expect_identical(work_off(order), list(results = list()))
  # it is kept
  order$table <- NULL
  expect_identical(work_off(order), list(results = list()))
  # another table in its file is not taken for it, and R makes nothing of its bytes
  other <- modifyList(order, list(hash = "another", shared = shared_table(boats, "boats")))
  expect_identical(read_shared_table(other$shared, "another"), boats)
  saveRDS(table, other$shared$file)
  expect_identical(work_off(other), list(lacks = "table"))
  # a stored table is mapped where it lies
  folder <- withr::local_tempfile(fileext = ".table")
  stored <- store_table(table, folder)
  expect_equal(shared_table(stored, table_hash(stored)), list(file = folder))
  expect_identical(read_shared_table(list(file = folder), table_hash(stored)), stored)
  expect_null(read_shared_table(list(file = folder), "another"))
  # workers that see no file are sent the table
  b <- base()
  there <- folds(b, k = 3, progress = "none")
  withr::local_options(hylomath.cache = FALSE)
  expect_identical(folds(hold_out(b, seed = 6), k = 3, data = kilns[1:500, ], progress = "none")$rows, {
    future::plan(future::sequential)
    folds(hold_out(b, seed = 6), k = 3, data = kilns[1:500, ], progress = "none")$rows
  })
  expect_identical(folds(b, k = 3, progress = "none")$predictions, there$predictions)
})

test_that("a worker that is killed during a search loses nothing", {
  b <- base()
  search <- function(progress) scout(b, units = bounds(2, 16), budget = 10, k = 3, progress = progress)
  whole <- search("none")
  pids <- local_workers()
  killed <- FALSE
  kill <- function(event) {
    if (event$event == "ended" && event$ended == 3 && !killed) {
      killed <<- TRUE
      tools::pskill(pids[1], tools::SIGKILL)
    }
  }
  hurt <- search(kill)
  expect_true(killed)
  expect_identical(hurt$trials[names(hurt$trials) != "seconds"], whole$trials[names(whole$trials) != "seconds"])
  expect_equal(hurt$stopped, "budget")
})

test_that("workers on this machine are spoken to through pipes, and one that is killed or stands still loses nothing", {
  skip_if_not_installed("callr")
  b <- base()
  whole <- folds(b, k = 6, progress = "none")
  listening <- function() {
    tcp <- unlist(lapply(Filter(file.exists, c("/proc/net/tcp", "/proc/net/tcp6")), readLines))
    sort(vapply(strsplit(trimws(grep(" 0A ", tcp, value = TRUE)), " +"), `[`, "", 2))
  }
  before <- listening()
  withr::local_options(hylomath.workers = 2)
  during <- NULL
  there <- folds(b, k = 6, progress = function(event) during <<- c(during, setdiff(listening(), before)))
  expect_identical(there$predictions, whole$predictions)
  expect_length(during, 0)
  for (signal in c(tools::SIGKILL, tools::SIGSTOP)) {
    sent <- FALSE
    hurt <- folds(b, k = 6, progress = function(event) {
      if (sent || event$event != "ended") return()
      sent <<- TRUE
      tools::pskill(the_local_workers$sessions[[1]]$get_pid(), signal)
    })
    expect_true(sent)
    expect_identical(hurt$predictions, whole$predictions)
  }
})

test_that("of a cluster that was handed over those stay that predict; when none does the rest is done here", {
  skip_if_not_installed("future")
  b <- base()
  whole <- folds(b, k = 6, progress = "none")
  cluster <- parallel::makePSOCKcluster(2)
  withr::defer(try(parallel::stopCluster(cluster), silent = TRUE))
  pids <- unlist(parallel::clusterCall(cluster, Sys.getpid))
  former <- future::plan(future::cluster, workers = cluster)
  withr::defer(future::plan(former))
  kill <- function(which) {
    function(event) if (event$event == "ended" && event$ended == 1) tools::pskill(pids[which], tools::SIGKILL)
  }
  expect_identical(folds(b, k = 6, progress = kill(1))$predictions, whole$predictions)
  expect_equal(future::nbrOfWorkers(), 1, ignore_attr = TRUE)
  expect_warning(hurt <- folds(b, k = 6, progress = kill(2)), "All workers were lost")
  expect_identical(hurt$predictions, whole$predictions)
})

test_that("a worker without the kernel level says so, and an error in a job is an error", {
  order <- list(
    hash = "x", file = "", table = small_kilns(), kernel = "no such level", threads = 1L, host = "", jobs = list()
  )
  expect_equal(work_off(order)[c("lacks", "best")], list(lacks = "kernel", best = core_kernel()))
  local_workers()
  jobs <- list(list(plan = fold_plan(base(), 3, 1, NULL), fold = 1, want = "nothing of the kind"))
  expect_error(run_jobs(small_kilns(), jobs, "fit", function(event) NULL), "could not find function")
})

# The subcommands that make a brief better, as processes, in a folder with a small table.

local_kilns <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  withr::local_dir(folder, .local_envir = frame)
  utils::write.csv(small_kilns(), "kilns.csv", row.names = FALSE)
  b <- withr::with_seed(1, brief("kilns.csv", target = "outcome")) |>
    hold_out(seed = 5, folds = 3) |> regimen(epochs = 8, seed = 7, method = "adam")
  write_brief(b, "kilns.yml")
  b
}
from_json <- function(run) jsonlite::fromJSON(paste(run$out, collapse = "\n"))

test_that("scout writes the better brief, keeps its fits, and goes on from them", {
  b <- local_kilns()
  run <- hylomath(
    "scout", "kilns.yml", "units=2..16", "activation=relu,tanh", "--budget", "7", "--k", "3", "--repeats", "1", "-o",
    "better.yml", "--figures", "figures", "--json"
  )
  expect_equal(run$status, 0)
  found <- from_json(run)
  expect_equal(nrow(found$trials), 7)
  here <- scout(
    b, units = bounds(2, 16), activation = c("relu", "tanh"), budget = 7, k = 3, repeats = 1, progress = "none"
  )
  expect_equal(found$trials$mean, here$trials$mean)
  expect_equal(read_brief("better.yml", read = FALSE)$wiring, best_brief(here)$wiring)
  expect_setequal(list.files("figures"), c("settings.png", "progress.png"))
  fits <- length(readLines("kilns.scout"))
  again <- hylomath(
    "scout", "kilns.yml", "units=2..16", "activation=relu,tanh", "--budget", "7", "--k", "3", "--repeats", "1"
  )
  expect_length(readLines("kilns.scout"), fits)
  expect_match(paste(again$out, collapse = " "), "7 trials of 2 settings")
  shown <- hylomath("show", "kilns.scout")
  expect_match(paste(shown$out, collapse = " "), "7 trials of 2 settings")
  other <- hylomath("scout", "kilns.yml", "units=2..16", "--budget", "7")
  expect_equal(other$status, 1)
  expect_match(paste(other$err, collapse = " "), "holds another search")
  wrong <- hylomath("scout", "kilns.yml", "units")
  expect_equal(wrong$status, 2)
  expect_match(paste(wrong$err, collapse = " "), "units=4..64", fixed = TRUE)
})

test_that("a search that is killed goes on where it was", {
  skip_on_os("windows")
  b <- local_kilns()
  args <- c(
    program, "scout", "kilns.yml", "units=2..30", "--budget", "30", "--k", "4", "--set", "regimen.epochs=60", "--quiet"
  )
  out <- tempfile()
  withr::with_envvar(
    c(R_LIBS = library_paths),
    system2(file.path(R.home("bin"), "Rscript"), shQuote(args), wait = FALSE, stdout = FALSE, stderr = out)
  )
  for (i in 1:600) {
    if (file.exists("kilns.scout") && length(readLines("kilns.scout", warn = FALSE)) > 12) break
    Sys.sleep(0.05)
  }
  system2("pkill", c("-9", "-f", shQuote("scout kilns.yml units=2..30")))
  Sys.sleep(0.2)
  kept <- length(readLines("kilns.scout", warn = FALSE))
  expect_gt(kept, 12)
  run <- hylomath(
    "scout", "kilns.yml", "units=2..30", "--budget", "30", "--k", "4", "--set", "regimen.epochs=60", "--json"
  )
  expect_equal(run$status, 0)
  whole <- scout(regimen(b, epochs = 60), units = bounds(2, 30), budget = 30, k = 4, progress = "none")
  expect_equal(from_json(run)$trials$mean, whole$trials$mean)
})

test_that("distil writes the student and tells what the teacher was good for", {
  b <- local_kilns()
  write_brief(wire(b, "3 tanh"), "small.yml")
  expect_equal(hylomath("train", "kilns.yml", "-o", "big.hylo", "--quiet")$status, 0)
  run <- hylomath(
    "distil", "big.hylo", "small.yml", "-o", "small.hylo", "--temperature", "3", "--label-share", "0.4", "--k", "2",
    "--figure", "taught.png"
  )
  expect_equal(run$status, 0)
  expect_match(paste(run$out, collapse = " "), "at temperature 3, labels count for 40 %")
  expect_match(paste(run$out, collapse = " "), "student, labels alone")
  student <- read_model("small.hylo")
  here <- distil(
    read_model("big.hylo"), read_brief("small.yml"), temperature = 3, label_share = 0.4, k = 2, progress = "none"
  )
  expect_identical(trained_network(student), trained_network(here))
  expect_true(file.exists("taught.png"))
  # a student that looks at fewer columns than its teacher
  fewer <- hylomath(
    "distil", "big.hylo", "small.yml", "-o", "fewer.hylo", "--k", "2", "--set", "columns.drop=[kiln, soak_min]",
    "--quiet"
  )
  expect_equal(fewer$status, 0)
  expect_false(any(c("kiln", "soak_min") %in% needed_columns(read_model("fewer.hylo"))))
  facts <- from_json(hylomath("distil", "big.hylo", "small.yml", "-o", "small.hylo", "--k", "0", "--json"))
  expect_equal(facts$distilled$label_share, 0.5)
  utils::write.csv(kilns[1:50, setdiff(names(kilns), "outcome")], "more.csv", row.names = FALSE)
  more <- hylomath("distil", "big.hylo", "small.yml", "more.csv", "-o", "small.hylo", "--k", "0")
  expect_match(paste(more$out, collapse = " "), "50 rows without a +target by the teacher alone")
})

test_that("results are kept, opened and lined up", {
  local_kilns()
  expect_equal(hylomath("folds", "kilns.yml", "--k", "3", "--keep", "large.folds", "--quiet")$status, 0)
  # an option that is not given is not taken for one that begins like it
  expect_equal(
    hylomath(
      "sift", "kilns.yml", "--direction", "ranking", "--keep", "inputs.sift", "--quiet", "--set", "regimen.epochs=2"
    )$status,
    0
  )
  expect_equal(read_result("inputs.sift")$k, 5)
  expect_equal(
    hylomath("folds", "kilns.yml", "--k", "3", "--keep", "linear.folds", "--set", "wiring=linear", "--quiet")$status, 0
  )
  expect_match(paste(hylomath("show", "large.folds")$out, collapse = " "), "outcome: 3 folds")
  lined <- hylomath("lineup", "large.folds", "linear.folds")
  expect_match(paste(lined$out, collapse = " "), "2 briefs on the same 479 out-of-fold rows")
  wrong <- hylomath("lineup", "large.folds", "kilns.csv")
  expect_equal(wrong$status, 2)
  expect_equal(hylomath("vary", "kilns.yml", "units=2,4", "--k", "2", "--keep", "units.vary", "--quiet")$status, 0)
  expect_equal(from_json(hylomath("show", "units.vary", "--json"))$setting, "units")
  damaged <- readBin("large.folds", "raw", 500)
  writeBin(damaged, "half.folds")
  expect_equal(hylomath("show", "half.folds")$status, 1)
})

test_that("the command's fits can be spread over workers", {
  skip_if_not_installed("future")
  b <- local_kilns()
  run <- hylomath("folds", "kilns.yml", "--k", "3", "--workers", "2", "--json")
  expect_equal(run$status, 0)
  expect_equal(from_json(run)$measures$mean, folds(b, k = 3, progress = "none")$measures$mean)
})

test_that("every kind of result is the same after it was written and read", {
  b <- withr::with_seed(1, brief(small_kilns(), "outcome")) |>
    regimen(epochs = 5, seed = 7, method = "adam") |> hold_out(seed = 5)
  file <- withr::local_tempfile()
  bare <- function(x) {
    x$brief$table <- NULL
    x
  }
  there_and_back <- function(x) read_result(write_result_to(x, file))
  write_result_to <- function(x, file) {
    write_result(x, file)
    file
  }
  f <- folds(b, k = 3, repeats = 2, progress = "none")
  expect_identical(there_and_back(f), f)
  v <- vary(b, units = c(2, 4), k = 2, progress = "none")
  expect_identical(there_and_back(v), v)
  s <- sift(b, direction = "ranking", k = 2, progress = "none")
  expect_identical(there_and_back(s), bare(s))
  expect_identical(brief_inputs(best_brief(there_and_back(s))), s$small)
  a <- appraise(single(b, progress = "none"))
  expect_identical(there_and_back(a), a)
  # what a file leaves out is not printed, and no part is taken for another one whose name begins alike
  a$notes <- NULL
  expect_gt(length(format(there_and_back(a))), 10)
  a$by_column <- "kiln"
  withr::with_options(list(warnPartialMatchDollar = TRUE), {
    expect_fails(suppressMessages(there_and_back(a)), "its `by_column` is not that of one")
    expect_no_warning(format(a))
  })
  l <- lineup(f, folds(wire(b, "linear"), k = 3, repeats = 2, progress = "none"))
  expect_identical(there_and_back(l), l)
})

test_that("a search is opened from its own file", {
  b <- withr::with_seed(1, brief(small_kilns(), "outcome")) |>
    regimen(epochs = 5, seed = 7, method = "adam") |> hold_out(seed = 5)
  file <- withr::local_tempfile(fileext = ".scout")
  s <- scout(
    b, layers = 0:2, units = bounds(2, 9), activation = c("relu", "tanh"), budget = 10, k = 3, file = file,
    progress = "none"
  )
  r <- read_result(file)
  same <- c("trials", "fits", "rows", "best", "space", "settings", "k", "repeats", "folds", "primary")
  expect_identical(unclass(r)[same], unclass(s)[same])
  expect_identical(brief_settings(best_brief(r)), brief_settings(best_brief(s)))
  # half of it
  lines <- readLines(file)
  writeLines(lines[1:(length(lines) - 5)], file)
  expect_lt(nrow(read_result(file)$fits), nrow(s$fits))
  writeLines(lines[1], file)
  expect_fails(read_result(file), "has evaluated no trial in full yet")
})

test_that("what is no result is refused", {
  file <- withr::local_tempfile()
  model <- quick_model()
  expect_fails(write_result(model, file), "Models go by write_model()")
  write_model(model, file)
  expect_fails(read_result(file), "it holds something else")
  expect_fails(read_result(system.file("extdata", "kilns.csv", package = "hylomath")), "holds no result")
  evil <- "{\"$table\":{\"columns\":{},\"count\":0}}"
  with_content(evil, file)
  expect_fails(read_result(file), "holds something else")
  with_content(evil, file, sub("0", "1", evil))
  expect_fails(read_result(file), "its checksum is another one")
})

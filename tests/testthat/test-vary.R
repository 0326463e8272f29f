base <- function() withr::with_seed(1, brief(small_kilns(), "outcome")) |>
  regimen(epochs = 10, seed = 7, method = "adam") |> hold_out(folds = 0, seed = 5)

test_that("every value is evaluated by the same folds, as folds() evaluates it", {
  v <- vary(base(), units = c(2, 6), k = 3, progress = "none")
  own <- folds(wire(base(), "6 relu > 3 relu"), k = 3, progress = "none")
  expect_identical(v$folds[["6"]]$predictions, own$predictions)
  expect_equal(v$values$mean[2], mean(own$each[["cross-entropy"]]))
  d <- own$each[["cross-entropy"]] - v$folds[["2"]]$each[["cross-entropy"]]
  expect_equal(v$values$difference[2], mean(d))
  expect_equal(v$values$parameters[2], mean(own$each$parameters))
  expect_equal(v$against, "2")
  expect_identical(as.data.frame(v), v$values)
})

test_that("any key of a brief can be varied, and its own value is what others are compared with", {
  v <- vary(base(), batch_size = c(16, 64), k = 2, progress = "none")
  expect_gt(v$values$updates[1], 3 * v$values$updates[2])
  numbers <- vary(base(), prepare.numbers = c("robust", "zscore"), k = 2, progress = "none")
  expect_equal(numbers$against, "zscore")
  expect_true(is.na(numbers$values$difference[2]))
  expect_identical(numbers$folds$zscore$predictions, folds(base(), k = 2, progress = "none")$predictions)
  wirings <- vary(base(), wiring = c("linear", "4 tanh"), k = 2, progress = "none")
  expect_match(paste(format(wirings), collapse = "\n"), "wiring +cross-entropy +spread")
  expect_identical(setting_path("learning_rate"), c("regimen", "learning_rate"))
})

test_that("fewer rows are some of more, and the evaluated rows stay the same", {
  b <- base()
  parts <- function(most) lay_folds(fold_plan(b, 3, 1, NULL, most), b$table)$parts(2)
  small <- parts(100)
  large <- parts(250)
  rows <- function(part) which(part %in% "training")
  expect_length(rows(small), 100)
  expect_true(all(rows(small) %in% rows(large)))
  expect_identical(which(small %in% "evaluated"), which(large %in% "evaluated"))
  v <- vary(b, rows = c(100, 250), k = 3, progress = "none")
  expect_equal(v$values$rows, c(100, 250))
})

test_that("what can't be varied is refused before any training", {
  expect_fails(vary(base(), units = 3), "needs two values")
  expect_fails(vary(base(), unit = 1:3), "Did you mean `units`?")
  expect_fails(vary(base(), rows = c(10, 1e5)), "Ask for fewer rows")
  expect_fails(vary(base(), method = c("adam", "adm")), "Did you mean `adam`?")
  expect_fails(vary(base(), 1:3), "one setting with its values")
  expect_fails(vary(base(), units = c(2, 0)), "`units` must be a whole number from 1")
})

test_that("a variation is drawn with its errors", {
  skip_if_not_installed("ggplot2")
  v <- vary(base(), units = c(2, 4, 64), k = 2, progress = "none")
  figure <- plot_variation(v)
  d <- ggplot2::ggplot_build(figure)$data
  expect_equal(d[[2]]$ymax - d[[2]]$ymin, 2 * v$values$error)
  expect_match(figure$labels$x, "logarithmic")
  expect_fails(plot_variation(3), "what vary() returns")
})

part_along <- function(b) split_rows(b, brief_table(b))

test_that("every class is dealt out in its share, to within one row", {
  b <- brief(kilns, target = "outcome") |> hold_out(validation = 0.2, test = 0.1, seed = 5)
  counts <- table(part_along(b), kilns$outcome)
  total <- table(kilns$outcome)
  expect_true(all(abs(counts["test", ] - 0.1 * total) <= 1))
  expect_true(all(abs(counts["validation", ] - 0.2 * total) <= 1))
})

test_that("the same seed gives the same parts, whatever R's generator", {
  b <- brief(kilns, target = "outcome") |> hold_out(seed = 5)
  a <- part_along(b)
  withr::with_seed(9, expect_identical(part_along(b), a))
  expect_false(identical(part_along(hold_out(b, seed = 6)), a))
})

test_that("numbers are balanced over their ranks", {
  b <- brief(crossings, target = "passengers") |> hold_out(seed = 5)
  part <- part_along(b)
  expect_lt(abs(mean(crossings$passengers[part == "test"]) - mean(crossings$passengers)), 1.5)
})

test_that("a small table of numbers keeps the shares that were asked for", {
  part <- part_along(brief(mtcars, target = "mpg") |> hold_out(seed = 5))
  expect_true(all(table(part)[c("validation", "test")] %in% 4:6))
})

test_that("groups are never parted", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 5)
  part <- part_along(b)
  expect_true(all(lengths(lapply(split(part, recovery$patient), unique)) == 1))
  expect_equal(mean(part == "test"), 0.15, tolerance = 0.02)
})

test_that("ordered parts follow the time", {
  b <- brief(crossings, target = "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered")
  part <- part_along(b)
  expect_gt(min(crossings$sails_on[part == "test"]), max(crossings$sails_on[part == "validation"]))
  expect_gt(min(crossings$sails_on[part == "validation"]), max(crossings$sails_on[part == "training"]))
  expect_fails(train(brief(crossings, target = "passengers") |> hold_out(by = "ordered")), "no column orders the rows")
})

test_that("rows without a target belong to no part", {
  table <- small_kilns()
  table$outcome[1:30] <- NA
  part <- part_along(brief(table, target = "outcome"))
  expect_true(all(is.na(part[1:30])) && !anyNA(part[-(1:30)]))
})

test_that("a class with fewer rows than parts is refused", {
  table <- small_kilns()
  table$outcome[1:2] <- "cracked"
  b <- brief(table, target = "outcome")
  expect_fails(train(b, progress = "none"), "The class \"cracked\" has 2 rows for 3 parts")
  expect_s3_class(train(regimen(hold_out(b, test = 0), epochs = 1), progress = "none"), "hylomath_model")
})

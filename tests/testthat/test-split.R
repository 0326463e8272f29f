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
  part <- part_along(brief(boats, target = "litres_mile") |> hold_out(validation = 0.15, seed = 5))
  expect_true(table(part)[["validation"]] %in% 4:6 && table(part)[["test"]] %in% 6:7)
})

test_that("groups are never parted", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 5)
  part <- part_along(b)
  expect_true(all(lengths(lapply(split(part, recovery$patient), unique)) == 1))
  expect_equal(mean(part == "test"), 0.2, tolerance = 0.02)
})

test_that("ordered parts follow the time", {
  b <- brief(crossings, target = "passengers") |> set_columns(order = sails_on) |> hold_out(folds = 0, by = "ordered")
  part <- part_along(b)
  expect_gt(min(crossings$sails_on[part == "test"]), max(crossings$sails_on[part == "validation"]))
  expect_gt(min(crossings$sails_on[part == "validation"]), max(crossings$sails_on[part == "training"]))
  expect_fails(single(brief(crossings, target = "passengers") |> hold_out(by = "ordered")), "no column orders the rows")
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
  expect_fails(single(b, progress = "none"), "The class \"cracked\" has 2 rows for 3 parts")
  expect_s3_class(single(regimen(hold_out(b, test = 0), epochs = 1), progress = "none"), "hylomath_model")
})

test_that("groups are balanced over classes as well as whole groups can be", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(validation = 0.15, seed = 5)
  parts <- parts_of(b)
  expect_true(all(abs(parts$yes - mean(recovery$returned == "yes")) < 0.01))
  expect_true(all(abs(parts$share - c(0.65, 0.15, 0.2)) < 0.01))
})

test_that("conditions decide first, the shares deal out the rest", {
  b <- brief(kilns, target = "outcome") |> hold_out(test_where = fired_on >= "2025-09-01", validation = 0.2, seed = 1)
  part <- part_along(b)
  expect_equal(part == "test", kilns$fired_on >= as.Date("2025-09-01"))
  expect_equal(mean(part[part != "test"] == "validation"), 0.2, tolerance = 0.01)
  b <- brief(recovery, target = "returned") |>
    set_columns(group = patient) |> hold_out(test_where = visited_on >= "2025-06-01")
  expect_fails(parts_of(b), "part the rows of the group")
})

test_that("a column can say the parts", {
  table <- transform(small_kilns(), of = rep(c("training", "training", "validation", "test", NA), 120))
  b <- brief(table, target = "outcome") |> hold_out(parts = of)
  expect_equal(part_along(b), table$of)
  expect_false("of" %in% brief_inputs(b))
  table$of[3] <- "tset"
  expect_fails(parts_of(brief(table, target = "outcome") |> hold_out(parts = of)), "holds \"tset\"")
})

test_that("a split by key stays put when rows are added or reordered", {
  b <- brief(kilns, target = "outcome") |> hold_out(folds = 0, by = "key", seed = 3)
  part <- part_along(b)
  expect_equal(as.numeric(prop.table(table(part))[c("test", "validation")]), c(0.2, 0.15), tolerance = 0.08)
  some <- withr::with_seed(1, sample(4000, 2500))
  fewer <- brief(kilns[some, ], target = "outcome") |> hold_out(folds = 0, by = "key", seed = 3)
  expect_equal(part_along(fewer), part[some])
  expect_fails(parts_of(brief(kilns[-1], target = "outcome") |> hold_out(by = "key")), "no column is an id")
})

test_that("calibration rows are a part of their own, kept in the model", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(folds = 0, calibration = 0.1) |> regimen(epochs = 1)
  expect_equal(parts_of(b)$part, c("training", "validation", "calibration", "test"))
  model <- single(b, progress = "none")
  expect_equal(length(model$evaluated$calibration$observed), parts_of(b)$rows[3])
  expect_equal(appraise(model, rows = "calibration")$n, parts_of(b)$rows[3])
})

test_that("parts_of() counts what is set aside and shows the classes", {
  table <- small_kilns()
  table$outcome[1:30] <- NA
  parts <- parts_of(brief(table, target = "outcome") |> keep_rows(load_kg > 200) |> quick())
  expect_equal(parts$rows[parts$part == "set aside: filtered"], sum(table$load_kg <= 200))
  expect_equal(parts$rows[parts$part == "set aside: no target"], sum(table$load_kg[1:30] > 200))
  expect_equal(sum(parts$rows), 600)
  expect_equal(unname(rowSums(parts[1:3, c("burst", "crazed", "sound", "warped")])), rep(1, 3))
})

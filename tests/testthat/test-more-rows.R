b <- brief(kilns[1:1200, ], target = "outcome") |> hold_out(seed = 1, folds = 0) |> regimen(epochs = 10, seed = 1) |>
  wire("4 tanh")
curve <- more_rows(b, shares = c(0.2, 0.5), k = 3, progress = "none")

test_that("each size is evaluated on the same rows and learns from rows within the next larger one", {
  expect_equal(nrow(curve$sizes), 3)
  laid <- lapply(c(100, 250, 500), function(most) checked_folds(b, 3, 1, NULL, most))
  for (i in 1:3) {
    own <- lapply(laid, function(one) one$parts(i))
    for (part in c("training", "validation")) {
      for (size in 1:2) expect_true(all(own[[size + 1]][own[[size]] %in% part] == part))
    }
    expect_identical(which(own[[1]] %in% "evaluated"), which(own[[3]] %in% "evaluated"))
    counts <- vapply(own, function(part) sum(part %in% "training"), 0)
    expect_equal(counts, c(100, 250, 500))
    # validation rows in proportion
    shares <- vapply(own, function(part) sum(part %in% "validation"), 0) / counts
    expect_lt(max(abs(shares - shares[3])), 0.02)
  }
  # the last size is that of folds() as they are
  whole <- folds(b, k = 3, progress = "none")$pooled$measures
  expect_equal(curve$sizes$value[3], whole$value[whole$measure == "cross-entropy"])
})

test_that("of groups whole ones are taken", {
  grouped <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 1, folds = 0)
  laid <- checked_folds(grouped, 3, 1, NULL, 300)
  part <- laid$parts(1)
  whole <- checked_folds(grouped, 3, 1, NULL)$parts(1)
  learned <- part %in% "training"
  expect_lte(sum(learned), 300)
  expect_gt(sum(learned), 290)
  of <- unique(recovery$patient[learned])
  expect_true(all(which(recovery$patient %in% of & whole %in% "training") %in% which(learned)))
})

test_that("the law is found again where it is known", {
  rows <- c(50, 100, 200, 400, 800, 1600)
  laws <- list(c(0.3, 2, 0.6), c(0, 5, 0.5), c(0.5, 0, 1))
  for (law in laws) {
    value <- law[1] + law[2] * rows^-law[3]
    found <- fitted_laws(rbind(value), rows, rep(1, 6))
    at <- unname(found$floor + found$scale * (3200 / 1600)^-found$exponent)
    expect_equal(at, law[1] + law[2] * 3200^-law[3], tolerance = 1e-2)
  }
  # nothing below 0, whatever the values
  wild <- fitted_laws(withr::with_seed(1, matrix(runif(300), 50)), rows, rep(1, 6))
  expect_true(all(wild$floor >= 0 & wild$scale >= 0))
  # the band holds the law's own value ahead
  held <- vapply(1:60, function(seed) withr::with_seed(seed, {
    mean <- 0.3 + 2 * rows^-0.6
    shared <- rnorm(500, 0, 0.3)
    losses <- vapply(mean, function(m) m + shared + rnorm(500, 0, 0.05), numeric(500))
    fold <- rep(1:5, 100)
    losses <- losses + matrix(rnorm(30, 0, 0.01), 5)[fold, ]
    parts <- list(
      rows = losses, weight = rep(1, 500), unit = 1:500, by_fold = rowsum(losses, fold) / 100
    )
    ahead <- learning_band(parts, rows, 3200, 0.9, 300, seed)$curve
    last <- length(ahead$value)
    truth <- 0.3 + 2 * 3200^-0.6
    ahead$low[last] <= truth && truth <= ahead$high[last]
  }), NA)
  expect_gte(mean(held), 0.85)
})

test_that("it prints, draws, is kept, and is in reach of the command", {
  expect_match(paste(format(curve), collapse = " "), "rows would( hardly)? help|cannot show whether more would help")
  expect_equal(curve$ahead$rows, 2 * curve$now$rows)
  expect_equal(curve$gain$value, curve$now$value - curve$ahead$value)
  expect_s3_class(plot_more_rows(curve), "ggplot")
  expect_identical(as.data.frame(curve), curve$sizes)
  file <- withr::local_tempfile(fileext = ".learning")
  write_result(curve, file)
  expect_equal(read_result(file), curve)
  page <- withr::local_tempfile(fileext = ".html")
  write_report(curve, page)
  expect_match(paste(readLines(page), collapse = " "), "would more rows help")
  withr::local_dir(withr::local_tempdir())
  write_rows(kilns[1:800, ], "k.csv")
  hylomath(
    "brief", "k.csv", "--target", "outcome", "-o", "k.yml", "--set", "regimen.epochs=5", "--set", "hold_out.folds=0"
  )
  found <- hylomath("more-rows", "k.yml", "--k", "3", "--shares", "0.3,0.6", "--ahead", "3", "--figure", "r.png",
    "--keep", "k.kept"
  )
  expect_equal(found$status, 0)
  expect_match(paste(found$out, collapse = " "), "3 times +as +many")
  expect_true(file.exists("r.png"))
  expect_s3_class(read_result("k.kept"), "hylomath_more_rows")
  expect_equal(hylomath("more-rows", "k.yml", "--shares", "0.3,2")$status, 2)
})

test_that("sizes that can't be are refused", {
  expect_fails(more_rows(b, shares = 0.5, progress = "none"), "two shares below 1")
  expect_fails(more_rows(b, shares = c(0.001, 0.5), progress = "none"), "Take larger shares")
  expect_fails(more_rows(b, shares = c(0.1, 1.5), progress = "none"), "`shares` must be a number above 0 to 1")
  expect_fails(more_rows(kilns), "a brief")
})

test_that("several targets and numbers with a root have curves too", {
  table <- withr::with_seed(1, data.frame(x = rnorm(300), z = rnorm(300)))
  table$y <- withr::with_seed(2, table$x + rnorm(300))
  table$w <- withr::with_seed(3, 100 * table$z + rnorm(300))
  settled <- function(b) b |> hold_out(seed = 1, folds = 0) |> regimen(epochs = 20, seed = 1) |> wire("4 tanh")
  several <- more_rows(settled(brief(table, c("y", "w"))), shares = c(0.3, 0.6), k = 3, progress = "none")
  expect_match(several$primary, "share of the targets' variances")
  expect_true(all(several$sizes$value > 0 & several$sizes$value < 2))
  root <- more_rows(settled(brief(table[-4], "y")), shares = c(0.3, 0.6), k = 3, progress = "none")
  whole <- folds(settled(brief(table[-4], "y")), k = 3, progress = "none")$pooled
  expect_equal(root$primary, "RMSE")
  expect_equal(root$sizes$value[3], whole$measures$value[whole$measures$measure == "RMSE"])
})

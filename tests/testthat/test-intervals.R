test_that("Wilson's interval is that of prop.test", {
  for (hits in c(0, 3, 17, 40)) {
    found <- wilson_interval(hits / 40, 40, 0.9)[1, ]
    expect_equal(
      unname(found), as.numeric(suppressWarnings(prop.test(hits, 40, conf.level = 0.9, correct = FALSE))$conf.int)
    )
  }
  # of rows that stand alone the effective number is their number
  part <- matrix(rep(c(1, 0), c(12, 28)))
  expect_equal(effective_rows(part, part * 0 + 1), 40)
  # rows that come in copies count once
  expect_equal(effective_rows(part * 5, part * 0 + 5), 40)
})

test_that("the variance of an area is that of DeLong, DeLong and Clarke-Pearson", {
  d <- withr::with_seed(2, data.frame(first = rnorm(80), of = rep(c(TRUE, FALSE), c(30, 50))))
  d$second <- withr::with_seed(3, d$first + d$of + rnorm(80))
  # their definition, pair by pair
  components <- function(score) {
    x <- score[d$of]
    y <- score[!d$of]
    wins <- outer(x, y, function(a, b) (a > b) + (a == b) / 2)
    list(value = mean(wins), v10 = rowMeans(wins), v01 = colMeans(wins))
  }
  a <- components(d$first)
  b <- components(d$second)
  variance <- var(a$v10 - b$v10) / 30 + var(a$v01 - b$v01) / 50
  areas <- lapply(
    d[c("first", "second")], function(score) roc_area(ranked_scores(score, d$of, rep(1, 80)), d$of, rep(1, 80))
  )
  expect_equal(areas$first$value, a$value)
  expect_equal(influence_error(areas$first$influence), sqrt(var(a$v10) / 30 + var(a$v01) / 50))
  expect_equal(influence_error(areas$first$influence - areas$second$influence), sqrt(variance))
  expect_gt(area_interval(1, 0, 0.95, 10)[["low"]], 0.6)
  expect_lt(area_interval(1, 0, 0.95, 10)[["low"]], 0.8)
})

test_that("a median's interval is that of the binomial order statistics", {
  x <- withr::with_seed(1, rexp(400))
  found <- median_estimate(x, rep(1, 400), seq_len(400), 0.95, TRUE)
  expect_equal(found$value, median(x))
  expect_equal(c(found$low, found$high), sort(x)[round(200 + c(-1, 1) * 1.96 * 10)], tolerance = 0.02)
})

test_that("the bootstrap's interval of a mean is the usual one, and heeds groups", {
  counts <- bootstrap_counts(1:300, 2000, 5)
  expect_equal(colSums(counts), rep(300, 2000))
  x <- withr::with_seed(1, rnorm(300, 5))
  sums <- cbind(x)
  found <- bca_interval(mean(x), drawn_sums(counts, sums) / 300, all_but_one(sums) / 299, 0.95)
  expect_equal(unname(found[1, ]), as.numeric(t.test(x)$conf.int), tolerance = 0.005)
  expect_identical(core_resample(10, 3, 9), core_resample(10, 3, 9))
  # a mean whose spread comes of few terms is known less well: so many degrees of freedom as its variance has
  expect_equal(spread_freedom(qnorm(ppoints(300))), 299, tolerance = 0.1)
  expect_equal(spread_freedom(c(-10, 10, rep(c(-1, 1), 149))), 2 * 300 / (300 * 20298 / 498^2 - 1))
  # each row four times, as groups: as wide as with one row each, not half as wide
  table <- transform(small_crossings(200), whose = departure)
  four <- table[rep(seq_len(200), 4), ]
  four$departure <- paste0(four$departure, "-", rep(1:4, each = 200))
  model <- withr::with_seed(
    1,
    brief(table, "passengers") |>
      set_columns(drop = departure, group = whose) |> regimen(epochs = 20) |> single(progress = "none")
  )
  width <- function(model, data) with(appraise(model, data)$measures, setNames(high - low, measure))
  # rows that the model has not seen
  fresh <- function(data) transform(data, fare = fare + 0.001)
  alone <- width(model, fresh(table))
  expect_equal(
    width(model, fresh(four))[c("MAE", "R\u00b2", "median absolute error")],
    alone[c("MAE", "R\u00b2", "median absolute error")], tolerance = 0.15
  )
})

test_that("lots of many rows give the intervals of the rows", {
  expect_lte(max(units_of(5000, NULL, 1)), most_units)
  expect_equal(range(table(units_of(5000, NULL, 1))), c(2, 3))
  expect_equal(units_of(4, c("b", "a", "b", NA), 1), c(1, 2, 1, 3))
  x <- withr::with_seed(1, rnorm(20000))
  unit <- units_of(20000, NULL, 3)
  sums <- unit_sums(cbind(x, 1), unit, max(unit))
  counts <- bootstrap_counts(unit, 1000, 1)
  drawn <- drawn_sums(counts, sums)
  expect_equal(sd(drawn[, 1] / drawn[, 2]), 1 / sqrt(20000), tolerance = 0.06)
})

test_that("the calibration error's interval knows that the value is too high", {
  # perfectly calibrated: the true error is 0
  held <- vapply(1:20, function(seed) {
    p <- withr::with_seed(seed, runif(300))
    hit <- withr::with_seed(seed + 100, rbinom(300, 1, p))
    both <- cbind(p, 1 - p)
    t <- class_tallies(2L - hit, rep(1L, 300), both, rep(1, 300), seq_len(300), bins_of(both, 1L))
    counts <- bootstrap_counts(1:300, 500, seed)
    absolute_sum_interval(crossprod(counts, t$excess), colSums(t$excess), 0.95)[["low"]] == 0
  }, NA)
  expect_gte(sum(held), 18)
})

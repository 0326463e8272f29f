shaped <- function(table, ..., loss = NULL, seed = 1) {
  b <- brief(table, target = "y", ...) |>
    hold_out(calibration = 0.3, seed = seed) |> wire("4 tanh") |> regimen(epochs = 40, seed = 1)
  single(if (is.null(loss)) b else regimen(b, loss = loss), progress = "none")
}

test_that("the bound is the rank that a new row makes", {
  scores <- c(5, 1, 4, 2, 3, 6, 7, 8, 9)
  one <- rep(1, 9)
  expect_equal(conformal_bound(scores, one, 0.9), 9)   # 0.9 (9 + 1) = 9th
  expect_equal(conformal_bound(scores, one, 0.5), 5)
  expect_equal(conformal_bound(scores, one, 0.95), Inf)
  expect_equal(conformal_bound(scores, one * 3, 0.5), 5)
})

test_that("intervals hold new rows as often as they promise, over many tables", {
  held <- vapply(1:40, function(seed) {
    tables <- withr::with_seed(seed, { x <- rnorm(2400); data.frame(x = x, y = x^2 + rnorm(2400)) })
    model <- shaped(tables[1:1200, ])
    p <- predict(model, tables[1201:2400, ], type = "interval", level = 0.9)
    mean(p$low <= tables$y[1201:2400] & tables$y[1201:2400] <= p$high)
  }, 0)
  # of 360 calibration rows each: a standard deviation of 1.6 %, over 40 tables 0.28 %
  expect_equal(mean(held), 0.9, tolerance = 0.012)
})

test_that("counts with many zeros are held as often where many are expected as where few are", {
  draw <- function(seed, n) {
    withr::with_seed(seed, {
      mean <- exp(rnorm(n))
      data.frame(x = log(mean), y = rpois(n, mean / 0.4) * (runif(n) < 0.4))
    })
  }
  held <- vapply(1:6, function(seed) {
    b <- brief(draw(seed, 1500), target = "y", task = "count") |> hold_out(calibration = 0.4, seed = seed)
    model <- single(wire(b, "linear"), progress = "none")
    new <- draw(100 + seed, 3000)
    p <- predict(model, new, type = "interval")
    tapply(p$low <= new$y & new$y <= p$high, rank_bands(new$x, 3), mean)
  }, numeric(3))
  # by the square root of the mean alone 97 % where few are expected and 80 % where many are
  expect_lt(max(abs(rowMeans(held) - 0.9)), 0.05)
})

test_that("every kind of number has intervals of its own shape", {
  d <- withr::with_seed(2, data.frame(x = runif(3000)))
  spread <- function(p) p$high - p$low
  count <- shaped(transform(d, y = withr::with_seed(3, rpois(3000, exp(1 + 2 * x)))))
  p <- predict(count, d, type = "interval")
  expect_true(all(p$low == round(p$low) & p$low >= 0))
  expect_gt(cor(spread(p), sqrt(p$prediction)), 0.9)
  gamma <- shaped(
    transform(d, y = withr::with_seed(4, exp(x) * rgamma(3000, 5, 5))), task = "regression", loss = "gamma"
  )
  p <- predict(gamma, d, type = "interval")
  expect_equal(p$high / p$prediction, p$prediction / p$low)
  bent <- shaped(
    transform(d, y = withr::with_seed(5, rnorm(3000, 0, 0.2 + x))),
    loss = list(kind = "quantile", at = c(0.05, 0.5, 0.95))
  )
  p <- predict(bent, d, type = "interval")
  expect_gt(mean(spread(p)[d$x > 0.8]), 2 * mean(spread(p)[d$x < 0.2]))
  two <- predict(
    withr::with_seed(
      1,
      brief(boats[rep(1:32, 4), ], c("litres_mile", "engine_kw")) |>
        hold_out(calibration = 0.3) |> regimen(epochs = 20) |> single(progress = "none")
    ),
    boats, type = "interval"
  )
  expect_named(
    two,
    c(
      "prediction_litres_mile", "low_litres_mile", "high_litres_mile",
      "prediction_engine_kw", "low_engine_kw", "high_engine_kw"
    )
  )
})

test_that("sets hold rare classes as often as common ones", {
  d <- withr::with_seed(
    6, { x <- rnorm(8000); data.frame(x = x, y = ifelse(runif(8000) < plogis(1.5 * x - 2.5), "yes", "no")) }
  )
  model <- shaped(d[1:4000, ])
  p <- predict(model, d[4001:8000, ], type = "set", level = 0.9)
  observed <- d$y[4001:8000]
  # over several draws of the calibration rows
  held <- vapply(1:6, function(seed) {
    drawn <- predict(shaped(d[1:4000, ], seed = seed), d[4001:8000, ], type = "set", level = 0.9)
    c(no = mean(drawn$in_no[observed == "no"]), yes = mean(drawn$in_yes[observed == "yes"]))
  }, c(no = 0, yes = 0))
  expect_lt(max(abs(rowMeans(held) - 0.9)), 0.02)
  expect_equal(p$set[1], paste(c("no", "yes")[c(p$in_no[1], p$in_yes[1])], collapse = " | "))
  a <- appraise(model, d[4001:8000, ])
  expect_equal(a$coverage$of, c("all", "no", "yes"))
  expect_equal(a$coverage$held[3], mean(p$in_yes[observed == "yes"]))
  expect_match(paste(format(a), collapse = " "), "Prediction sets at 90 % hold the observed class in")
  # a class with hardly any calibration rows is never left out
  few <- shaped(d[1:120, ])
  kept <- few$evaluated$calibration$observed == "no"
  keep_rows <- function(x) if (is.data.frame(x)) x[kept, ] else x[kept]
  few$evaluated$calibration <- lapply(few$evaluated$calibration, keep_rows)
  expect_true(all(predict(few, d[1:50, ], type = "set")$in_yes))
})

test_that("intervals that can't be promised are refused", {
  ordered <- withr::with_seed(
    1,
    brief(transform(small_crossings(), month = format(sails_on, "%Y-%m")), "passengers") |>
      set_columns(order = month) |> hold_out(by = "ordered", calibration = 0.2, seed = 1) |>
      regimen(epochs = 2) |> single(progress = "none")
  )
  table <- transform(crossings, month = "2026-01")
  expect_fails(predict(ordered, table, type = "interval"), "`month` is of the kind `category`")
  expect_null(appraise(ordered)$coverage)
  expect_fails(
    predict(quick_model(small_crossings(), "passengers"), crossings, type = "interval"), "no calibration rows"
  )
  expect_fails(predict(quick_model(), kilns, type = "interval"), "type = \"set\"")
  expect_fails(predict(quick_model(small_crossings(), "passengers"), crossings, type = "set"), "type = \"interval\"")
  d <- withr::with_seed(1, data.frame(x = rnorm(60), y = rnorm(60)))
  expect_fails(
    predict(shaped(d), d, type = "interval", level = 0.99), "at least 99 calibration rows are needed; there are 20"
  )
})

test_that("rows that come otherwise than the calibration rows are noted", {
  d <- withr::with_seed(7, { x <- rnorm(2000); data.frame(x = x, y = x + rnorm(2000)) })
  model <- shaped(d[1:1000, ])
  noisier <- transform(d[1001:2000, ], y = x + 3 * (y - x))
  expect_true("intervals_miss" %in% notes(appraise(model, noisier))$code)
  expect_false("intervals_miss" %in% notes(appraise(model, d[1001:2000, ]))$code)
})

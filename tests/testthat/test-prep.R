# The same encoding, column by column and row by row, as one would write it down.
obvious_encoding <- function(b, training) {
  columns <- lapply(brief_inputs(b), function(column) {
    x <- b$table[[column]]
    if (is.numeric(x)) {
      known <- x[training & !is.na(x)]
      x[is.na(x)] <- median(known)
      return((x - mean(known)) / sd(known))
    }
    if (inherits(x, "Date")) {
      angle <- 2 * pi * (as.integer(format(x, "%j")) - 1) / 365.25
      return(cbind(sin(angle), cos(angle), sapply(1:7, function(d) as.numeric(format(x, "%u") == d))))
    }
    sapply(sort(unique(x[training])), function(level) as.numeric(x == level))
  })
  t(do.call(cbind, columns))
}

test_that("the encoding equals an obvious one", {
  briefs <- list(
    brief(small_kilns(), "outcome") |> prepare(missing = "median"), brief(small_crossings(), "passengers")
  )
  for (b in briefs) {
    training <- part_along(b) %in% "training"
    expect_equal(unname(encode_inputs(prepared(b), b$table)), unname(obvious_encoding(b, training)), tolerance = 1e-12)
    expect_length(prepared(b)$features, nrow(obvious_encoding(b, training)))
  }
})

test_that("nothing is learned from held-out rows", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(seed = 4)
  part <- part_along(b)
  held <- which(part != "training")
  spoiled <- b
  spoiled$table$moisture_pct[held] <- 1e6
  spoiled$table$gas_mbar[held] <- NA
  spoiled$table$glaze[held] <- "unheard of"
  expect_identical(prepared(spoiled, part == "training"), prepared(b, part == "training"))
})

test_that("changing test rows changes no weight", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(seed = 4) |> regimen(epochs = 4, seed = 1) |> quick()
  part <- part_along(b)
  spoiled <- b
  spoiled$table$moisture_pct[part == "test"] <- -77
  expect_identical(trained_network(single(spoiled, progress = "none")), trained_network(single(b, progress = "none")))
})

test_that("any subset in any order gives the same rows", {
  b <- brief(small_kilns(), target = "outcome")
  p <- prepared(b)
  whole <- encode_inputs(p, b$table)
  some <- withr::with_seed(2, sample(nrow(b$table), 100))
  expect_identical(encode_inputs(p, b$table[some, ]), whole[, some])
})

test_that("missing and unseen levels have their place", {
  table <- data.frame(y = rnorm(200), zone = rep(c("a", "b", "c", "rare"), c(90, 60, 48, 2)))
  b <- brief(table, target = "y") |> prepare(rare = 0.05)
  p <- prepared(b, rep(TRUE, 200))
  expect_equal(p$features, c("zone=a", "zone=b", "zone=c", "zone=(other)"))
  new <- data.frame(zone = c("b", NA, "rare", "never"))
  expect_equal(encode_inputs(p, new), cbind(c(0, 1, 0, 0), 0, c(0, 0, 0, 1), c(0, 0, 0, 1)))
  p <- prepared(prepare(b, rare = 0), rep(TRUE, 200))
  expect_equal(encode_inputs(p, data.frame(zone = c("never", "rare"))), cbind(c(0, 0, 0, 0), c(0, 0, 0, 1)))
})

test_that("hours lie on a circle and missing dates are zeros", {
  table <- data.frame(y = rnorm(48), at = as.POSIXct("2025-03-03", tz = "UTC") + 3600 * 0:47)
  b <- brief(table, target = "y")
  x <- encode_inputs(prepared(b, rep(TRUE, 48)), data.frame(at = c(table$at[c(1, 7, 25)], NA)))
  expect_equal(x[10:11, 1:2], cbind(c(0, 1), c(1, 0)))
  expect_equal(x[10:11, 1], x[10:11, 3])
  expect_equal(x[3:4, c(1, 3)], cbind(c(1, 0), c(0, 1)))  # a Monday and a Tuesday
  expect_true(all(x[, 4] == 0))
})

# ---- other preparations, each against its formula on the training rows ---------------------------------------------

one_column <- function(x, ..., kind = NULL, rows = rep(TRUE, length(x))) {
  table <- data.frame(y = seq(0.5, by = 1, length.out = length(x)), x = x)
  b <- brief(table, "y")
  if (!is.null(kind)) b <- set_columns(b, kinds = c(x = kind))
  b <- prepare(b, ...)
  preparation <- prepared(b, rows)
  function(new = x) {
    m <- encode_inputs(preparation, data.frame(x = new))
    rownames(m) <- preparation$features
    m
  }
}

test_that("numbers are scaled as asked, from the training rows", {
  x <- withr::with_seed(1, rexp(200))
  rows <- rep(c(TRUE, FALSE), c(150, 50))
  t <- x[rows]
  expect_equal(one_column(x, rows = rows)()[1, ], (x - mean(t)) / sd(t))
  expect_equal(one_column(x, numbers = "minmax", rows = rows)()[1, ], (x - min(t)) / diff(range(t)))
  expect_equal(one_column(x, numbers = "minmax_signed", rows = rows)()[1, ], 2 * (x - min(t)) / diff(range(t)) - 1)
  expect_equal(one_column(x, numbers = "robust", rows = rows)()[1, ], (x - median(t)) / (IQR(t) / 1.349))
  expect_equal(one_column(x, numbers = "none", rows = rows)()[1, ], x)
  normal <- one_column(x, numbers = "rank_normal", rows = rows)()[1, ]
  expect_equal(order(normal[rows]), order(t))
  expect_equal(c(mean(normal[rows]), sd(normal[rows])), c(0, 1), tolerance = 0.05)
  edges <- quantile(t, (0:8) / 8, names = FALSE)
  pieces <- one_column(x, numbers = "piecewise", rows = rows)()
  expect_equal(rownames(pieces), paste0("x/", 1:8))
  along <- vapply(1:8, function(i) pmin(pmax((x - edges[i]) / (edges[i + 1] - edges[i]), 0), 1), x)
  expect_equal(unname(pieces), t(along))
  expect_equal(rownames(one_column(c(0, 1, NA, rep(c(0, 0, 1), 20)), numbers = "piecewise")()), c("x/1", "x:missing"))
  expect_equal(nrow(one_column(x, numbers = "piecewise", clip = 0.2, rows = rows)()), 6)
  waves <- one_column(x, numbers = "periodic", rows = rows)()
  z <- (x - mean(t)) / sd(t)
  turns <- 2 * pi * outer(c(1 / 8, 1 / 4, 1 / 2, 1), z)
  expect_equal(unname(waves), rbind(z, do.call(rbind, lapply(1:4, function(i) rbind(sin(turns[i, ]), cos(turns[i, ])))),
    deparse.level = 0
  ))
  expect_equal(rownames(waves)[1:3], c("x", "x:sin8", "x:cos8"))
  ends <- quantile(t, c(0.05, 0.95), names = FALSE)
  expect_equal(one_column(x, numbers = "none", clip = 0.05, rows = rows)()[1, ], pmin(pmax(x, ends[1]), ends[2]))
})

test_that("missing values in numbers are filled, and flagged where there are many", {
  x <- c(1.5, 2, 2, 10, NA, rep(c(3, 4.5), 20))
  expect_equal(rownames(one_column(x)()), c("x", "x:missing"))
  expect_equal(rownames(one_column(x, missing = "median")()), "x")
  fill <- function(missing) one_column(x, numbers = "none", missing = missing)()[1, 5]
  expect_equal(
    unname(c(fill("median"), fill("mean"), fill("common"))), c(median(x, na.rm = TRUE), mean(x, na.rm = TRUE), 3)
  )
  few <- c(x, rnorm(400))
  expect_equal(rownames(one_column(few)()), "x")
  expect_equal(one_column(few, missing = "flag")()[["x:missing", 5]], 1)
})

test_that("missing values in categories have their own level, the commonest, or none", {
  x <- rep(c("a", "b", "b", NA), 10)
  expect_equal(unname(one_column(x)()[, 4]), c(0, 0, 1))
  expect_equal(rownames(one_column(x, missing = "own")()), c("x=a", "x=b", "x=(missing)"))
  expect_equal(unname(one_column(x, missing = "common")()[, 4]), c(0, 1))
  expect_equal(unname(one_column(x, missing = "median")()[, 4]), c(0, 0))
})

test_that("rows with missing values are set aside where they are to be dropped, and not predicted", {
  b <- withr::with_seed(1, brief(small_kilns(), "outcome")) |>
    prepare(only = gas_mbar, missing = "drop") |> regimen(epochs = 2)
  part <- part_along(b)
  expect_equal(is.na(part), is.na(small_kilns()$gas_mbar))
  expect_equal(is.na(predict(single(b, progress = "none"), small_kilns())$prediction), is.na(small_kilns()$gas_mbar))
})

test_that("categories become ordinal codes, shares or buckets", {
  x <- rep(c("a", "b", "c", NA), c(10, 20, 10, 5))
  code <- rep(c(1, 2, 3), c(10, 20, 10))
  expect_equal(one_column(x, categories = "ordinal")()[1, 1:40], (code - 2) / sd(code))
  share <- rep(c(0.25, 0.5, 0.25), c(10, 20, 10))
  expect_equal(
    one_column(x, categories = "frequency")(c("b", "never", NA))[1, ], c((0.5 - mean(share)) / sd(share), 0, 0)
  )
  many <- sprintf("item %d", 1:300)
  hashed <- one_column(rep(many, 2), categories = "hash", buckets = 16, kind = "category")
  expect_equal(dim(hashed()), c(16L, 600L))
  expect_true(all(colSums(hashed()) == 1))
  expect_equal(hashed()[, 1:300], hashed()[, 301:600])
  expect_equal(colSums(hashed("never seen")), 1)
  expect_true(all(rowSums(hashed(many)) > 5))
})

test_that("date parts are those of the calendar, in the column's own zone", {
  day <- as.Date("2023-01-01") + c(0:800, NA)
  m <- one_column(day, dates = c("weekday", "month", "quarter"))()
  expect_equal(unname(m["x:Mon", 1:801]), as.numeric(format(day[1:801], "%u") == "1"))
  expect_equal(unname(m["x:Mar", 1:801]), as.numeric(format(day[1:801], "%m") == "03"))
  expect_equal(
    unname(colSums(m[c("x:Q1", "x:Q4"), 1:801])),
    as.numeric(format(day[1:801], "%m") %in% c("01", "02", "03", "10", "11", "12"))
  )
  expect_true(all(m[, 802] == 0))
  year <- as.numeric(format(day, "%Y"))
  expect_equal(
    unname(one_column(day, dates = "year")()[1, 1:801]),
    ((year - mean(year, na.rm = TRUE)) / sd(year, na.rm = TRUE))[1:801]
  )
  at <- as.POSIXct("2025-07-01 23:30", tz = "UTC") + 3600 * (0:49)
  attr(at, "tzone") <- "Europe/Berlin"
  m <- one_column(at, dates = "hour")()
  hour <- as.POSIXlt(at)$hour + 0.5
  expect_equal(unname(m["x:hour_sin", ]), sin(2 * pi * hour / 24))
})

test_that("codes that mean missing are taken out, and numbers come to light", {
  table <- data.frame(y = rnorm(60), load = rep(c("12", "gone", "7.5"), 20), age = rep(c(30, -9, 41), 20))
  b <- brief(table, "y")
  expect_equal(b$columns$kinds$load, "category")
  b <- prepare(b, missing_codes = c(-9, "gone"))
  expect_equal(unlist(b$columns$kinds[c("load", "age")]), c(load = "number", age = "count"))
  expect_equal(working_table_of(b)$load[1:3], c(12, NA, 7.5))
  model <- single(regimen(b, epochs = 2), progress = "none")
  expect_identical(
    predict(model, data.frame(load = "gone", age = 30)), predict(model, data.frame(load = NA_real_, age = 30))
  )
  only <- prepare(brief(table, "y"), only = load, missing_codes = "gone")
  expect_equal(unlist(only$columns$kinds[c("load", "age")]), c(load = "number", age = "number"))
})

test_that("settings for some columns stand beside those for all, and later calls win", {
  b <- brief(small_kilns(), "outcome") |> prepare(only = c(load_kg, soak_min), numbers = "robust", clip = 0.01)
  expect_equal(settings_for(b, "load_kg")$numbers, "robust")
  expect_equal(settings_for(b, "peak_c")$numbers, "auto")
  b <- prepare(b, numbers = "minmax")
  expect_equal(settings_for(b, "load_kg")$numbers, "minmax")
  expect_equal(settings_for(b, "load_kg")$clip, 0.01)
  b <- prepare(b, only = load_kg, numbers = "none")
  expect_equal(settings_for(b, "load_kg")[c("numbers", "clip")], list(numbers = "none", clip = 0.01))
  expect_fails(prepare(b, only = load, numbers = "none"), "no column `load` for `only`")
  expect_fails(prepare(b, dates = "seasons"), "Did you mean `season`?")
})

test_that("a log target is predicted as a mean, or as a median where that is asked for", {
  t <- withr::with_seed(4, data.frame(x = runif(3000)))
  t$y <- exp(1 + 2 * t$x + withr::with_seed(5, rnorm(3000, 0, 0.8)))
  fit <- function(target) withr::with_seed(
    1, brief(t, "y") |> prepare(target = target) |> wire("linear") |> single(progress = "none")
  )
  mean_model <- fit("log")
  median_model <- fit("log_median")
  grid <- data.frame(x = c(0.2, 0.5, 0.8))
  expect_equal(predict(median_model, grid)$prediction, exp(1 + 2 * grid$x), tolerance = 0.05)
  expect_equal(mean_model$predictor$preparation$target$smear, exp(0.8^2 / 2), tolerance = 0.05)
  expect_equal(predict(mean_model, grid)$prediction, exp(1 + 2 * grid$x + 0.8^2 / 2), tolerance = 0.1)
  expect_fails(single(brief(transform(t, y = y - 1), "y") |> prepare(target = "log")), "is not above 0 in row")
  expect_fails(single(brief(small_crossings(), "passengers") |> prepare(target = "log")), "is for regression")
})

test_that("random tables: the core's encoding equals an obvious one on any rows", {
  for (seed in 1:15) {
    withr::local_seed(seed)
    n <- sample(40:300, 1)
    holes <- function(x, share) replace(x, runif(n) < share, NA)
    table <- data.frame(
      y = rnorm(n), a = holes(rnorm(n, 50, 20), 0.1), k = holes(sample(100L, n, TRUE), 0.005),
      f = sample(c(TRUE, FALSE), n, TRUE),
      w = holes(sample(c("u", "v", "w", "x y"), n, TRUE), sample(c(0, 0.2), 1)),
      d = holes(as.Date("2024-02-01") + sample(400, n, TRUE), 0.05)
    )
    b <- brief(table, "y")
    training <- runif(n) < 0.7
    obvious <- list()
    for (column in brief_inputs(b)) {
      x <- table[[column]]
      t <- x[training]
      if (is.numeric(x) || is.logical(x)) {
        x <- as.numeric(x)
        t <- as.numeric(t)
        obvious[[column]] <- (
          ifelse(is.na(x), median(t, na.rm = TRUE), x) - mean(t, na.rm = TRUE)
        ) / sd(t, na.rm = TRUE)
        if (mean(is.na(t)) > 0.01) obvious[[paste0(column, "?")]] <- as.numeric(is.na(x))
      } else if (is.character(x)) {
        for (level in sort(unique(t), method = "radix")) obvious[[paste0(column, level)]] <- as.numeric(x %in% level)
        if (mean(is.na(t)) > 0.01) obvious[[paste0(column, "?")]] <- as.numeric(is.na(x))
      } else {
        angle <- 2 * pi * (as.numeric(format(x, "%j")) - 1) / 365.25
        parts <- c(list(sin(angle), cos(angle)), lapply(1:7, function(day) as.numeric(format(x, "%u") == day)))
        obvious <- c(obvious, lapply(parts, function(p) ifelse(is.na(p), 0, p)))
      }
    }
    preparation <- prepared(b, training)
    some <- sample(n, sample(n, 1))
    expect_equal(
      encode_inputs(preparation, table[some, ]), unname(do.call(rbind, obvious)[, some, drop = FALSE]),
      tolerance = 1e-12
    )
  }
})

test_that("quantiles rise whatever the weights, in the core and beside it", {
  shares <- seq(0, 1, 0.01)
  for (seed in 1:40) {
    withr::local_seed(seed)
    n <- sample(c(5, 40, 400, 3000), 1)
    x <- switch(seed %% 4 + 1, round(rnorm(n, 0, 3)), rpois(n, 2), rnorm(n), round(runif(n), 1))
    weight <- switch(seed %% 3 + 1, runif(n), rexp(n), sample(1:5, n, TRUE))
    weight <- if (seed %% 2) weight / mean(weight) else weight
    core <- unlist(summarise_numbers(list(as.numeric(x)), shares = shares, weight = weight)[1, -(1:9)])
    expect_false(is.unsorted(core))
    expect_false(is.unsorted(ordered_quantiles(x, weight, shares)))
    expect_equal(unname(core), ordered_quantiles(x, weight, shares), tolerance = 1e-9)
    if (all(weight == round(weight))) {
      expect_equal(unname(core), quantile(rep(x, weight), shares, names = FALSE), tolerance = 1e-9)
    }
  }
})

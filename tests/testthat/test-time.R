# A table whose rows have a place in time, of a kind, and belong to groups or not.
rows_in_time <- function(n, kind, grouped, seed) {
  withr::with_seed(seed, {
    day <- sort(sample(n, n, replace = TRUE))
    table <- data.frame(
      when = switch(kind,
        date = as.Date("2025-01-01") + day, time = as.POSIXct("2025-01-01", "UTC") + 3600 * day, number = day / 2
      ),
      x = rnorm(n), z = rnorm(n)
    )
    table$y <- table$x + rnorm(n)
    # groups lie together in time, more or less
    if (grouped) table$unit <- paste0("u", (day + sample(0:3, n, replace = TRUE)) %/% 4)
    table[sample(n), ]
  })
}

# The time that counts for a row: of a group that of its last row.
time_of <- function(table) {
  when <- as.numeric(table$when)
  if (is.null(table$unit)) when else ave(when, table$unit, FUN = max)
}

in_time_brief <- function(table, ...) {
  b <- brief(table, target = "y") |> set_columns(order = when)
  if (!is.null(table$unit)) b <- set_columns(b, group = unit)
  hold_out(b, by = "ordered", ..., seed = 1)
}

gaps <- list(date = list("5 days", 5), time = list("7 hours", 7 * 3600), number = list(4, 4))

test_that("no row is on the wrong side of a gap or a window", {
  left_out <- 0
  for (seed in 1:6) for (kind in names(gaps)) for (grouped in c(FALSE, TRUE)) {
    table <- rows_in_time(240, kind, grouped, seed)
    when <- time_of(table)
    gap <- gaps[[kind]][[2]]
    apart <- function(earlier, later) expect_lte(max(when[earlier]), min(when[later]) - gap)
    b <- in_time_brief(table, gap = gaps[[kind]][[1]], validation = 0.15, calibration = 0.15)
    part <- settle(b)$part
    places <- lapply(c("training", "validation", "calibration", "test"), function(name) which(part %in% name))
    for (i in 1:3) apart(places[[i]], places[[i + 1]])
    # as many rows as without the gap, less those in it
    without <- settle(hold_out(b, gap = 0, seed = 1))$part
    expect_true(all(part == without, na.rm = TRUE))
    left_out <- left_out + sum(is.na(part))
    expect_identical(which(part %in% "test"), which(without == "test"))
    expect_equal(sum(parts_of(b)$rows[parts_of(b)$part == "set aside: gap"]), sum(is.na(part)))
    # the networks of an ensemble
    a <- settle(in_time_brief(table, gap = gaps[[kind]][[1]], folds = 4))
    for (i in 1:4) {
      own <- member_parts(a, i)
      apart(own %in% "training", own %in% "validation")
      apart(own %in% "validation", own %in% "evaluated")
    }
    # folds, of one network and of ensembles
    window <- if (kind == "number") 30 else if (kind == "date") "60 days" else "60 hours"
    width <- if (kind == "number") 30 else if (kind == "date") 60 else 60 * 3600
    for (b in list(b, in_time_brief(table, gap = gaps[[kind]][[1]], folds = 3))) {
      laid <- checked_folds(b, 3, 1, "ordered", window = window)
      for (i in seq_len(nrow(laid$each))) {
        own <- laid$parts(i)
        learned <- own %in% c("training", "validation", "out_of_fold")
        apart(learned, own %in% "evaluated")
        expect_gte(min(when[learned]), min(when[own %in% "evaluated"]) - gap - width)
        apart(own %in% "training", own %in% "validation")
      }
    }
  }
  expect_gt(left_out, 100)
})

test_that("a gap stands before the test rows of a condition too", {
  table <- rows_in_time(200, "date", FALSE, 3)
  b <- brief(table, target = "y") |> set_columns(order = when) |>
    hold_out(test_where = when >= "2025-05-01", gap = "10 days", validation = 0.2, seed = 2)
  part <- settle(b)$part
  expect_lte(max(table$when[part %in% c("training", "validation")]), as.Date("2025-04-21"))
  expect_true(all(part[table$when >= "2025-05-01"] == "test"))
})

test_that("gaps and windows that can't be are refused with the reason", {
  table <- rows_in_time(120, "date", FALSE, 1)
  b <- in_time_brief(table, validation = 0.2)
  expect_identical(type_duration("1.5  weeks", "gap"), "1.5 weeks")
  expect_identical(type_duration("1 day", "gap"), "1 day")
  expect_identical(read_brief(text = brief_yaml(hold_out(b, gap = "3 days", seed = 1)))$hold_out$gap, "3 days")
  for (bad in list("3 fortnights", -1, "days", NA, "3days", c(1, 2))) {
    expect_fails(hold_out(b, gap = bad), "`hold_out.gap` can't be", "such as 30 days")
  }
  expect_fails(settle(hold_out(b, by = "stratified", gap = 3)), "dealt by `stratified`")
  expect_fails(settle(hold_out(brief(table, "y"), gap = 3)), "no column orders the rows")
  counted <- in_time_brief(rows_in_time(120, "number", FALSE, 1), gap = "3 days")
  expect_fails(settle(counted), "`when` holds numbers", "a number in its unit")
  timed <- in_time_brief(rows_in_time(120, "time", FALSE, 1), gap = 3)
  expect_fails(settle(timed), "3 without a unit", "12 hours")
  expect_fails(settle(hold_out(b, gap = "200 days", seed = 1)), "training part would have no rows")
  expect_fails(
    folds(b, k = 3, by = "random", window = 10, progress = "none"), "A `window` is for folds in order of time"
  )
})

# ---- intervals that follow time --------------------------------------------------------------------------------------

series <- list(
  steady = function(n) abs(rnorm(n)), growing = function(n) abs(rnorm(n, 0, seq(1, 3, length.out = n))),
  jump = function(n) abs(rnorm(n, 0, rep(c(1, 2.5, 0.7), each = ceiling(n / 3))[seq_len(n)])),
  season = function(n) abs(rnorm(n, 0, 1 + 0.7 * sin(2 * pi * seq_len(n) / 200))),
  drift = function(n) abs(cumsum(rnorm(n, 0, 0.05)) + rnorm(n))
)

test_that("intervals that follow time hold their share of drifting series", {
  for (level in c(0.8, 0.9, 0.95)) {
    held <- vapply(series, function(draw) {
      mean(vapply(1:6, function(seed) {
        score <- withr::with_seed(seed, draw(1200))
        mean(adaptive_bounds(score, seq_along(score), level, gap = 0)$held[201:1200])
      }, 0))
    }, 0)
    expect_true(all(abs(held - level) < 0.02))
  }
})

ferries <- function(...) withr::with_seed(1, {
  brief(crossings[1:2500, ], target = "passengers") |> set_columns(order = sails_on, id = departure) |>
    hold_out(by = "ordered", seed = 1, ...) |> regimen(epochs = 15) |> single(progress = "none")
})

test_that("each row's interval is made of the rows before it alone", {
  model <- ferries(calibration = 0.2)
  a <- appraise(model)
  path <- a$held[, 1]
  expect_equal(mean(path), a$coverage$held)
  # the same one day after another, as it would be at work
  days <- sort(unique(a$when))[1:4]
  bare <- model
  bare$evaluated$test <- NULL
  for (day in days) {
    rows <- crossings[as.numeric(crossings$sails_on) == day & seq_len(6000) <= 2500, ]
    if (nrow(rows) == 0) next
    ends <- predict(bare, rows, type = "interval")
    at <- match(rows$departure, a$evaluated$key)
    expect_equal(path[at], rows$passengers >= ends$low & rows$passengers <= ends$high)
    bare <- adapt(bare, rows)
  }
  expect_match(paste(format(a), collapse = " "), "They follow time")
})

test_that("intervals grow where the last rows missed, and rows are brought in once", {
  model <- ferries(calibration = 0.2)
  new <- crossings[2501:2800, ]
  usual <- predict(model, crossings[2801:2810, ], type = "interval")
  calm <- adapt(model, new)
  expect_equal(calm$predictor, model$predictor)
  wild <- adapt(model, transform(new, passengers = round(passengers * 2.5)))
  width <- function(ends) mean(ends$high - ends$low)
  expect_gt(width(predict(wild, crossings[2801:2810, ], type = "interval")), 1.5 * width(usual))
  expect_fails(adapt(calm, new), "None of these rows is new")
  more <- adapt(calm, crossings[2701:2900, ])
  expect_equal(length(more$evaluated$later$key), 400)
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(more, file)
  expect_identical(predict(read_model(file), crossings[3001:3010, ], type = "interval"),
    predict(more, crossings[3001:3010, ], type = "interval")
  )
  expect_null(without_rows(more)$evaluated$later)
  expect_fails(adapt(quick_model(kilns), kilns), "have no order")
  expect_fails(adapt(model, new[names(new) != "sails_on"]), "no column `sails_on`")
  expect_fails(adapt(ferries(validation = 0.2), new), "no calibration rows")
  # with a gap, what came after it is not known yet
  apart <- ferries(calibration = 0.2, gap = "30 days")
  expect_equal(adaptive_gap(apart$brief), 30)
  expect_true(all(diff(history_of(apart)$when) >= 0))
})

test_that("sets of classes follow time too, and an ensemble has them without calibration rows", {
  table <- transform(recovery, patient = NULL)
  model <- withr::with_seed(1, {
    brief(table, target = "returned") |> set_columns(order = visited_on) |>
      hold_out(by = "ordered", folds = 3, seed = 1) |> wire("4 tanh") |> regimen(epochs = 10) |>
      train(progress = "none")
  })
  sets <- predict(model, table[1:20, ], type = "set")
  expect_true(all(sets$set %in% c("no", "yes", "no | yes", "")))
  a <- appraise(model)
  expect_equal(a$coverage$of, c("all", "no", "yes"))
  expect_gt(a$coverage$held[1], 0.8)
  expect_equal(nrow(a$held), a$n)
})

test_that("the error over time is that of each stretch", {
  model <- ferries(calibration = 0.2)
  a <- appraise(model)
  found <- error_over_time(a, 5)
  expect_equal(sum(found$rows), a$n)
  expect_s3_class(found$from, "Date")
  expect_true(all(found$from[-1] > found$to[-5]))
  for (p in c(1, 5)) {
    own <- a$when >= as.numeric(found$from[p]) & a$when <= as.numeric(found$to[p])
    y <- a$evaluated$observed[own]
    m <- a$evaluated$prediction[own]
    deviance <- 2 * mean(ifelse(y > 0, y * log(y / m), 0) - (y - m))
    expect_equal(found$value[p], deviance, tolerance = 1e-6)
    expect_equal(found$held[p], mean(a$held[own, 1]))
    # a linear model and the same for every row, as the whole appraisal has them
  }
  whole <- error_over_time(a, 1)
  own <- a$measures[a$measures$measure == a$primary, ]
  expect_equal(unlist(whole[c("value", "linear", "baseline")]), unlist(own[c("value", "linear", "baseline")]))
  for (what in c("error", "held")) expect_s3_class(plot_over_time(a, what = what), "ggplot")
  classes <- withr::with_seed(1, {
    brief(recovery, "returned") |> set_columns(order = visited_on, drop = patient) |>
      hold_out(by = "ordered", seed = 1) |> regimen(epochs = 5) |> single(progress = "none")
  })
  of_classes <- error_over_time(appraise(classes), 1)
  own <- appraise(classes)$measures
  expect_equal(of_classes$baseline, own$baseline[own$measure == "cross-entropy"])
  expect_fails(plot_over_time(appraise(classes), what = "held"), "no intervals that follow time")
  expect_fails(error_over_time(appraise(quick_model())), "have no order")
  expect_fails(error_over_time(model), "an appraisal")
})

# A series with what time can meet: two targets, a count with its exposure, weights that count rows.
meeting <- withr::with_seed(5, {
  n <- 500
  day <- as.Date("2025-01-01") + sort(sample(250, n, replace = TRUE))
  data.frame(day = day, x = rnorm(n), hours = runif(n, 1, 5)) |>
    transform(
      y = x + rnorm(n), w = 100 + 10 * x + rnorm(n), calls = rpois(n, hours * exp(0.3 * x)), times = rep(1:2, n / 2)
    )
})

test_that("time meets several targets, exposure, counts, groups and ensembles", {
  of <- function(columns, target, ..., folds = 0) withr::with_seed(1, {
    brief(meeting[c("day", "x", columns)], target = target) |> set_columns(order = day, ...) |>
      hold_out(by = "ordered", folds = folds, calibration = if (folds > 0) 0 else 0.2, gap = "5 days", seed = 1) |>
      wire("3 tanh") |> regimen(epochs = 20, seed = 1) |> train(progress = "none")
  })
  models <- list(
    several = of(c("y", "w"), c("y", "w")), exposure = of(c("calls", "hours"), "calls", exposure = hours),
    counts = of(c("y", "times"), "y", weight = times, weight_is = "counts"),
    importance = of(c("y", "hours"), "y", weight = hours), ensemble = of("y", "y", folds = 4)
  )
  for (name in names(models)) {
    a <- appraise(models[[name]])
    expect_true(all(a$coverage$held > 0.7), info = name)
    whole <- error_over_time(a, 1)
    own <- a$measures[a$measures$measure == a$primary, ]
    expect_equal(whole$value, own$value, info = name)
    expect_equal(whole$baseline, own$baseline, info = name)
    expect_equal(whole$held, a$coverage$held, info = name)
    later <- transform(meeting[1:60, ], day = day + 400)
    expect_s3_class(adapt(models[[name]], later), "hylomath_model")
  }
  curve <- more_rows(
    brief(meeting[c("day", "x", "calls", "hours")], target = "calls") |> set_columns(order = day, exposure = hours) |>
      hold_out(by = "ordered", folds = 0, seed = 1) |> wire("3 tanh") |> regimen(epochs = 10, seed = 1),
    shares = c(0.4, 0.7), k = 3, progress = "none"
  )
  expect_true(all(is.finite(curve$curve$value)))
})

test_that("where test rows lie among the others in time, each has the rows before it", {
  model <- withr::with_seed(1, {
    brief(meeting[c("day", "x", "y")], target = "y") |> set_columns(order = day) |>
      hold_out(calibration = 0.3, folds = 0, seed = 1) |> regimen(epochs = 10, seed = 1) |> train(progress = "none")
  })
  a <- appraise(model)
  rows <- history_of(model, without = "test")
  late <- max(a$when)
  scores <- abs(rows$observed - rows$predictions[[1]])
  test <- data.frame(when = a$when, score = abs(a$evaluated$observed - a$evaluated$prediction))
  all <- rbind(data.frame(when = rows$when, score = scores), test)
  all <- all[order(all$when), ]
  path <- adaptive_bounds(all$score, all$when, 0.9, 0)
  at <- all$when == late & all$score %in% test$score[test$when == late]
  expect_equal(sort(unname(a$held[a$when == late, 1])), sort(path$held[at]))
})

test_that("the command deals with time", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  write_rows(crossings[1:2000, ], "c.csv")
  write_rows(crossings[2001:2200, ], "later.csv")
  run <- function(...) {
    found <- hylomath(...)
    expect_lte(found$status, 4)
    paste(c(found$out, found$err), collapse = " ")
  }
  run("brief", "c.csv", "--target", "passengers", "-o", "c.yml", "--set", "columns.order=sails_on",
    "--set", "hold_out.by=ordered", "--set", "hold_out.gap=7 days", "--set", "hold_out.calibration=0.2",
    "--set", "hold_out.folds=0", "--set", "regimen.epochs=5"
  )
  expect_match(paste(readLines("c.yml"), collapse = " "), "gap: 7 days")
  expect_match(run("folds", "c.yml", "--k", "3", "--window", "200 days"), "of the last 200 days, with a gap of 7 days")
  run("train", "c.yml", "-o", "c.hylo")
  expect_match(run("adapt", "c.hylo", "later.csv", "-o", "d.hylo"), "follow 200 rows more, 200 since training")
  expect_equal(length(read_model("d.hylo")$evaluated$later$key), 200)
  expect_match(run("watch", "c.hylo", "later.csv", "--adapt"), "follow 200 rows more")
  expect_equal(length(read_model("c.hylo")$evaluated$later$key), 200)
  expect_match(run("appraise", "c.hylo", "--figures", "drawn"), "They follow time")
  expect_true("over-time.png" %in% list.files("drawn"))
  expect_match(run("adapt", "c.hylo", "later.csv"), "None of these rows is new")
})

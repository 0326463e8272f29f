# Watching a network at work.

old <- kilns[1:2000, ]
newer <- kilns[2001:4000, ]
model <- withr::with_seed(3, brief(old, target = "outcome") |> regimen(epochs = 15) |> single(progress = "none"))

called <- function(watch) watch$movements[watch$movements$called, ]

test_that("nothing is called where nothing has changed", {
  watch <- watch_model(model, newer)
  expect_equal(watch$verdict, "keep")
  expect_match(watch$sentence, "^Keep: nothing has moved")
  expect_equal(nrow(called(watch)), 0)
  # 10 columns but the date; the loss is that of an appraisal
  expect_setequal(unique(watch$movements$column[!watch$movements$what %in% c("prediction", "measure")]), setdiff(
    prepared_columns(model$predictor$preparation), "fired_on"
  ))
  expect_equal(watch$periods$loss, measure_row(appraise(model, newer), "cross-entropy")$value)
})

test_that("what has moved is named, and how far", {
  changes <- list(
    place = function(t) transform(t, peak_c = peak_c + 0.3 * sd(old$peak_c)),
    spread = function(t) transform(t, load_kg = mean(load_kg) + 1.5 * (load_kg - mean(load_kg))),
    missing = function(t) transform(t, soak_min = ifelse(seq_len(nrow(t)) %% 12 == 0, NA, soak_min)),
    level = function(t) transform(t, glaze = ifelse(seq_len(nrow(t)) %% 8 == 0, "ash", as.character(glaze))),
    new = function(t) transform(t, kiln = ifelse(seq_len(nrow(t)) %% 20 == 0, "Tern", as.character(kiln))),
    outside = function(t) transform(t, ramp_c_h = ifelse(seq_len(nrow(t)) %% 30 == 0, 900, ramp_c_h))
  )
  columns <- c(
    place = "peak_c", spread = "load_kg", missing = "soak_min", level = "glaze", new = "kiln", outside = "ramp_c_h"
  )
  for (what in names(changes)) {
    watch <- watch_model(model, changes[[what]](newer)[names(newer) != "outcome"])
    expect_equal(watch$verdict, "look", label = what)
    found <- called(watch)
    expect_true(any(found$what == what & found$column == columns[[what]]), label = what)
    expect_match(watch$sentence, "the target would show", label = what)
    expect_true("target_unknown" %in% notes(watch)$code)
  }
  moved <- called(watch_model(model, changes$place(newer)))
  expect_equal(moved$moved[moved$what == "place"], 0.3, tolerance = 0.25)
  expect_equal(moved$now[moved$what == "place"] - moved$before[moved$what == "place"], 0.3 * sd(old$peak_c),
    tolerance = 0.25
  )
})

test_that("predictions that are wrong now ask for training, in the period where they are", {
  wrong <- newer
  late <- as.integer(format(wrong$fired_on, "%m")) > 6
  wrong$outcome[late] <- sample(wrong$outcome[late])
  watch <- watch_model(model, wrong, by = ifelse(month(fired_on) > 6, "late", "early"))
  expect_equal(watch$verdict, "retrain")
  losses <- called(watch)[called(watch)$what == "measure", ]
  expect_setequal(losses$period, c("late", "all"))
  expect_equal(watch$periods$period, c("early", "late", "all"))
  expect_output(print(watch), "Retrain: the cross-entropy is worse than at training")
  expect_s3_class(plot_watch(watch), "ggplot")
})

test_that("shares are compared by Fisher's test, means as of whole groups", {
  for (counts in list(c(30, 1000, 80, 1500), c(0, 400, 9, 800), c(500, 1000, 520, 1000))) {
    single <- function(count, rows) list(count = count, effect = 1, rows = rows, units = rows)
    moved <- share_movement("level", "x", single(counts[1], counts[2]), single(counts[3], counts[4]))
    table <- matrix(c(counts[1], counts[2] - counts[1], counts[3], counts[4] - counts[3]), 2)
    one_sided <- vapply(c("less", "greater"), function(way) fisher.test(table, alternative = way)$p.value, 0)
    expect_equal(moved$p, min(1, 2 * min(one_sided)))
  }
  withr::local_seed(3)
  group <- rep(1:200, each = 5)
  errors <- replicate(300, {
    x <- rnorm(200)[group] + rnorm(1000)
    c(mean(x), mean_with_error(x, group)$error)
  })
  expect_equal(mean(errors[2, ]), sd(errors[1, ]), tolerance = 0.1)
})

test_that("few, learned and foreign rows, bare models and old ones have their word", {
  expect_fails(watch_model(model, newer[1:10, ]), "No period has 30 rows")
  expect_equal(watch_model(model, old)$verdict, "keep")
  expect_fails(watch_model(model, newer["glaze"]), "no column")
  expect_fails(watch_model(kilns, newer), "model")
  former <- model
  former["profile"] <- list(NULL)
  expect_fails(watch_model(former, newer), "Train its brief again")
  withr::local_dir(withr::local_tempdir())
  table <- rbind(old, transform(old[1:3, ], glaze = "raku"))
  few <- withr::with_seed(3, brief(table, target = "outcome") |> prepare(rare = 0) |> single(progress = "none"))
  write_model(few, "few.hylo", rows = FALSE)
  bare <- read_model("few.hylo")
  expect_false(any(grepl("raku", unlist(bare$profile))))
  expect_equal(watch_model(bare, newer)$verdict, "keep")
})

test_that("the command says it by its exit status, too", {
  withr::local_dir(withr::local_tempdir())
  write_model(model, "k.hylo")
  data.table::fwrite(newer, "newer.csv")
  kept <- hylomath("watch", "k.hylo", "newer.csv", "--by", "day(fired_on) > 15", "--json")
  expect_equal(kept$status, 0)
  expect_equal(jsonlite::fromJSON(kept$out)$verdict, "keep")
  data.table::fwrite(transform(newer, peak_c = peak_c + 8), "warm.csv")
  look <- hylomath("watch", "k.hylo", "warm.csv", "--figure", "w.png", "-o", "moves.csv")
  expect_equal(look$status, if (any(grepl("Retrain", look$out))) 4 else 3)
  expect_true(all(file.exists(c("w.png", "moves.csv"))))
  expect_equal(hylomath("watch", "k.hylo", "warm.csv", "--by", "mean(peak_c)")$status, 2)
})

test_that("a watch names what it measures: a root of mean squares, in the unit of the target", {
  withr::local_seed(5)
  rows <- function(n, noise) {
    x <- rnorm(n)
    data.frame(x, y = 10 * x + rnorm(n, 0, noise))
  }
  model <- train(brief(rows(600, 10), target = "y") |> wire("linear"), progress = "none")
  newer <- rows(500, 10.2)
  found <- watch_model(model, newer)
  rmse <- sqrt(mean((predict(model, newer)$prediction - newer$y)^2))
  expect_equal(found$loss, "RMSE")
  expect_equal(found$periods$loss, rmse)
  expect_equal(found$periods$then, appraise(model)$measures$value[1])
  # by a tenth in the measure itself
  worse <- watch_model(model, rows(20000, 11.2))$movements
  worse <- worse[worse$what == "measure", ]
  expect_equal(worse$moved, 11.2 / found$periods$then - 1, tolerance = 0.1)
})

test_that("levels that training knew are not new, and scrambled targets are seen without test rows", {
  withr::local_seed(6)
  rows <- function(n) {
    x <- rnorm(n)
    data.frame(x, town = sprintf("t%03d", sample(120, n, TRUE)), y = ifelse(x + rlogis(n) > 0, "yes", "no"))
  }
  table <- rows(3000)
  b <- brief(table, target = "y") |> set_columns(kinds = c(town = "category")) |> wire("3 tanh") |> regimen(epochs = 20)
  model <- train(b |> hold_out(folds = 3, test = 0, seed = 1), progress = "none")
  newer <- rows(1500)
  found <- watch_model(model, newer)
  expect_equal(found$verdict, "keep")
  new <- found$movements[found$movements$what == "new", ]
  expect_equal(new$now, 0)
  expect_equal(watch_model(model, transform(newer, y = sample(y)))$verdict, "retrain")
  strangers <- transform(newer, town = ifelse(runif(1500) < 0.05, "elsewhere", town))
  expect_true(any(with(watch_model(model, strangers)$movements, what == "new" & called)))
})

test_that("few groups are taken for few: what a group lacks is no proof that all do", {
  one <- list(count = 0, effect = 1, rows = 200, units = 10)
  many <- list(count = 60, effect = 9, rows = 2000, units = 100)
  expect_gt(share_movement("level", "x", many, one)$p, 0.05)
  alone <- list(count = 0, effect = 1, rows = 200, units = 200)
  single <- list(count = 60, effect = 1, rows = 2000, units = 2000)
  expect_lt(share_movement("level", "x", single, alone)$p, 0.05)
})

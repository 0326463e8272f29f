# What could be misread, by the numbers of the audit's list (B): each promise with its test.

noted <- function(x) notes(x)$code
said_of <- function(x, code) notes(x)$note[notes(x)$code == code]
printed <- function(x) gsub(" +", " ", paste(format(x), collapse = " "))

test_that("B1: rows that were learned from are known by what they say, and the others are evaluated", {
  model <- quick_model(kilns, epochs = 3)
  part <- appraise(model, kilns[1:2000, ])
  held <- c(model$evaluated$test$key, model$evaluated$calibration$key)
  expect_setequal(part$evaluated$key, intersect(held, kilns$firing[1:2000]))
  expect_match(said_of(part, "rows_seen"), sprintf("%s rows of the table were used", format_count(2000 - part$n)))
  mixed <- appraise(model, kilns[rev(seq_len(4000)), ])
  expect_setequal(mixed$evaluated$key, held)
  learned <- kilns[match(model$evaluated$training$key, kilns$firing), ]
  expect_match(said_of(appraise(model, learned), "rows_seen"), "all of these 2,601 rows")
  expect_false("rows_seen" %in% noted(appraise(model, transform(kilns[1:200, ], peak_c = peak_c + 0.5))))
})

test_that("B2: beside costs stands the cheapest prediction that looks at nothing", {
  model <- quick_model(recovery, "returned", epochs = 3)
  dear <- decide(model, costs = rbind(no = c(no = 0, yes = 1), yes = c(50, 0)))
  a <- appraise(dear)
  m <- a$measures[a$measures$measure == "mean cost", ]
  expect_equal(m$baseline, mean(a$evaluated$observed == "no"))
})

test_that("B3: two columns that make the target, and what is too good, are asked about", {
  t <- withr::with_seed(1, data.frame(day = rexp(300), night = rexp(300), z = rnorm(300)))
  makes <- list(
    "night + day" = t$day + t$night, "night - day" = t$day - t$night, "night * day" = t$day * t$night,
    "night / day" = t$night / (t$day + 1e-9)
  )
  for (one in names(makes)[1:3]) {
    b <- brief(transform(t, all = makes[[one]]), target = "all") |> regimen(epochs = 2)
    told <- said_of(single(b, progress = "none"), "pair_gives_target_away")
    expect_match(told, "day [-+*] night is all times a constant")
    expect_true("pair_gives_target_away" %in% look(b$table, target = "all")$notes$code)
  }
  expect_false("pair_gives_target_away" %in% noted(quick_model(transform(t, all = day + 2 * night + z), "all")))
  exact <- brief(transform(t, all = 3 * day + z), target = "all") |> wire("linear") |> single(progress = "none")
  expect_match(said_of(appraise(exact), "too_good"), "Do the inputs, alone or together, hold the target")
  model <- quick_model(crossings, "passengers", epochs = 30)
  expect_match(printed(importance(model, crossings, repeats = 2)), "more than ten times as high. Is it known before")
})

test_that("B4: a curve has the target's unit, where there is one", {
  skip_if_not_installed("ggplot2")
  t <- withr::with_seed(1, data.frame(x = rnorm(300)))
  t$y <- 1000 * t$x + 50 * rnorm(300)
  b <- brief(t, target = "y") |> hold_out(seed = 1)
  of <- function(...) single(regimen(b, seed = 1, epochs = 60, ...), progress = "none")
  figure <- plot_curves(of())
  expect_match(figure$labels$subtitle, "Root mean squared error of y")
  drawn <- figure$data$loss[figure$data$part == "validation"]
  evaluated <- appraise(of(), rows = "validation")$measures
  expect_equal(drawn[of()$best_epoch], evaluated$value[evaluated$measure == "RMSE"], tolerance = 1e-5)
  expect_match(plot_curves(of(loss = "absolute"))$labels$subtitle, "Mean absolute error of y")
  expect_match(plot_curves(quick_model(crossings, "passengers"))$labels$subtitle, "Half the Poisson deviance")
})

test_that("B5: what is found never has an interval that says how little that tells", {
  n <- 600
  evaluated <- list(
    observed = rep(c("yes", "no"), c(52, n - 52)), weight = rep(1, n),
    predictions = withr::with_seed(1, {
      p <- runif(n, 0, 0.3)
      data.frame(prediction = rep(c("no", "yes"), c(n - 2, 2)), probability_no = 1 - p, probability_yes = p)
    })
  )
  how <- how_classes(c("no", "yes"), "yes", c(no = 0.9, yes = 0.1))
  resampling <- resampling_of(evaluated$weight, NULL, 1, 0.95, 1000)
  found <- class_estimates(how, evaluated, evaluated$predictions, resampling$unit, resampling)
  table <- interval_table(found, resampling)
  row <- function(measure) table[table$measure == measure, ]
  expect_gt(row("balanced accuracy")$high, 0.52)
  expect_gt(row("Cohen's kappa")$high, 0)
  expect_gt(row("macro F1")$high, row("macro F1")$value + 0.01)
  # as Zou and Donner (2008) have it, from Wilson's limits
  w <- rbind(wilson_interval(0, 52, 0.95), wilson_interval(546 / 548, 548, 0.95))
  p <- c(0, 546 / 548)
  expect_equal(
    c(row("balanced accuracy")$low, row("balanced accuracy")$high),
    mean(p) + c(-1, 1) * sqrt(c(sum((p - w[, 1])^2), sum((w[, 2] - p)^2))) / 2
  )
  own <- measures_by_class(found, how, resampling)
  expect_gt(own$f1_high[2], 0.05)
  by <- appraise(quick_model(kilns), kilns, rows = "test", by = glaze)$by
  expect_true(all(by$low[by$measure == "accuracy"] < by$high[by$measure == "accuracy"]))
})

test_that("B6: weights and costs are seen in a model, and predictions that aren't the likeliest are told", {
  even <- quick_model(recovery, "returned", epochs = 20, class_weights = "even")
  expect_match(printed(even), "weighted evenly \\(no 0.5[0-9]+, yes 4")
  expect_match(
    said_of(appraise(even), "predictions_favoured"), "predicted \"yes\" have another class as the likelier one"
  )
  dear <- decide(quick_model(recovery, "returned"), costs = rbind(no = c(no = 0, yes = 1), yes = c(50, 0)))
  expect_match(printed(dear), "\"yes\" predicted \"no\" costs 50")
})

test_that("B7: layers keep their shape when units are varied or searched", {
  b <- brief(boats, target = "litres_mile") |> wire("24 relu > 12 tanh")
  expect_equal(changed_brief(b, list(units = 8))$wiring, "8 relu > 4 tanh")
  expect_equal(changed_brief(b, list(units = 24))$wiring, b$wiring)
  expect_equal(changed_brief(b, list(units = 6, layers = 3))$wiring, "6 relu > 3 tanh > 3 tanh")
  v <- vary(hold_out(b, seed = 1) |> regimen(epochs = 3, seed = 1), units = c(12, 24), k = 2, progress = "none")
  expect_equal(v$against, "24")
})

test_that("B8: rows that were learned from earn nobody's keep", {
  model <- quick_model(kilns, epochs = 60)
  a <- appraise(model, rows = "training")
  expect_null(a$hidden_layers)
  expect_true(all(is.na(a$measures$training)))
  expect_no_match(printed(a), "hidden layers")
})

test_that("B9: a brief of the command holds its seeds, and trained twice gives one network", {
  withr::local_dir(withr::local_tempdir())
  write.csv(boats, "boats.csv", row.names = FALSE)
  expect_equal(hylomath("brief", "boats.csv", "-t", "litres_mile", "-o", "b.yml", "-q")$status, 0)
  networks <- lapply(c("one.hylo", "two.hylo"), function(file) {
    hylomath("train", "b.yml", "-o", file, "-q", "--set", "regimen.epochs=5")
    read_model(file)$predictor$network
  })
  expect_identical(networks[[1]], networks[[2]])
})

test_that("B10: notes say what was left unsaid, and stay silent where it isn't so", {
  t <- withr::with_seed(1, data.frame(x = rnorm(200), day = as.Date("2024-01-01") + 0:199))
  t$y <- exp(2 * t$x)
  skewed <- brief(t, target = "y") |> regimen(epochs = 3, method = "adam") |> single(progress = "none")
  expect_match(said_of(skewed, "skewed_target"), "long tail")
  expect_match(said_of(skewed, "dates_at_random"), "by day")
  expect_match(said_of(skewed, "more_parameters"), "130 rows")
  b <- brief(transform(t, y = x + 5), target = "y") |> set_columns(order = day) |> hold_out(by = "ordered")
  plain <- b |> wire("3 tanh") |> single(progress = "none")
  expect_length(intersect(noted(plain), c("skewed_target", "dates_at_random", "more_parameters")), 0)
  never <- list(
    classes = data.frame(class = c("a", "b", "c"), support = c(90, 3, 2)), task = "classification", n = 95,
    evaluated = data.frame(prediction = rep(c("a", "d"), c(94, 1))), confusion = cbind(a = c(90, 3, 2), b = 0, c = 0)
  )
  expect_match(note_never_predicted(never)$note, "2 classes are never predicted.*\"b\" \\(3\\) and \"c\" \\(2\\)")
  # errors that drift go together in time
  drift <- withr::with_seed(1, data.frame(when = as.Date("2020-01-01") + 1:800, x = rnorm(800)))
  drift$y <- drift$x + 3 * sin(seq_len(800) / 25)
  b <- brief(drift, target = "y") |> set_columns(order = when) |> prepare(dates = "none") |> hold_out(by = "ordered")
  expect_match(said_of(appraise(single(wire(b, "linear"), progress = "none")), "errors_go_together"), "too short")
  still <- transform(drift, y = x + withr::with_seed(2, rnorm(800)))
  steady <- single(wire(with_table(b, still), "linear"), progress = "none")
  expect_false("errors_go_together" %in% noted(appraise(steady)))
  # a validation loss that only jitters has not risen
  run <- function(validation) list(
    epochs = 60, best = 20, curves = data.frame(training = seq(1, 0.4, length.out = 60), validation = validation)
  )
  jitter <- withr::with_seed(1, 0.5 + runif(60, 0, 0.12))
  jitter[20] <- 0.49
  expect_null(note_validation_rose(run(jitter), "random"))
  rising <- c(seq(1, 0.5, length.out = 20), seq(0.5, 0.8, length.out = 40))
  expect_match(note_validation_rose(run(rising), "random")$note, "began to overfit")
  expect_match(note_validation_rose(run(rising), "ordered")$note, "not for the later ones")
  others <- list(primary = "RMSE", measures = data.frame(
    measure = c("RMSE", "MAE", "R\u00b2", "mean bias"), difference_low = c(-1, 0.1, 0.1, 0.1),
    difference_high = c(1, 1, 1, 1)
  ))
  expect_equal(by_other_measures(others), " By R\u00b2 they do better. By MAE they do worse.")
})

test_that("B11: the class that is looked for is the one whose word says so, else the rarer one", {
  of <- function(y) guess_positive(y, guess_classes(y))
  expect_equal(of(rep(c("good", "bad"), c(72, 28))), "bad")
  expect_equal(of(rep(c("yes", "no"), c(72, 28))), "yes")
  expect_equal(of(rep(c("Positive", "zero"), c(72, 28))), "Positive")
  expect_equal(of(rep(c(0, 1), c(3, 7))), "1")
  expect_equal(of(c(TRUE, TRUE, FALSE)), "TRUE")
  expect_equal(of(factor(c("b", "b", "a"), c("b", "a"))), "a")
  b <- brief(data.frame(x = rnorm(100), y = rep(c("good", "bad"), c(72, 28))), target = "y")
  expect_match(printed(b), "positive is bad")
  expect_match(brief_yaml(b), "positive: bad")
})

test_that("B12: with groups the promise is for a new group, and too few of them promise nothing", {
  # the bound as if each group were one row, its rows shares of it
  scores <- c(1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11)
  group <- c(rep("big", 2), letters[1:9])
  expect_equal(conformal_bound(scores, rep(1, 11), 0.9, group), 11)
  expect_equal(conformal_bound(scores, rep(1, 11), 0.8, group), 10)
  held <- withr::with_seed(4, mean(replicate(400, {
    of <- rep(1:20, each = 6)
    shift <- rnorm(21, 0, 2)
    bound <- conformal_bound(abs(shift[of] + rnorm(120)), rep(1, 120), 0.9, as.character(of))
    abs(shift[21] + rnorm(1)) <= bound
  })))
  expect_gt(held, 0.87)
  t <- withr::with_seed(1, data.frame(who = rep(1:40, each = 10), x = rnorm(400), error = rnorm(400)))
  t <- transform(t, y = x + error, error = NULL)
  model <- brief(t, target = "y") |> set_columns(group = who) |> hold_out(calibration = 0.15, seed = 1) |>
    regimen(epochs = 3) |> single(progress = "none")
  expect_warning(
    wide <- predict(model, t, type = "interval"), "6 calibration groups", class = "hylomath_warning_groups"
  )
  expect_true(all(is.infinite(wide$low)))
  expect_true(all(is.finite(predict(model, t, type = "interval", level = 0.8)$low)))
  # quantiles that are drawn together meet, and don't cross
  ends <- conformal_ends(list(unit = "quantiles"), data.frame(prediction = 2, q1 = 1, q9 = 3), 1, -5)
  expect_lte(ends$low, ends$high)
  counts <- whole_numbers_within(c(2.4, 3.5), 0.1)
  expect_true(all(counts$low <= counts$high))
})

test_that("B13: exposure is in the baseline, cells without rows are known, and a rule makes no other network", {
  t <- withr::with_seed(1, data.frame(days = sample(1:90, 600, TRUE), x = rnorm(600)))
  t$n <- rpois(600, 0.2 * t$days)
  model <- brief(t, target = "n") |> set_columns(exposure = days, keep = x) |> regimen(epochs = 3) |>
    single(progress = "none")
  a <- appraise(model)
  rate <- sum(t$n[model$evaluated$training$row]) / sum(t$days[model$evaluated$training$row])
  expect_equal(
    a$measures$baseline[a$measures$measure == "MAE"],
    mean(abs(rate * t$days[model$evaluated$test$row] - model$evaluated$test$observed))
  )
  expect_match(printed(a), "for each unit of exposure")
  tied <- withr::with_seed(2, data.frame(p = runif(400)))
  tied$q <- tied$p + rnorm(400, 0, 0.02)
  tied$y <- tied$p + rnorm(400)
  e <- effect_of(quick_model(tied, "y"), tied, p, with = q)
  expect_false(e$curve$near[which.max(e$curve$p - e$curve$q)])
  expect_true(e$curve$near[which.min(abs(e$curve$p - e$curve$q))])
  model <- quick_model(recovery, "returned", epochs = 4)
  expect_identical(network_id(model), network_id(decide(model, threshold = 0.2)))
})

test_that("B14: years are years, and one row is one row", {
  expect_equal(format_each_short(c(2010, 1999)), c("2010", "1999"))
  expect_equal(format_each_short(c(2010, 19990)), c("2,010", "19,990"))
  expect_match(note_copies_straddle(1)$note, "1 test row has .* so it does not test")
  expect_equal(natural_order(c("site 10", "site 2", "site 1")), c("site 1", "site 2", "site 10"))
})

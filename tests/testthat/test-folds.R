seeded <- function(table, target, ...) withr::with_seed(1, brief(table, target, ...)) |>
  regimen(epochs = 15, seed = 7) |> hold_out(folds = 0, seed = 5)

test_that("folds are dealt evenly, class by class and in all", {
  strata <- rep(1:4, c(50, 33, 11, 7))
  fold <- deal_rows(strata, 10L, 3)
  counts <- table(strata, fold)
  expect_true(all(apply(counts, 1, function(n) diff(range(n))) <= 1))
  expect_lte(diff(range(colSums(counts))), 1)
  expect_false(identical(deal_rows(strata, 10L, 4), fold))
})

test_that("groups stay whole, time goes forwards, and a group can be a fold", {
  b <- seeded(recovery, "returned") |> set_columns(group = patient)
  f <- folds(b, k = 5, progress = "none")
  of <- tapply(f$predictions$fold, recovery$patient[f$rows], function(x) length(unique(x)))
  expect_true(all(of == 1))
  expect_match(paste(format(f), collapse = " "), "5 folds of whole groups \\(patient\\)")
  ordered <- seeded(small_crossings(), "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered")
  o <- folds(ordered, k = 3, progress = "none")
  days <- tapply(as.numeric(small_crossings()$sails_on[o$rows]), o$predictions$fold, range)
  for (i in 1:2) expect_lt(days[[i]][2], days[[i + 1]][1])
  expect_equal(o$each$training, sort(o$each$training))
  kilnwise <- seeded(small_kilns(), "outcome") |> set_columns(group = kiln)
  g <- folds(hold_out(kilnwise, test = 0, validation = 0), by = "group", progress = "none")
  expect_equal(g$k, 3)
  expect_equal(nrow(g$predictions), 600)
})

test_that("a fold's predictions are those of a network trained on the others by hand", {
  b <- seeded(small_kilns(), "outcome")
  f <- folds(b, k = 4, progress = "none")
  a <- settle(b)
  rows <- rows_in(a, c("training", "validation"))
  expect_setequal(f$rows, rows)
  fold <- f$predictions$fold[match(seq_len(600), f$rows)][rows]
  share <- length(rows_in(a, "validation")) / length(rows)
  by_hand <- small_kilns()
  by_hand$part <- sub("evaluated", "test", fold_parts(a, rows, fold, 3, "stratified", share, 5))
  model <- single(
    brief(by_hand, "outcome") |>
      set_columns(drop = NULL) |> hold_out(parts = "part", seed = 5) |>
      regimen(epochs = 15, seed = 7 + 2),
    progress = "none"
  )
  own <- f$predictions[f$predictions$fold == 3, ]
  expect_identical(own$prediction, model$evaluated$test$predictions$prediction)
  expect_identical(own$probability_burst, model$evaluated$test$predictions$probability_burst)
  # one row a fold, and the pooled measures are those of all of them
  expect_equal(f$each$accuracy[3], mean(own$prediction == own$observed))
  expect_equal(f$measures$value[1], mean(f$predictions$prediction == f$predictions$observed))
  expect_equal(f$measures$mean[1], mean(f$each$accuracy))
  expect_equal(f$measures$error[1], sd(f$each$accuracy) * sqrt(1 / 4 + mean(f$each$rows / f$each$training)))
  expect_identical(folds(b, k = 4, progress = "none")$predictions, f$predictions)
  withr::local_options(hylomath.threads = 1L)
  expect_identical(folds(b, k = 4, progress = "none")$predictions, f$predictions)
})

test_that("what a fold learns knows nothing of the rows that it evaluates", {
  b <- seeded(small_kilns(), "outcome") |>
    prepare(only = glaze, categories = "frequency") |> regimen(class_weights = "even")
  learned <- function(table) {
    laid <- lay_folds(fold_plan(b, 5, 1, NULL), table)
    spec <- fold_spec(laid, 2)
    list(
      evaluated = spec$evaluated, preparation = spec$learned$preparation,
      network = fit_networks(list(spec), NULL)[[1]]$network
    )
  }
  plain <- learned(small_kilns())
  other <- small_kilns()
  wild <- plain$evaluated
  other$peak_c[wild] <- 5000
  other$glaze[wild] <- "raku"
  other$gas_mbar[wild] <- NA
  changed <- learned(other)
  expect_identical(changed$evaluated, wild)
  expect_identical(changed$preparation, plain$preparation)
  expect_identical(changed$network, plain$network)
})

test_that("codes for missing and derived columns hold inside folds", {
  coded <- small_kilns()
  coded$peak_c[seq(1, 600, 10)] <- -9
  b <- seeded(coded, "outcome") |> prepare(missing_codes = -9) |> add_columns(hot = peak_c > 1100)
  laid <- lay_folds(fold_plan(b, 3, 1, NULL), b$table)
  expect_equal(sum(is.na(laid$analysis$table$peak_c)), 60)
  expect_identical(laid$analysis$table, working_table_of(b))
  plain <- small_kilns()
  plain$peak_c[seq(1, 600, 10)] <- NA
  expect_identical(
    folds(b, k = 3, progress = "none")$predictions,
    folds(seeded(plain, "outcome") |> add_columns(hot = peak_c > 1100), k = 3, progress = "none")$predictions
  )
})

test_that("repeats deal anew and count each row once", {
  f <- folds(seeded(small_crossings(), "passengers"), k = 3, repeats = 2, progress = "none")
  expect_equal(nrow(f$each), 6)
  expect_equal(as.numeric(table(f$predictions$key)), rep(2, nrow(f$predictions) / 2))
  deal <- function(r) with(f$predictions[f$predictions[["repeat"]] == r, ], fold[order(key)])
  expect_false(identical(deal(1), deal(2)))
  expect_equal(sum(f$pooled$weight), nrow(f$predictions) / 2)
  expect_equal(f$measures$value[2], mean(abs(f$predictions$prediction - f$predictions$observed)))
})

test_that("several fits in one call are the fits one by one", {
  b <- seeded(small_kilns(), "outcome")
  spec <- function(method, wiring, seed) {
    a <- settle(wire(regimen(b, method = method, seed = seed), wiring))
    fit_spec(a, learn_training(a))
  }
  specs <- list(spec("adam", "8 relu", 1), spec("lbfgs", "4 tanh", 2), spec("adam", "5 tanh > 3 relu", 3))
  together <- fit_networks(specs, NULL)
  for (i in 1:3) expect_identical(together[[i]]$parameters, fit_networks(specs[i], NULL)[[1]]$parameters)
})

test_that("folds are lined up fold by fold", {
  b <- seeded(kilns, "outcome")
  large <- folds(b, k = 4, progress = "none")
  small <- folds(wire(b, "linear"), k = 4, progress = "none")
  found <- lineup(large = large, small = small)
  own <- found$models[found$models$model == "small", ]
  d <- small$each[["cross-entropy"]] - large$each[["cross-entropy"]]
  expect_equal(own$difference, mean(d))
  error <- sd(d) * sqrt(1 / 4 + mean(large$each$rows / large$each$training))
  expect_equal(own$difference_high, mean(d) + qt(0.975, 3) * error)
  expect_match(paste(format(found), collapse = " "), "2 briefs on the same 3,200 out-of-fold rows")
  expect_fails(lineup(large, folds(b, k = 3, progress = "none")), "dealt in the same way")
  expect_fails(lineup(large, quick_model()), "folds with folds")
})

test_that("out-of-fold predictions make intervals that hold on test rows", {
  d <- withr::with_seed(8, { x <- rnorm(3000); data.frame(x = x, y = x^2 + rnorm(3000)) })
  b <- seeded(d, "y") |> hold_out(test = 0.5) |> regimen(epochs = 40)
  model <- single(b, progress = "none")
  expect_fails(predict(model, d, type = "interval"), "no calibration rows")
  f <- folds(b, k = 5, progress = "none")
  covered <- appraise(calibrate(model, f))$coverage
  expect_equal(covered$held, 0.9, tolerance = 0.03)
  expect_fails(calibrate(model, folds(wire(b, "linear"), k = 3, progress = "none")), "its `wiring` differs")
  expect_fails(calibrate(model, 3), "what folds() returns")
})

test_that("folds that can't be are refused before any training", {
  b <- seeded(small_kilns(), "outcome")
  expect_fails(folds(b, by = "ordered"), "need a column that orders the rows")
  expect_fails(folds(b, by = "group"), "need a group column")
  expect_fails(folds(b, k = 1), "`k` must be a whole number from 2")
  expect_fails(folds(b, by = "stratifid"), "Did you mean `stratified`?")
  two <- small_kilns()[c(which(small_kilns()$outcome != "burst"), which(small_kilns()$outcome == "burst")[1:2]), ]
  expect_fails(
    folds(seeded(two, "outcome") |> hold_out(validation = 0.5, test = 0), k = 2), "have none of the class \"burst\""
  )
  expect_fails(
    folds(set_columns(seeded(small_kilns(), "outcome"), group = kiln) |> hold_out(validation = 0, test = 0), k = 5),
    "5 folds can't be dealt: there are 3 groups"
  )
})

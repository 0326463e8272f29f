# What decides is known: x1 alone, x2 and x3 together; x4 and x5 tell nothing.
known <- withr::with_seed(1, {
  d <- as.data.frame(matrix(runif(10000), 2000, dimnames = list(NULL, paste0("x", 1:5))))
  d$y <- 2 * d$x1 + d$x2 * d$x3 + rnorm(2000, 0, 0.05)
  d
})
known_model <- function() quick_model(known, "y", epochs = 150)

test_that("columns that decide come first, and those that don't have nothing", {
  found <- importance(known_model(), known)
  columns <- found$columns
  expect_equal(columns$column[1], "x1")
  expect_setequal(columns$column[2:3], c("x2", "x3"))
  expect_true(all(columns$low[1:3] > 0))
  expect_lt(max(columns$importance[4:5]), 0.02 * columns$importance[1])
  # the rise of the squared error when x1 is shuffled is twice the variance of what it tells
  truth <- sqrt(2 * 4 / 12 + found$value^2) - found$value
  expect_equal(columns$importance[1], truth, tolerance = 0.1)
  expect_equal(found$rows, "test")
  expect_equal(found$n, 400)
  expect_identical(importance(known_model(), known), found)
  expect_identical(as.data.frame(found), columns)
})

test_that("of an ensemble without test rows what was predicted out of fold is shuffled out of fold", {
  rows <- withr::with_seed(1, as.data.frame(matrix(rnorm(200 * 30), 200)))
  rows$y <- ifelse(rows$V1 + withr::with_seed(2, rlogis(200)) > 0, "yes", "no")
  b <- brief(rows, target = "y") |> hold_out(test = 0, folds = 4, seed = 1) |> regimen(seed = 1, epochs = 60)
  cases <- list(named = wire(b, "6 tanh"), few = wire(b, "6 tanh") |> prepare(strongest = 5), open = b)
  for (name in names(cases)) {
    model <- train(cases[[name]], progress = "none")
    found <- as.data.frame(importance(model, rows, repeats = 4))
    expect_equal(found$column[1], "V1", info = name)
    # what tells nothing has nothing, and no network predicts rows that it has learned
    others <- found[-1, ]
    expect_lt(mean(others$low > 0 | others$high < 0), 0.25, label = name)
    value <- importance(model, rows, repeats = 1)$value
    expect_equal(value, mean_loss(model$predictor, evaluated_in_part(model, "out_of_fold")), info = name)
  }
  # networks that take some columns each: the same as all asked anew
  few <- without_idle_inputs(model$predictor)
  part <- list(
    predictor = few, rows = 1:200, as_is = predictions_of(few, rows), takes = lapply(few$members, needed_columns)
  )
  order <- withr::with_seed(3, sample(200))
  for (column in utils::head(needed_columns(few), 6)) {
    other <- rows
    other[[column]] <- rows[[column]][order]
    found <- shuffled_predictions(part, rows, column, list(order), function(predictor, rows) rows)[[1]]
    expect_equal(found, predictions_of(few, other), tolerance = 1e-12, ignore_attr = TRUE)
  }
})

test_that("one row or one group has importances without a spread", {
  model <- quick_model()
  expect_true(all(as.data.frame(importance(model, kilns[3, ]))$importance == 0))
  table <- small_kilns()
  table$site <- rep(letters[1:10], length.out = nrow(table))
  grouped <- brief(table, target = "outcome") |> set_columns(group = site) |> quick() |>
    regimen(epochs = 3, seed = 1) |> train(progress = "none")
  found <- as.data.frame(importance(grouped, table[table$site == "a", ]))
  expect_true(all(is.finite(found$importance)))
})

test_that("what is derived from a column is shuffled with it", {
  table <- transform(known, x6 = x1)[c("x2", "x6", "y")]
  model <- withr::with_seed(
    1,
    brief(table, "y") |>
      add_columns(half = x6 / 2) |> set_columns(drop = x6) |> regimen(epochs = 60) |>
      single(progress = "none")
  )
  found <- importance(model, table)$columns
  expect_setequal(found$column, c("x2", "x6"))
  expect_equal(found$column[1], "x6")
  expect_s3_class(effect_of(model, table, x6), "hylomath_effect")
})

test_that("several targets have their own importances", {
  model <- withr::with_seed(
    1, brief(boats, c("litres_mile", "engine_kw")) |> regimen(epochs = 30) |> single(progress = "none")
  )
  found <- importance(model, boats, rows = "training")$columns
  expect_setequal(unique(found$target), c("litres_mile", "engine_kw"))
  expect_equal(nrow(found), 2 * 9)
})

test_that("an effect is the mean over rows in which the column is set", {
  model <- known_model()
  e <- effect_of(model, known, x1)
  rows <- known[rows_of_part(model, known, "test"), ]
  at <- e$curve$x1[5]
  expect_equal(e$n, 400)
  expect_equal(e$curve$prediction[5], mean(predict(model, transform(rows, x1 = at))$prediction))
  expect_equal(lm(prediction ~ x1, e$curve)$coefficients[[2]], 2, tolerance = 0.05)
  expect_equal(length(unique(e$lines$row)), 50)
  pair <- effect_of(model, known, x2, with = x3)$curve
  fit <- lm(prediction ~ x2 * x3, pair)
  expect_equal(fit$coefficients[[4]], 1, tolerance = 0.2)
  expect_fails(effect_of(model, known, x9), "There is no column `x9`")
  expect_fails(effect_of(model, known, y), "doesn't take in the column `y`")
  classes <- effect_of(quick_model(kilns, epochs = 20), kilns, glaze)
  expect_setequal(unique(classes$curve$of), c("burst", "crazed", "sound", "warped"))
  expect_equal(sum(classes$curve$prediction[classes$curve$glaze == "ash"]), 1)
  expect_fails(effect_of(quick_model(kilns, epochs = 2), kilns, glaze, of = "cracked"), "Did you mean `crazed`?")
  dates <- effect_of(quick_model(small_crossings(), "passengers"), small_crossings(), sails_on)
  expect_s3_class(dates$curve$sails_on, "Date")
})

test_that("contributions add up, and are the Shapley values where these are known", {
  model <- known_model()
  row <- data.frame(x1 = 0.9, x2 = 0.9, x3 = 0.9, x4 = 0.5, x5 = 0.5)
  found <- contributions(model, known, row)
  moved <- setNames(found$columns$contribution, found$columns$column)
  expect_equal(sum(moved), found$prediction - found$mean)
  expect_equal(found$prediction, predict(model, row)$prediction)
  # 2 (0.9 - 1/2); of the product, each alone adds (0.9 - 1/2) / 2 and half of their joint gain
  expect_equal(moved[["x1"]], 0.8, tolerance = 0.05)
  expect_equal(moved[["x2"]], (0.4 * 0.5 + 0.9 * 0.4) / 2, tolerance = 0.1)
  expect_lt(max(abs(moved[c("x4", "x5")])), 0.02)
  expect_fails(contributions(model, known, 3000), "`row` must be a whole number from 1 to 2000")
  expect_fails(contributions(model, known, row[-1]), "no column `x1`")
  expect_equal(
    contributions(quick_model(kilns, epochs = 20), kilns, 5)$of,
    predict(quick_model(kilns, epochs = 20), kilns[5, ])$prediction
  )
})

test_that("of more than ten columns contributions are sampled, and the error is what the passes say", {
  wide <- withr::with_seed(4, as.data.frame(matrix(runif(12 * 600), 600)))
  wide$y <- wide$V1 * wide$V2 + wide$V3 - 2 * wide$V4 * (wide$V5 > 0.5)
  model <- quick_model(wide, "y", epochs = 40)
  looks <- lapply(1:2, function(seed) {
    model$brief$regimen$seed <- seed
    contributions(model, wide, 7)$columns
  })
  first <- looks[[1]][order(looks[[1]]$column), ]
  other <- looks[[2]][order(looks[[2]]$column), ]
  expect_true(all(first$error > 0))
  # what the orders leave open is little beside the largest move
  expect_lt(max(first$error) / max(abs(first$contribution)), 0.02)
  # the same rows, all sets of the columns: exact
  prediction <- function(table) predict(model, cbind(table, wide[7, c("V11", "V12")], row.names = NULL))$prediction
  rows <- explained_table(model, wide, 40)
  ten <- names(wide)[1:10]
  all <- shapley_exact(prediction, wide[7, ], rows, ten)
  sampled <- shapley_walks(prediction, wide[7, ], rows, ten, 40, 1)
  expect_lt(max(abs(all$contribution - sampled$contribution) / sampled$error), 5)
  expect_equal(sum(all$contribution), sum(sampled$contribution))
})

test_that("each row's reasons are what its contributions say, as far as the draw can tell", {
  model <- known_model()
  listed <- augment(model, known, ranked = TRUE, reasons = 3, reasons_for = 40)
  reasons <- as.matrix(listed[paste0("reason_", 1:3)])
  expect_true(all(is.na(reasons[41:2000, ])))
  pattern <- "^(\\S+) (\\S+) [(]([-+][0-9.]+)[)]$"
  for (i in c(1, 17, 40)) {
    own <- reasons[i, !is.na(reasons[i, ])]
    moves <- contributions(model, known, listed[i, names(known)])$columns
    # x4 and x5 tell nothing, and the two that matter least may be close to each other
    expect_true(all(sub(pattern, "\\1", own) %in% c("x1", "x2", "x3")))
    here <- match(sub(pattern, "\\1", own), moves$column)
    expect_equal(sub(pattern, "\\2", own), moves$value[here], ignore_attr = TRUE)
    expect_equal(as.numeric(sub(pattern, "\\3", own)), moves$contribution[here], tolerance = 0.2)
  }
  expect_true(all(abs(as.numeric(sub(pattern, "\\3", reasons[1:40, 1]))) > 0.3))
  # the same rows in another order, and a class of several: of the one that is predicted
  again <- augment(model, known[2000:1, ], ranked = TRUE, reasons = 3, reasons_for = 40)
  expect_equal(sub(pattern, "\\1", again$reason_1[1:40]), sub(pattern, "\\1", reasons[1:40, 1]))
  several <- augment(quick_model(kilns, epochs = 20), kilns[1:60, ], reasons = 1)
  told <- several$reason_1[!is.na(several$reason_1)]
  expect_gt(length(told), 40)
  expect_match(told, "[(][-+]")
  expect_message(few <- augment(model, known[1:4, ], reasons = 2), "at least 10 others")
  expect_true(all(is.na(few[c("reason_1", "reason_2")])))
  expect_fails(augment(model, known, reasons = -1), "`reasons` must be")
})

test_that("a row is tried with other values beside it as it is", {
  model <- decide(quick_model(recovery, "returned", epochs = 20), threshold = 0.2)
  row <- recovery[7, ]
  found <- try_row(model, recovery, 7, list(crp_mg_l = "200", physio = "none at all", bmi = NA))
  other <- transform(row, crp_mg_l = 200, bmi = NA)
  other$physio <- "none at all"
  predicted <- suppressWarnings(predict(model, rbind(row, other), type = "both"))
  expect_equal(found$predictions[names(predicted)], predicted, ignore_attr = TRUE)
  expect_equal(found$columns$tried[1:3], c("200", "none at all", "missing"))
  expect_equal(found$predictions$unusual[1], "")
  expect_setequal(strsplit(found$predictions$unusual[2], ", ")[[1]], c("crp_mg_l", "physio", "bmi"))
  expect_match(paste(format(found), collapse = " "), "probability is 0.2 or more")
  expect_output(print(try_row(known_model(), known, known[3, ], list(x1 = 0.5))), "^The prediction is")
  # columns may have the names of arguments
  named <- stats::setNames(known[c("x1", "x2", "x3", "y")], c("mode", "data", "row", "y"))
  tried <- try_row(quick_model(named, "y", epochs = 2), named, 1, list(mode = 1, data = 0, row = 1))
  expect_equal(tried$columns$tried, c("1", "0", "1"))
  # by id, and in the types of the columns
  expect_equal(try_row(model, recovery, recovery$visit[7], list(pain = 3))$row, recovery$visit[7])
  sailing <- quick_model(small_crossings(), "passengers")
  expect_equal(try_row(sailing, small_crossings(), 1, list(sails_on = "2024-03-01"))$columns$tried[1], "2024-03-01")
  wrong <- list(
    list(pain = "much"), list(pain = 1:2), list(), list(3), list(pian = 1), list(pain = 1, pain = 2)
  )
  said <- c(
    "holds numbers, and \"much\" is none", "takes one value", "gives no value", "gives no value",
    "Did you mean `pain`", "given twice"
  )
  for (i in seq_along(wrong)) expect_fails(try_row(model, recovery, 7, wrong[[i]]), said[i])
  expect_fails(try_row(sailing, small_crossings(), 1, list(sails_on = "soon")), "holds dates")
})

test_that("what is missing is said", {
  model <- known_model()
  calls <- list(quote(importance(model)), quote(effect_of(model, input = x1)), quote(contributions(model, row = 1)))
  for (call in calls) expect_fails(eval(call), "`data` is missing")
  expect_fails(contributions(model, data = known), "`row` is missing")
  expect_fails(effect_of(model, data = known), "`input` is missing")
})

test_that("of one column the whole difference is its own", {
  model <- quick_model(known[c("x1", "y")], "y", epochs = 20)
  found <- contributions(model, known, 3)
  expect_equal(found$columns$contribution, found$prediction - found$mean)
})

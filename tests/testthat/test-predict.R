model <- quick_model(epochs = 10)

test_that("there is one prediction for each row, in order, wherever the columns stand", {
  p <- predict(model, kilns, type = "both")
  expect_equal(nrow(p), nrow(kilns))
  expect_named(p, c("prediction", paste0("probability_", c("burst", "crazed", "sound", "warped"))))
  expect_equal(unname(rowSums(p[-1])), rep(1, 4000), tolerance = 1e-6)
  expect_equal(p$prediction, c("burst", "crazed", "sound", "warped")[max.col(p[-1], "first")])
  mixed <- kilns[4000:1, rev(names(kilns))]
  expect_identical(predict(model, mixed, type = "both")[4000:1, ]$prediction, p$prediction)
  expect_identical(predict(model, kilns[17, ], type = "probability")[[2]], p[17, 3])
  expect_equal(nrow(predict(model, kilns[0, ])), 0)
})

test_that("missing values and levels that is not in the training data are predicted", {
  unusual <- kilns[1:3, ]
  unusual$gas_mbar <- NA
  unusual$glaze <- "raku"
  unusual$outcome <- NULL
  expect_false(anyNA(predict(model, unusual, type = "probability")))
})

test_that("a missing or mistyped column fails before any work", {
  expect_fails(predict(model, kilns[-6]), "no column `peak_c`")
  expect_fails(predict(model, kilns[-(6:7)]), "no column `peak_c`", "nor `ramp_c_h`")
  wrong <- transform(kilns, peak_c = replace(as.character(peak_c), 3, "12oo"))
  expect_fails(
    predict(model, wrong), "Column `peak_c` must be numbers as in training; here it is text", "Row 3 holds \"12oo\""
  )
  expect_fails(predict(model, transform(kilns, peak_c = replace(peak_c, 8, -Inf))), "infinite in row 8")
  expect_fails(predict(model, kilns, type = "odds"), "`type`")
  expect_fails(
    predict(quick_model(small_crossings(), "passengers"), crossings, type = "probability"), "no probabilities"
  )
})

test_that("augment() puts the predictions behind the table's own columns", {
  a <- augment(model, head(kilns))
  expect_equal(names(a)[seq_along(kilns)], names(kilns))
  expect_equal(a$prediction, predict(model, head(kilns))$prediction)
  # an earlier scoring gives way, with a word; a column that the network needs does not
  expect_message(again <- augment(model, a), "from an earlier scoring")
  expect_identical(again, a)
  expect_equal(names(augment(model, head(kilns), prefix = "said_"))[13], "said_prediction")
  taken <- quick_model(transform(boats, prediction = length_m), "litres_mile")
  expect_fails(augment(taken, transform(boats, prediction = length_m)), "already has a column `prediction`")
})

test_that("class weights change the prediction and not the meaning of a probability", {
  weighted <- quick_model(recovery, "returned", epochs = 60, class_weights = "even")
  p <- predict(weighted, recovery, type = "both")
  expect_equal(mean(p$probability_yes), mean(recovery$returned == "yes"), tolerance = 0.25)
  expect_gt(mean(p$prediction == "yes"), 1.5 * mean(recovery$returned == "yes"))
  w <- class_weights_of(weighted$predictor$target, weighted$predictor$preparation$target)
  favoured <- ifelse(p$probability_yes * w[["yes"]] > p$probability_no * w[["no"]], "yes", "no")
  expect_equal(p$prediction, favoured)
})

test_that("the positive class decides what the single output means, not what is predicted", {
  b <- withr::with_seed(1, brief(recovery, target = "returned") |> wire("linear") |> regimen(seed = 1))
  yes <- single(b, progress = "none")
  no <- single(
    withr::with_seed(1, brief(recovery, target = "returned", positive = "no") |> wire("linear") |> regimen(seed = 1)),
    progress = "none"
  )
  expect_gt(
    cor(predict(yes, recovery, "probability")$probability_yes, predict(no, recovery, "probability")$probability_yes),
    0.999
  )
})

test_that("what is unusual about new rows is counted by column and flagged by row", {
  new <- head(kilns, 5)
  new$peak_c[2] <- 1500
  new$glaze[3] <- "raku"
  new$load_kg[3] <- NA
  found <- unusual_rows(model, new)
  expect_equal(found$columns$column, c("glaze", "peak_c", "load_kg"))
  expect_equal(unlist(found$columns[1, c("unseen", "missing", "outside")], use.names = FALSE), c(1, 0, 0))
  expect_equal(found$rows, c("", "peak_c", "glaze, load_kg", "", ""))
  expect_equal(augment(model, new, flags = TRUE)$unusual, found$rows)
  expect_equal(nrow(unusual_rows(model, small_kilns()[1:10, ])$columns), 0)
})

test_that("an exposure scales a count and is asked for", {
  t <- withr::with_seed(3, data.frame(x = rnorm(2000), days = sample(1:20, 2000, TRUE)))
  t$n <- withr::with_seed(4, rpois(2000, t$days * exp(-1 + 0.5 * t$x)))
  m <- withr::with_seed(1, brief(t, "n") |> set_columns(exposure = days) |> prepare(numbers = "none") |> hold_out(
    validation = 0, test = 0
  ) |>
    wire("linear") |> regimen(
      method = "momentum", learning_rate = 0.02, batch_size = 1e4, epochs = 3000, l2 = 0
    ) |> single(progress = "none"))
  reference <- coef(glm(n ~ x + offset(log(days)), poisson, t))
  expect_equal(as.numeric(coef(m)$output[2:1, 1]), unname(reference), tolerance = 1e-3)
  expect_equal(
    predict(m, data.frame(x = 0, days = c(1, 10)))$prediction[2] / predict(m, data.frame(x = 0, days = 1))$prediction,
    10,
    tolerance = 1e-5
  )
  expect_fails(predict(m, data.frame(x = 0)), "no column `days`")
  expect_fails(predict(m, data.frame(x = 0, days = 0)), "not a number above 0 in row 1")
})

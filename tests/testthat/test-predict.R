model <- quick_model(epochs = 10)

test_that("there is one answer for each row, in order, wherever the columns stand", {
  p <- predict(model, kilns, type = "both")
  expect_equal(nrow(p), nrow(kilns))
  expect_named(p, c("answer", paste0("probability_", c("burst", "crazed", "sound", "warped"))))
  expect_equal(unname(rowSums(p[-1])), rep(1, 4000), tolerance = 1e-6)
  expect_equal(p$answer, c("burst", "crazed", "sound", "warped")[max.col(p[-1], "first")])
  mixed <- kilns[4000:1, rev(names(kilns))]
  expect_identical(predict(model, mixed, type = "both")[4000:1, ]$answer, p$answer)
  expect_identical(predict(model, kilns[17, ], type = "probability")[[2]], p[17, 3])
  expect_equal(nrow(predict(model, kilns[0, ])), 0)
})

test_that("gaps and levels that training never saw are answered", {
  strange <- kilns[1:3, ]
  strange$gas_mbar <- NA
  strange$glaze <- "raku"
  strange$outcome <- NULL
  expect_false(anyNA(predict(model, strange, type = "probability")))
})

test_that("a missing or mistyped column fails before any work", {
  expect_fails(predict(model, kilns[-6]), "no column `peak_c`")
  expect_fails(predict(model, kilns[-(6:7)]), "no column `peak_c`", "nor `ramp_c_h`")
  wrong <- transform(kilns, peak_c = replace(as.character(peak_c), 3, "12oo"))
  expect_fails(predict(model, wrong), "Column `peak_c` must be numbers as in training; here it is text", "Row 3 holds \"12oo\"")
  expect_fails(predict(model, transform(kilns, peak_c = replace(peak_c, 8, -Inf))), "infinite in row 8")
  expect_fails(predict(model, kilns, type = "odds"), "`type`")
  expect_fails(predict(quick_model(small_crossings(), "passengers"), crossings, type = "probability"), "no probabilities")
})

test_that("augment() puts the answers behind the table's own columns", {
  a <- augment(model, head(kilns))
  expect_equal(names(a)[seq_along(kilns)], names(kilns))
  expect_equal(a$answer, predict(model, head(kilns))$answer)
  expect_fails(augment(model, a), "already has a column `answer`")
})

test_that("class weights change the answer and not the meaning of a probability", {
  weighted <- quick_model(recovery, "returned", epochs = 60, class_weights = "even")
  p <- predict(weighted, recovery, type = "both")
  expect_equal(mean(p$probability_yes), mean(recovery$returned == "yes"), tolerance = 0.25)
  expect_gt(mean(p$answer == "yes"), 1.5 * mean(recovery$returned == "yes"))
  w <- class_weights_of(weighted$brief, weighted$preparation)
  favoured <- ifelse(p$probability_yes * w[["yes"]] > p$probability_no * w[["no"]], "yes", "no")
  expect_equal(p$answer, favoured)
})

test_that("the positive class decides what the single output means, not what is answered", {
  b <- withr::with_seed(1, brief(recovery, target = "returned") |> wire("direct") |> regimen(seed = 1))
  yes <- train(b, progress = "none")
  no <- train(withr::with_seed(1, brief(recovery, target = "returned", positive = "no") |> wire("direct") |> regimen(seed = 1)), progress = "none")
  expect_gt(cor(predict(yes, recovery, "probability")$probability_yes, predict(no, recovery, "probability")$probability_yes), 0.999)
})

same_rows <- function(wiring, seed = 3, ...) withr::with_seed(
  1,
  brief(kilns, "outcome") |>
    hold_out(seed = seed) |> wire(wiring) |> regimen(epochs = 40, ...) |> single(progress = "none")
)

test_that("models are evaluated on the same rows, and compared row by row", {
  large <- same_rows("24 relu > 12 relu")
  small <- same_rows("linear")
  found <- lineup(large = large, small = small)
  expect_equal(found$models$model[1], "large")
  a <- appraise(large)
  m <- found$measures
  expect_equal(m$value[m$model == "large"], a$measures$value)
  expect_equal(m$low[m$model == "large"], a$measures$low)
  loss <- function(model) {
    predictions <- model$evaluated$test$predictions
    -log(vapply(seq_len(a$n), function(i) predictions[[paste0("probability_", a$evaluated$observed[i])]][i], 0))
  }
  d <- loss(small) - loss(large)
  own <- found$models[found$models$model == "small", ]
  expect_equal(own$difference, mean(d))
  expect_equal(c(own$difference_low, own$difference_high), as.numeric(t.test(d)$conf.int), tolerance = 0.05)
  right <- function(model) model$evaluated$test$predictions$prediction == model$evaluated$test$observed
  only <- c(sum(right(large) & !right(small)), sum(!right(large) & right(small)))
  expect_equal(own$mcnemar, binom.test(only[1], sum(only))$p.value)
  expect_equal(own$parameters, length(trained_network(small)$parameters))
  expect_true(all(found$models$microseconds > 0))
  expect_equal(found$settings$small[found$settings$setting == "wiring"], "linear")
  expect_false("hold_out.seed" %in% found$settings$setting)
  expect_match(paste(format(found), collapse = "\n"), "Their briefs differ in")
  expect_identical(as.data.frame(found), found$models)
  expect_equal(lineup(list(large = large, small = small))$models$difference, found$models$difference)
})

test_that("numbers and several targets are lined up too", {
  fit <- function(wiring) withr::with_seed(
    1,
    brief(boats, c("litres_mile", "engine_kw")) |>
      hold_out(seed = 3) |> wire(wiring) |> regimen(epochs = 10) |> single(progress = "none")
  )
  found <- lineup(fit("4 tanh"), fit("linear"), data = boats)
  expect_equal(found$first, "model 1")
  expect_setequal(unique(found$measures$target), c("litres_mile", "engine_kw"))
  expect_null(found$models$mcnemar)
})

test_that("models that can't be compared are refused", {
  one <- same_rows("linear")
  expect_fails(lineup(one), "Two models at least")
  expect_fails(lineup(a = one, b = same_rows("linear", seed = 4)), "don't have the same test rows", "hold_out(seed = )")
  expect_fails(lineup(one, quick_model(small_crossings(), "passengers")), "don't predict the same")
  expect_fails(lineup(a = one, a = one), "Two models are called")
  expect_fails(lineup(one, kilns), "number 2 is")
  other <- same_rows("linear", seed = 4)
  # of a table those rows that neither has learned from
  shared <- intersect(one$evaluated$test$key, other$evaluated$test$key)
  expect_equal(lineup(a = one, b = other, data = kilns)$n, length(shared))
})

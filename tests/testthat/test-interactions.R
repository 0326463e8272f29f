# What acts together is known: x2 and x3 alone.
product <- withr::with_seed(1, {
  d <- as.data.frame(matrix(runif(6000), 1500, dimnames = list(NULL, paste0("x", 1:4))))
  d$y <- 2 * d$x1 + 3 * d$x2 * d$x3 + rnorm(1500, 0, 0.05)
  d
})

test_that("the pair that acts together comes first, as large as it is", {
  model <- quick_model(product, "y", epochs = 150)
  found <- interactions(model, product)
  expect_equal(nrow(found$pairs), 6)
  expect_equal(unlist(found$pairs[1, c("first", "second")], use.names = FALSE), c("x2", "x3"))
  # 3 (x2 - 1/2) (x3 - 1/2) deviates by 3 / 12
  expect_equal(found$pairs$size[1], 3 / 12, tolerance = 0.15)
  expect_true(found$pairs$low[1] < 0.26 && found$pairs$high[1] > 0.24)
  expect_lt(max(found$pairs$size[-1]), 0.1 * found$pairs$size[1])
  # x2 and x3 alone each have 3 / 2 of the deviation of a column: shares of three parts
  expect_equal(found$pairs$share[1], (1 / 16) / (1 / 16 + 2 * 9 / 48), tolerance = 0.15)
  expect_identical(as.data.frame(interactions(model, product)), found$pairs)
})

test_that("a network without hidden layers has no columns that act together", {
  b <- brief(product, target = "y") |> hold_out(seed = 1) |> wire("linear") |> regimen(seed = 1)
  model <- train(b, progress = "none")
  expect_lt(max(interactions(model, product)$pairs$size), 1e-6)
})

test_that("what is asked of pairs is checked, and drawn", {
  model <- quick_model(product, "y", epochs = 5)
  expect_fails(interactions(model, product, columns = "x1"), "at least two")
  expect_fails(interactions(model, product, columns = c("x1", "x9")), "doesn't take in")
  expect_fails(interactions(model), "`data` is missing")
  expect_fails(interactions(model, product[1:4, ]), "at least 10 others")
  expect_fails(contributions(model, product[1:4, ], "all"), "at least 10 others")
  expect_fails(interactions(quick_model(product[c("x1", "y")], "y", epochs = 5), product), "one column alone")
  found <- interactions(model, product, columns = c("x1", "x2"))
  expect_equal(nrow(found$pairs), 1)
  expect_s3_class(plot_interactions(found), "ggplot")
  expect_s3_class(ggplot2::autoplot(found), "ggplot")
  expect_match(paste(format(found), collapse = " "), "x1 with x2")
  classes <- interactions(quick_model(kilns, epochs = 5), kilns, columns = c("peak_c", "glaze"))
  expect_setequal(classes$pairs$of, c("burst", "crazed", "sound", "warped"))
})

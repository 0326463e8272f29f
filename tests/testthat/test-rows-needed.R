test_that("the criteria are those of the papers' own examples", {
  # Riley et al. (2020): 30 parameters, a share of 0.05 and an R-squared of 0.05 need 5,249 rows
  found <- rows_needed(30, share = 0.05, r_squared = 0.05)
  expect_equal(found$criteria$rows[1], 5249)
  expect_equal(found$rows, 5249)
  expect_equal(found$cases, ceiling(5249 * 0.05))
  # and a share of one half is known to 0.05 by 385 rows
  expect_equal(rows_needed(2, share = 0.5, r_squared = 0.5)$criteria$rows[3], 385)
  # by hand
  slope <- 0.2 / (0.2 + 0.05 * (1 - (0.3^0.3 * 0.7^0.7)^2))
  expect_equal(rows_needed(10, share = 0.3, r_squared = 0.2)$criteria$rows[2],
    ceiling(10 / ((slope - 1) * log(1 - 0.2 / slope)))
  )
  numbers <- rows_needed(25, r_squared = 0.2)$criteria$rows
  expect_equal(numbers[2:3], c(1 + 25 * 0.8 / 0.05, 234 + 25))
  slope <- function(n) 1 + 23 / (n * log(1 - (0.2 * (n - 26) + 25) / (n - 1)))
  expect_gte(slope(numbers[1]), 0.9)
  expect_lt(slope(numbers[1] - 1), 0.9)
  expect_length(rows_needed(25, r_squared = 0.2, mean = 50, sd = 30)$criteria$rows, 4)
})

test_that("the R-squared of an area is that of simulated scores", {
  for (case in list(c(0.1, 0.7), c(0.4, 0.85))) {
    d <- withr::with_seed(1, {
      y <- rep(0:1, round(2e5 * c(1 - case[1], case[1])))
      data.frame(y = y, score = rnorm(length(y), y * sqrt(2) * qnorm(case[2])))
    })
    fit <- glm(y ~ score, binomial, d)
    expect_equal(
      cox_snell_of_area(case[1], case[2]), 1 - exp((fit$deviance - fit$null.deviance) / nrow(d)), tolerance = 0.02
    )
  }
})

test_that("wrong values are refused, and the command says the same", {
  expect_fails(rows_needed(10), "Say what is predicted")
  expect_fails(rows_needed(10, share = 0.2), "either the `auc` is given or the `r_squared`")
  expect_fails(rows_needed(10, share = 0.2, auc = 0.4), "`auc` must be a number above 0.5")
  expect_fails(rows_needed(10, share = 0.2, r_squared = 0.9), "`r_squared` must be a number above 0 below")
  expect_fails(rows_needed(0, r_squared = 0.2), "`inputs` must be")
  expect_fails(rows_needed(10, r_squared = 0.2, mean = 0, sd = 1), "`mean` is 0")
  expect_snapshot(cat(cli::ansi_strip(format(rows_needed(20, share = 0.12, auc = 0.75))), sep = "\n"))
  run <- hylomath("rows-needed", "--inputs", "30", "--share", "0.05", "--r-squared", "0.05", "--json")
  expect_equal(jsonlite::fromJSON(paste(run$out, collapse = ""))$rows, 5249)
  expect_equal(hylomath("rows-needed", "--share", "0.05")$status, 2)
})

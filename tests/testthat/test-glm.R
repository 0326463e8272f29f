# A network without hidden layers is a linear, logistic, multinomial or Poisson model: trained to its optimum it must
# agree with R's own fits. Full batches, no penalty, every row for training.

optimum <- function(b, rate, epochs = 4000) {
  b |> prepare(target = "none") |> hold_out(validation = 0, test = 0) |> wire("linear") |>
    regimen(
      method = "momentum", learning_rate = rate, batch_size = 1e5, epochs = epochs, l2 = 0, stop = "none", seed = 1
    ) |>
    single(progress = "none")
}

# The same by a method that looks at the whole table in double precision.
exact_optimum <- function(b, method = "lbfgs", ...) {
  b |> prepare(target = "none") |> hold_out(validation = 0, test = 0) |> wire("linear") |>
    regimen(method = method, epochs = 5000, l2 = 0, stop = "none", seed = 1, ...) |> single(progress = "none")
}

# Coefficients on the prepared inputs, bias first, as lm and glm order them.
fitted_coefficients <- function(model) {
  w <- coef(model)$output
  unname(c(w[nrow(w), ], w[-nrow(w), ]))
}

table <- withr::with_seed(3, {
  t <- data.frame(a = rnorm(400), b = runif(400), c = rexp(400))
  t$number <- 2 + t$a - 3 * t$b + 0.5 * t$c + rnorm(400, 0, 0.5)
  t$yes <- ifelse(runif(400) < plogis(0.4 + t$a - 1.5 * t$b), "yes", "no")
  t$n <- rpois(400, exp(0.7 + 0.4 * t$a + 0.5 * t$b))
  t$w <- sample(1:4, 400, replace = TRUE)
  t
})
z <- data.frame(scale(table[c("a", "b", "c")]), table[c("number", "yes", "n", "w")])
# weights have a say in the scaling too
weighted_scale <- function(x, w) {
  w <- w / mean(w)
  middle <- sum(w * x) / sum(w)
  (x - middle) / sqrt(sum(w * (x - middle)^2) / (sum(w) - 1))
}
zw <- data.frame(lapply(table[c("a", "b", "c")], weighted_scale, table$w), table[c("number", "yes", "n", "w")])

inputs_of <- function(target) set_columns(brief(table, target = target), keep = c(a, b, c))
with_weights <- function(b) set_columns(b, weight = w)

test_that("linear regression is least squares", {
  expect_equal(
    fitted_coefficients(optimum(inputs_of("number"), 0.05)), unname(coef(lm(number ~ a + b + c, z))), tolerance = 1e-4
  )
  expect_equal(
    fitted_coefficients(optimum(with_weights(inputs_of("number")), 0.05)),
    unname(coef(lm(number ~ a + b + c, zw, weights = w))), tolerance = 1e-4
  )
})

test_that("linear classification is logistic regression", {
  reference <- glm(factor(yes) ~ a + b + c, binomial, z)
  expect_equal(fitted_coefficients(optimum(inputs_of("yes"), 0.3)), unname(coef(reference)), tolerance = 1e-4)
  weighted <- suppressWarnings(glm(factor(yes) ~ a + b + c, binomial, zw, weights = w))
  expect_equal(
    fitted_coefficients(optimum(with_weights(inputs_of("yes")), 0.3)), unname(coef(weighted)), tolerance = 1e-4
  )
})

test_that("a linear count model is Poisson regression", {
  expect_equal(
    fitted_coefficients(optimum(inputs_of("n"), 0.05)), unname(coef(glm(n ~ a + b + c, poisson, z))), tolerance = 1e-4
  )
  expect_equal(
    fitted_coefficients(optimum(with_weights(inputs_of("n")), 0.05)),
    unname(coef(glm(n ~ a + b + c, poisson, zw, weights = w))), tolerance = 1e-4
  )
})

test_that("the whole-table methods agree with R's fits to seven digits, weighted ones too", {
  linear <- lm(number ~ a + b + c, zw, weights = w)
  logistic <- suppressWarnings(glm(factor(yes) ~ a + b + c, binomial, zw, weights = w, epsilon = 1e-14))
  poisson <- glm(n ~ a + b + c, poisson, zw, weights = w, epsilon = 1e-14)
  for (method in c("lbfgs", "scaled_conjugate", "levenberg_marquardt", "newton")) {
    expect_equal(
      fitted_coefficients(exact_optimum(with_weights(inputs_of("number")), method)), unname(coef(linear)),
      tolerance = 1e-7
    )
    if (method == "levenberg_marquardt") next
    expect_equal(
      fitted_coefficients(exact_optimum(with_weights(inputs_of("yes")), method)), unname(coef(logistic)),
      tolerance = 1e-6
    )
    expect_equal(
      fitted_coefficients(exact_optimum(with_weights(inputs_of("n")), method)), unname(coef(poisson)), tolerance = 1e-6
    )
  }
  expect_equal(
    fitted_coefficients(exact_optimum(with_weights(inputs_of("yes")), "resilient")), unname(coef(logistic)),
    tolerance = 1e-4
  )
})

test_that("an exposure is glm's offset", {
  e <- withr::with_seed(8, transform(table, days = runif(400, 1, 9)))
  e$n <- withr::with_seed(9, rpois(400, e$days * exp(0.2 + 0.4 * e$a)))
  ze <- data.frame(lapply(e[c("a", "b", "c")], weighted_scale, e$w), e[c("n", "days", "w")])
  reference <- glm(n ~ a + b + c + offset(log(days)), poisson, ze, weights = w, epsilon = 1e-14)
  for (method in c("lbfgs", "scaled_conjugate")) {
    model <- exact_optimum(set_columns(brief(e, target = "n"), keep = c(a, b, c), exposure = days, weight = w), method)
    expect_equal(fitted_coefficients(model), unname(coef(reference)), tolerance = 1e-6)
    expect_lt(tail(loss_curves(model)$gradient, 1), 1e-7)
  }
})

test_that("a linear model with the gamma loss is gamma regression with a logarithmic link", {
  g <- withr::with_seed(5, transform(table, size = rgamma(400, 3, 3 / exp(1 + 0.5 * a - b))))
  zg <- data.frame(scale(g[c("a", "b", "c")]), size = g$size)
  model <- exact_optimum(set_columns(brief(g, target = "size"), keep = c(a, b, c)), loss = "gamma")
  found <- fitted_coefficients(model)
  found[1] <- found[1] + log(model$predictor$preparation$target$scale)  # the target is trained as a share of its mean
  expect_equal(found, unname(coef(glm(size ~ a + b + c, Gamma("log"), zg, epsilon = 1e-14))), tolerance = 1e-6)
})

test_that("a linear ordinal model has the optimum of its likelihood", {
  o <- withr::with_seed(
    6,
    transform(
      table,
      grade = cut(
        a - 1.5 * b + rlogis(400), c(-Inf, -1.5, 0, 1, Inf), c("low", "fair", "good", "top"), ordered_result = TRUE
      )
    )
  )
  x <- scale(as.matrix(o[c("a", "b", "c")]))
  y <- as.integer(o$grade)
  minus_log_likelihood <- function(p) {
    t <- c(-Inf, cumsum(c(p[1], exp(p[2:3]))), Inf)
    s <- x %*% p[4:6]
    -sum(log(plogis(t[y + 1] - s) - plogis(t[y] - s)))
  }
  reference <- optim(
    c(-1, 0, 0, 0, 0, 0), minus_log_likelihood, method = "BFGS", control = list(reltol = 1e-14, maxit = 1000)
  )
  model <- exact_optimum(set_columns(brief(o, target = "grade"), keep = c(a, b, c)))
  expect_equal(model$brief$regimen$loss, "ordinal")
  found <- fitted_coefficients(model)
  expect_equal(found[2:4], reference$par[4:6], tolerance = 1e-4)
  expect_equal(-found[1], reference$par[1], tolerance = 1e-4)  # the first threshold is 0, the bias takes its place
  expect_equal(coef(model)$gaps, reference$par[2:3], tolerance = 1e-4)
  expect_equal(loss_curves(model)$training[model$best_epoch], reference$value / 400, tolerance = 1e-8)
})

test_that("linear models of medians and quantiles find those of each level of a category", {
  t <- withr::with_seed(7, data.frame(level = rep(c("u", "v"), each = 300), y = c(rexp(300), 5 + rexp(300, 0.5))))
  fit <- function(loss) {
    brief(t, target = "y") |> hold_out(validation = 0, test = 0) |> wire("linear") |>
      regimen(
        method = "adam", loss = loss, learning_rate = 0.02, schedule = "cosine", batch_size = 600, epochs = 4000,
        l2 = 0, stop = "none", seed = 1
      ) |>
      single(progress = "none")
  }
  new <- data.frame(level = c("u", "v"))
  expect_equal(
    predict(fit("absolute"), new)$prediction, unname(tapply(t$y, t$level, median)), tolerance = 0.01, ignore_attr = TRUE
  )
  q <- predict(fit(list(kind = "quantile", at = c(0.9, 0.2))), new)
  expect_named(q, c("prediction", "quantile_0.2", "quantile_0.9"))
  for (share in c("0.2", "0.9")) {
    expect_equal(
      q[[paste0("quantile_", share)]], as.numeric(tapply(t$y, t$level, quantile, as.numeric(share))), tolerance = 0.03
    )
  }
})

test_that("several targets at once are several least-squares fits", {
  two <- transform(table, other = 1 - 2 * a + c)
  model <- exact_optimum(set_columns(brief(two, target = c("number", "other")), keep = c(a, b, c)))
  z2 <- data.frame(scale(two[c("a", "b", "c")]), two[c("number", "other")])
  expected <- coef(lm(cbind(number, other) ~ a + b + c, z2))
  found <- coef(model)$output
  expect_equal(found[c(4, 1:3), ], expected, tolerance = 1e-6, ignore_attr = TRUE)
  expect_equal(
    predict(model, two),
    setNames(
      as.data.frame(fitted(lm(cbind(number, other) ~ a + b + c, two))), c("prediction_number", "prediction_other")
    ),
    tolerance = 1e-5, ignore_attr = "row.names"
  )
})

test_that("softmax with three classes has the optimum of its likelihood", {
  model <- optimum(brief(clays, target = "clay") |> set_columns(keep = c(shrinkage, porosity)), 0.5, 40000)
  # at the optimum of a softmax model with a bias, mean probabilities equal class shares
  p <- predict(model, clays, type = "probability")
  expect_equal(unname(colMeans(p)), rep(1 / 3, 3), tolerance = 1e-4)
  x <- cbind(scale(clays$shrinkage), scale(clays$porosity))
  residual <- outer(as.character(clays$clay), levels(clays$clay), `==`) - as.matrix(p)
  expect_lt(max(abs(crossprod(x, residual))) / 150, 1e-4)
})

test_that("class weights leave the probabilities of a saturated model at the real shares", {
  # One category with three levels: the weighted scores are corrected back to the observed share of each level.
  t <- data.frame(level = rep(c("u", "v", "w"), each = 100), y = rep(c("no", "yes"), length.out = 300))
  t$y[t$level == "u"] <- rep(c("yes", rep("no", 9)), 10)
  t$y[t$level == "v"] <- rep(c("yes", "no", "no", "no"), 25)
  b <- brief(t, target = "y") |> regimen(class_weights = c(no = 1, yes = 6))
  model <- optimum(b, 0.3)
  p <- predict(model, data.frame(level = c("u", "v", "w")), type = "both")
  expect_equal(p$probability_yes, c(0.1, 0.25, 0.5), tolerance = 1e-3)
  expect_equal(p$probability_no, 1 - p$probability_yes)
  # weighted scores: 6 * 0.1 against 0.9, 6 * 0.25 against 0.75
  expect_equal(p$prediction, c("no", "yes", "yes"))
})

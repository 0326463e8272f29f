# A network without hidden layers is a linear, logistic, multinomial or Poisson model: trained to its optimum it must
# agree with R's own fits. Full batches, no penalty, every row for training.

optimum <- function(b, rate, epochs = 4000) {
  b |> prepare(target = "none") |> hold_out(validation = 0, test = 0) |> wire("direct") |>
    regimen(method = "momentum", learning_rate = rate, batch_size = 1e5, epochs = epochs, l2 = 0, stop = "none", seed = 1) |>
    train(progress = "none")
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

inputs_of <- function(target) set_columns(brief(table, target = target), keep = c(a, b, c))
with_weights <- function(b) set_columns(b, weight = w)

test_that("direct regression is least squares", {
  expect_equal(fitted_coefficients(optimum(inputs_of("number"), 0.05)), unname(coef(lm(number ~ a + b + c, z))), tolerance = 1e-4)
  expect_equal(fitted_coefficients(optimum(with_weights(inputs_of("number")), 0.05)), unname(coef(lm(number ~ a + b + c, z, weights = w))), tolerance = 1e-4)
})

test_that("direct classification is logistic regression", {
  reference <- glm(factor(yes) ~ a + b + c, binomial, z)
  expect_equal(fitted_coefficients(optimum(inputs_of("yes"), 0.3)), unname(coef(reference)), tolerance = 1e-4)
  weighted <- suppressWarnings(glm(factor(yes) ~ a + b + c, binomial, z, weights = w))
  expect_equal(fitted_coefficients(optimum(with_weights(inputs_of("yes")), 0.3)), unname(coef(weighted)), tolerance = 1e-4)
})

test_that("a direct count model is Poisson regression", {
  expect_equal(fitted_coefficients(optimum(inputs_of("n"), 0.05)), unname(coef(glm(n ~ a + b + c, poisson, z))), tolerance = 1e-4)
  expect_equal(fitted_coefficients(optimum(with_weights(inputs_of("n")), 0.05)), unname(coef(glm(n ~ a + b + c, poisson, z, weights = w))), tolerance = 1e-4)
})

test_that("softmax with three classes has the optimum of its likelihood", {
  three <- iris
  model <- optimum(brief(three, target = "Species") |> set_columns(keep = c(Sepal.Width, Petal.Width)), 0.5, 40000)
  # at the optimum of a softmax model with a bias, mean probabilities equal class shares
  p <- predict(model, three, type = "probability")
  expect_equal(unname(colMeans(p)), rep(1 / 3, 3), tolerance = 1e-4)
  x <- cbind(scale(three$Sepal.Width), scale(three$Petal.Width))
  residual <- outer(as.character(three$Species), levels(three$Species), `==`) - as.matrix(p)
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
  expect_equal(p$answer, c("no", "yes", "yes"))
})

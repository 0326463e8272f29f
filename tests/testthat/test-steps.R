# Fifty steps of each method against the same arithmetic written out in R: a network of three tanh units and a softmax
# over all rows at once, with a ridge, so that every step's gradient depends on all steps before.

table <- withr::with_seed(12, {
  t <- data.frame(a = rnorm(90), b = runif(90), c = rexp(90))
  t$class <- c("u", "v", "w")[1 + (t$a > 0) + (t$b > 0.4)]
  t
})
x <- cbind(scale(as.matrix(table[c("a", "b", "c")])), 1)
y <- outer(table$class, c("u", "v", "w"), `==`) + 0
l2 <- 0.03

fit <- function(method, rate, epochs, ...) {
  b <- brief(table, target = "class") |> hold_out(validation = 0, test = 0) |> wire("3 tanh") |>
    regimen(
      method = method, learning_rate = rate, batch_size = if (!is.null(rate)) 90, epochs = epochs, l2 = l2,
      stop = "none", seed = 1, ...
    )
  w <- coef(single(b, progress = "none"))
  unname(rbind(w$layer_1, w$output))  # 3 inputs and a bias, 3 units and a bias
}
fifty <- function(method, rate = NULL, ...) fit(method, rate, 50, ...)

# A step too short to be seen shows the starting weights.
start <- fit("momentum", 1e-30, 1)
weights <- c(1:3, 5:7)

gradient <- function(w) {
  hidden <- cbind(tanh(x %*% w[1:4, ]), 1)
  score <- exp(hidden %*% w[5:8, ])
  d <- (score / rowSums(score) - y) / nrow(x)
  below <- (d %*% t(w[5:7, ])) * (1 - hidden[, 1:3]^2)
  g <- rbind(crossprod(x, below), crossprod(hidden, d))
  g[weights, ] <- g[weights, ] + l2 * w[weights, ]
  g
}

# `step` takes the state, the gradient and the number of the step, and returns the state with new weights `w`.
by_hand <- function(step) {
  s <- list(w = start, m = start * 0, v = start * 0)
  for (t in 1:50) s <- step(s, gradient(s$w), t)
  unname(s$w)
}

test_that("Adam takes the steps of its paper", {
  adam <- by_hand(function(s, g, t) {
    s$m <- 0.9 * s$m + 0.1 * g
    s$v <- 0.999 * s$v + 0.001 * g^2
    s$w <- s$w - 0.02 * (s$m / (1 - 0.9^t)) / (sqrt(s$v / (1 - 0.999^t)) + 1e-8)
    s
  })
  expect_equal(fifty("adam", 0.02), adam, tolerance = 1e-6)
})

test_that("AdamW takes its decay beside the gradient, and not from biases", {
  adamw <- by_hand(function(s, g, t) {
    s$m <- 0.9 * s$m + 0.1 * g
    s$v <- 0.999 * s$v + 0.001 * g^2
    s$w[weights, ] <- s$w[weights, ] * (1 - 0.02 * 0.4)
    s$w <- s$w - 0.02 * (s$m / (1 - 0.9^t)) / (sqrt(s$v / (1 - 0.999^t)) + 1e-8)
    s
  })
  expect_equal(fifty("adamw", 0.02, weight_decay = 0.4), adamw, tolerance = 1e-6)
})

test_that("RMSprop divides by the root of its running mean of squares", {
  rmsprop <- by_hand(function(s, g, t) {
    s$v <- 0.9 * s$v + 0.1 * g^2
    s$w <- s$w - 0.01 * g / (sqrt(s$v) + 1e-8)
    s
  })
  expect_equal(fifty("rmsprop", 0.01), rmsprop, tolerance = 1e-6)
})

test_that("momentum and Nesterov's momentum keep their share of the last step", {
  momentum <- by_hand(function(s, g, t) {
    s$m <- 0.8 * s$m - 0.1 * g
    s$w <- s$w + s$m
    s
  })
  expect_equal(fifty("momentum", 0.1, momentum = 0.8), momentum, tolerance = 1e-6)
  nesterov <- by_hand(function(s, g, t) {
    s$m <- 0.8 * s$m - 0.1 * g
    s$w <- s$w + 0.8 * s$m - 0.1 * g
    s
  })
  expect_equal(fifty("nesterov", 0.1, momentum = 0.8), nesterov, tolerance = 1e-6)
})

test_that("resilient propagation goes by signs alone", {
  resilient <- by_hand(function(s, g, t) {
    if (t == 1) s$v <- s$v + 0.01
    turn <- g * s$m
    s$v <- ifelse(turn > 0, pmin(1.2 * s$v, 50), ifelse(turn < 0, pmax(0.5 * s$v, 1e-9), s$v))
    g[turn < 0] <- 0
    s$w <- s$w - sign(g) * s$v
    s$m <- g
    s
  })
  expect_equal(fifty("resilient"), resilient, tolerance = 1e-6)
})

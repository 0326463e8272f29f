# The penalty that evidence comes to, against what is written here anew: the highest Laplace evidence over a fine
# search, and targets that are the same one several times.

linear_model <- function(b) {
  train(b |> wire("linear") |> hold_out(folds = 0, validation = 0, test = 0), progress = "none")
}

test_that("of several classes the penalty is where the evidence is highest", {
  for (size in list(c(classes = 3, inputs = 10, strength = 0.5), c(classes = 4, inputs = 12, strength = 0.7))) {
    table <- withr::with_seed(2, {
      x <- matrix(rnorm(120 * size[["inputs"]]), 120)
      eta <- x %*% matrix(rnorm(size[["inputs"]] * size[["classes"]], 0, size[["strength"]]), size[["inputs"]])
      data.frame(x, y = letters[apply(eta, 1, function(e) sample(size[["classes"]], 1, prob = exp(e)))])
    })
    model <- suppressWarnings(linear_model(brief(table, target = "y")))
    scaled <- cbind(scale(as.matrix(table[names(table) != "y"])), 1)
    evidence <- function(log_l2) softmax_evidence(scaled, match(table$y, letters), exp(log_l2))$evidence
    best <- optimize(evidence, log(c(1e-4, 10)), maximum = TRUE, tol = 0.01)
    expect_lt(best$objective - evidence(log(model$evidence_l2)), 0.05)
  }
})

test_that("classes of pure noise are given their shares, however many inputs there are", {
  lost <- vapply(1:3, function(seed) {
    tables <- withr::with_seed(seed, lapply(c(150, 2000), function(n) {
      data.frame(matrix(rnorm(n * 40), n), y = sample(c("a", "b", "c"), n, TRUE))
    }))
    p <- predict(linear_model(brief(tables[[1]], target = "y")), tables[[2]], type = "probability")
    -mean(log(as.matrix(p)[cbind(seq_len(2000), match(tables[[2]]$y, c("a", "b", "c")))]))
  }, 0)
  expect_lt(mean(lost), log(3) + 0.02)
})

test_that("a target that is there several times has the penalty that it has once, by either method", {
  table <- withr::with_seed(4, {
    x <- matrix(rnorm(60 * 8), 60)
    data.frame(x, y = drop(x %*% rnorm(8, 0, 0.3)) + rnorm(60))
  })
  table$y2 <- table$y3 <- table$y
  inputs <- paste0("X", 1:8)
  l2_of <- function(targets, method = "auto", loss = "auto") {
    b <- brief(table[c(inputs, targets)], target = targets) |> wire("linear")
    linear_model(regimen(b, method = method, loss = loss))$evidence_l2
  }
  once <- l2_of("y")
  expect_equal(l2_of("y", "levenberg_marquardt"), once, tolerance = 0.05)
  for (targets in list(c("y", "y2"), c("y", "y2", "y3"))) {
    expect_equal(l2_of(targets), once, tolerance = 0.05)
    expect_equal(l2_of(targets, "levenberg_marquardt"), once, tolerance = 0.05)
  }
})

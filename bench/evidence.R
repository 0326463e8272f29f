# The linear model of several classes against the highest Laplace evidence that a search over its penalty finds: the
# mean logarithm of its loss on fresh rows over that of the network at the best penalty. Pure noise, weak and strong
# signals, 3 to 5 classes. `Rscript bench/evidence.R [tables]`, 40 a cell if nothing is said.
library(hylomath)
options(hylomath.threads = 1)
tables <- as.integer(c(commandArgs(TRUE), 40)[1])
source("tests/testthat/helper-evidence.R")

draw <- function(n, weights) {
  x <- matrix(rnorm(n * nrow(weights)), n)
  list(x = x, y = apply(exp(x %*% weights), 1, function(p) sample(ncol(weights), 1, prob = p)))
}
shares <- function(x, w) prop.table(exp(x %*% w), 1)
loss_at <- function(p, y) -mean(log(p[cbind(seq_along(y), y)]))

one <- function(seed, classes, inputs, rows, strength) {
  set.seed(seed)
  weights <- matrix(rnorm(inputs * classes), inputs) * strength
  train <- draw(rows, weights)
  fresh <- draw(4000, weights)
  table <- data.frame(train$x, y = letters[train$y])
  b <- brief(table, target = "y") |> wire("linear") |> hold_out(validation = 0, test = 0, folds = 0)
  model <- suppressWarnings(train(b, progress = "none"))
  own <- as.matrix(predict(model, data.frame(fresh$x), type = "probability"))
  scaled <- scale(train$x)
  as_scaled <- function(x) cbind(scale(x, attr(scaled, "scaled:center"), attr(scaled, "scaled:scale")), 1)
  at <- function(log_l2) softmax_evidence(as_scaled(train$x), train$y, exp(log_l2))
  best <- optimize(function(l) at(l)$evidence, log(c(1e-4, 30)), maximum = TRUE, tol = 0.02)$maximum
  log(loss_at(own, fresh$y) / loss_at(shares(as_scaled(fresh$x), at(best)$weights), fresh$y))
}

for (size in list(c(inputs = 40, rows = 150), c(inputs = 10, rows = 600))) for (classes in 3:5) {
  for (strength in c(noise = 0, weak = 0.1, strong = 0.5)) {
    found <- unlist(parallel::mclapply(seq_len(tables), one, classes, size[["inputs"]], size[["rows"]], strength,
      mc.cores = parallel::detectCores()
    ))
    said <- "%d classes, %d inputs, %d rows, strength %.1f: mean log ratio %+.4f (se %.4f), at most %+.4f\n"
    cat(sprintf(
      said, classes,
      size[["inputs"]], size[["rows"]], strength, mean(found), sd(found) / sqrt(tables), max(found)
    ))
  }
}

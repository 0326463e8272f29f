# What scout() says that its winner gains: on the folds that chose it, what may be expected of it, and what it truly
# gains on 5,000 fresh rows, by networks trained anew on the same rows. Simulated tables of 300 rows, ten inputs, half
# of them noise. `Rscript bench/choosing.R [tables]`.
library(hylomath)
options(hylomath.threads = 1)
tables <- as.integer(c(commandArgs(TRUE), 40)[1])

draw <- function(n) {
  x <- matrix(rnorm(n * 10), n)
  data.frame(x, y = x[, 1] + 0.5 * x[, 2] * x[, 3] + sin(x[, 4]) - 0.5 * x[, 5] + rnorm(n))
}

true_rmse <- function(b, new) {
  mean(vapply(1:6, function(seed) {
    model <- train(regimen(hold_out(b, seed = 100 + seed), seed = seed), progress = "none")
    sqrt(mean((predict(model, new)$prediction - new$y)^2))
  }, 0))
}

one <- function(seed) {
  set.seed(seed)
  table <- draw(300)
  new <- draw(5000)
  b <- brief(table, target = "y") |> hold_out(test = 0, folds = 0, seed = seed) |> regimen(seed = seed)
  b <- wire(b, "16 relu")
  s <- scout(b, units = bounds(2, 48), activation = c("relu", "tanh"), l2 = c(1e-4, 1e-2, 1e-1), budget = 16, k = 5,
    evaluate = "folds", progress = "none")
  best <- s$trials[s$trials$whole, ][1, ]
  own <- s$trials$mean[s$trials$trial == 1]
  # where the brief's own settings stay the best nothing is claimed
  expected <- if (is.null(s$expected)) 0 else s$expected$gain
  c(claimed = own - best$mean, expected = expected, true = true_rmse(b, new) - true_rmse(best_brief(s), new))
}

tried <- parallel::mclapply(seq_len(tables), one, mc.cores = parallel::detectCores())
found <- do.call(rbind, Filter(is.numeric, tried))
se <- apply(found, 2, sd) / sqrt(nrow(found))
cat(sprintf("%-8s %.4f (se %.4f)\n", colnames(found), colMeans(found), se), sep = "")
cat(sprintf("%d tables\n", nrow(found)))

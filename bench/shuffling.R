# Whether the shuffle in pools, which takes the place of a whole one above 1,048,576 rows, harms: the same rows sorted
# by the target, where stretches of neighbours are as unlike the table as can be, and in random order, where the
# shuffle in pools is one like any other. What counts is the ratio of their losses on rows that neither saw.
#   Rscript bench/shuffling.R [seeds]
suppressMessages(library(hylomath))
seeds <- as.numeric(c(commandArgs(TRUE), 10)[1])
simulated <- function(n, seed) {
  set.seed(seed)
  x <- matrix(round(rnorm(n * 6), 3), n)
  table <- as.data.frame(x)
  z <- x[, 1] + x[, 2] * x[, 3] + sin(2 * x[, 4])
  table$y <- ifelse(z + rlogis(n) > 0, "yes", "no")
  table[order(table$y, z), ]
}
fresh <- simulated(200000, 1000)
loss_of <- function(table, seed) {
  b <- brief(table, target = "y") |> quick() |> wire("32 relu > 16 relu") |>
    hold_out(validation = 0.05, test = 0) |>
    regimen(method = "adam", batch_size = 64, learning_rate = 0.002, epochs = 3, seed = seed)
  model <- train(b, progress = "none")
  p <- predict(model, fresh, "probability")$probability_yes
  -mean(log(ifelse(fresh$y == "yes", p, 1 - p)))
}
ratio <- vapply(seq_len(seeds), function(seed) {
  table <- simulated(1250000, seed)
  sorted <- loss_of(table, seed)
  random <- loss_of(table[sample(nrow(table)), ], seed)
  cat(sprintf("seed %d: loss %.5f sorted, %.5f in random order\n", seed, sorted, random))
  sorted / random
}, 0)
interval <- stats::t.test(log(ratio))$conf.int
cat(sprintf("ratio %.4f, 95 %% interval %.4f to %.4f\n", exp(mean(log(ratio))), exp(interval[1]), exp(interval[2])))

# Whether the 95 % intervals of importance() hold what a column is worth to a network on all rows: columns that are
# normal, have long tails, or are the same for all rows of a group. One network a kind, evaluated on fresh tables; the
# truth from 200,000 rows. `Rscript bench/importance.R [tables]`.
library(hylomath)
options(hylomath.threads = 1)
tables <- as.integer(c(commandArgs(TRUE), 300)[1])

draw <- function(kind, n) {
  group <- ceiling(seq_len(n) / 10)
  x <- switch(kind,
    normal = rnorm(n), "Student's t" = rt(n, 5), lognormal = rlnorm(n), "lognormal, 2 classes" = rlnorm(n),
    grouped = rnorm(max(group))[group]
  )
  z <- rnorm(n)
  y <- switch(kind,
    "lognormal, 2 classes" = ifelse(runif(n) < plogis(x + z - 2), "yes", "no"),
    grouped = x + 0.5 * z + 0.5 * rnorm(max(group))[group] + rnorm(n),
    lognormal = 0.5 * x + 0.5 * z + rnorm(n), x + 0.5 * z + rnorm(n)
  )
  if (kind == "grouped") data.frame(x, z, group = paste("house", group), y) else data.frame(x, z, y)
}

for (kind in c("normal", "Student's t", "lognormal", "lognormal, 2 classes", "grouped")) {
  set.seed(7)
  b <- brief(draw(kind, 1500), target = "y", positive = if (grepl("classes", kind)) "yes")
  if (kind == "grouped") b <- set_columns(b, group = group)
  b <- hold_out(b, test = 0, folds = 0, seed = 1) |> wire("8 tanh") |> regimen(epochs = 100, seed = 1)
  model <- train(b, progress = "none")
  worth <- function(n, repeats) as.data.frame(importance(model, draw(kind, n), repeats = repeats))
  long <- do.call(rbind, lapply(1:20, function(i) worth(10000, 3)))
  truth <- tapply(long$importance, long$column, mean)
  for (n in if (kind == "grouped") c(300, 1000) else c(150, 600)) {
    found <- do.call(rbind, parallel::mclapply(seq_len(tables), function(i) {
      set.seed(1000 + i)
      worth(n, 10)
    }, mc.cores = parallel::detectCores()))
    for (column in c("x", "z")) {
      own <- found[found$column == column, ]
      held <- mean(own$low <= truth[[column]] & own$high >= truth[[column]])
      cat(sprintf("%-21s %4d rows, %s: %.1f %% held\n", kind, n, column, 100 * held))
    }
  }
}

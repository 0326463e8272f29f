# What is learned of out-of-fold predictions, and whether it holds for the ensemble on fresh rows: the change of the
# cross-entropy by recalibrate(), what recalibrate() itself says it is, and the recall that decide(recall = 0.8) gets.
# Simulated tables of 500 rows (1,500 of a rare class), ten inputs. `Rscript bench/calming.R [tables]`.
library(hylomath)
options(hylomath.threads = 1)
tables <- as.integer(c(commandArgs(TRUE), 200)[1])

draw <- function(n, kind) {
  x <- matrix(rnorm(n * 10), n)
  signal <- x[, 1] * x[, 2] + 0.8 * x[, 3] + 0.5 * sin(2 * x[, 4]) - 0.5 * x[, 5]
  of_two <- function(odds) ifelse(runif(n) < plogis(odds), "yes", "no")
  y <- switch(kind,
    "2 classes" = of_two(signal), "a rare class" = of_two(1.2 * signal - 3.6),
    "3 classes" = {
      scores <- exp(cbind(0, signal, 0.7 * x[, 6] + x[, 7] * x[, 1]))
      c("yes", "b", "c")[apply(scores, 1, function(p) sample(3, 1, prob = p))]
    }
  )
  data.frame(x, y)
}

loss_of <- function(model, new) {
  p <- as.matrix(predict(model, new, type = "probability"))
  -mean(log(pmax(p[cbind(seq_len(nrow(p)), match(new$y, sub("^probability_", "", colnames(p))))], 1e-12)))
}

methods <- c("platt", "isotonic", "temperature")
one <- function(seed, kind, wiring) {
  set.seed(seed)
  rows <- if (kind == "a rare class") 1500 else 500
  table <- draw(rows + 4000, kind)
  new <- table[-seq_len(rows), ]
  b <- brief(table[seq_len(rows), ], target = "y", positive = if (kind != "3 classes") "yes")
  b <- hold_out(b, test = 0, seed = seed) |> regimen(seed = seed)
  if (wiring != "auto") b <- wire(b, wiring)
  model <- train(b, progress = "none")
  if (is.null(model$members)) return(NULL)
  before <- loss_of(model, new)
  found <- vapply(methods, function(method) {
    right <- recalibrate(model, method)
    said <- right$predictor$recalibration
    c(true = loss_of(right, new) - before, said = said$after - said$before)
  }, c(true = 0, said = 0))
  careful <- decide(model, recall = 0.8, class = "yes")
  recall <- mean(predict(careful, new)$prediction[new$y == "yes"] == "yes")
  c(found["true", ], said = found["said", "platt"], recall = recall)
}

for (wiring in c("24 relu > 12 relu", "auto")) for (kind in c("2 classes", "a rare class", "3 classes")) {
  tried <- parallel::mclapply(seq_len(tables), one, kind, wiring, mc.cores = parallel::detectCores())
  found <- do.call(rbind, Filter(is.numeric, tried))
  cat(sprintf(
    "%-18s %-13s %d tables: cross-entropy %s; Platt's says %+.4f; recall %.3f (se %.3f)\n", wiring, kind, nrow(found),
    paste(sprintf("%s %+.4f", methods, colMeans(found)[methods]), collapse = ", "), mean(found[, "said"]),
    mean(found[, "recall"]), sd(found[, "recall"]) / sqrt(nrow(found))
  ))
}

# One epoch of a network with 20 inputs, 64 relu > 32 relu and 3 classes with Adam, at batch 256 and 32: the core
# against the same arithmetic in plain R matrices, both single-threaded and in this one run, interleaved. The BLAS is
# the one that R finds; it is named beside the figures. Usage, from the project's root: OPENBLAS_NUM_THREADS=1 Rscript
# bench/training.R [rows] [repeats]
library(hylomath)

args <- as.integer(commandArgs(TRUE))
rows <- if (length(args) > 0) args[1] else 25600
repeats <- if (length(args) > 1) args[2] else 9
set.seed(1)
x <- matrix(rnorm(20 * rows), 20)
class <- sample(3, rows, replace = TRUE)
y <- outer(1:3, class, `==`) + 0

# ---- the core -----------------------------------------------------------------------------------------------------

layer <- function(units, activation) {
  list(
    units = units, activation = activation, dropout = 0, l1 = 0, l2 = 0, rate = 1, norm = FALSE, start = "usual",
    spread = 0
  )
}
network <- list(
  inputs = 20, embeddings = list(), embedding_l1 = 0, embedding_l2 = 0, input_dropout = 0, input_noise = 0,
  output = "softmax",
  loss = "cross_entropy", delta = 1, smoothing = 0, quantiles = numeric(), classes = 0,
  layers = list(layer(64, "relu"), layer(32, "relu"), layer(3, "identity"))
)
settings <- hylomath:::core_regimen(list(
  method = "adam", learning_rate = 0.001, gradient_clip = 0, max_norm = 0, schedule = "constant",
  stop = "none", l2 = 0,
  epochs = 6, measures = character(), seed = 1
))

plan <- list(encoding = "number", fill = 0, shift = 0, scale = 1, low = -Inf, high = Inf, flag = FALSE)
plans <- rep(list(plan), 20)
columns <- lapply(1:20, function(i) x[i, ])

# Seconds of an epoch once the first has warmed up; what the loop itself measures, without copying the table in.
core_epoch <- function(batch) {
  settings$batch_size <- batch
  one <- list(
    network = network, regimen = settings, plans = plans, sources = columns, rows = seq_len(rows),
    target = matrix(as.numeric(class)), weight = rep(1, rows),
    offset = numeric(), training = seq_len(rows), validation = integer(), watched = integer(), output_bias = c(0, 0, 0),
    starts = 1L, soft = matrix(0, 0, 0), temperature = 1
  )
  seconds <- NULL
  hylomath:::core_train(
    list(one), NULL, function(fit, starts) is.numeric(seconds <<- starts[[1]]$curves$seconds), FALSE, 1L
  )
  median(diff(seconds))
}

# ---- plain R ------------------------------------------------------------------------------------------------------

tx <- t(x)
ty <- t(y)
start <- function(n, m) matrix(rnorm(n * m, 0, sqrt(2 / n)), n)
plain_epoch <- function(batch) {
  p <- list(
    w1 = start(20, 64), b1 = numeric(64), w2 = start(64, 32), b2 = numeric(32), w3 = start(32, 3), b3 = numeric(3)
  )
  mean1 <- lapply(p, `*`, 0)
  mean2 <- mean1
  order <- sample(rows)
  began <- proc.time()[["elapsed"]]
  for (step in seq_len(rows / batch)) {
    i <- order[(step - 1) * batch + seq_len(batch)]
    a0 <- tx[i, ]
    a1 <- pmax(a0 %*% p$w1 + rep(p$b1, each = batch), 0)
    a2 <- pmax(a1 %*% p$w2 + rep(p$b2, each = batch), 0)
    z <- a2 %*% p$w3 + rep(p$b3, each = batch)
    e <- exp(z - apply(z, 1, max))
    d3 <- (e / rowSums(e) - ty[i, ]) / batch
    d2 <- (d3 %*% t(p$w3)) * (a2 > 0)
    d1 <- (d2 %*% t(p$w2)) * (a1 > 0)
    g <- list(
      w1 = t(a0) %*% d1, b1 = colSums(d1), w2 = t(a1) %*% d2, b2 = colSums(d2), w3 = t(a2) %*% d3, b3 = colSums(d3)
    )
    for (n in names(p)) {
      mean1[[n]] <- 0.9 * mean1[[n]] + 0.1 * g[[n]]
      mean2[[n]] <- 0.999 * mean2[[n]] + 0.001 * g[[n]]^2
      p[[n]] <- p[[n]] - 0.001 * (mean1[[n]] / (1 - 0.9^step)) / (sqrt(mean2[[n]] / (1 - 0.999^step)) + 1e-8)
    }
  }
  proc.time()[["elapsed"]] - began
}

blas <- basename(normalizePath(extSoftVersion()[["BLAS"]]))
for (batch in c(256, 32)) {
  times <- vapply(seq_len(repeats), function(i) c(core = core_epoch(batch), plain = plain_epoch(batch)), numeric(2))
  ratio <- times["plain", ] / times["core", ]
  cat(sprintf(
    paste0(
      "epoch of %s rows, batch %d: core %.2f ms (%s kernels, single precision), plain R matrices %.0f ms ",
      "(%s); ratio %.0f (quartiles %.0f to %.0f of %d interleaved runs)\n"
    ),
    format(rows, big.mark = ","), batch, 1000 * median(times["core", ]), hylomath:::core_kernel(),
    1000 * median(times["plain", ]),
    blas, median(ratio), quantile(ratio, 0.25), quantile(ratio, 0.75), repeats
  ))
}

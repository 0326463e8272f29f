# The network without hidden layers against the maximum of the likelihood by other means, on the same rows: the mean
# logarithm of its loss on fresh rows over the reference's, and the largest. `Rscript bench/linear.R [tables]`.
library(hylomath)
options(hylomath.threads = 1)
tables <- as.integer(c(commandArgs(TRUE), 200)[1])

# `x` has the shape, `eta` what the target hangs on.
shapes <- list(
  collinear = function(n) {
    x <- matrix(rnorm(n * 3), n)
    x <- cbind(x, x[, 1] + 0.03 * rnorm(n))
    list(x = x, eta = drop(x %*% c(0.5, -0.3, 0.2, 0)) + (x[, 1] - x[, 4]) / 0.03 * 0.5, noise = 1)
  },
  low_noise = function(n) {
    x <- matrix(rnorm(n * 5), n)
    list(x = x, eta = drop(x %*% c(1, -0.6, 0.3, 0.1, 0)), noise = 0.01)
  },
  wide = function(n) {
    p <- if (n < 500) 20 else 50
    x <- matrix(rnorm(n * p), n)
    list(x = x, eta = drop(x %*% rnorm(p, 0, 1 / sqrt(p))), noise = 1)
  }
)

mean_log <- function(p) -mean(log(pmax(p, 1e-300)))
half_deviance <- function(y, m) mean(ifelse(y > 0, y * log(pmax(y, 1e-300) / m), 0) - (y - m))

# `draw` makes a target; `reference` gives the loss on fresh rows of the other fit, `own` that of the model.
tasks <- list(
  numbers = list(
    draw = function(s) s$eta + s$noise * rnorm(length(s$eta)),
    reference = function(d, new) mean((new$y - predict(lm(y ~ ., d), new))^2),
    own = function(model, new) mean((new$y - predict(model, new)$prediction)^2)
  ),
  counts = list(
    draw = function(s) rpois(length(s$eta), exp(0.5 + 0.7 * s$eta)), task = "count",
    reference = function(d, new) half_deviance(new$y, predict(glm(y ~ ., poisson, d), new, type = "response")),
    own = function(model, new) half_deviance(new$y, predict(model, new)$prediction)
  ),
  two_classes = list(
    draw = function(s) ifelse(runif(length(s$eta)) < plogis(1.5 * s$eta), "yes", "no"),
    reference = function(d, new) {
      d$y <- d$y == "yes"
      p <- predict(glm(y ~ ., binomial, d), new, type = "response")
      mean_log(ifelse(new$y == "yes", p, 1 - p))
    },
    own = function(model, new) {
      p <- predict(model, new, type = "probability")
      mean_log(as.matrix(p)[cbind(seq_len(nrow(p)), match(paste0("probability_", new$y), names(p)))])
    }
  ),
  three_classes = list(
    draw = function(s) c("a", "b", "c")[1 + (s$eta + rlogis(length(s$eta)) > -0.5) + (runif(length(s$eta)) < 0.4)],
    reference = function(d, new) multinomial(d, new),
    own = function(model, new) tasks$two_classes$own(model, new)
  ),
  ordered = list(
    draw = function(s) {
      cut(1.5 * s$eta + rlogis(length(s$eta)), c(-Inf, -1, 1, Inf), c("l", "m", "h"), ordered_result = TRUE)
    },
    reference = function(d, new) cumulative(d, new),
    own = function(model, new) tasks$two_classes$own(model, new)
  ),
  medians = list(
    draw = function(s) s$eta + s$noise * rt(length(s$eta), 3), loss = "absolute",
    reference = function(d, new) {
      least <- coef(lm(y ~ ., d))
      x <- cbind(1, as.matrix(d[-ncol(d)]))
      # majorised anew until nothing moves, from the least squares
      for (i in 1:500) {
        before <- least
        w <- 1 / (abs(d$y - drop(x %*% least)) + 1e-4 * mean(abs(d$y - drop(x %*% least))))
        least <- lm.wfit(x, d$y, w)$coefficients
        if (max(abs(least - before)) < 1e-8 * max(abs(least))) break
      }
      mean(abs(new$y - drop(cbind(1, as.matrix(new[-ncol(new)])) %*% least)))
    },
    own = function(model, new) mean(abs(new$y - predict(model, new)$prediction))
  ),
  gamma = list(
    draw = function(s) rgamma(length(s$eta), 2, 2 / exp(0.5 * s$eta)), loss = "gamma",
    reference = function(d, new) {
      m <- predict(glm(y ~ ., Gamma("log"), d, start = c(log(mean(d$y)), rep(0, ncol(d) - 1))), new, type = "response")
      mean(new$y / m - 1 - log(new$y / m))
    },
    own = function(model, new) {
      m <- predict(model, new)$prediction
      mean(new$y / m - 1 - log(new$y / m))
    }
  )
)

# By optim() on the scores, with the gradient written out.
multinomial <- function(d, new) {
  x <- cbind(1, as.matrix(d[-ncol(d)]))
  levels <- c("a", "b", "c")
  observed <- outer(d$y, levels, `==`)
  p_of <- function(w, x) {
    z <- cbind(0, x %*% matrix(w, ncol(x)))
    e <- exp(z - apply(z, 1, max))
    e / rowSums(e)
  }
  fit <- optim(
    rep(0, 2 * ncol(x)), function(w) mean_log(p_of(w, x)[observed]),
    function(w) as.vector(crossprod(x, (p_of(w, x) - observed)[, -1])) / nrow(x),
    method = "BFGS", control = list(maxit = 2000, reltol = 1e-13)
  )
  p <- p_of(fit$par, cbind(1, as.matrix(new[-ncol(new)])))
  mean_log(p[cbind(seq_len(nrow(p)), match(new$y, levels))])
}

cumulative <- function(d, new) {
  x <- as.matrix(d[-ncol(d)])
  upto <- function(w, x) {
    z <- drop(x %*% w[-(1:2)])
    cbind(0, plogis(w[1] - z), plogis(w[1] + exp(w[2]) - z), 1)
  }
  likelihood <- function(w, x, y) {
    p <- upto(w, x)
    k <- as.integer(y)
    mean_log(p[cbind(seq_along(k), k + 1)] - p[cbind(seq_along(k), k)])
  }
  slope <- function(w) {
    p <- upto(w, x)
    k <- as.integer(d$y)
    f <- p * (1 - p)
    rows <- seq_along(k)
    own <- pmax(p[cbind(rows, k + 1)] - p[cbind(rows, k)], 1e-300)
    high <- f[cbind(rows, k + 1)] / own
    low <- f[cbind(rows, k)] / own
    first <- high * (k == 1 | k == 2) - low * (k == 2 | k == 3)
    second <- (high * (k == 2) - low * (k == 3)) * exp(w[2])
    -c(sum(first), sum(second), -drop(crossprod(x, high - low))) / length(k)
  }
  start <- c(-1, log(2), rep(0, ncol(x)))
  fit <- optim(
    start, function(w) likelihood(w, x, d$y), slope, method = "BFGS", control = list(maxit = 2000, reltol = 1e-13)
  )
  likelihood(fit$par, as.matrix(new[-ncol(new)]), new$y)
}

one_table <- function(shape, task, n, seed) {
  set.seed(seed)
  s <- shapes[[shape]](n + 5000)
  all <- data.frame(s$x, y = tasks[[task]]$draw(s))
  d <- all[seq_len(n), ]
  new <- all[-seq_len(n), ]
  b <- brief(d, target = "y", task = tasks[[task]]$task) |> hold_out(validation = 0, test = 0) |> wire("linear") |>
    regimen(seed = 1, loss = tasks[[task]]$loss)
  model <- train(b, progress = "none")
  suppressWarnings(log(tasks[[task]]$own(model, new) / tasks[[task]]$reference(d, new)))
}

cells <- expand.grid(task = names(tasks), shape = names(shapes), n = c(100, 1000, 20000), stringsAsFactors = FALSE)
cores <- max(1, parallel::detectCores())
for (i in seq_len(nrow(cells))) {
  cell <- cells[i, ]
  found <- unlist(parallel::mclapply(seq_len(tables), mc.cores = cores, function(seed) {
    one_table(cell$shape, cell$task, cell$n, seed)
  }))
  error <- sd(found) / sqrt(length(found))
  cat(sprintf(
    "%-14s %-10s %6d rows: mean %8.4f, upper limit %8.4f, largest %8.4f, %d tables\n", cell$task, cell$shape, cell$n,
    mean(found), mean(found) + 1.645 * error, max(found), length(found)
  ))
}

# Laplace's evidence written out in R, to hold the core's against.

# The logarithm of Laplace's evidence of a softmax for the penalty l2, but for a constant, at its minimum over the rows
# of `x` (scaled, with a last column of 1) and the classes `y`, and the weights there.
softmax_evidence <- function(x, y, l2) {
  n <- nrow(x)
  d <- ncol(x) - 1
  k <- max(y)
  penalty <- rep(c(rep(l2, d), 0), k)
  w <- matrix(0, d + 1, k)
  shares <- function(w) prop.table(exp(x %*% w), 1)
  biases <- seq_len(k) * (d + 1)
  for (step in 1:50) {
    p <- shares(w)
    slope <- as.vector(crossprod(x, p - outer(y, seq_len(k), "=="))) / n + penalty * as.vector(w)
    block <- function(a, b) crossprod(x, x * (p[, a] * ((a == b) - p[, b]))) / n
    curvature <- do.call(cbind, lapply(seq_len(k), function(b) {
      do.call(rbind, lapply(seq_len(k), function(a) block(a, b)))
    })) + diag(penalty)
    curvature[biases, biases] <- curvature[biases, biases] + 1 / k  # what is common to all classes is left open
    move <- solve(curvature, slope)
    w <- w - matrix(move, d + 1)
    if (max(abs(move)) < 1e-9) break
  }
  likelihood <- sum(log(shares(w)[cbind(seq_len(n), y)]))
  penalised <- likelihood - n * l2 / 2 * sum(w[seq_len(d), ]^2)
  list(evidence = penalised + d * k / 2 * log(l2) - determinant(curvature)$modulus / 2, weights = w)
}

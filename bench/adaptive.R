# How often intervals that follow time hold, over drifting series of scores, with outcomes known at once and late:
#   Rscript bench/adaptive.R [series of each kind, 100 when not given]
suppressMessages(library(hylomath))
bounds <- asNamespace("hylomath")$adaptive_bounds
sets <- as.integer(c(commandArgs(TRUE), 100)[1])
series <- list(
  steady = function(n) abs(rnorm(n)), growing = function(n) abs(rnorm(n, 0, seq(1, 3, length.out = n))),
  jump = function(n) abs(rnorm(n, 0, rep(c(1, 2.5, 0.7), each = ceiling(n / 3))[seq_len(n)])),
  season = function(n) abs(rnorm(n, 0, 1 + 0.7 * sin(2 * pi * seq_len(n) / 200))),
  drift = function(n) abs(cumsum(rnorm(n, 0, 0.05)) + rnorm(n)),
  volatile = function(n) {
    variance <- 1
    score <- numeric(n)
    for (i in seq_len(n)) {
      score[i] <- rnorm(1) * sqrt(variance)
      variance <- 0.05 + 0.2 * score[i]^2 + 0.75 * variance
    }
    abs(score)
  }
)
cells <- expand.grid(gap = c(0, 30, 100), level = c(0.8, 0.9, 0.95))
found <- t(mapply(function(gap, level) {
  vapply(series, function(draw) {
    mean(vapply(seq_len(sets), function(seed) {
      set.seed(seed)
      mean(bounds(draw(1200), 1:1200, level, gap)$held[201:1200])
    }, 0))
  }, 0)
}, cells$gap, cells$level))
print(cbind(cells[2:1], round(found, 3)))
cat(sprintf("furthest from the level: %.3f\n", max(abs(found - cells$level))))

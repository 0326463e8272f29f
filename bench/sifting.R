# Whether sift() finds what matters: 2,000 rows, 8 inputs that tell something and 16 that tell nothing, over 20 seeds;
# and how long a backward sift of 24 inputs of the demo table takes. In the first simulation each of the eight tells 3
# % of the variance, straight, bent or stepped; in the second 4 %, and two of them in waves, which the default network
# can hardly learn from so few rows.

library(hylomath)

simulated <- function(seed, waves) {
  set.seed(seed)
  x <- as.data.frame(matrix(rnorm(2000 * 24), 2000))
  terms <- with(
    x,
    cbind(
      V1, V2, V3^2, V4^2, if (waves) sin(2 * V5) else exp(0.5 * V5), if (waves) sin(2 * V6) else V6 > 1, V7 > 0.5,
      abs(V8)
    )
  )
  share <- if (waves) 0.04 else 0.03
  x$y <- rowSums(scale(terms)) * sqrt(share) + rnorm(2000, 0, sqrt(1 - 8 * share))
  x[c(sample(24), 25)]
}

for (waves in c(FALSE, TRUE)) for (direction in c("backward", "ranking")) {
  found <- parallel::mclapply(1:20, function(seed) {
    options(hylomath.threads = 1L)
    s <- sift(brief(simulated(seed, waves), target = "y"), direction = direction, progress = "none")
    count <- function(set) c(sum(paste0("V", 1:8) %in% set), sum(!paste0("V", 9:24) %in% set))
    c(count(s$small), count(s$best))
  }, mc.cores = max(1, parallel::detectCores()))
  found <- do.call(rbind, found)
  for (set in 1:2) {
    kept <- found[, 2 * set - 1]
    dropped <- found[, 2 * set]
    cat(sprintf(
      "%s, %s, %s: informative ones kept %s; noise dropped %s; at least 7 and 12 in %d of 20\n",
      if (waves) "with waves" else "without waves", direction, c("smallest within one error", "best")[set],
      paste(kept, collapse = " "), paste(dropped, collapse = " "), sum(kept >= 7 & dropped >= 12)
    ))
  }
}

set.seed(1)
wide <- cbind(kilns, as.data.frame(matrix(rnorm(4000 * 14), 4000)))
cat(
  sprintf(
    "backward over 24 inputs of kilns: %.1f s\n",
    system.time(sift(brief(wide, target = "outcome"), progress = "none"))[["elapsed"]]
  )
)

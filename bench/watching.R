# How often a watch calls: on tables in which nothing has changed, where it must be silent in 95 of 100; with one of ten
# numbers moved by 0.15 deviations, or a level's share from 10 to 15 %, at 5,000 newer rows; and with a million rows and
# a change too small to matter. Tables have numbers with long tails, counts, missing values, rare levels, in half of
# them groups whose rows are alike; they are watched in four periods, with the target known in half of them.
# `Rscript bench/watching.R [tables]`, 1,000 without a change if nothing is said, and a fifth of that with one.
tables <- as.numeric(c(commandArgs(TRUE), 1000)[1])
library(hylomath)
`%||%` <- rlang::`%||%`

draw <- function(n, grouped, seed, move = 0, share = 0.1, groups = n %/% 5) {
  set.seed(seed)
  group <- if (grouped) sample(groups, n, TRUE) else seq_len(n)
  own <- stats::rnorm(max(group))[group]
  number <- function() if (grouped) 0.5 * own + sqrt(0.75) * stats::rnorm(n) else stats::rnorm(n)
  x <- as.data.frame(replicate(10, number(), simplify = FALSE), col.names = paste0("x", 1:10))
  x$x1 <- x$x1 + move
  x$x2 <- exp(x$x2)
  x$x3 <- floor(exp(1 + 0.5 * x$x3))
  x$x4[stats::runif(n) < 0.05] <- NA
  x$glaze <- sample(c("ash", "clear", "celadon"), n, TRUE, c(share, 0.6, 0.4 - share))
  x$kiln <- sprintf("kiln %02d", pmin(40, 1 + floor(stats::rexp(n, 0.15))))
  if (grouped) {
    own_kind <- sample(c("a", "b", "c", "d"), max(group), TRUE, c(0.6, 0.25, 0.1, 0.05))[group]
    x$kind <- ifelse(stats::runif(n) < 0.7, own_kind, "a")
    x$region <- sample(c("north", "south", "isle"), max(group), TRUE, c(0.5, 0.4, 0.1))[group]
    x$gauge <- ifelse(sample(4, max(group), TRUE)[group] == 1, NA, own)
  }
  signal <- 0.5 * x$x1 + (x$glaze == "ash") - 0.3 * x$x5
  x$outcome <- if (seed %% 2) ifelse(signal + stats::rlogis(n) > 1, "yes", "no") else signal + stats::rt(n, 4)
  x$part <- rep(1:4, length.out = n)
  if (grouped) x$house <- group
  x
}

evaluated <- function(seed, newer_rows, grouped = seed %% 4 < 2, groups = NULL, ...) {
  then <- if (is.null(groups)) draw(4000, grouped, seed) else draw(4000, grouped, seed, groups = groups)
  b <- brief(then, target = "outcome")
  b <- if (grouped) set_columns(b, group = house, drop = part) else set_columns(b, drop = part)
  model <- train(wire(b, "linear"), progress = "none")
  newer <- draw(newer_rows, grouped, seed + 1e6, groups = groups %||% (newer_rows %/% 5), ...)
  if (seed %% 3 == 0) newer$outcome <- NULL
  if (newer_rows > 1e5) return(watch_model(model, newer)$verdict)
  watch_model(model, newer, by = part)$verdict
}

count <- function(name, seeds, ...) {
  found <- unlist(parallel::mclapply(seeds, evaluated, ..., mc.cores = parallel::detectCores()))
  calls <- mean(found != "keep")
  ends <- stats::binom.test(sum(found != "keep"), length(found))$conf.int
  cat(sprintf(
    "%s: %.1f %% called (%.1f to %.1f) of %d; retrain %.1f %%\n", name, 100 * calls, 100 * ends[1], 100 * ends[2],
    length(found), 100 * mean(found == "retrain")
  ))
}
options(hylomath.threads = 1)
some <- seq_len(tables %/% 5)
count("nothing has changed", seq_len(tables), newer_rows = 5000)
# a level that is one group's, in all of its rows or half of them, comes and goes with the group
for (groups in c(10, 20, 50, 200)) {
  count(sprintf("nothing has changed, rows in %d groups", groups), some, newer_rows = 2000, grouped = TRUE,
    groups = groups
  )
}
for (grouped in c(FALSE, TRUE)) {
  of <- if (grouped) ", rows in groups" else ""
  count(paste0("one of ten numbers by 0.15 deviations", of), some, newer_rows = 5000, move = 0.15, grouped = grouped)
  count(paste0("a level from 10 to 15 %", of), some, newer_rows = 5000, share = 0.15, grouped = grouped)
}
count("a million rows, a number by 0.02", seq_len(tables %/% 50), newer_rows = 1e6, move = 0.02)

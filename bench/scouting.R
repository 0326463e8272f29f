# What scout() is worth: the loss on 50,000 fresh rows of the network that its winner's brief comes to, beside that of
# the brief it started from and that of random search over the same space with as many trials, all of them evaluated in
# full. Four problems, 20 seeds each; every seed is a new table. Losses are expected over the outcomes, the rule that
# made them being known.
#
# Usage, from the project's root: Rscript bench/scouting.R [seeds] [budget]
library(hylomath)
source("data-raw/generators.R")
source("bench/losses.R")

args <- as.integer(commandArgs(TRUE))
seeds <- if (length(args) > 0) args[1] else 20
budget <- if (length(args) > 1) args[2] else 40
fresh_rows <- 50000

squared_error <- function(model, fresh, rule) sqrt(mean((predict(model, fresh)$prediction - rule)^2))

# two classes: a ring in two of eight inputs, with an edge that is not sharp
ring_rule <- function(t) {
  p <- stats::plogis(4 * (1 - abs(sqrt(t$x1^2 + t$x2^2) - 1.4)) + t$x3)
  cbind(inside = p, outside = 1 - p)
}
# a number: waves and a product among ten inputs
wave_rule <- function(t) sin(2 * t$x1) + t$x2 * t$x3 + 0.5 * cos(3 * t$x4) + 0.5 * t$x5
normal_inputs <- function(n, width, seed) {
  set.seed(seed)
  as.data.frame(matrix(rnorm(n * width), n, dimnames = list(NULL, paste0("x", seq_len(width)))))
}

problems <- list(
  kilns = list(
    table = function(n, seed) kilns_table(n, seed), rule = kilns_rule, target = "outcome", rows = 1500,
    loss = expected_log_loss
  ),
  crossings = list(
    table = function(n, seed) crossings_table(n, seed), rule = crossings_rule, target = "passengers", rows = 1500,
    loss = expected_excess_deviance
  ),
  ring = list(table = function(n, seed) {
    t <- normal_inputs(n, 8, seed)
    t$side <- ifelse(runif(n) < ring_rule(t)[, "inside"], "inside", "outside")
    t
  }, rule = ring_rule, target = "side", rows = 1000, loss = expected_log_loss),
  waves = list(table = function(n, seed) {
    t <- normal_inputs(n, 10, seed)
    t$y <- wave_rule(t) + rnorm(n, 0, 0.5)
    t
  }, rule = wave_rule, target = "y", rows = 1500, loss = squared_error)
)

# The best of as many points of the same space, drawn evenly at random and all evaluated in full.
random_search <- function(b, budget, k) {
  space <- hylomath:::scout_space(b, hylomath:::usual_space(hylomath:::settle(b)))
  u <- matrix(runif(3 * budget * length(space)), 3 * budget)
  rows <- hylomath:::space_rows(space, u, 2)
  rows <- rows[!duplicated(hylomath:::row_keys(rows)), , drop = FALSE][seq_len(budget), , drop = FALSE]
  briefs <- lapply(
    seq_len(budget), function(i) hylomath:::changed_brief(b, hylomath:::row_values(space, rows[i, , drop = FALSE]))
  )
  losses <- vapply(briefs, function(one) {
    laid <- hylomath:::checked_folds(one, k, 1, NULL)
    mean(
      vapply(
        hylomath:::run_jobs(one$table, hylomath:::fold_jobs(laid, "loss"), "fit", function(event) NULL), `[[`, 0, "loss"
      )
    )
  }, 0)
  briefs[[which.min(losses)]]
}

search_on <- function(problem, seed) {
  options(hylomath.threads = 1L)
  table <- problem$table(problem$rows, seed)
  fresh <- problem$table(fresh_rows, 100000 + seed)
  rule <- problem$rule(fresh)
  set.seed(seed)
  b <- brief(table, target = problem$target) |> hold_out(test = 0) |> regimen(epochs = 100, seed = seed)
  evaluate <- function(b) problem$loss(train(quick(b), progress = "none"), fresh, rule)
  took <- system.time(s <- scout(b, budget = budget, k = 5, progress = "none"))[["elapsed"]]
  random_took <- system.time(other <- random_search(b, budget, 5))[["elapsed"]]
  c(
    own = evaluate(b), scout = evaluate(best_brief(s)), random = evaluate(other), seconds = took,
    random_seconds = random_took
  )
}

for (name in names(problems)) {
  found <- parallel::mclapply(
    seq_len(seeds), function(seed) search_on(problems[[name]], seed), mc.cores = max(1, parallel::detectCores())
  )
  found <- as.data.frame(do.call(rbind, found))
  middle <- vapply(found, stats::median, 0)
  cat(sprintf(
    paste0(
      "%-9s  median loss on fresh rows: the brief's own %.4f, random search %.4f, scout %.4f; scout below ",
      "random in %d of %d, below the brief's own in %d; seconds a search %.1f (random %.1f)\n"
    ),
    name, middle[["own"]], middle[["random"]], middle[["scout"]], sum(found$scout < found$random), seeds,
    sum(found$scout < found$own), middle[["seconds"]], middle[["random_seconds"]]
  ))
}

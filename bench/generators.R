# How much of what a linear model misses does the default network find? For fresh tables of each generator:
#
#   closed = (loss of `linear` - loss of the default brief) / (loss of `linear` - loss of the known rule)
#
# where each loss is expected over the outcomes (the rule gives their probabilities) on rows that no fit has seen.
# Usage, from the project's root: Rscript bench/generators.R [tables] [fresh rows]
library(hylomath)
source("data-raw/generators.R")
source("bench/losses.R")

args <- as.integer(commandArgs(TRUE))
tables <- if (length(args) > 0) args[1] else 20
fresh_rows <- if (length(args) > 1) args[2] else 20000

problems <- list(
  kilns = list(table = kilns_table, rule = kilns_rule, target = "outcome", rows = 4000, loss = expected_log_loss,
               at_best = function(rule) mean(-rowSums(ifelse(rule > 0, rule * log(rule), 0)))),
  crossings = list(table = crossings_table, rule = crossings_rule, target = "passengers", rows = 6000,
                   loss = expected_excess_deviance, at_best = function(rule) 0)
)

closed_on <- function(problem, seed) {
  table <- problem$table(problem$rows, seed)
  fresh <- problem$table(fresh_rows, 100000 + seed)
  rule <- problem$rule(fresh)
  set.seed(seed)
  b <- brief(table, target = problem$target)
  network <- train(b, progress = "none")
  linear <- train(wire(b, "linear"), progress = "none")
  loss <- c(
    network = problem$loss(network, fresh, rule), linear = problem$loss(linear, fresh, rule),
    rule = problem$at_best(rule)
  )
  c(
    loss, closed = (loss[["linear"]] - loss[["network"]]) / (loss[["linear"]] - loss[["rule"]]),
    seconds = network$seconds
  )
}

for (name in names(problems)) {
  results <- as.data.frame(t(vapply(seq_len(tables), function(seed) closed_on(problems[[name]], seed), numeric(5))))
  closed <- results$closed
  half <- stats::qt(0.975, tables - 1) * stats::sd(closed) / sqrt(tables)
  cat(sprintf(
    paste0(
      "%-9s  %d tables: closed %.1f %% of the gap (95 %% interval of the mean %.1f to %.1f, lowest %.1f); ",
      "losses: linear %.4f, network %.4f, rule %.4f; %.2f s a fit\n"
    ),
    name, tables, 100 * mean(closed), 100 * (mean(closed) - half), 100 * (mean(closed) + half), 100 * min(closed),
    mean(results$linear), mean(results$network), mean(results$rule), stats::median(results$seconds)
  ))
}

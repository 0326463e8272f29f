# Does the rule for small tables (see ?regimen) pay? The default method against Adam under the same brief, on tables of
# a few hundred rows, evaluated on fresh rows: medians over seeds of log-loss, Poisson deviance, or squared error over
# the target's variance, and the share of seeds in which the default is better. Usage, from the project's root: Rscript
# bench/small-tables.R [seeds]
library(hylomath)
source("data-raw/generators.R")
seeds <- if (length(commandArgs(TRUE))) as.integer(commandArgs(TRUE)[1]) else 15

# Friedman (1991): five of ten uniform inputs count.
friedman_table <- function(n, seed) {
  set.seed(seed)
  x <- as.data.frame(matrix(runif(10 * n), n))
  x$y <- 10 * sin(pi * x$V1 * x$V2) + 20 * (x$V3 - 0.5)^2 + 10 * x$V4 + 5 * x$V5 + rnorm(n)
  x
}
score <- list(
  outcome = function(model, fresh) { m <- appraise(model, fresh)$measures; m$value[m$measure == "cross-entropy"] },
  passengers = function(model, fresh) {
    m <- appraise(model, fresh)$measures
    m$value[m$measure == "Poisson deviance"]
  },
  y = function(model, fresh) { m <- appraise(model, fresh)$measures; 1 - m$value[m$measure == "R\u00b2"] }
)
compare <- function(name, make, target, rows, wiring = NULL) {
  fresh <- make(5000, 4711)
  runs <- vapply(seq_len(seeds), function(seed) {
    set.seed(seed)
    b <- brief(make(rows, seed), target = target)
    if (!is.null(wiring)) b <- wire(b, wiring)
    by_rule <- train(quick(b), progress = "none")
    adam <- train(quick(regimen(b, method = "adam")), progress = "none")
    c(
      rule = score[[target]](by_rule, fresh), adam = score[[target]](adam, fresh),
      levenberg = by_rule$brief$regimen$method == "levenberg_marquardt"
    )
  }, numeric(3))
  medians <- apply(runs, 1, stats::median)
  cat(sprintf(
    "%-22s %4d rows, %-18s %s: %.3f, adam: %.3f; better in %.0f %% of %d seeds\n",
    name, rows, if (is.null(wiring)) "default wiring" else wiring,
    if (mean(runs["levenberg", ]) > 0.5) "levenberg_marquardt" else "lbfgs", medians[["rule"]], medians[["adam"]],
    100 * mean(runs["rule", ] < runs["adam", ]), seeds
  ))
}
compare("kilns", kilns_table, "outcome", 400)
compare("kilns", kilns_table, "outcome", 1200)
compare("crossings", crossings_table, "passengers", 300)
compare("crossings", crossings_table, "passengers", 1000)
compare("Friedman's function", friedman_table, "y", 100)
compare("Friedman's function", friedman_table, "y", 400)
compare("Friedman's function", friedman_table, "y", 100, "4 tanh")
compare("Friedman's function", friedman_table, "y", 400, "8 tanh")
compare("Friedman's function", friedman_table, "y", 1000, "12 tanh")

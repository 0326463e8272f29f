# What the predictions for out-of-fold rows say, against fresh rows of the same kind, on simulated tables:
#
#   single      log(loss out of fold / mean loss on fresh rows of what predicted a fold, a network or a blend of them):
#               near 0 if they are honest
#   together    log(loss of all networks together on fresh rows / mean loss of the single ones): below 0
#   coverage    of intervals and sets at 90 % on fresh rows
#
# Usage, from the project's root: Rscript bench/ensemble.R [tables of each kind] [rows] [wiring, or auto]
library(hylomath)
args <- commandArgs(TRUE)
tables <- if (length(args) > 0) as.integer(args[1]) else 50
rows <- if (length(args) > 1) as.integer(args[2]) else 1200
wiring <- if (length(args) > 2) args[3] else "12 tanh"
H <- asNamespace("hylomath")

inputs <- function(n) as.data.frame(matrix(rnorm(n * 6), n, dimnames = list(NULL, letters[1:6])))
bent <- function(d) sin(2 * d$a) + d$b * d$c / 2 + 0.5 * d$d

with_target <- function(table, target) cbind(table, y = target(bent(table), nrow(table)))

kinds <- list(
  numbers = function(n) with_target(inputs(n), function(f, n) f + rnorm(n, 0, 0.5)),
  counts = function(n) with_target(inputs(n), function(f, n) rpois(n, exp(1 + f / 2))),
  classes = function(n) with_target(inputs(n), function(f, n) ifelse(runif(n) < plogis(1.5 * f), "yes", "no")),
  # rows of a group have something in common that no input tells
  groups = function(n) {
    d <- inputs(n)
    unit <- (seq_len(n) - 1) %/% 6
    d$y <- bent(d) + rnorm(max(unit) + 1, 0, 0.4)[unit + 1] + rnorm(n, 0, 0.3)
    d$unit <- paste0("u", unit)
    d
  }
)

one_table <- function(kind, seed) {
  set.seed(seed)
  table <- kinds[[kind]](rows)
  fresh <- kinds[[kind]](6000)
  task <- switch(kind, counts = "count", classes = NULL, "regression")
  b <- brief(table, target = "y", task = task) |>
    hold_out(test = 0, seed = seed) |> wire(wiring) |> regimen(seed = seed)
  if (kind == "groups") b <- set_columns(b, group = unit)
  model <- train(b, progress = "none")
  working <- H$working_table_of(model$brief, fresh)
  loss_of <- function(predictor) {
    predictions <- H$predictions_of(predictor, working)
    mean(H$own_losses(predictor$target, list(observed = fresh$y, weight = rep(1, 6000)), predictions))
  }
  rows <- H$evaluated_in_part(model, "out_of_fold")
  out_of_fold <- mean(H$own_losses(model$predictor$target, rows, rows$predictions))
  single <- mean(vapply(unique(rows$fold), function(fold) loss_of(H$of_fold(model$predictor, fold)), 0))
  p <- predict(model, fresh, type = if (kind == "classes") "set" else "interval")
  held <- if (kind == "classes") {
    ifelse(fresh$y == "yes", p$in_yes, p$in_no)
  } else {
    p$low <= fresh$y & fresh$y <= p$high
  }
  c(single = log(out_of_fold / single), together = log(loss_of(model$predictor) / single), held = mean(held))
}

mean_text <- function(x, digits) {
  half <- qt(0.975, length(x) - 1) * sd(x) / sqrt(length(x))
  sprintf(paste0("%+.", digits, "f (%+.", digits, "f to %+.", digits, "f)"), mean(x), mean(x) - half, mean(x) + half)
}
found <- lapply(names(kinds), function(kind) {
  t(vapply(seq_len(tables), function(seed) one_table(kind, seed), c(single = 0, together = 0, held = 0)))
})
names(found) <- names(kinds)
found$all <- do.call(rbind, found)
for (kind in names(found)) {
  x <- found[[kind]]
  cat(sprintf(
    "%-8s %3d tables of %d rows: single %s, together %s, coverage %.1f %% (tables from %.1f to %.1f)\n", kind, nrow(x),
    rows, mean_text(x[, "single"], 4), mean_text(x[, "together"], 4), 100 * mean(x[, "held"]), 100 * min(x[, "held"]),
    100 * max(x[, "held"])
  ))
}

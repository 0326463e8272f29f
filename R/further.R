# What resume() and refit() share: a model's networks and what its training had come to.

# Why a model's training can't be gone on with, or done again.
check_goes_further <- function(model, verb) {
  if (!is.null(model$distilled)) {
    what <- "The network was taught by another one, which %s() doesn't have."
    fail(sprintf(what, verb), "Distil it again: distil(teacher, brief).")
  }
  if (model$stopped == "set" || nrow(model$restarts) == 0) {
    fail("The weights were set by hand, so there is no training to go on from.", "Train its brief.")
  }
  if (!is.null(model$members) && length(unique(model$members$fold)) < model$brief[["hold_out"]]$folds) {
    what <- "Training was interrupted after %d of %d folds."
    folds <- as.integer(c(length(unique(model$members$fold)), model$brief[["hold_out"]]$folds))
    fail(sprintf(what, folds[1], folds[2]), "Train its brief to the end first.")
  }
}

# Of an ensemble the analyses of the networks that predict, by name, and of the linear one.
predicting_candidates <- function(model, a) {
  shares <- wiring_shares(model$members)
  used <- union(names(shares)[shares > 0], "linear")
  known <- ensemble_candidates(a)
  known[[few_units]] <- known[[few_units]] %||% with_network(a, few_units)
  known[used]
}

# By candidate and fold the predictors of its networks.
predicting_networks <- function(model) {
  shares <- wiring_shares(model$members)
  used <- names(shares)[shares > 0]
  of <- rep(used, each = length(unique(model$predictor$folds)))
  networks <- split(model$predictor$members, factor(of, used))
  networks$linear <- networks$linear %||% model$linear$members
  networks
}

# A model's table, or the newer one, settled as its brief says.
settle_model <- function(model, data) settle(with_table(model$brief, as_table(data)))

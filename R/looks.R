# How many different networks have been evaluated on one set of test rows. The session remembers, by the test rows, the
# networks that were; a model carries those that it knows of in `looks`, and with it its file.

seen_tests <- new.env(parent = emptyenv())

test_rows_id <- function(model) {
  test <- model$evaluated$test
  if (is.null(test)) NULL else rlang::hash(test[c("key", "observed")])
}

# The weights make a network; a rule or a recalibration, chosen on other rows, makes no other one of it.
network_id <- function(model) rlang::hash(model$predictor[c("network", "members", "shares")])

looks_at <- function(model) {
  id <- test_rows_id(model)
  unique(c(model$looks, if (!is.null(id)) seen_tests[[id]]))
}

# Counts this look and gives the number of networks that have been looked at.
look_at_test <- function(model) {
  seen <- unique(c(looks_at(model), network_id(model)))
  assign(test_rows_id(model), seen, envir = seen_tests)
  length(seen)
}

# The model with what the session knows of its test rows.
with_looks <- function(model, former = NULL) {
  same_rows <- !is.null(former) && identical(test_rows_id(former), test_rows_id(model))
  if (same_rows) model$looks <- unique(c(former$looks, model$looks))
  model$looks <- looks_at(model)
  model
}

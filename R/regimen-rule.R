# What a regimen's "auto" comes to for a table.
#
# The rule for the method, written out in ?regimen: tables of up to `small_table` rows are trained as a whole, by
# Levenberg-Marquardt where the loss is squared and the parameters are few, else by L-BFGS; larger tables by Adam, whose
# batches double with every fourfold number of rows from 10,000 on.

small_table <- 1000
few_parameters <- 200

# The regimen with nothing left open that its method has a use for. `preparation` is a function that gives what was
# learned from the training rows; it is called only where the rule asks for the number of parameters.
regimen_in_force <- function(a, preparation) {
  r <- a$regimen
  rows <- sum(a$part %in% "training")
  if (r$method == "auto") r$method <- auto_method(a, r, rows, preparation)
  if (r$method %in% batch_methods) {
    if (identical(r$batch_size, "auto")) r$batch_size <- auto_batch_size(rows)
    if (identical(r$learning_rate, "auto")) r$learning_rate <- auto_learning_rate(r$method, r$batch_size)
  }
  if (identical(r$l2, "auto")) r$l2 <- auto_l2(a$wiring, r$method, rows)
  with_method_defaults(r)
}

auto_method <- function(a, r, rows, preparation) {
  if (identical(r$l2, "evidence")) return("levenberg_marquardt")
  if (rows > small_table || length(needs_batches(r, a$wiring))) return("adam")
  loss <- a$target$loss
  if (loss$kind == "squared" && loss$output == "identity") {
    parameters <- parameter_count(network_of(a$target, a$wiring, r, preparation()))
    if (parameters <= min(few_parameters, rows * length(a$target$columns))) return("levenberg_marquardt")
  }
  if (loss$kind %in% c("absolute", "quantile")) "adam" else "lbfgs"
}

auto_batch_size <- function(rows) 64 * 2^min(4, max(0, ceiling(log(rows / 10000, 4))))

# With the square root of the batch: the noise of a mean falls by as much (Krizhevsky 2014).
auto_learning_rate <- function(method, batch_size) {
  base <- switch(method, momentum = , nesterov = 0.02, rmsprop = 0.002, 0.005)
  signif(base * sqrt(max(1, batch_size / 64)), 2)
}

# 10 / rows, to one digit, at most 0.01: a normal prior on every weight with a variance of a tenth, whose pull fades as
# rows are added. Levenberg-Marquardt can ask the data.
auto_l2 <- function(wiring, method, rows) {
  if (method == "levenberg_marquardt" && !has_own_l2(wiring)) return("evidence")
  signif(min(0.01, 10 / rows), 1)
}

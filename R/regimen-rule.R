# What a regimen's "auto" comes to for a table.
#
# The rule for the method, written out in ?regimen: networks without hidden layers go to their one minimum by Newton's
# method. Others, on tables of up to `small_table` rows, are trained on the whole table, by Levenberg-Marquardt where
# the loss is squared and the parameters are few, else by L-BFGS; on larger ones by Adam, whose batches double with
# every fourfold number of rows from 10,000 on.

small_table <- 1000
few_parameters <- 200

# What Newton's method solves at all, and what it solves and sums up in a second or two.
most_parameters_newton <- 2000
few_parameters_newton <- 500
most_work_newton <- 4e9

# The regimen with nothing left open that its method has a use for. `preparation` is a function that gives what was
# learned from the training rows; it is called only where the rule asks for the number of parameters.
regimen_in_force <- function(a, preparation) {
  r <- a$regimen
  rows <- cases_in(a, "training")
  if (r$method == "auto") r$method <- auto_method(a, r, rows, preparation)
  if (r$method %in% batch_methods) {
    if (identical(r$batch_size, "auto")) r$batch_size <- auto_batch_size(rows)
    if (identical(r$learning_rate, "auto")) r$learning_rate <- auto_learning_rate(r$method, r$batch_size)
  }
  if (identical(r$l2, "auto")) {
    embedded <- r$method == "lbfgs" && any(vapply(preparation()$columns, is_embedded, NA))
    r$l2 <- auto_l2(a$wiring, r$method, rows, embedded)
  }
  with_method_defaults(with_patience(r))
}

auto_method <- function(a, r, rows, preparation) {
  if (suits_newton(a, r, rows, preparation)) return("newton")
  if (identical(r$l2, "evidence")) return("levenberg_marquardt")
  if (length(needs_batches(r, a$wiring))) return("adam")
  loss <- a$target$loss
  non_smooth <- !loss_record(loss)$smooth
  # without hidden layers the whole table at once is quickest at any number of rows
  if (length(a$wiring$layers) == 0 && !non_smooth) return("lbfgs")
  if (rows > small_table) return("adam")
  if (is_least_squares(loss)) {
    parameters <- parameter_count(network_of(a$target, a$wiring, r, preparation()))
    if (parameters <= min(few_parameters, rows * length(a$target$columns))) return("levenberg_marquardt")
  }
  if (non_smooth) "adam" else "lbfgs"
}

# Whether there is one minimum, and few enough equations for it.
suits_newton <- function(a, r, rows, preparation) {
  if (length(a$wiring$layers) > 0 || length(needs_batches(r, a$wiring))) return(FALSE)
  network <- network_of(a$target, a$wiring, r, preparation())
  parameters <- parameter_count(network)
  length(network$embeddings) == 0 && parameters <= few_parameters_newton && rows * parameters^2 <= most_work_newton
}

# How long training goes on, where the brief leaves that open.
with_patience <- function(r, epochs = 300, patience = 20) {
  if (identical(r$epochs, "auto")) r$epochs <- epochs
  if (identical(r$stop, "auto")) r$stop <- list(patience = "auto")
  if (is.list(r$stop) && identical(r$stop$patience, "auto")) r$stop$patience <- patience
  r
}

# The brief with what one network has where the rule is left to choose and a table has no say.
with_usual_values <- function(b) {
  said <- b[["prepare"]]
  usual <- list(numbers = "zscore", clip = 0)
  open <- vapply(said[names(usual)], identical, NA, "auto")
  b <- set_section(b, "prepare", usual[open])
  b[["regimen"]] <- with_patience(b[["regimen"]])
  b
}

auto_batch_size <- function(rows) 64 * 2^min(4, max(0, ceiling(log(rows / 10000, 4))))

# With the square root of the batch: the noise of a mean falls by as much (Krizhevsky 2014).
auto_learning_rate <- function(method, batch_size) {
  base <- switch(method, momentum = , nesterov = 0.02, rmsprop = 0.002, 0.005)
  signif(base * sqrt(max(1, batch_size / 64)), 2)
}

# 10 / rows, to one digit, at most 0.01: a normal prior on every weight with a variance of a tenth, whose pull fades as
# rows are added. Some methods can ask the data.
auto_l2 <- function(wiring, method, rows, embedded = FALSE) {
  asks <- method %in% evidence_methods && (method != "lbfgs" || length(wiring$layers) == 0 && !embedded)
  if (asks && !has_own_l2(wiring)) return("evidence")
  signif(min(0.01, 10 / rows), 1)
}

# ---- without hidden layers ----------------------------------------------------------------------------------------

# The few weights of a linear model are settled by this many training rows; of more, so many are drawn.
most_linear_rows <- 100000

# By the rule, whatever the network's own method is: to the one minimum, where there is one.
linear_regimen <- function(regimen) {
  kept <- intersect(c("loss", "output", "class_weights", "seed"), names(regimen))
  utils::modifyList(brief_defaults[["regimen"]], regimen[kept])
}

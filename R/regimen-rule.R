# What a regimen's "auto" comes to for a table.
#
# The rule for the method, written out in ?regimen: networks without hidden layers go to their one minimum by Newton's
# method. Others are trained by Levenberg and Marquardt's where its equations are affordable; else on the whole table
# by L-BFGS, up to `small_table` rows, and on larger ones by Adam, whose batches double with every fourfold number of
# rows from 10,000 on.

small_table <- 1000

is_small <- function(a) cases_in(a, "training") <= small_table

# What Newton's method solves at all, and what it solves and sums up in a second or two.
most_parameters_newton <- 2000
few_parameters_newton <- 500
most_work_newton <- 4e9

# What a network of second order may cost, in products of numbers.
most_second_order_work <- 3e10
products_a_second <- 1e10  # of a core
most_equations <- 2000
products_with_matrix <- 6000
work_of_product <- 8  # a row and parameter

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
  if (r$method == "coordinate_descent" && identical(r$l1, 0)) r$l1 <- "path"
  if (identical(r$l2, "auto")) {
    embedded <- r$method == "lbfgs" && any(vapply(preparation()$columns, is_embedded, NA))
    r$l2 <- auto_l2(a$wiring, r$method, rows, a$target$loss, embedded)
  }
  with_method_defaults(with_patience(r))
}

auto_method <- function(a, r, rows, preparation) {
  if (suits_newton(a, r, rows, preparation)) return("newton")
  if (suits_coordinates(a, r, preparation)) return("coordinate_descent")
  if (identical(r$l2, "evidence")) return("levenberg_marquardt")
  if (length(needs_batches(r, a$wiring))) return("adam")
  # without hidden layers the whole table at once is quickest at any number of rows
  if (length(a$wiring$layers) == 0 && loss_record(a$target$loss)$smooth) return("lbfgs")
  if (suits_second_order(a, rows, network_of(a$target, a$wiring, r, preparation()))) return("levenberg_marquardt")
  first_order_method(a, r, rows)
}

# Why the rule takes that method, in words.
method_reason <- function(a, method, preparation) {
  needs <- needs_batches(a$regimen, a$wiring)
  switch(method,
    newton = "without hidden layers there is one minimum",
    coordinate_descent = "for `l1` without hidden layers",
    levenberg_marquardt = second_order_text(a, preparation),
    lbfgs = if (length(a$wiring$layers) == 0) "without hidden layers" else {
      sprintf("all rows at once, up to %s of them", format_count(small_table))
    },
    adam = sprintf("in batches, for %s", if (length(needs)) enumerate(quoted(needs)) else {
      if (loss_record(a$target$loss)$smooth) "many rows" else sprintf("the loss %s", quoted(a$target$loss$kind))
    })
  )
}

second_order_text <- function(a, preparation) {
  parameters <- parameter_count(network_of(a$target, a$wiring, a$regimen, preparation()))
  seconds <- second_order_work(a, cases_in(a, "training"), parameters) / products_a_second
  what <- if (parameters > most_equations) "products with the matrix of" else "equations for"
  what <- paste(what, "all %s parameters, about %s a network")
  sprintf(what, format_count(parameters), if (seconds < 0.1) "0.1 s or less" else format_seconds(seconds))
}

# Whether there is one minimum, under an l1 penalty.
suits_coordinates <- function(a, r, preparation) {
  if (length(a$wiring$layers) > 0 || identical(r$l1, 0) || !loss_record(a$target$loss)$smooth) return(FALSE)
  others <- setdiff(needs_batches(r, a$wiring), "l1")
  length(others) == 0 && !any(vapply(preparation()$columns, is_embedded, NA))
}

first_order_method <- function(a, r, rows) {
  in_batches <- rows > small_table || !loss_record(a$target$loss)$smooth || length(needs_batches(r, a$wiring))
  if (in_batches) "adam" else "lbfgs"
}

# Whether the equations are affordable, the rows determine the parameters, and there is curvature to go by.
suits_second_order <- function(a, rows, network) {
  straight <- vapply(a$wiring$layers, function(l) l$activation %in% piecewise_linear, NA)
  if (!loss_record(a$target$loss)$smooth || any(straight)) return(FALSE)
  parameters <- parameter_count(network)
  parameters <= rows * values_a_row(a$target) && second_order_work(a, rows, parameters) <= most_second_order_work
}

# Numbers that a row's target tells: of k classes k - 1.
values_a_row <- function(target) if (has_classes(target)) length(target$classes) - 1 else length(target$columns)

# Some 50 steps, for each of which the matrix is summed up from ten roots a parameter, or from more where that is little
# (core/gauss_newton.cpp), and factored twice. Of more parameters than `most_equations` some thousand products with the
# matrix (core/method.hpp).
second_order_work <- function(a, rows, parameters) {
  if (parameters > most_equations) return(products_with_matrix * work_of_product * rows * parameters)
  roots <- min(rows * values_a_row(a$target), max(10 * parameters, 2e8 / parameters^2))
  50 * (roots * parameters^2 / 2 + parameters^3 / 2)
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
auto_l2 <- function(wiring, method, rows, loss, embedded = FALSE) {
  if (method == "coordinate_descent") return(0)
  asks <- method %in% evidence_methods && (method != "lbfgs" || length(wiring$layers) == 0 && !embedded)
  if (asks && !has_own_l2(wiring)) return("evidence")
  if (method %in% batch_methods && loss$kind %in% noise_losses && !has_own_l2(wiring)) return("noise")
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

# What an ensemble is chosen from: the wirings that the rule offers, and the linear model.

# The analyses that are trained, by name: the wiring that the brief names, or those of the rule; and always `linear`,
# the linear model.
ensemble_candidates <- function(a) {
  wirings <- if (a$brief$wiring == "auto") auto_wirings(a) else list(list(wiring = a$brief$wiring))
  own <- lapply(wirings, candidate_of, a)
  names(own) <- vapply(wirings, function(one) paste(c(one$wiring, one$said), collapse = ", "), "")
  linear <- linear_regimen(a$regimen)
  sparse <- utils::modifyList(linear, list(method = "coordinate_descent", l1 = "path", epochs = 60))
  # a linear model that is named stands beside itself
  beside <- if (!"linear" %in% names(own)) list(linear = with_network(a, "linear", linear))
  c(own, beside, if (suits_sparse(a)) list("linear, sparse" = with_network(a, "linear", sparse)))
}

candidate_of <- function(one, a) with_network(a, one$wiring, one$regimen %||% a$regimen, one$prepare %||% list())

# The linear model beside the networks, which has the better of two penalties: that on squares, or that on sizes.
linear_candidates <- c("linear", "linear, sparse")

linear_candidate <- function(each) {
  there <- intersect(linear_candidates, names(each))
  losses <- vapply(each[there], function(members) {
    sum(vapply(members, function(m) if (is.null(m)) 0 else mean_loss(m$predictor, m$evaluated), 0))
  }, 0)
  there[which.min(losses)]
}

# Where there are many columns beside the rows few of them may matter.
suits_sparse <- function(a) {
  columns <- length(input_columns(a))
  columns >= 20 && columns >= cases_in(a, "training") / 10 && loss_record(a$target$loss)$smooth
}

# The analysis with another network. What its brief left open is said, so that it is the same wherever it is settled.
with_network <- function(a, wiring, regimen = a$regimen, prepare = list()) {
  b <- a$brief
  b$wiring <- wiring
  b[["regimen"]] <- regimen
  b$prepare <- utils::modifyList(b$prepare, prepare[vapply(names(prepare), is_open, NA, b$prepare)])
  # without hidden layers there is one minimum, which learned points would take away
  if (wiring == "linear") {
    b$prepare <- within_settings(b$prepare, embedding = "auto")
    b$prepare$only <- lapply(b$prepare$only, within_settings, embedding = "auto")
  }
  b[["hold_out"]] <- a$hold_out
  a$brief <- b
  a$wiring <- parse_wiring(wiring)
  a$regimen <- regimen
  a$prepare <- lapply(stats::setNames(nm = names(a$prepare)), function(column) settings_for(b, column))
  a
}

# Whether the brief leaves this setting of the preparation to the rule.
is_open <- function(name, prepare) identical(prepare[[name]], "auto")

# By the rule: networks that differ in what they take in, how they bend and how fast they learn, so that they err in
# different places; numbers as waves (Gorishniy et al. 2022) for what goes up and down, as things in time do. What the
# brief says of the regimen and the preparation stands. Far outside the rows that they have learned from networks go
# astray, so inputs are clipped there; `linear` takes them as they are.
auto_wirings <- function(a) {
  # only steps of second order ask the data for the penalty
  if (identical(a$regimen$l2, "evidence")) return(smooth_candidates(a))
  # networks that are averaged can be trained longer than one alone, of few rows longest
  cases <- cases_in(a, "training")
  long <- with_patience(a$regimen, epochs = 600, patience = if (is_small(a)) 40 else 20)
  open <- identical(long$method, "auto")
  # by steps of first order: those of second order are left to few units
  if (open) long$method <- first_order_method(a, long, cases)
  slow <- if (open && identical(long$learning_rate, "auto")) {
    utils::modifyList(long, list(method = "adam", learning_rate = 0.002))
  } else {
    long
  }
  few <- suits_few(a)
  # of more columns than rows all that wide networks find is chance, and it takes them long; where few of many columns
  # are taken beside all of them, two are enough of these
  wide <- length(input_columns(a)) <= cases
  by_rank <- list(
    wiring = "64 relu > 32 relu", prepare = list(numbers = "rank_normal", clip = "far"), regimen = long,
    said = "by rank"
  )
  usual <- list(
    wiring = "64 relu > 32 relu", prepare = list(clip = "far"), regimen = slow,
    said = if (!identical(slow, long)) "slow"
  )
  silu <- list(wiring = "24 silu > 12 silu", prepare = list(clip = "far"), regimen = long)
  waves <- list(
    wiring = "24 silu > 12 silu", prepare = list(numbers = "periodic", clip = "far"), regimen = long, said = "periodic"
  )
  c(drop_nulls(list(
    if (wide) by_rank, if (wide && !few) usual, if (wide || !few) silu,
    if (few) utils::modifyList(silu, list(prepare = of_few, said = few_said)),
    if (wide && !few && suits_waves(a)) waves
  )), smooth_candidates(a))
}

# Where numbers are left to the rule, and there are some.
suits_waves <- function(a) {
  is_open("numbers", a$brief$prepare) && any(a$kinds[input_columns(a)] %in% c("number", "count"))
}

# Relations that bend can be few of many columns too: networks of the strongest.
few_columns <- 30
few_said <- sprintf("of %d columns", few_columns)
of_few <- list(clip = "far", strongest = few_columns)

suits_few <- function(a) {
  suits_sparse(a) && length(input_columns(a)) >= 2 * few_columns && is_open("strongest", a$brief$prepare)
}

# Smooth relations are met best by few units under Levenberg and Marquardt's method, where it may be taken: in one
# layer, the widest of these that are affordable, and in two.
smooth_layers <- c("16 tanh", "12 tanh", "8 tanh", "5 tanh")
smooth_pair <- "10 tanh > 6 tanh"
with_few <- function(wirings) c(wirings, paste(wirings, few_said, sep = ", "))
smooth_wirings <- with_few(c(smooth_layers, smooth_pair))
# Where these lead, and rows are not few, more units may lead further: the larger of these that is affordable.
larger_pairs <- c("24 tanh > 12 tanh", "16 tanh > 10 tanh")
larger_wirings <- with_few(larger_pairs)
larger_epochs <- 120

smooth_candidates <- function(a) {
  learned <- NULL
  preparation <- function(a) function() learned <<- learned %||% learn_preparation(a)
  affordable <- function(name) {
    settled <- candidate_of(smooth_candidate(name, a), a)
    regimen_in_force(settled, preparation(settled))$method == "levenberg_marquardt"
  }
  widest <- function(names) {
    if (suits_few(a)) names <- paste(names, few_said, sep = ", ")
    utils::head(Filter(affordable, names), 1)
  }
  # who names the method, or evidence, takes it whatever it costs
  open <- identical(a$regimen$method, "auto") && !identical(a$regimen$l2, "evidence")
  larger <- if (open && !is_small(a)) widest(larger_pairs)
  lapply(c(widest(smooth_layers), widest(smooth_pair), larger), smooth_candidate, a)
}

smooth_candidate <- function(name, a) {
  few <- endsWith(name, few_said)
  epochs <- if (name %in% larger_wirings) larger_epochs else 300
  list(
    wiring = sub(paste0(", ", few_said), "", name, fixed = TRUE), prepare = if (few) of_few else list(clip = "far"),
    # evidence leaves little for validation rows to stop
    regimen = with_patience(a$regimen, epochs = epochs, patience = 10), said = if (few) few_said
  )
}

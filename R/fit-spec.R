# A fit that is to be done: what the core is given, and what its result is read by.
#
# A spec is list(analysis, learned, watched, rows, core). `learned` is what an analysis comes to on its training rows,
# list(preparation, regimen, wiring), with the regimen in force. `rows` counts the rows of each part.

# `preparation` is one that was learned before.
learn_training <- function(a, preparation = NULL) {
  preparation <- preparation %||% learn_preparation(a)
  list(preparation = preparation, regimen = regimen_in_force(a, function() preparation), wiring = a$wiring)
}

# `watched` is a part whose loss is measured after each epoch and decides nothing; `sources` are the table's columns for
# the encoder where another spec has them already; `keeps` says whether the states of training are wanted.
fit_spec <- function(a, learned, watched = NULL, sources = encoder_sources(learned$preparation, a$table),
                     keeps = FALSE) {
  # each part's rows beside each other: on disk they are then read in long pieces
  rows <- unlist(lapply(c("training", "validation", watched), function(part) rows_in(a, part)))
  part <- a$part[rows]
  target <- a$target
  task <- task_of(target)
  of_target <- learned$preparation$target
  network <- network_of(target, learned$wiring, learned$regimen, learned$preparation)
  check_size(network, learned$regimen$method)
  offset <- if (is.null(a$exposure)) numeric() else log(a$exposure[rows])
  values <- target_values(a, rows)
  list(
    analysis = a, learned = learned, watched = watched, rows = table(factor(part, c("training", "validation"))),
    core = list(
      network = network,
      regimen = c(core_regimen(learned$regimen), list(cases = cases_in(a, "training"))),
      plans = learned$preparation$columns,
      sources = sources, folder = encoding_folder(a, learned$preparation, length(rows)), rows = rows,
      target = task$encode(values, target, of_target),
      weight = row_weights(a, rows, task$row_weights(values, target, of_target), part == "training"), offset = offset,
      training = which(part == "training"), validation = which(part == "validation"),
      watched = which(part %in% watched),
      output_bias = task$start(target, of_target, network, if (length(offset)) offset[part == "training"]),
      linear = numeric(), starts = as.integer(learned$regimen$restarts), soft = matrix(0, 0, 0), temperature = 1,
      parameters = numeric(), states = list(), last_epochs = last_epochs(learned$regimen), further = FALSE,
      keeps = keeps
    )
  )
}

# Where the encoded rows lie: in memory, "", or on disk where the table does or they are many. The network is the same.
encoding_folder <- function(a, preparation, rows) {
  bytes <- 4 * rows * length(network_inputs(preparation))
  if (is_stored(a$raw) || bytes > limit_of("encoded_bytes")) cache_folder() else ""
}

check_size <- function(network, method) {
  check_limit(parameter_count(network), "parameters", "The network would have")
  if (method %in% linear_methods && length(network$embeddings)) {
    fail(
      sprintf("The method %s can't learn embeddings.", quoted(method)),
      "Choose another encoding of the categories, or another method, such as `lbfgs`."
    )
  }
  count <- parameter_count(network)
  if (method != "newton" || count <= most_parameters_newton) return()
  what <- "The method %s solves equations in all parameters at once; this network has %s of them."
  hint <- "It may have at most %s parameters: take fewer, or choose the method `lbfgs`."
  fail(sprintf(what, quoted(method), format_count(count)), sprintf(hint, format_count(most_parameters_newton)))
}

# Case weight times the task's weight of the given rows, with a mean of 1 over those for training.
row_weights <- function(a, rows, of_task, training) {
  weight <- weights_in(a, rows) * of_task
  weight / mean(weight[training])
}

# The regimen as the core takes it: numbers everywhere, 0 for what is not wanted.
core_regimen <- function(r) {
  none <- list(every = 1, factor = 1, floor = 0, warm_up = 0)
  schedule <- utils::modifyList(none, kind_settings(r$schedule, schedule_kinds))
  stop <- list(patience = 0, gradient = 0, loss = 0, seconds = 0)
  if (is.list(r$stop)) stop <- utils::modifyList(stop, r$stop[intersect(names(r$stop), names(stop))])
  list(
    method = r$method, learning_rate = number_or_zero(r$learning_rate), momentum = r$momentum %||% 0,
    weight_decay = r$weight_decay %||% 0, gradient_clip = r$gradient_clip, max_norm = r$max_norm,
    schedule = schedule,
    stop = stop, batch_size = max(1, number_or_zero(r$batch_size)), evidence = identical(r$l2, "evidence"),
    by_noise = identical(r$l2, "noise"),
    path = identical(r$l1, "path"),
    epochs = r$epochs, tally = length(r$measures) > 0, seed = r$seed
  )
}

# By start the epoch after which it ends, one for all, or none.
last_epochs <- function(regimen) if (is.list(regimen$stop)) as.numeric(regimen$stop$epoch) else numeric()

# ---- students --------------------------------------------------------------------------------------------------------

# What a teacher says, and the fit that listens to it; see ?distil.

# Its predictions for the rows of its working table, for students: `predictions`, a matrix of probabilities with a
# column a class, or of numbers with a column a target, NA where it has no prediction; and `smear`, the factor that made
# means of them.
teaching_of <- function(teacher, table) {
  target <- teacher$target
  predictions <- predictions_of(teacher, table)
  said <- if (has_classes(target)) predictions[paste0("probability_", target$classes)] else predictions
  predictions <- as.matrix(said)
  dimnames(predictions) <- list(NULL, target$classes)
  list(predictions = predictions, smear = if (target$scaling == "log") teacher$preparation$target$smear)
}

# fit_spec() with a teacher: `taught` is list(temperature, label_share) and what teaching_of() says of all rows of the
# table. Rows without a target take part with the teacher's prediction alone.
taught_spec <- function(settled, learned, taught) {
  a <- settled
  target <- a$target
  logarithmic <- isTRUE(learned$preparation$target$log)
  if (has_classes(target)) taught$predictions <- unname(taught$predictions[, target$classes])
  # a student of logarithms makes means of its predictions itself
  if (logarithmic && !is.null(taught$smear)) taught$predictions <- sweep(taught$predictions, 2, taught$smear, `/`)
  said <- stats::complete.cases(taught$predictions)
  open <- rowSums(is.na(a$table[target$columns])) > 0
  unlabelled <- open & said & is.na(a$part) & !a$aside %in% c("missing value", "filtered")
  a$part[unlabelled] <- "training"
  spec <- if (has_classes(target)) {
    taught_classes(a, learned, taught, unlabelled)
  } else {
    taught_numbers(a, learned, taught, ifelse(unlabelled, 0, ifelse(said, taught$label_share, 1)))
  }
  # what is evaluated later is what was settled
  spec$analysis <- settled
  spec
}

# Of numbers the targets are blended: `share` is the label's.
taught_numbers <- function(a, learned, taught, share) {
  target <- a$target
  for (j in seq_along(target$columns)) {
    column <- target$columns[j]
    y <- as.numeric(a$table[[column]])
    a$table[[column]] <- ifelse(share == 1, y, blend(y, taught$predictions[, j], share, learned$preparation$target$log))
  }
  fit_spec(a, learned)
}

# Rows without a label count as the class that the teacher takes for likeliest.
taught_classes <- function(a, learned, taught, unlabelled) {
  classes <- a$target$classes
  label <- as_label(a$table[[a$target$columns]])
  label[unlabelled] <- classes[max.col(taught$predictions[unlabelled, , drop = FALSE], ties.method = "first")]
  a$table[[a$target$columns]] <- label
  spec <- fit_spec(a, learned)
  spec$core$soft <- soft_shares(a$target, learned, label, unlabelled, taught, spec$core$rows)
  spec$core$temperature <- taught$temperature
  spec
}

# Of targets that are trained as logarithms the logarithms are blended.
blend <- function(y, prediction, share, log) {
  y[share == 0] <- prediction[share == 0]
  if (log) exp(share * log(y) + (1 - share) * log(prediction)) else share * y + (1 - share) * prediction
}

# A column a row of the fit: the label's share, then each class's (core/loss.hpp). With class weights w the network
# learns scores proportional to w p, so it is these that are softened, and a row counts as much as its label is
# expected to; the row's own weight has w of its label in it already.
soft_shares <- function(target, learned, label, unlabelled, taught, rows) {
  classes <- target$classes
  weight <- unname(class_weights_of(target, learned$preparation$target)[classes])
  place <- match(label[rows], classes)
  score <- taught$predictions[rows, , drop = FALSE] * rep(weight, each = length(rows))
  p <- score^(1 / taught$temperature)
  listens <- stats::complete.cases(p)
  share <- ifelse(unlabelled[rows], 0, ifelse(listens, taught$label_share, 1))
  soft <- p / rowSums(p) * (1 - share) * taught$temperature^2 * rowSums(score) / weight[place]
  soft[!listens, ] <- 0
  if (length(classes) == 2) {
    in_order <- c(setdiff(classes, target$positive), target$positive)
    soft <- soft[, match(in_order, classes), drop = FALSE]
  }
  unname(t(cbind(share, soft)))
}

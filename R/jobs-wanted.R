# What can be wanted of a job: functions of the fit's spec and the fit.
job_results <- function() {
  list(
    predictions = fold_rows_evaluated, loss = fold_loss, rises = fold_rises, teaching = fold_teaching,
    member = fold_member,
    members = fold_members, whole = fold_whole
  )
}

# The fit of a plan's i-th fold, on the parts of the table that are its own; `taught` is what a teacher says, see
# taught_spec(), and `on` what it goes on from, see learning_on(). `evaluated` are the fold's evaluated rows.
fold_spec <- function(laid, i, taught = NULL, on = NULL) {
  settled <- laid$analysis
  parts <- switch(on$whole %||% "no", all = whole_parts(settled), ensemble = laid$all(i), laid$parts(i))
  a <- with_parts(settled, parts, settled$regimen$seed + i - 1)
  if (!is.null(on$regimen)) a$regimen <- utils::modifyList(on$regimen, list(seed = a$regimen$seed))
  learned <- learn_training(a, on$preparation)
  spec <- if (is.null(taught)) fit_spec(a, learned) else taught_spec(a, learned, taught)
  spec <- learning_on(spec, on)
  spec$evaluated <- rows_in(a, if ("evaluated" %in% a$part) "evaluated" else "validation")
  spec
}

# Of a network that learned from all rows.
fold_whole <- function(spec, fit) {
  training <- fit[c("curves", "best", "stopped", "l2", "kernel")]
  kept <- unlist(best_losses(fit$curves, fit$best)[c("training", "validation")])
  c(list(predictor = new_predictor(spec, fit), training = training, kept = kept), fit_facts(spec, fit))
}

# What the fold's network predicts for the fold's evaluated rows.
fold_rows_evaluated <- function(spec, fit) {
  evaluated <- evaluated_in_fold(spec, new_predictor(spec, fit), spec$evaluated)
  evaluated$row <- spec$evaluated
  c(list(evaluated = evaluated), fit_facts(spec, fit))
}

# A network that is to predict with others, how it was trained, and what it predicts for the fold's evaluated rows.
fold_member <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  evaluated <- evaluated_in_fold(spec, predictor, spec$evaluated)
  evaluated$row <- spec$evaluated
  training <- fit[c("curves", "best", "stopped", "l2", "kernel")]
  kept <- unlist(best_losses(fit$curves, fit$best)[c("training", "validation")])
  states <- if (spec$core$keeps) list(states = fit$states)
  # of the rows that it was stopped by it has not learned either
  stopping <- rows_in(spec$analysis, "validation")
  second <- predictions_of(predictor, spec$analysis$table[stopping, , drop = FALSE])
  of <- list(predictor = predictor, evaluated = evaluated, second = second, second_rows = stopping)
  c(of, list(training = training, kept = kept), states, fit_facts(spec, fit))
}

# The same of a fold in which an ensemble is trained: also what it predicts out of its inner fold.
fold_members <- function(spec, fit) {
  member <- fold_member(spec, fit)
  out_of_fold <- rows_in(spec$analysis, "out_of_fold")
  member$out_of_fold <- c(evaluated_in_fold(spec, member$predictor, out_of_fold), list(row = out_of_fold))
  member[setdiff(names(member), "training")]
}

evaluated_in_fold <- function(spec, predictor, rows) {
  a <- spec$analysis
  evaluated_rows(predictor, a$roles, a$table[rows, , drop = FALSE], rows)
}

# What a fit took.
fit_facts <- function(spec, fit) {
  epochs <- nrow(fit$curves)
  list(
    best_epoch = fit$best, epochs = epochs, updates = if (fit$best > 0) fit$curves$updates[epochs] else 0,
    learned = case_count(spec$analysis, rows_in(spec$analysis, "training")),
    evaluating = case_count(spec$analysis, spec$evaluated),
    parameters = total_parameters(fit$network), seconds = max(fit$curves$seconds, 0)
  )
}

# Of a fold's teacher: what it says of all rows but those that are evaluated, and its own evaluation.
fold_teaching <- function(spec, fit) {
  teaching <- teaching_of(new_predictor(spec, fit), spec$analysis$table)
  teaching$predictions[spec$evaluated, ] <- NA
  c(list(teaching = teaching), fold_rows_evaluated(spec, fit))
}

# The loss of the fold's evaluated rows.
fold_loss <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  c(list(loss = mean_loss(predictor, evaluated_in_fold(spec, predictor, spec$evaluated))), fit_facts(spec, fit))
}

# That, and how much the loss of others rises when a column is shuffled.
fold_rises <- function(spec, fit) {
  predictor <- new_predictor(spec, fit)
  loss <- mean_loss(predictor, evaluated_in_fold(spec, predictor, spec$evaluated))
  list(loss = loss, rise = shuffling_rise(spec, predictor))
}

# So many rows tell well enough which column matters least.
most_rows_shuffled <- 2000

# How much the loss of rows that the fold has not learned from, evaluated and validation, rises when a column is
# shuffled: for each column and repeat a copy of the rows with that column shuffled, all predicted in one go.
shuffling_rise <- function(spec, predictor, repeats = 3) {
  a <- spec$analysis
  seed <- a$regimen$seed
  rows <- c(spec$evaluated, spec$core$rows[spec$core$validation])
  if (a$counts) rows <- rows[counted_places(weights_in(a, rows))]
  rows <- drawn_rows(rows, most_rows_shuffled, seed, "ranked rows")
  n <- length(rows)
  here <- a$table[rows, looked_at_columns(a), drop = FALSE]
  copies <- expand.grid("repeat" = seq_len(repeats), column = input_columns(a), stringsAsFactors = FALSE)
  many <- as.data.frame(lapply(here, rep, times = nrow(copies)), optional = TRUE)
  for (i in seq_len(nrow(copies))) {
    column <- copies$column[i]
    order <- shuffled(n, seed, "ranked columns", copies[["repeat"]][i])
    many[[column]][(i - 1) * n + seq_len(n)] <- here[[column]][order]
  }
  roles <- a$roles[if (a$counts) setdiff(names(a$roles), "weight") else names(a$roles)]
  evaluated <- evaluated_rows(predictor, roles, many, seq_len(nrow(many)))
  losses <- own_losses(predictor$target, evaluated, evaluated$predictions) * evaluated$weight
  sums <- unit_sums(losses, rep(seq_len(nrow(copies)), each = n), nrow(copies))
  means <- sums / sum(evaluated$weight[seq_len(n)])
  shuffled_loss <- apply(means, 1, function(losses) one_loss(predictor, losses))
  colMeans(matrix(shuffled_loss, repeats)) - mean_loss(predictor, evaluated_rows(predictor, roles, here, rows))
}

# Inputs, targets and columns with a role.
looked_at_columns <- function(a) unique(c(input_columns(a), a$target$columns, unlist(a$roles[column_roles])))

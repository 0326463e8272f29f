# What is said about a model. Each function returns a note or NULL.

#' @export
notes.hylomath_model <- function(x, ...) model_notes(x)

#' @export
notes.hylomath_appraisal <- function(x, ...) x$notes

#' @export
notes.default <- function(x, ...) wrong_object("notes", "a model, an appraisal, a look or a brief", x)

model_notes <- function(model) {
  run <- training_run(model)
  regimen <- regimen_of(model)
  target <- target_in(model)
  join_notes(
    note_still_falling(run), note_interrupted(run, model$members, model$brief[["hold_out"]]$folds),
    note_out_of_time(run), note_diverged(model, run), note_vanished(model, run),
    note_restarts_disagree(model$restarts, regimen$keep), note_copies_straddle(model$copies),
    note_part_lacks_class(parts_of(model), target$classes),
    note_gives_away(model$leaks, target$columns[1]), note_pair_gives_away(model$pairs, target$columns[1]),
    note_id_as_input(model$ids),
    if (!goes_past_the_best(model)) note_validation_rose(run, model$brief[["hold_out"]]$by),
    note_resumed(model$resumed), note_refitted(model$refitted), note_skewed_target(model),
    if (!chosen_by_rule(model)) note_more_parameters(model), note_dates_at_random(model)
  )
}

# Of wirings that the rule has blended with the linear model, size and stopping need no word.
chosen_by_rule <- function(model) !is.null(model$members) && model$brief$wiring == "auto"

# Those, and a path of penalties, which goes past its best end to find it.
goes_past_the_best <- function(model) chosen_by_rule(model) || identical(regimen_of(model)$l1, "path")

has_validation <- function(run) run$epochs > 0 && !all(is.na(run$curves$validation))

# The best epoch is among the last ones (2 %, at least one), so more epochs would probably have been better ones.
note_still_falling <- function(run) {
  if (run$stopped != "epochs" || !has_validation(run)) return(NULL)
  if (run$best <= run$epochs - max(1, ceiling(run$epochs * 0.02))) return(NULL)
  loss <- run$curves$validation
  if (abs(loss[run$best]) <= 1e-6 * abs(loss[1])) return(NULL)  # what is left is below what anybody measures
  what <- "The validation loss was still falling when training ended: its lowest value is that of epoch %d of %d."
  new_note(
    "still_falling", sprintf(what, run$best, run$epochs),
    sprintf("Allow more epochs, for example %d.", 3 * run$epochs)
  )
}

note_interrupted <- function(run, members, asked) {
  if (run$stopped != "interrupted") return(NULL)
  folds <- length(unique(members$fold))
  note <- if (!is.null(members) && folds == asked) {
    paste(
      "Training was interrupted before the networks were trained once more on the newest rows. They predict as they",
      "were trained for the out-of-fold predictions."
    )
  } else if (!is.null(members)) {
    what <- "Training was interrupted after %d of %d folds; the networks of these predict together."
    sprintf(what, folds, as.integer(asked))
  } else if (run$best == 0) {
    "Training was interrupted before its first epoch was done; the weights are of little use."
  } else {
    what <- "Training was interrupted after %s; this is the best network until then (epoch %d)."
    sprintf(what, counted(run$epochs, "epoch"), run$best)
  }
  said <- if (is.null(members)) "regimen.stop.epoch" else "hold_out.only_folds"
  hint <- "Train again to the end: without `%s`, by which the model's brief says where it was interrupted."
  new_note("interrupted", note, if (run$best == 0) "Train again to the end." else sprintf(hint, said))
}

note_out_of_time <- function(run) {
  if (run$stopped != "seconds") return(NULL)
  new_note(
    "out_of_time", sprintf("Training was ended by its time limit after %s.", counted(run$epochs, "epoch")),
    "Allow more seconds if the loss was still falling: see plot_curves()."
  )
}

# Of a network that trained too wildly, or not at all, the probable cause is told.

note_diverged <- function(model, run) {
  if (ended_by(model) != "diverged") return(NULL)
  left <- if (run$best == 0) "these are the starting weights" else sprintf("this is the network of epoch %d", run$best)
  what <- sprintf("The loss grew without bounds in epoch %d; %s.", run$epochs + 1L, left)
  cause <- large_input_cause(model) %||% list(NULL, diverged_try(regimen_of(model)$learning_rate))
  new_note("diverged", paste(c(what, cause[[1]]), collapse = " "), cause[[2]])
}

diverged_try <- function(rate) {
  if (!is.numeric(rate)) return("Use another method, such as `adam`, or a larger l2.")
  what <- "Lower the learning rate, for example to %s, or clip gradients with gradient_clip."
  sprintf(what, format_number(signif(rate / 10, 3)))
}

note_vanished <- function(model, run) {
  if (ended_by(model) != "vanished") return(NULL)
  what <- "In epoch %d the first layer's gradient vanished, so the network predicts nearly the same for all rows."
  cause <- large_input_cause(model) %||% deep_cause(model) %||% silent_cause(regimen_of(model)$learning_rate)
  new_note("vanished", paste(sprintf(what, run$epochs), cause[[1]]), cause[[2]])
}

# Where an ensemble is trained, how the network in the middle ended.
ended_by <- function(model) if (model$stopped == "ensemble") model$restarts$stopped[1] else model$stopped

# An input that comes to the network far larger than others: list(why, try).
large_input_cause <- function(model) {
  preparation <- leading_member(model$predictor)$preparation
  reach <- vapply(preparation$columns, input_reach, 0)
  if (!any(reach > large_input)) return(NULL)
  largest <- prepared_columns(preparation)[which.max(reach)]
  list(
    sprintf("%s enters the network with values as large as %s.", quoted(largest), format_measure(max(reach))),
    sprintf("Prepare it on a scale of its own: prepare(only = c(%s), numbers = \"zscore\").", column_text(largest))
  )
}

large_input <- 100

# The largest value, without its sign, that a training row has after preparation.
input_reach <- function(plan) {
  if (plan$encoding != "number" || length(plan$knots) || length(plan$edges) || length(plan$waves)) return(0)
  ends <- pmin(pmax(c(plan$seen_low, plan$seen_high), plan$low), plan$high)
  max(0, abs((ends - plan$shift) / plan$scale), na.rm = TRUE)
}

# Many layers that each pass on less of the error than came to them.
deep_cause <- function(model) {
  hidden <- utils::head(leading_member(model$predictor)$network$layers, -1)
  flat <- Filter(function(layer) layer$activation %in% flat_activations && !isTRUE(layer$norm), hidden)
  if (length(flat) < deep_wiring) return(NULL)
  list(
    sprintf("Each of %d layers of %s makes the gradient smaller.", length(flat), flat[[1]]$activation),
    "Wire fewer layers, `relu`, or layers with `norm`; `init=orthogonal` helps too."
  )
}

flat_activations <- c("logistic", "tanh", "gaussian", "softplus")
deep_wiring <- 5

silent_cause <- function(rate) {
  list(
    "A layer gives the same output for every row. Too large steps or initial weights cause this.",
    if (is.numeric(rate)) {
      sprintf("Lower the learning rate, for example to %s, or use `leaky_relu`.", format_number(signif(rate / 10, 3)))
    } else {
      "Use `leaky_relu` or layers with `norm`, and the usual start."
    }
  )
}

# Over-training while it went on: at the end the validation loss stood a tenth above its lowest value, while the
# training loss had fallen on.
note_validation_rose <- function(run, by) {
  n <- run$epochs
  best <- run$best
  if (best == 0 || best == n || !has_validation(run)) return(NULL)
  validation <- run$curves$validation
  training <- run$curves$training
  # by more than it jitters from epoch to epoch
  late <- mean(utils::tail(validation[best:n], max(3, (n - best) %/% 3)))
  jitter <- stats::sd(diff(validation[max(1, best - 20):n]))
  rose <- late > 1.1 * validation[best] && late - validation[best] > 2 * jitter
  if (!isTRUE(rose && training[n] < training[best])) return(NULL)
  if (by == "ordered") return(validation_drifts(validation, best, n))
  what <- paste(
    "From epoch %d on the validation loss rose (from %s to %s) while the training loss fell:",
    "the network began to overfit. The weights of epoch %d are kept."
  )
  new_note(
    "validation_rose", sprintf(what, best, signif(validation[best], 3), signif(validation[n], 3), best),
    "Use fewer units, dropout, a larger l2 or more rows."
  )
}

# The rows that stop training are of another time: that they are predicted worse need not be overfitting.
validation_drifts <- function(validation, best, n) {
  what <- paste(
    "From epoch %d on the validation loss rose (from %s to %s) while the training loss fell: what was learned then",
    "holds for the training rows and not for the later ones. The weights of epoch %d are kept."
  )
  new_note(
    "validation_rose", sprintf(what, best, signif(validation[best], 3), signif(validation[n], 3), best),
    "Either the rows changed with time, or the network overfitted. See how it goes on: folds(by = \"ordered\")."
  )
}

# A target of numbers above 0 with a long tail.
note_skewed_target <- function(model) {
  target <- target_in(model)
  y <- (evaluated_in_part(model, "training") %||% evaluated_in_part(model, "out_of_fold"))$observed
  if (has_classes(target) || !is.numeric(y) || target$scaling != "zscore" || target$loss$kind != "squared") return(NULL)
  if (target$loss$output != "identity" || length(y) < 50 || any(y <= 0)) return(NULL)
  skew <- skewness(y)
  if (!isTRUE(skew > 2) || skewness(log(y)) > skew / 2) return(NULL)
  what <- "%s is above 0 and has a long tail (skew %.1f): its largest values decide nearly all of the loss."
  new_note(
    "skewed_target", sprintf(what, target$columns, skew),
    "Learn its logarithm, prepare(target = \"log\"), or use the loss `gamma`; compare by folds()."
  )
}

# More parameters than values to learn them from, and nothing but the stopping that holds them.
note_more_parameters <- function(model) {
  parameters <- network_parameters(model$predictor)
  rows <- parts_of(model)$rows[1]
  values <- rows * max(1, if (!has_classes(target_in(model))) length(target_in(model)$columns) else 1)
  weighed <- !is.na(model$evidence_l2) && !identical(regimen_of(model)$l2, "noise")
  if (weighed || parameters <= 2 * values) return(NULL)
  what <- "The network has %s and %s to learn them from."
  new_note(
    "more_parameters", sprintf(what, counted(parameters, "parameter"), counted(rows, "row")),
    "Wire fewer units, or compare it with the linear model (`linear`) by folds()."
  )
}

# Rows with a date that were dealt out at random are evaluated among their neighbours in time.
note_dates_at_random <- function(model) {
  b <- model$brief
  how <- b[["hold_out"]]
  dated <- names(Filter(function(kind) kind %in% c("date", "time"), b$columns$kinds))
  where <- grep("_where$|^parts$", names(how))
  if (length(dated) == 0 || how$by == "ordered" || length(where) || is.null(evaluated_in_part(model, "test"))) return(
    NULL
  )
  what <- paste(
    "Rows are dated (by %s) and were held out at random,",
    "so test rows have neighbours in time among the training rows."
  )
  new_note(
    "dates_at_random", sprintf(what, enumerate(dated, limit = 3)),
    sprintf(
      "If the network is to predict later rows: set_columns(order = %s), hold_out(by = \"ordered\").",
      column_text(dated[1])
    )
  )
}

# Starts whose losses lie far apart (the worst a tenth above the best) say that luck has its part in the result.
note_restarts_disagree <- function(restarts, keep) {
  loss <- restarts$loss[is.finite(restarts$loss)]
  if (length(loss) < 2 || min(loss) <= 0 || max(loss) / min(loss) < 1.1) return(NULL)
  where <- if (all(is.na(restarts$validation))) "training" else "validation"
  what <- "The %d starts end at %s losses from %s to %s: which one is kept is partly luck."
  new_note(
    "restarts_disagree", sprintf(what, length(loss), where, signif(min(loss), 3), signif(max(loss), 3)),
    if (identical(keep, "ensemble")) {
      "The ensemble's average takes much of it out."
    } else {
      "Keep the average of their predictions with keep: ensemble, or use more starts."
    }
  )
}

# ---- about the table ----------------------------------------------------------------------------------------------

# Inputs that tell the target alone, or that name rows.
note_gives_away <- function(leaks, target) if (length(leaks)) leak_note(leaks, target)

note_pair_gives_away <- function(pairs, target) if (length(pairs)) pairs_note(pairs, target)

note_id_as_input <- function(ids) {
  if (length(ids) == 0) return(NULL)
  one <- length(ids) == 1
  what <- "%s %s another value in every row and %s used as an input: what is learned from it is useless for new rows."
  new_note(
    "id_as_input", sprintf(what, enumerate(ids), if (one) "has" else "have", if (one) "is" else "are"),
    sprintf("Drop it: set_columns(drop = %s).", ids[1])
  )
}

note_copies_straddle <- function(copies) {
  if (copies == 0) return(NULL)
  said <- if (copies == 1) {
    "1 test row has an exact copy among the training rows, so it does not test anything new."
  } else {
    sprintf(
      "%s test rows have an exact copy among the training rows, so they do not test anything new.",
      format_count(copies)
    )
  }
  new_note(
    "copies_straddle", said,
    "Keep one of each copy (unique(data) in R), or hold out by a group that copies share."
  )
}

note_part_lacks_class <- function(parts, classes) {
  parts <- parts[parts$part %in% c("out_of_fold", part_names), ]
  lacking <- lapply(classes, function(class) parts$part[parts[[class]] == 0])
  found <- which(lengths(lacking) > 0)
  if (length(found) == 0) return(NULL)
  what <- "The %s part has no row of the class \"%s\", so nothing is learned there about it."
  new_note(
    "part_lacks_class", sprintf(what, enumerate(lacking[[found[1]]]), classes[found[1]]),
    "Hold out by \"stratified\", or a larger share."
  )
}

# Whose preparation and history it has, and which columns of the newer rows look otherwise.
note_resumed <- function(resumed) {
  if (is.null(resumed) || resumed$same) return(NULL)
  if (length(resumed$differs) == 0) return(NULL)
  what <- "The newer rows that it learned on from don't look like those that its preparation was learned on: %s."
  new_note(
    "newer_differ", sprintf(what, enumerate(quoted(resumed$differs))),
    "See unusual_rows(model, data); training the brief on both tables learns the preparation anew."
  )
}

note_refitted <- function(refitted) {
  if (is.null(refitted)) return(NULL)
  what <- paste(
    "The network was refitted on all %s rows; its measures and predictions are those of the former network (%s),",
    "whose networks learned from %s at most."
  )
  new_note(
    "refitted", sprintf(what, format_count(refitted$rows), refitted$of, format_count(refitted$former_rows)),
    "Evaluate this one on newer rows: appraise(model, newer)."
  )
}

# ---- notes of a brief ------------------------------------------------------------------------------------------------

# What is said about a brief and its table before anything is trained.

#' @export
notes.hylomath_brief <- function(x, ...) {
  a <- if (!is.null(x$table)) tryCatch(settle(x), hylomath_error = function(e) NULL)
  if (is.null(a)) join_notes() else brief_notes(x, a)
}

brief_notes <- function(b, a) {
  rows <- rows_in(a, "training")
  target <- a$target$columns[1]
  leaks <- leaking_inputs(a, rows)
  pairs <- leaking_pairs(a, rows)
  said <- c(unlist(b$columns[column_roles]), b$columns$drop)
  units <- setdiff(names(Filter(function(kind) kind == "id", b$columns$kinds)), said)
  units <- Filter(function(column) anyDuplicated(a$table[[column]]) > 0, intersect(units, names(a$table)))
  counted <- a$target$task == "count" && length(a$target$columns) == 1
  kept <- if (is.null(b$keep_rows)) seq_len(nrow(a$table)) else which(rows_where(b$keep_rows, a$table, "keep_rows"))
  join_notes(
    note_gives_away(leaks, target), note_pair_gives_away(pairs, target), note_units(a$table[units]),
    note_total_row(a$table, kept),
    if (counted) note_few_counts(a$table[[target]], target)
  )
}

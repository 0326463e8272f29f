# One fold's fit, and what it answers to the rows that the fold judges.

# The fit of a plan's i-th fold, on the parts of the table that are its own; `taught` is what a teacher says, see taught_spec().
fold_spec <- function(b, table, part, i, taught = NULL) {
  training <- part %in% "training"
  b$regimen$seed <- b$regimen$seed + i - 1
  preparation <- learn_preparation(b, table, training)
  b$regimen <- settled_regimen(b, sum(training), function() parameter_count(network_of(b, preparation)))
  judged <- which(part == if ("judged" %in% part) "judged" else "validation")
  spec <- if (is.null(taught)) fit_spec(b, table, preparation, part) else taught_spec(b, table, preparation, part, taught)
  c(spec, list(table = table, judged = judged, learned = sum(training)))
}

# As much of a model as answering takes.
fold_model <- function(spec, fit) {
  model <- structure(list(brief = new_brief(spec$brief), preparation = spec$preparation, network = fit$network), class = "hylomath_model")
  training <- seq_len(nrow(spec$table)) %in% spec$core$rows[spec$core$training]
  model$preparation$target$smear <- fitted_smear(model, spec$table, training) %||% spec$preparation$target$smear
  model
}

# What the fold's network answers to the rows that it judges.
fold_answers <- function(spec, fit) {
  table <- spec$table
  model <- fold_model(spec, fit)
  judged <- judged_rows(model, table[spec$judged, , drop = FALSE], spec$judged)
  judged$row <- spec$judged
  c(list(judged = judged), fit_facts(spec, fit))
}

# What a fit took.
fit_facts <- function(spec, fit) {
  list(
    best_epoch = fit$best, epochs = nrow(fit$curves), updates = if (fit$best > 0) fit$curves$updates[nrow(fit$curves)] else 0, learned = spec$learned,
    judging = length(spec$judged),
    parameters = length(fit$parameters) * max(1L, length(fit$network$members)), seconds = max(fit$curves$seconds, 0)
  )
}

# Of a fold's teacher: what it says of all rows but those that are judged, and its own judgement.
fold_teaching <- function(spec, fit) {
  teaching <- teaching_of(fold_model(spec, fit), spec$table)
  teaching$answers[spec$judged, ] <- NA
  c(list(teaching = teaching), fold_answers(spec, fit))
}

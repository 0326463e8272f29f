# What is given as JSON.

# What a script wants to know of a model.
model_facts <- function(model) {
  b <- model$brief
  run <- training_run(model)
  curves <- run$curves
  list(
    target = b$target, task = b$task, wiring = wiring_text(model), parts = parts_of(model),
    parameters = all_parameters(model$predictor), epochs = run$epochs, best_epoch = run$best,
    stopped = run$stopped, seconds = model$seconds, method = regimen_of(model)$method,
    training_loss = curves$training[run$best], validation_loss = curves$validation[run$best],
    identity = identity_of(model), version = model$version, kernel = model$kernel, holds = rows_in_model(model),
    states = !is.null(model$states), resumed = model$resumed, refitted = model$refitted,
    restarts = model$restarts, members = model$members, notes = notes(model)
  )
}

# All but the evaluated rows themselves.
appraisal_facts <- function(appraisal) {
  behind <- c("evaluated", "weight", "unit", "confusion", "decision")
  facts <- appraisal[setdiff(names(appraisal), behind)]
  if (!is.null(appraisal$confusion)) {
    facts$confusion <- confusion_table(appraisal)
    facts$calibration <- calibration_curve(appraisal)
  }
  facts
}

# What a script wants to know of a result.
result_facts <- function(found) {
  switch(class(found)[1],
    hylomath_folds = fold_facts(found),
    hylomath_variation = found[c("setting", "values", "against", "k", "repeats")],
    hylomath_sifting = found[c("path", "best", "small", "dropped", "direction")],
    hylomath_scouting = found[c(
      "trials", "settings", "best", "own", "stopped", "evaluate", "k", "repeats", "primary", "where", "file"
    )],
    unclass(found)
  )
}

fold_facts <- function(found) {
  pooled <- found$pooled
  facts <- c(found[c("measures", "each", "by", "k", "repeats")], list(notes = pooled[["notes"]]))
  if (!is.null(pooled$confusion)) facts$confusion <- confusion_table(pooled)
  facts
}

# What is given as JSON.

# What a script wants to know of a model.
model_facts <- function(model) {
  list(
    target = model$brief$target, task = model$brief$task, wiring = model$brief$wiring, parts = model$parts,
    parameters = length(model$network$parameters), epochs = nrow(model$curves), best_epoch = model$best_epoch,
    stopped = model$stopped, seconds = model$seconds,
    method = model$brief$regimen$method, training_loss = model$curves$training[model$best_epoch], validation_loss = model$curves$validation[model$best_epoch],
    restarts = model$restarts,
    notes = notes(model)
  )
}

# What a script wants to know of a result.
result_facts <- function(found) {
  switch(class(found)[1],
    hylomath_folds = c(found[c("measures", "each", "by", "k", "repeats")], list(notes = found$pooled$notes), if (!is.null(found$pooled$confusion)) list(confusion = confusion_table(found$pooled))),
    hylomath_variation = found[c("setting", "values", "against", "k", "repeats")],
    hylomath_sifting = found[c("path", "best", "small", "dropped", "direction")],
    hylomath_scouting = found[c("trials", "settings", "best", "own", "stopped", "judge", "k", "repeats", "primary", "where", "file")],
    unclass(found)
  )
}

# What an evaluation rests on beside the rows: plain data that a model has, and folds have without one.
#   target      what is predicted, see task.R
#   baseline    what is known without any input
#   costs       what wrong predictions cost, a matrix, or NULL
#   beside      rows of the training and validation parts, whose measures stand beside those of the evaluated rows
#   roles       the brief's columns by role
#   seed        of the training, which the draws go by
#   wiring, decision, recalibrated (the method)    of the predictor

context_of <- function(model) {
  predictor <- model$predictor
  parts <- intersect(c("out_of_fold", "training", "validation"), names(model$evaluated))
  list(
    target = predictor$target, baseline = model$baseline, costs = predictor$decision$rule$costs,
    beside = lapply(
      stats::setNames(nm = parts), function(part) evaluated_now(predictor, evaluated_in_part(model, part))
    ),
    roles = roles_of(model),
    seed = training_seed(model), wiring = wiring_text(model), decision = predictor$decision,
    recalibrated = predictor$recalibration$method
  )
}

units_text <- function(roles, evaluated) if (is.null(evaluated$group)) "rows" else sprintf("groups of %s", roles$group)

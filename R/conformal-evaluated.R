# Rows as a model evaluates them, with the ends or sets of an ensemble's folds, which can't be had from predictions
# alone.

evaluated_by_model <- function(model, table, rows) {
  evaluated <- evaluated_rows(model$predictor, roles_of(model), table, rows, model$linear)
  if (predicts_by_fold(model)) evaluated$fold_ends <- fold_ends(model, table, coverage_level)
  evaluated
}

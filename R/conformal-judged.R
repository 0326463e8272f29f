# Rows as a model evaluates them, with the ends or sets of networks that take turns, which can't be had from predictions
# alone.

judged_by_model <- function(model, table, rows) {
  judged <- judged_rows(model$predictor, roles_of(model), table, rows, model$linear)
  if (takes_turns(model)) judged$turn_ends <- turn_ends(model, table, coverage_level)
  judged
}

# The evaluated rows that a model keeps.

# Those of every part; an ensemble's rows are evaluated already, by the networks that have not learned from them.
with_evaluated_rows <- function(model, a) {
  for (name in intersect(part_names, a$part)) {
    make_room(nrow(a$table))
    if (name == "training" && is_ensemble(a)) next
    rows <- rows_in(a, name)
    rows <- kept_rows(rows, if (name == "training") most_training_evaluated else most_evaluated, a$regimen$seed)
    model$evaluated[[name]] <- evaluated_by_model(model, a$table[rows, , drop = FALSE], rows)
    model$evaluated[[name]]$row <- rows
  }
  model$looks <- looks_at(model)
  model
}

kept_rows <- function(rows, most, seed) {
  if (length(rows) <= most) rows else sort(drawn_rows(rows, most, seed, "evaluated"))
}

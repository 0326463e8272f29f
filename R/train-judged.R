# The judged rows that a model keeps.

# Those of every part; rows that rotate are judged already, by the networks that have not seen them.
with_judged_rows <- function(model, a) {
  for (name in intersect(part_names, a$part)) {
    if (name == "training" && rotates(a)) next
    rows <- rows_in(a, name)
    if (name == "training") rows <- kept_training_rows(rows, a$regimen$seed)
    model$judged[[name]] <- judged_by_model(model, a$table[rows, , drop = FALSE], rows)
    model$judged[[name]]$row <- rows
  }
  model$looks <- looks_at(model)
  model
}

kept_training_rows <- function(rows, seed) {
  if (length(rows) <= most_training_judged) rows else sort(drawn_rows(rows, most_training_judged, seed, "judged"))
}

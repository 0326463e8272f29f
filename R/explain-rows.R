# The rows that a network is explained on.

most_explained <- 10000

check_table_given <- function(given) {
  if (!given) {
    fail(
      "`data` is missing: a model keeps no inputs, so give a table that has them, such as the one it was trained on."
    )
  }
}

# The table's held-out rows where it is the one that the model was trained on, else all rows with a target; at most
# `most_explained`, drawn by the training's seed. A list of `table` (raw columns) and `evaluated`, and which rows they
# are.
rows_to_explain <- function(model, data, rows) {
  data <- as_table(data)
  check_keys_tell(model, data)
  part <- rows %||% if (is_training_table(model, data)) part_to_evaluate(model, NULL)
  if (is.null(part)) {
    evaluated <- evaluated_in(model, data)
    found <- evaluated$row
  } else {
    part <- part_to_evaluate(model, part)
    found <- rows_of_part(model, data, part)
    evaluated <- evaluated_in_part(model, part)
  }
  places <- seq_along(found)
  keep <- drawn_rows(places, most_explained, training_seed(model), "importance rows")
  if (length(places) > most_explained) keep <- sort(keep)
  list(table = data[found[keep], , drop = FALSE], evaluated = rows_of_each(evaluated, keep), rows = part %||% "new")
}

# A table that may be the one that was trained on, but whose ids don't tell which rows were held out, is no table to
# fall back on.
check_keys_tell <- function(model, data) {
  id <- roles_of(model)$id
  part <- evaluated_in_part(model, evaluated_part(model))
  if (is.null(id) || !id %in% names(data) || is_own_table(model, data)) return()
  if (all(part$key %in% as_label(data[[id]]))) places_by_key(part$key, id, data)
  invisible()
}

is_training_table <- function(model, data) {
  if (length(model$evaluated) == 0) return(FALSE)
  tryCatch(
    length(rows_of_part(model, data, part_to_evaluate(model, NULL))) > 0,
    hylomath_error = function(e) FALSE
  )
}

# What the network predicts for rows, one column each: the probability of every class, or the prediction for every
# target.
plain_predictions <- function(predictor, table) {
  target <- predictor$target
  predictions <- given_predictions(predictor, table)
  if (!has_classes(target)) return(stats::setNames(predictions[seq_along(target$columns)], target$columns))
  stats::setNames(predictions[paste0("probability_", target$classes)], target$classes)
}

# Which of these are looked at: the positive class of two, all classes, all targets, or those that are asked for.
predictions_to_explain <- function(target, of) {
  known <- if (has_classes(target)) target$classes else target$columns
  if (is.null(of)) return(target$positive %||% known)
  unknown <- setdiff(of, known)
  if (length(unknown)) {
    what <- if (has_classes(target)) "class" else "target"
    fail(sprintf("There is no %s %s.", what, describe(unknown[1])), suggestion(unknown[1], known))
  }
  of
}

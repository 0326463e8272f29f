# Which rows are judged, and where they stand in a table.

part_to_judge <- function(model, rows) {
  rows <- rows %||% if (is.null(model$judged$test)) "validation" else "test"
  type_choice(part_names)(rows, "rows")
  if (is.null(model$judged[[rows]])) {
    fail(sprintf("The model has no %s rows.", rows), "Give the rows to judge it on: appraise(model, data = ...).")
  }
  rows
}

# Where the judged rows of a part stand in the table that the model was trained on: by id, or by place; the observed values
# tell whether it is that table.
rows_of_part <- function(model, table, part) {
  judged <- model$judged[[part]]
  id <- model$brief$columns$id
  by_id <- !is.null(id) && id %in% names(table)
  found <- if (by_id) match(judged$key, as_label(table[[id]])) else as.integer(judged$key)
  if (!is.null(id) && !by_id) fail(sprintf("The table has no column %s, by which the %s rows are known.", quoted(id), part))
  same <- !anyNA(found) && all(found <= nrow(table))
  if (same) {
    rules <- table_rules(new_brief(brief_settings(model$brief), table))
    for (target in model$brief$target) if (!target %in% names(rules$derived)) check_is_column(table, target, "target")
    target <- working_table(table, rules, model$brief$target)[found, model$brief$target, drop = FALSE]
    same <- identical(unname(observed_values(model$brief, target)), unname(judged$observed))
  }
  if (!same) fail(sprintf("This is not the table that the model was trained on: its %s rows are not all there, or have another target.", part), "Give that table, or leave `rows` out to judge all rows of this one.")
  found
}

judged_in <- function(model, table) {
  b <- model$brief
  table <- judged_table(model, table)
  for (column in b$target) {
    y <- table[[column]]
    if (b$task != "classification" && !is.numeric(y)) fail(sprintf("The target %s must be numbers, not %s.", quoted(column), type_name(y)))
    if (b$task == "classification") check_classes(b, y)
  }
  known <- which(stats::complete.cases(table[b$target]))
  if (length(known) == 0) fail(sprintf("The target %s has no values in these rows.", enumerate(quoted(b$target))))
  judged <- judged_rows(model, table[known, , drop = FALSE], known)
  answered <- !is.na(judged$answers[[1]])
  if (!all(answered)) judged <- lapply(c(judged, list(row = known)), function(x) if (is.data.frame(x)) x[answered, , drop = FALSE] else x[answered]) else judged$row <- known
  if (length(judged$key) == 0) fail("None of these rows can be answered: each lacks a value that the brief drops rows for.")
  judged
}

# The working table of new rows with their target, and the columns of other roles that an appraisal looks at.
judged_table <- function(model, table) {
  b <- model$brief
  rules <- table_rules(new_brief(brief_settings(b), table))
  beside <- intersect(unlist(b$columns[c("id", "weight", "exposure", "group")]), names(table))
  for (column in setdiff(b$target, names(rules$derived))) check_is_column(table, column, "target")
  new_rows(model$preparation, table)
  working_table(table, rules, unique(c(vapply(model$preparation$columns, `[[`, "", "column"), b$target, beside)))
}

# Where the judged rows stand in a table.
appraised_places <- function(appraisal, data) {
  key <- appraisal$judged$key
  by_id <- !is.null(appraisal$id) && appraisal$id %in% names(data)
  found <- if (by_id) match(key, as_label(data[[appraisal$id]])) else suppressWarnings(as.integer(key))
  if (anyNA(found) || any(found > nrow(data))) fail("The rows that were judged are not all in this table.", "Give the table that they come from.")
  found
}

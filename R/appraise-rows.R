# Which rows are evaluated, and where they stand in a table.

part_to_evaluate <- function(model, rows) {
  rows <- rows %||% evaluated_part(model)
  type_choice(evaluated_parts)(rows, "rows")
  if (is.null(model$evaluated[[rows]])) {
    try <- "Give the rows to evaluate it on: appraise(model, data = ...)."
    fail_without_rows(model, sprintf("The model has no %s rows.", rows), try, bare = try)
  }
  rows
}

# Where the evaluated rows of a part stand in the table that the model was trained on: by id, or by place; the observed
# values tell whether it is that table.
rows_of_part <- function(model, table, part) {
  evaluated <- evaluated_in_part(model, part)
  id <- roles_of(model)$id
  if (!is.null(id) && !id %in% names(table)) {
    fail(sprintf("The table has no column %s, by which the %s rows are known.", quoted(id), part))
  }
  if (is_own_table(model, table) && !is.null(evaluated$row)) return(evaluated$row)
  found <- places_by_key(evaluated$key, id, table)
  if (anyNA(found) || any(found > nrow(table)) || !has_observed(model, table, found, evaluated$observed)) {
    fail(
      sprintf(
        "This is not the table that the model was trained on: its %s rows are not all there, or have another target.",
        part
      ),
      "Give that table, or leave `rows` out to evaluate all rows of this one."
    )
  }
  found
}

# By id where there is one, else by the rows' numbers. An id that several rows have names none of them.
places_by_key <- function(key, id, table) {
  if (is.null(id) || !id %in% names(table)) return(suppressWarnings(as.integer(key)))
  there <- as_label(table[[id]])
  twice <- intersect(there[duplicated(there)], key)
  if (length(twice)) {
    what <- "Several rows have the id %s in %s, so it is not clear which one was evaluated."
    fail(
      sprintf(what, describe(twice[1]), quoted(id)),
      "Give the very table that the model was trained on, or name an id that is another one in every row."
    )
  }
  match(key, there)
}

# Whether the rows at these places have these values of the target.
has_observed <- function(model, table, places, observed) {
  target <- target_in(model)
  rules <- table_rules(model$brief, table)
  for (column in setdiff(target$columns, names(rules$derived))) check_is_column(table, column, "target")
  values <- working_table(table, rules, target$columns)[places, target$columns, drop = FALSE]
  identical(unname(task_of(target)$observe(values, target)), unname(observed))
}

# The rows of a table with a target; those that the model has learned from are left out where others are left. `seen` of
# the evaluated rows counts them.
evaluated_in <- function(model, table) {
  target <- target_in(model)
  table <- evaluated_table(model, table, target$columns)
  for (column in target$columns) check_new_target(target, table[[column]], column)
  has_weight <- rep(TRUE, nrow(table))
  column <- roles_of(model)$weight
  if (!is.null(column) && column %in% names(table)) {
    check_case_weights(table[[column]], column, weights_count(roles_of(model)))
    has_weight <- table[[column]] > 0
  }
  known <- which(stats::complete.cases(table[target$columns]) & has_weight)
  if (length(known) == 0) {
    fail(sprintf("The target %s has no values in these rows.", enumerate(quoted(target$columns))))
  }
  learned <- was_learned(model, table[known, , drop = FALSE])
  seen <- sum(learned)
  if (!all(learned)) known <- known[!learned]
  evaluated <- evaluated_by_model(model, table[known, , drop = FALSE], known)
  evaluated$row <- known
  predicted <- !is.na(evaluated$predictions[[1]])
  if (!all(predicted)) evaluated <- rows_of_each(evaluated, predicted)
  if (length(evaluated$key) == 0) {
    fail("None of these rows can be predicted: each lacks a value that the brief drops rows for.")
  }
  structure(one_by_one(evaluated, roles_of(model)), seen = seen)
}

# Whether each row of a working table was learned from; never where that can't be told.
was_learned <- function(model, table) {
  seen <- model$seen
  none <- rep(FALSE, nrow(table))
  if (is.null(seen) || !seen$tell || !all(seen$columns %in% names(table))) return(none)
  found <- row_hashes(table, seen$columns, seq_len(nrow(table))) %in% seen$hashes
  # a few fall together by chance
  by_chance <- as.numeric(nrow(table)) * length(seen$hashes) / 2^32
  if (!is.null(roles_of(model)$id)) return(found)
  # and rows of few values are like others without being them: as many as are among those of training
  alike <- nrow(table) * (model$seen$alike %||% 0)
  if (sum(found) <= 3 + 10 * by_chance + stats::qpois(0.999, alike)) none else found
}

check_new_target <- function(target, y, column) {
  if (has_classes(target)) return(check_classes(y, column, target$classes, target$positive))
  if (!is.numeric(y)) fail(sprintf("The target %s must be numbers, not %s.", quoted(column), type_name(y)))
}

# The working table of new rows with their target, and the columns of other roles that an appraisal looks at.
evaluated_table <- function(model, table, targets) {
  preparation <- model$predictor$preparation
  rules <- table_rules(model$brief, table)
  roles <- unlist(roles_of(model)[c("id", "weight", "exposure", "group", "order")])
  beside <- intersect(roles, names(table))
  for (column in setdiff(targets, names(rules$derived))) check_is_column(table, column, "target")
  new_rows(preparation, table)
  working_table(table, rules, unique(c(prepared_columns(preparation), targets, beside)))
}

# Where the evaluated rows stand in a table.
appraised_places <- function(appraisal, data) {
  if (identical(table_identity(appraisal$looked_at, data), appraisal$fingerprint)) return(appraisal$places)
  found <- places_by_key(appraisal$evaluated$key, appraisal$id, data)
  if (anyNA(found) || any(found > nrow(data))) {
    fail("The rows that were evaluated are not all in this table.", "Give the table that they come from.")
  }
  found
}

# The part that tells most of new rows.
evaluated_part <- function(model) {
  if (!is.null(evaluated_in_part(model, "test"))) return("test")
  if (!is.null(evaluated_in_part(model, "out_of_fold"))) "out_of_fold" else "validation"
}

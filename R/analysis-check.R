# What of a brief can only be told with its table.

# Roles, inputs and settings name columns that are there and are what they are taken for.
check_columns <- function(b, table, inputs) {
  columns <- b$columns
  for (role in intersect(column_roles, names(columns))) check_is_column(table, columns[[role]], role)
  for (column in setdiff(inputs, names(table))) check_is_column(table, column, "input")
  if (length(inputs) == 0) {
    hint <- "Look at the kinds with print(), and give some back with set_columns(keep = ...)."
    fail("No column is left to predict from.", hint)
  }
  kinds <- columns$kinds
  for (column in inputs) check_input(table[[column]], column, kinds[[column]])
  for (column in setdiff(names(b[["prepare"]]$only), names(kinds))) {
    check_is_column(table, column, "column of `prepare.only`")
  }
}

check_input <- function(x, column, kind) {
  if (is_all_missing(x)) {
    what <- sprintf("Column %s has no values at all.", quoted(column))
    fail(what, sprintf("Drop it: set_columns(drop = %s).", column))
  }
  if (!fits_kind(x, kind)) {
    what <- "Column %s is %s, but the brief says that its kind is `%s`."
    hint <- "Mend the column, or correct its kind with set_columns(kinds = ...)."
    fail(sprintf(what, quoted(column), type_name(x), kind), hint)
  }
  if (!is.character(x) && !is.factor(x)) {
    check_finite(as.numeric(x), column)
    check_not_tiny(as.numeric(x), column)
  }
}

# Settings that are about some tasks only, and what the task itself asks of its target.
check_target_of_task <- function(target, values) {
  task <- task_of(target)
  if (is_logarithmic(target) && !task$logarithm) {
    what <- "`prepare.target` is %s, which is for regression; the task is %s."
    fail(sprintf(what, quoted(target$scaling), target$task), "Set it to \"zscore\".")
  }
  task$check_target(target, values)
}

# Case weights, exposures and what rows are held out by.
check_columns_of_rows <- function(b, target, table) {
  roles <- b$columns
  if (!is.null(roles$weight)) check_case_weights(table[[roles$weight]], roles$weight, weights_count(roles))
  if (is.null(roles$weight) && !is.null(roles$weight_is)) {
    fail("`columns.weight_is` says what weights mean, but no column holds them.", "Name it: set_columns(weight = ...).")
  }
  task <- task_of(target)
  if (!is.null(target$exposure)) {
    if (!task$exposure) fail("An exposure is for counts only.", sprintf("The task of this brief is %s.", target$task))
    check_exposure_values(table[[target$exposure]], target$exposure)
  }
  if (!identical(target$class_weights, "none") && task$kind != "classes") {
    what <- "`regimen.class_weights` is for classification only."
    fail(what, sprintf("The task of this brief is %s.", target$task))
  }
  by <- b[["hold_out"]]$by
  if (by == "ordered" && is.null(roles$order)) {
    what <- "`hold_out.by` is \"ordered\", but no column orders the rows."
    fail(what, "Name one with set_columns(order = ...).")
  }
  if (by == "key" && is.null(roles$id) && is.null(roles$group)) {
    what <- "`hold_out.by` is \"key\", but no column is an id or a group."
    fail(what, "Name one with set_columns(id = ...).")
  }
}

# Everything about a brief and its table that can be checked before work starts.

check_is_column <- function(table, column, role) {
  if (!column %in% names(table)) {
    fail(sprintf("There is no column %s to be the %s.", quoted(column), role), suggestion(column, names(table)))
  }
}

check_targets <- function(b, table) {
  if (length(b$target) > 1 && b$task != "regression") {
    fail(sprintf("There are %d targets, but the task is %s.", length(b$target), quoted(b$task)), "Several targets at once are for regression; name one.")
  }
  for (column in b$target) check_target(b, table[[column]], column)
}

check_target <- function(b, y, column) {
  target <- quoted(column)
  present <- if (is.character(y) || is.factor(y)) labels_in(y) else y[!is.na(y)]
  if (length(unique(present)) < 2) {
    fail(
      sprintf("The target %s %s, so there is nothing to predict.", target, if (length(present) == 0) "has no values" else paste("is always", describe(as_label(present[1])))),
      "Choose another target."
    )
  }
  if (b$task == "classification") return(check_classes(b, y))
  if (!is.numeric(y) && !is.logical(y)) {
    fail(sprintf("The target %s must be numbers for the task %s; it is %s.", target, quoted(b$task), class(y)[1]))
  }
  check_finite(y, column)
  if (b$task == "count") {
    bad <- which(y < 0)
    if (length(bad)) fail(sprintf("The target %s is negative in %s; a count can't be.", target, rows_text(bad)), "Set task = \"regression\", or mend the rows.")
    bad <- which(y != round(y))
    if (length(bad)) fail(sprintf("The target %s is not whole in %s; a count must be.", target, rows_text(bad)), "Set task = \"regression\".")
  }
}

check_classes <- function(b, y) {
  strange <- setdiff(labels_in(y), b$classes)
  if (length(strange)) {
    fail(
      sprintf("The target %s has the value %s, which is not among the brief's classes.", quoted(b$target), describe(strange[1])),
      suggestion(strange[1], b$classes)
    )
  }
  if (length(b$classes) > 1000) fail(sprintf("The target %s has %s classes.", quoted(b$target), format_count(length(b$classes))), "More than 1,000 can't be told apart here. Is it an id?")
  if (!is.null(b$positive) && !b$positive %in% b$classes) {
    fail(sprintf("The positive class %s does not occur in %s.", describe(b$positive), quoted(b$target)), suggestion(b$positive, b$classes))
  }
}

check_finite <- function(x, column) {
  bad <- which(is.infinite(x))
  if (length(bad)) fail(sprintf("Column %s is infinite in %s.", quoted(column), rows_text(bad)), "Mend these values or make them missing.")
}

# All that must hold before a brief is trained on its table (as brief_table() gives it).
check_brief <- function(b, table) {
  check_targets(b, table)
  check_regimen(b)
  for (role in column_roles) {
    column <- b$columns[[role]]
    if (!is.null(column)) check_is_column(table, column, role)
  }
  inputs <- brief_inputs(b)
  for (column in setdiff(inputs, names(table))) check_is_column(table, column, "input")
  if (length(inputs) == 0) fail("No column is left to predict from.", "Look at the kinds with print(), and give some back with set_columns(keep = ...).")
  for (column in inputs) check_input(table[[column]], column, b$columns$kinds[[column]])
  for (column in setdiff(names(b[["prepare"]]$only), names(b$columns$kinds))) check_is_column(table, column, "column of `prepare.only`")
  check_positive_targets(b, table)
  check_case_weights(b, table)
  check_exposure(b, table)
  check_class_weights(b)
  if (b[["hold_out"]]$by == "ordered" && is.null(b$columns$order)) {
    fail("`hold_out.by` is \"ordered\", but no column orders the rows.", "Name one with set_columns(order = ...).")
  }
  if (b[["hold_out"]]$by == "key" && is.null(b$columns$id) && is.null(b$columns$group)) {
    fail("`hold_out.by` is \"key\", but no column is an id or a group.", "Name one with set_columns(id = ...).")
  }
  invisible(b)
}

# Targets that a logarithm or a loss needs above 0.
check_positive_targets <- function(b, table) {
  log <- b[["prepare"]]$target %in% c("log", "log_median")
  if (log && b$task != "regression") fail(sprintf("`prepare.target` is %s, which is for regression; the task is %s.", quoted(b[["prepare"]]$target), b$task), "Set it to \"zscore\".")
  loss <- settled_loss(b)
  if (log && loss$output != "identity") fail(sprintf("`prepare.target` is %s, but the output is %s, which has a logarithm of its own.", quoted(b[["prepare"]]$target), quoted(loss$output)), "Set one of them back.")
  for (column in b$target) {
    y <- table[[column]]
    if (log || loss$kind == "gamma") {
      bad <- which(y <= 0)
      why <- if (log) "so it has no logarithm" else "which the loss `gamma` needs"
      if (length(bad)) fail(sprintf("The target %s is not above 0 in %s, %s.", quoted(column), rows_text(bad), why), if (log) "Set `prepare.target` to \"zscore\", or set these rows aside." else "Choose another loss, or set these rows aside.")
    } else if (b$task == "regression" && loss$output != "identity" && mean(y, na.rm = TRUE) <= 0) {
      fail(sprintf("The mean of the target %s is not above 0, but the output %s gives answers above 0 only.", quoted(column), quoted(loss$output)), "Set `regimen.output` to `identity`.")
    }
  }
}

check_exposure <- function(b, table) {
  column <- b$columns$exposure
  if (is.null(column)) return()
  if (b$task != "count") fail("An exposure is for counts only.", sprintf("The task of this brief is %s.", b$task))
  check_exposure_values(table[[column]], column)
}

check_exposure_values <- function(x, column) {
  if (!is.numeric(x)) fail(sprintf("The exposure %s must be numbers, not %s.", quoted(column), type_name(x)))
  bad <- which(is.na(x) | x <= 0 | is.infinite(x))
  if (length(bad)) fail(sprintf("The exposure %s is not a number above 0 in %s.", quoted(column), rows_text(bad)))
}

check_input <- function(x, column, kind) {
  if (all(is.na(x))) fail(sprintf("Column %s has no values at all.", quoted(column)), sprintf("Drop it: set_columns(drop = %s).", column))
  if (!fits_kind(x, kind)) {
    fail(
      sprintf("Column %s is %s, but the brief says that its kind is `%s`.", quoted(column), type_name(x), kind),
      "Mend the column, or correct its kind with set_columns(kinds = ...)."
    )
  }
  if (is.numeric(x)) check_finite(x, column)
}

# Whether values can be encoded as the kind says. A column without any value fits every kind.
fits_kind <- function(x, kind) {
  if (all(is.na(x))) return(TRUE)
  switch(kind,
    number = , count = is.numeric(x) || is.logical(x),
    flag = is.logical(x) || (is.numeric(x) && all(x %in% c(0, 1, NA))),
    category = is.character(x) || is.factor(x) || is.logical(x) || is.numeric(x),
    date = inherits(x, c("Date", "POSIXct")),
    time = inherits(x, "POSIXct"),
    FALSE
  )
}

type_name <- function(x) {
  if (is.character(x) || is.factor(x)) return("text")
  if (is.logical(x)) return("logical")
  if (is.numeric(x)) return("numbers")
  paste0("of class ", class(x)[1])
}

check_case_weights <- function(b, table) {
  column <- b$columns$weight
  if (is.null(column)) return()
  w <- table[[column]]
  if (!is.numeric(w)) fail(sprintf("The weight column %s must be numbers, not %s.", quoted(column), type_name(w)))
  bad <- which(is.na(w) | w < 0 | is.infinite(w))
  if (length(bad)) fail(sprintf("The weight column %s is negative, infinite or missing in %s.", quoted(column), rows_text(bad)))
}

check_class_weights <- function(b) {
  weights <- b[["regimen"]]$class_weights
  if (identical(weights, "none")) return()
  if (b$task != "classification") fail("`regimen.class_weights` is for classification only.", sprintf("The task of this brief is %s.", b$task))
  if (identical(weights, "even")) return()
  unknown <- setdiff(names(weights), b$classes)
  if (length(unknown)) fail(sprintf("`regimen.class_weights` names the class %s, which does not occur.", describe(unknown[1])), suggestion(unknown[1], b$classes))
  missing <- setdiff(b$classes, names(weights))
  if (length(missing)) fail(sprintf("`regimen.class_weights` has no weight for the class %s.", describe(missing[1])), "Give every class one.")
}

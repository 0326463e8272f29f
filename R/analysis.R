# A brief and its table, settled once. Whoever needs the working table, the parts of the rows, columns by role, the
# target or the regimen takes them from here; nobody behind it looks back at the table or the brief's settings.
#
# An analysis is an immutable list of class `hylomath_analysis`; n is the number of the table's rows.
#   brief      the brief without its table
#   raw        the table as it was given, n rows
#   roles      the columns by role: id, group, weight, order, exposure, and weight_is, see set_columns()
#   hold_out   how rows are held out, see hold_out()
#   rules      list(codes, derived), by which the working table is made of a raw one, see brief-roles.R
#   table      the working table, n rows: codes for missing taken out, derived columns put in
#   kinds      the inputs' kinds, a character vector named by column, in the table's order
#   prepare    for each input, by name, the settings that it is prepared by
#   target     what is predicted, see task.R
#   group      each row's group as text, NA for none; NULL without a group column
#   weight     each row's case weight, n numbers from 0, or NULL for 1 everywhere; those of importance are scaled so
#              that their mean over the rows that take part is 1
#   counts     whether a weight counts rows
#   exposure   each row's exposure, n numbers above 0, or NULL
#   aside      why a row takes no part, n texts: "weight 0", "filtered", "no target", "missing value", or NA for others
#   part       each row's part, n texts of part_names, or NA for rows that take no part; in a fold also "evaluated"
#   fold       where an ensemble is trained the fold that each training row is in, see analysis-ensemble.R; NULL
#              otherwise
#   single     why one network is trained, a text, or NULL where an ensemble is
#   wiring     the parsed wiring, see wiring.R
#   regimen    the brief's regimen, whose "auto" regimen_in_force() settles once the preparation is learned
#
# Its invariants are written out in check_analysis().

# Everything that can be wrong with a brief and its table is found here, before any work is done.
settle <- function(b, table = b$table) {
  if (is.null(table)) fail("This brief has no table.", "Give it one first: see brief().")
  rules <- table_rules(b, table)
  working <- working_table(table, rules)
  check_targets(b, working)
  check_regimen(b, settled = TRUE)
  inputs <- brief_inputs(b)
  check_columns(b, working, inputs)
  target <- target_of(b)
  check_target_of_task(target, working[b$target])
  check_columns_of_rows(b, target, working)
  roles <- b$columns[intersect(c(column_roles, "weight_is"), names(b$columns))]
  a <- structure(list(
    brief = without_table(b), raw = table, roles = roles, hold_out = hold_out_in_force(b), rules = rules,
    table = working,
    kinds = unlist(b$columns$kinds[inputs]),
    prepare = lapply(stats::setNames(nm = inputs), function(column) settings_for(b, column)), target = target,
    group = column_as(working, roles$group, as_label), weight = column_as(working, roles$weight, as.numeric),
    counts = weights_count(b$columns), exposure = column_as(working, roles$exposure, as.numeric),
    aside = NULL, part = NULL, fold = NULL, single = NULL, wiring = parse_wiring(b$wiring), regimen = b[["regimen"]]
  ), class = "hylomath_analysis")
  a$aside <- set_aside(a)
  if (!a$counts) a$weight <- scaled_importance(a$weight, is.na(a$aside))
  a <- dealt_analysis(a)
  check_end_of_path(a)
  check_analysis(a)
}

# Of a path of l1 penalties validation rows choose the end.
check_end_of_path <- function(a) {
  on_path <- a$regimen$method == "coordinate_descent" && identical(a$regimen$l1, 0) || identical(a$regimen$l1, "path")
  if (!on_path || is_ensemble(a) || any(a$part %in% "validation")) return()
  fail(
    "There are no validation rows to choose the `l1` of the path by.",
    "Hold some out: hold_out(validation = 0.15); or give `regimen.l1` as a number."
  )
}

column_as <- function(table, column, convert) if (!is.null(column)) convert(table[[column]])

# ---- invariants ---------------------------------------------------------------------------------------------------

# The analysis, or an error that names what does not hold. Nothing a user gives can break these; a change to the code
# can.
check_analysis <- function(a) {
  n <- nrow(a$raw)
  holds <- c(
    "the brief has no table" = is.null(a$brief$table),
    "the working table has the raw one's rows" = nrow(a$table) == n,
    "every derived column is there" = all(names(a$rules$derived) %in% names(a$table)),
    "inputs are columns" = all(names(a$kinds) %in% names(a$table)) && !anyDuplicated(names(a$kinds)),
    "inputs have usable kinds" = all(a$kinds %in% input_kinds),
    "every input is prepared" = identical(names(a$prepare), names(a$kinds)),
    "targets are columns and no inputs" =
      all(a$target$columns %in% names(a$table)) && !any(a$target$columns %in% names(a$kinds)),
    "the loss is one of the task's" = a$target$loss$kind %in% task_of(a$target)$losses,
    "row facts are along the table" = all(lengths(a[c("group", "weight", "exposure")]) %in% c(0L, n)),
    "rows that take part have weight" = !any(a$weight[!is.na(a$part)] == 0),
    "weights are numbers from 0" = all(is.finite(a$weight)) && all(a$weight >= 0),
    "exposures are above 0" = all(is.finite(a$exposure)) && all(a$exposure > 0),
    "parts are known" = length(a$part) == n && all(a$part %in% c(part_names, "evaluated", NA)),
    "rows aside are in no part" = all(is.na(a$part[!is.na(a$aside)])),
    "learned rows have a target" = !anyNA(target_values(a, rows_in(a, "training"))),
    "folds are along the table" = is.null(a$fold) || (length(a$fold) == n && all(a$part[!is.na(a$fold)] == "training")),
    "there are training rows" = any(a$part %in% "training")
  )
  broken <- names(holds)[!(holds %in% TRUE)]
  if (length(broken)) {
    rlang::abort(paste0("The analysis is broken: ", paste(broken, collapse = "; ")), .internal = TRUE)
  }
  invisible(a)
}

# ---- what is checked before ------------------------------------------------------------------------------------------

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
  Map(check_input, columns_of(table, inputs), inputs, kinds[inputs])
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
  if (has_gap(b[["hold_out"]])) check_gap(b)
  if (by == "key" && is.null(roles$id) && is.null(roles$group)) {
    what <- "`hold_out.by` is \"key\", but no column is an id or a group."
    fail(what, "Name one with set_columns(id = ...).")
  }
}

check_gap <- function(b) {
  how <- b[["hold_out"]]
  if (is.null(b$columns$order)) {
    fail("`hold_out.gap` is about time, and no column orders the rows.", "Name one with set_columns(order = ...).")
  }
  if (how$by != "ordered" && is.null(how$test_where)) {
    fail(
      sprintf("`hold_out.gap` is about time, and the rows are dealt by %s.", quoted(how$by)),
      "Take hold_out(by = \"ordered\"), or a condition on time as `test_where`."
    )
  }
  if (!is.null(how$parts)) fail("`hold_out.parts` says the part of every row, so there is no `gap` to leave out.")
}

# ---- the parts of a brief --------------------------------------------------------------------------------------------

# How many rows each part has.

#' The parts of a table
#'
#' @param x A brief with its table, or a model.
#' @param each For a brief: whether to give the part of each row instead of counts.
#' @param ... Not used.
#' @return With `each`, a data frame with a row for each row of the table: `row`, its number, the id where there is one,
#'   `part` (or why it is set aside), and where an ensemble is trained the `fold` in which rows are predicted. Else a
#'   data frame with a row for each part that has rows: `part`, `rows`, `share` of the rows in parts, and for
#'   classification a column for each class with its share of the part. Rows that belong to no part are counted as `set
#'   aside: weight 0`, `set aside: filtered`, `set aside: no target`, `set aside: missing value` and `set aside: gap`.
#' @section Errors: A brief without its table; settings of [hold_out()] that the table can't meet.
#' @examples
#' parts_of(brief(kilns, target = "outcome"))
#' @export
parts_of <- function(x, ...) UseMethod("parts_of")

#' @rdname parts_of
#' @export
parts_of.hylomath_brief <- function(x, each = FALSE, ...) {
  check_others(...)
  if (is.null(x$table)) fail("This brief has no table to split.")
  a <- settle(x)
  if (each) part_of_each(a) else count_parts(a)
}

# The parts as they are told, and why rows have none.
told_parts <- c("out_of_fold", "training", "validation", "calibration", "test")
told_reasons <- c("weight 0", "filtered", "no target", "missing value", "gap")
told_names <- c(told_parts, paste("set aside:", told_reasons))

# Each row's place among them.
told_places <- function(a) {
  place <- match(a$part, told_parts)
  if (is_ensemble(a)) place[place %in% match("training", told_parts)] <- 1L
  without <- which(is.na(place))
  why <- a$aside[without]
  if (has_gap(a$hold_out)) why[is.na(why)] <- "gap"
  place[without] <- length(told_parts) + match(why, told_reasons)
  place
}

part_of_each <- function(a) {
  part <- told_names[told_places(a)]
  each <- data.frame(row = seq_along(part))
  each[a$roles$id] <- a$table[a$roles$id]
  each$part <- part
  if (is_ensemble(a)) each$fold <- a$fold
  each
}

#' @export
parts_of.default <- function(x, ...) wrong_object("parts_of", "a brief or a model", x)

count_parts <- function(a) {
  place <- told_places(a)
  rows <- tabulate(place, length(told_names))
  in_parts <- seq_along(told_parts)
  counted <- data.frame(part = told_names, rows = rows, share = rows / sum(rows[in_parts]))
  counted$share[-in_parts] <- NA
  classes <- a$target$classes
  if (has_classes(a$target)) {
    class <- class_places(a$table[[a$target$columns]], classes)
    both <- tabulate(place + length(told_names) * (class - 1L), length(told_names) * length(classes))
    shares <- prop.table(matrix(both, length(told_names)), 1)
    for (k in seq_along(classes)) counted[[classes[k]]] <- ifelse(is.na(counted$share), NA, shares[, k])
  }
  counted <- counted[counted$rows > 0, ]
  rownames(counted) <- NULL
  counted
}

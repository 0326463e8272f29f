# From what is said to a whole brief: defaults are filled in, and what it leaves open about its table is guessed. What
# it says, stands.

# `said` are settled settings with a target; `table` is as_table()'s, or NULL.
complete_brief <- function(said, table = NULL) {
  if (is.null(said$target)) fail("The brief has no `target`.", "Add the line `target: <column>`.")
  b <- new_brief(with_defaults(said), table)
  check_shares(b[["hold_out"]])
  check_regimen(b)
  if (!is.null(b$data)) check_source(b$data)
  if (is.null(table)) b else with_guesses(b)
}

# The brief on another table; what it has guessed of a former one stands.
with_table <- function(b, table) complete_brief(brief_settings(b), as_table(table))

# The brief after something in it has changed that guesses rest on.
completed_anew <- function(b) complete_brief(brief_settings(b), b$table)

# A brief that is about to be trained, with its table and a seed of the training. `seed` is a function that may know
# one.
ready_to_train <- function(b, data = NULL, what = "This brief", try = "Give it one first: see brief().",
                           seed = function() NULL) {
  if (!is.null(data)) b <- with_table(b, data)
  if (is.null(b$table)) fail(sprintf("%s has no table to train on.", what), try)
  b$regimen$seed <- b$regimen$seed %||% seed() %||% draw_seed()
  b
}

with_defaults <- function(said) {
  defaults <- brief_defaults
  for (section in names(defaults)) {
    usual <- defaults[[section]]
    if (is.list(usual)) {
      missing <- setdiff(names(usual), names(said[[section]]))
      said[[section]] <- in_schema_order(c(said[[section]], usual[missing]), brief_schema[[section]])
    } else {
      said[[section]] <- said[[section]] %||% usual
    }
  }
  said[["regimen"]] <- with_method_defaults(said[["regimen"]])
  said
}

# Settles what the brief leaves open about its table: kinds, task, classes, positive class, the loss of ordered classes,
# and the seed of the split.
with_guesses <- function(b) {
  raw <- b$table
  if (nrow(raw) == 0) fail("The table has no rows.")
  b <- with_found_formats(b, raw)
  table <- working_table_of(b, raw)
  targets <- b$target
  for (column in targets) check_is_column(table, column, "target")
  check_conditions(b, names(table))
  b$columns <- with_guessed_kinds(b$columns, targets, table)
  y <- table[[targets[1]]]
  b$task <- b$task %||% if (length(targets) > 1) task_of_several() else guess_task(y, targets)
  b <- with_guessed_target(b, y)
  check_targets(b, table)
  check_decisions(b)
  how <- b[["hold_out"]]
  how$seed <- how$seed %||% draw_seed()
  b[["hold_out"]] <- in_schema_order(how, brief_schema$hold_out)
  new_brief(brief_settings(b), raw)
}

# How columns of text are written that are numbers or dates. A cell that stands for missing there becomes a code for it.
with_found_formats <- function(b, raw) {
  kinds <- unlist(b$columns$kinds)
  settled <- c(
    names(b$columns$formats), names(b[["add_columns"]]), names(kinds)[!kinds %in% c("number", "count", "date", "time")]
  )
  open <- setdiff(names(raw)[vapply(raw, is.character, NA)], c(settled, b$columns$drop))
  if (length(open) == 0) return(b)
  codes <- function(column) settings_for(b, column)$missing_codes
  columns <- Map(without_codes, as.list(raw)[open], lapply(open, codes))
  found <- find_formats(Filter(is.character, columns), attr(raw, "decimal"))
  formats <- c(found$formats, settled_formats(found$open))
  if (length(formats)) b$columns$formats <- c(b$columns$formats, formats)
  prepared <- b[["prepare"]]$only
  for (column in names(found$missing)) {
    own <- prepared[[column]]
    own$missing_codes <- union(codes(column), found$missing[[column]])
    prepared[[column]] <- in_schema_order(own, column_settings)
  }
  if (length(found$missing)) b <- set_section(b, "prepare", list(only = prepared))
  b
}

# Conditions on rows, as far as the names in them go.
check_conditions <- function(b, there) {
  how <- b[["hold_out"]]
  conditions <- c(list(keep_rows = b[["keep_rows"]]), unlist(how[grepl("_where$", names(how))]))
  for (name in names(drop_nulls(conditions))) {
    what <- quoted(if (name == "keep_rows") name else paste0("hold_out.", name))
    check_columns_read(parse_expression(conditions[[name]], what), there, what)
  }
}

# The roles and kinds of columns: a column that names rows becomes the id.
with_guessed_kinds <- function(columns, targets, table) {
  known <- columns$kinds
  guessed <- c(known, guess_kinds(table[setdiff(names(table), names(known))], table, targets))
  elsewhere <- setdiff(names(known), names(table))
  columns$kinds <- guessed[c(intersect(names(table), names(guessed)), elsewhere)]
  if (is.null(columns$id)) {
    ids <- names(columns$kinds)[unlist(columns$kinds) == "id"]
    ids <- setdiff(ids, c(targets, unlist(columns[column_roles]), columns$drop))
    # what several rows have names none of them
    ids <- Filter(function(column) !column %in% names(table) || !anyDuplicated(table[[column]]), ids)
    if (length(ids)) columns$id <- ids[1]
  }
  in_schema_order(columns, brief_schema$columns)
}

with_guessed_target <- function(b, y) {
  said <- c(unclass(b)[c("classes", "positive")], list(loss = b[["regimen"]]$loss))
  said <- tasks_called(b$task)[[1]]$complete(said, y)
  b$classes <- said$classes
  b$positive <- said$positive
  b$regimen$loss <- said$loss
  b
}

check_targets <- function(b, table) {
  task <- tasks_called(b$task)[[1]]
  targets <- b$target
  if (length(targets) > 1 && !task$several) {
    fail(
      sprintf("There are %d targets, but the task is %s.", length(targets), quoted(task$word)),
      "Several targets at once are for regression; name one."
    )
  }
  for (column in targets) {
    y <- table[[column]]
    check_varies(y, column)
    task$check(y, column, unclass(b)[c("classes", "positive")])
  }
}

# Decisions are about a class that there is, as far as the brief knows its task.
check_decisions <- function(b) {
  if (length(b$decisions) == 0 || is.null(b$task)) return()
  if (is.null(b$classes)) {
    fail("`decisions` are about a class, and the target is not one of classes.", "Leave `decisions` out.")
  }
  class <- b$decisions$class
  if (!is.null(class) && !class %in% b$classes) {
    fail(sprintf("`decisions.class` is %s, which is no class.", describe(class)), suggestion(class, b$classes))
  }
}

check_varies <- function(y, column) {
  present <- if (is.character(y) || is.factor(y)) labels_in(y) else y[!is.na(y)]
  if (length(unique(present)) > 1) return()
  why <- if (length(present) == 0) "has no values" else paste("is always", describe(as_label(present[1])))
  fail(sprintf("The target %s %s, so there is nothing to predict.", quoted(column), why), "Choose another target.")
}

# Held-out parts leave rows for training.
check_shares <- function(how) {
  if (!how$folds %in% c("auto", 0)) check_folds_alone(how)
  if (!is.null(how$only_folds) && (how$folds == "auto" || max(how$only_folds) > how$folds)) {
    there <- if (how$folds %in% c("auto", 0)) "no number of folds is said" else sprintf("there are %s", how$folds)
    fail(
      sprintf("`hold_out.only_folds` names fold %d, and %s.", as.integer(max(how$only_folds)), there),
      "Say how many folds there are by `hold_out.folds`."
    )
  }
  share <- function(part) if (identical(how[[part]], "auto")) 0 else how[[part]]
  if (share("validation") + share("test") + share("calibration") < 1) return()
  what <- "Validation (%s), test (%s) and calibration (%s) leave no rows for training."
  fail(
    sprintf(what, format(share("validation")), format(share("test")), format(how$calibration)),
    "Make them add up to less than 1."
  )
}

check_folds_alone <- function(how) {
  other <- if (!how$validation %in% c("auto", 0)) "validation" else {
    intersect(c("validation_where", "parts"), names(how))
  }
  if (length(other) == 0) return()
  what <- "`hold_out.folds` and `hold_out.%s` both say what training is stopped by."
  fail(sprintf(what, other[1]), "In an ensemble one fold stops each network: leave one of the two out.")
}

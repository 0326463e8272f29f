#' Start a brief
#'
#' A brief is the complete description of one analysis: what to predict, from which columns, how they are prepared,
#' which rows are held out, how the network is wired and the regimen by which it is trained. It starts with a guess at
#' the kind of every column and at the task, prints both, and is refined with [set_columns()], [prepare()],
#' [hold_out()], [wire()] and [regimen()].
#'
#' The kinds are `number`, `count` (whole and not negative), `flag` (logical, or 0 and 1), `category`, `date`, `time`,
#' and those that are not used as inputs: `id` (another value in every row), `text` (words that hardly come again),
#' `constant`, `missing` (no value at all) and `other`. A column of ids is given the role `id`.
#'
#' The task is `classification` for a target of words, flags or two values, `count` for whole numbers from 0 with a
#' median up to 1,000, and `regression` otherwise.
#'
#' @param data A data frame (tibble, data.table) with a row for each record; the path of a CSV, TSV, Parquet or Excel
#'   file; or a DBI connection. Labelled columns become their labels, 64-bit integers become numbers.
#' @param query For a connection: the SQL query that gives the rows.
#' @param target The column to predict, a bare name or a text; for regression it can be several, `c(a, b)`, which
#'   share one network. A formula does as well: `brief(outcome ~ ., kilns)`, `brief(outcome ~ load_kg + glaze, kilns)`.
#' @param formats How numbers and dates are written in some columns of text, such as `c(price = "1.234,5", bought =
#'   "d.m.y")`, where it can't be found out: numbers `"1234.5"`, `"1,234.5"`, `"1.234,5"`, `"1 234,5"`, `"1'234.5"` and
#'   so on, dates `"y-m-d"`, `"d.m.y"`, `"d/m/y"`, `"m/d/y"`, `"d month y"`. What is found is shown and kept in the
#'   brief; new rows are read in the same way.
#' @param task `"classification"`, `"regression"` or `"count"`; guessed when not given.
#' @param positive For two classes: the class whose probability is meant when one is spoken of. The default is the
#'   one called yes, true, 1 or positive, else the rarer one; a brief prints it.
#' @param classes The classes in an order of your own, for ordered classes from one end to the other. The default is
#'   the order of a factor's levels, else the alphabet's. An ordered factor of three or more levels gets the loss
#'   `ordinal`, see [regimen()].
#' @param ... Not used.
#' @return An object of class `hylomath_brief`.
#' @section Errors: No such column; a target that is constant or missing throughout; a count target with negative or
#'   broken numbers; repeated column names.
#' @examples
#' brief(kilns, target = "outcome")
#' @export
brief <- function(data, ...) UseMethod("brief")

#' @rdname brief
#' @export
brief.data.frame <- function(data, target, task = NULL, positive = NULL, classes = NULL, formats = NULL, ...) {
  check_others(...)
  chosen <- rlang::enquo(target)
  if (rlang::quo_is_missing(chosen)) return(start_brief(data))
  if (rlang::quo_is_call(chosen, "~")) return(brief.formula(target, data, task, positive, classes, formats))
  start_brief(data, named_targets(chosen, data), task, positive, classes, formats)
}

#' @rdname brief
#' @export
brief.formula <- function(data, target, task = NULL, positive = NULL, classes = NULL, formats = NULL, ...) {
  check_others(...)
  table <- target
  if (!is.data.frame(table)) {
    fail("A formula needs a table beside it.", "Write brief(target ~ ., data), or brief(data, target = target).")
  }
  sides <- formula_sides(data, names(table))
  b <- start_brief(as.data.frame(table), sides$target, task, positive, classes, formats)
  if (is.null(sides$inputs)) b else set_columns(b, keep = tidyselect::all_of(sides$inputs))
}

#' @rdname brief
#' @export
brief.character <- function(data, target, task = NULL, positive = NULL, classes = NULL, formats = NULL, ...) {
  check_others(...)
  start_brief(read_table(data), target, task, positive, classes, formats, list(file = data))
}

#' @rdname brief
#' @export
brief.DBIConnection <- function(data, target, query, task = NULL, positive = NULL, classes = NULL, formats = NULL,
                                ...) {
  check_others(...)
  if (missing(query)) {
    fail(
      "`query` is missing: say which rows to take from the database.",
      "For a whole table: query = \"select * from <table>\""
    )
  }
  start_brief(read_query(data, query), target, task, positive, classes, formats)
}

#' @export
brief.default <- function(data, ...) {
  wrong <- "A brief starts from a data frame, the path of a file or a DBI connection, not from %s."
  fail(sprintf(wrong, describe_class(data)))
}

# Bare names of columns, one or several in c(), or texts.
named_targets <- function(quosure, data) {
  expression <- rlang::quo_get_expr(quosure)
  bare <- all.vars(expression)
  plain <- rlang::is_symbol(expression) || rlang::is_call(expression, "c")
  if (plain && length(bare) && all(bare %in% names(data))) return(selected_names(quosure, data, "target"))
  # a name that is neither a column nor anything else
  if (rlang::is_symbol(expression) && !exists(bare, envir = rlang::quo_get_env(quosure))) return(bare)
  rlang::eval_tidy(quosure)
}

# The target and the inputs of `target ~ a + b`, where the inputs may be `.` less some columns; NULL for all of them.
formula_sides <- function(formula, known) {
  if (length(formula) != 3) fail("The formula names no target.", "Write target ~ ., or brief(data, target = ).")
  simple <- function(side) {
    odd <- setdiff(all.names(side), c(all.vars(side), "+", "-", "(", "cbind", "."))
    if (length(odd)) {
      what <- "The formula holds %s(), and a network takes columns as they are."
      fail(sprintf(what, odd[1]), "Name the columns, and make new ones by add_columns(b, name = expression).")
    }
    all.vars(side)
  }
  target <- simple(formula[[2]])
  named <- simple(formula[[3]])
  unknown <- setdiff(c(target, named), c(known, "."))
  if (length(unknown)) {
    what <- "The table has no column %s, which the formula names."
    fail(sprintf(what, quoted(unknown[1])), suggestion(unknown[1], known))
  }
  if (identical(named, ".")) return(list(target = target))
  terms <- stats::terms(formula, data = stats::setNames(as.data.frame(rep(list(1), length(known))), known))
  list(target = target, inputs = attr(terms, "term.labels"))
}

start_brief <- function(data, target, task = NULL, positive = NULL, classes = NULL, formats = NULL, source = NULL) {
  if (missing(target)) fail("`target` is missing: say which column to predict.", suggestion("", names(data)))
  said <- list(target = target, task = task, positive = positive, classes = classes, data = source)
  if (!is.null(formats)) said$columns <- list(formats = formats)
  complete_brief(settle_settings(drop_nulls(said), brief_schema), as_table(data))
}

# ---- what no table holds ---------------------------------------------------------------------------------------------

#' Say what a network is for
#'
#' What no table holds: why the network is made, who is responsible for it, and what it must not be used for. It stands
#' in the brief, goes with the model, and heads the model card of [write_report()]. It changes nothing about the
#' training.
#'
#' @param b A brief, or a model, whose brief is meant.
#' @param purpose What the predictions are for, a sentence or two.
#' @param owner Who is responsible for the network.
#' @param limits What it is not for, and where it must not be trusted: one text or several.
#' @param ... Not used.
#' @return The brief, or the model. What is not given stays; an empty text takes it back.
#' @section Errors: A value that is not a text.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   set_about(
#'     purpose = "To see before unloading which firings need a second look.",
#'     owner = "The kiln office, Skerrow", limits = c("Gas kilns only.", "No ground for paying less for a lot.")
#'   )
#' @export
set_about <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) UseMethod("set_about")

#' @export
set_about.hylomath_brief <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) {
  check_others(...)
  with_said(b, "about", drop_nulls(list(purpose = purpose, owner = owner, limits = limits)))
}

# What is said in a section that training has no use for; an empty value takes one back.
with_said <- function(b, section, said) {
  empty <- vapply(said, function(value) length(value) == 0 || identical(value, ""), NA)
  merged <- as.list(b[[section]])
  merged[names(said)[empty]] <- NULL
  settled <- settle_settings(said[!empty], brief_schema[[section]], section)
  merged[names(settled)] <- settled
  settings <- brief_settings(b)
  settings[[section]] <- if (length(merged)) in_schema_order(merged, brief_schema[[section]])
  new_brief(settings, b$table)
}

#' @export
set_about.hylomath_model <- function(b, purpose = NULL, owner = NULL, limits = NULL, ...) {
  b$brief <- set_about(b$brief, purpose, owner, limits, ...)
  b
}

#' @export
set_about.default <- function(b, ...) wrong_object("set_about", "a brief or a model", b)

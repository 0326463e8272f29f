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
#' @param target The name of the column to predict; for regression it can be several, which share one network.
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
  start_brief(data, target, task, positive, classes, formats)
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

start_brief <- function(data, target, task, positive, classes, formats, source = NULL) {
  if (missing(target)) fail("`target` is missing: say which column to predict.", suggestion("", names(data)))
  said <- list(target = target, task = task, positive = positive, classes = classes, data = source)
  if (!is.null(formats)) said$columns <- list(formats = formats)
  complete_brief(settle_settings(drop_nulls(said), brief_schema()), as_table(data))
}

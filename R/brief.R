# A brief is a list with the keys of brief_schema() in their order, keys without a value left out, and behind them
# the table that it was started from, as `table`. The table is no part of what the brief says: files leave it out.
# Sections are taken as b[["regimen"]] here and below, since the verbs that set them have the same names.

#' Start a brief
#'
#' A brief is the complete description of one analysis: what to predict, from which columns, how they are prepared,
#' which rows are held out, how the network is wired and the regimen by which it is trained. It starts with a guess at
#' the kind of every column and at the task, prints both, and is refined with [set_columns()], [prepare()],
#' [hold_out()], [wire()] and [regimen()].
#'
#' The kinds are `number`, `count` (whole and not negative), `flag` (logical, or 0 and 1), `category`, `date`, `time`,
#' and those that are not used as inputs: `id` (another value in every row), `text` (words with very many values),
#' `constant`, `missing` (no value at all) and `other`. A column of ids is given the role `id`.
#'
#' The task is `classification` for a target of words, flags or two values, `count` for whole numbers from 0 with a
#' median up to 1,000, and `regression` otherwise.
#'
#' @param data A data frame (tibble, data.table) with a row for each record; the path of a CSV, TSV, Parquet or Excel file; or a
#'   DBI connection. Labelled columns become their labels, 64-bit integers become numbers.
#' @param query For a connection: the SQL query that gives the rows.
#' @param target The name of the column to predict; for regression it can be several, which share one network.
#' @param task `"classification"`, `"regression"` or `"count"`; guessed when not given.
#' @param positive For two classes: the class whose probability is meant when one is spoken of. The default is the
#'   second one in alphabetical order, or the second level of a factor.
#' @param classes The classes in an order of your own, for ordered classes from one end to the other. The default is the order
#'   of a factor's levels, else the alphabet's. An ordered factor of three or more levels gets the loss `ordinal`, see
#'   [regimen()].
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
brief.data.frame <- function(data, target, task = NULL, positive = NULL, classes = NULL, ...) {
  rlang::check_dots_empty()
  start_brief(data, target, task, positive, classes, file = NULL)
}

#' @rdname brief
#' @export
brief.character <- function(data, target, task = NULL, positive = NULL, classes = NULL, ...) {
  rlang::check_dots_empty()
  start_brief(read_table(data), target, task, positive, classes, file = data)
}

#' @rdname brief
#' @export
brief.DBIConnection <- function(data, target, query, task = NULL, positive = NULL, classes = NULL, ...) {
  rlang::check_dots_empty()
  if (missing(query)) fail("`query` is missing: say which rows to take from the database.", "For a whole table: query = \"select * from <table>\"")
  start_brief(read_query(data, query), target, task, positive, classes, file = NULL)
}

#' @export
brief.default <- function(data, ...) {
  fail(sprintf("A brief starts from a data frame, the path of a file or a DBI connection, not from %s.", describe_class(data)))
}

start_brief <- function(data, target, task, positive, classes, file) {
  if (missing(target)) fail("`target` is missing: say which column to predict.", suggestion("", names(data)))
  given <- list(target = target, task = task, positive = positive, classes = classes)
  b <- brief_defaults()
  if (!is.null(file)) b$data <- list(file = file)
  b[names(given)] <- given
  fix_schema(new_brief(settle_settings(drop_nulls(b), brief_schema()), as_table(data)))
}

# `settings` are settled; `table` may be missing for a brief that was read from a file.
new_brief <- function(settings, table = NULL) {
  settings <- in_schema_order(settings, brief_schema())
  settings$table <- table
  structure(settings, class = "hylomath_brief")
}

# Settles what the brief leaves open about its table: kinds, task, classes, positive class, penalty, the seed of the
# split. What it says, stands.
fix_schema <- function(b) {
  if (nrow(b$table) == 0) fail("The table has no rows.")
  table <- brief_table(b)
  for (target in b$target) check_is_column(table, target, "target")
  known <- b$columns$kinds
  guessed <- c(known, guess_kinds(table[setdiff(names(table), names(known))]))
  b$columns$kinds <- guessed[c(intersect(names(table), names(guessed)), setdiff(names(known), names(table)))]
  kinds <- unlist(b$columns$kinds)
  if (is.null(b$columns$id)) {
    ids <- setdiff(names(kinds)[kinds == "id"], c(b$target, unlist(b$columns[column_roles]), b$columns$drop))
    if (length(ids)) b$columns$id <- ids[1]
  }
  b$columns <- in_schema_order(b$columns, brief_schema()$columns)
  y <- table[[b$target[1]]]
  b$task <- b$task %||% if (length(b$target) > 1) "regression" else guess_task(y, b$target)
  if (b$task == "classification") {
    b$classes <- b$classes %||% guess_classes(y)
    if (length(b$classes) == 2) b$positive <- b$positive %||% b$classes[2]
    if (is.ordered(y) && length(b$classes) > 2 && identical(b[["regimen"]]$loss, "auto")) b[["regimen"]]$loss <- "ordinal"
  }
  check_targets(b, table)
  b[["hold_out"]]$seed <- b[["hold_out"]]$seed %||% draw_seed()
  b[["hold_out"]] <- in_schema_order(b[["hold_out"]], brief_schema()[["hold_out"]])
  new_brief(brief_settings(b), b$table)
}

# The table as everything else sees it: with the codes for missing taken out and the derived columns put in.
brief_table <- function(b) working_table(b$table, table_rules(b))

# The same of another table than the one that the brief carries.
table_of <- function(b, table) brief_table(new_brief(brief_settings(b), table))

# Brings `settings` into one section of the brief; NULLs leave what is there.
set_section <- function(b, section, settings) {
  settings <- settle_settings(drop_nulls(settings), brief_schema()[[section]], section)
  b[[section]] <- in_schema_order(utils::modifyList(b[[section]], settings), brief_schema()[[section]])
  # modifyList would merge named class weights with the former ones
  for (whole in intersect(c("class_weights", "stop", "only", "loss", "schedule"), names(settings))) b[[section]][[whole]] <- settings[[whole]]
  b
}

brief_settings <- function(b) unclass(b)[names(b) != "table"]

drop_nulls <- function(x) x[!vapply(x, is.null, NA)]


# Seeds that are not given are drawn from R's generator, so that set.seed() is honoured.
draw_seed <- function() as.numeric(sample.int(.Machine$integer.max, 1))

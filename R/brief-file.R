#' Write and read a brief
#'
#' A brief file is YAML with the keys that the R verbs use. Keys that are
#' left out have their defaults; kinds, task and seeds that are left out are settled when the table is read. Words are
#' never taken for anything else: a class called `no` or `010` stays one. Written and read again, a brief is identical
#' but for the table, which is no part of it.
#'
#' @section Data: `data` names one source: `file` (CSV and its kin, also `.gz`; Parquet; Excel, with `sheet`), where `separator`,
#'   `decimal` and `encoding` (`UTF-8` or `Latin-1`) are guessed unless they are given; `sqlite` (a file) with a `query`; or
#'   `postgres` (the name of a database) with a `query`, whose host, port, user and password come from the environment
#'   variables PGHOST, PGPORT, PGUSER and PGPASSWORD and never from the brief.
#' @param b A brief.
#' @param file A path.
#' @param text The YAML itself, in place of a file.
#' @param read Whether to read the table that `data` names, if it can be found.
#' @return `write_brief()` returns `b` invisibly; `read_brief()` a brief. With `read`, the brief carries the table
#'   that its `data` names, as far as the analysis looks at it; a relative path counts from the brief's folder.
#' @section Errors: Unknown keys are errors that name the nearest known one; values of the wrong type name their key.
#' @examples
#' file <- tempfile(fileext = ".yml")
#' brief(kilns, target = "outcome") |> wire("16 tanh") |> write_brief(file)
#' cat(readLines(file), sep = "\n")
#' read_brief(file)
#' @export
write_brief <- function(b, file) {
  write_whole(charToRaw(brief_yaml(b)), file)
  invisible(b)
}

#' @rdname write_brief
#' @export
read_brief <- function(file, text = NULL, read = TRUE) {
  if (is.null(text)) {
    check_file(file)
    text <- read_text(file)
  }
  settings <- settle_settings(parse_yaml(text, if (missing(file)) "The brief" else file), brief_schema())
  b <- complete_brief(settings)
  folder <- if (missing(file)) "." else dirname(file)
  # a file that is elsewhere may be given later; a database is asked
  if (read && !is.null(b$data) && source_is_there(b$data, folder)) read_brief_table(b, folder) else b
}

# The brief with the table that its `data` names, as far as the analysis looks at it, and the columns `beside`.
read_brief_table <- function(b, folder, beside = NULL) {
  wanted <- wanted_columns(b)
  attach_table(b, read_source(b$data, folder, unlist(b$columns$kinds), if (!is.null(wanted)) union(wanted, beside)))
}

# The columns that a brief with known kinds will look at, NULL when they are not known yet.
wanted_columns <- function(b) {
  if (length(b$columns$kinds) == 0) return(NULL)
  trees <- lapply(b$derive, parse_expression, "derive")
  conditions <- unlist(c(b$keep_rows, b$hold_out[grep("_where$", names(b$hold_out))]))
  looked_at <- c(
    brief_inputs(b), b$target, unlist(b$columns[column_roles]), b$hold_out$parts,
    unlist(lapply(conditions, function(text) expression_columns(parse_expression(text, "condition"))))
  )
  needed_steps(trees, looked_at)$raw
}

# Fills in defaults, key by key, and checks what only the whole can tell.
complete_brief <- function(settings) {
  if (is.null(settings$target)) fail("The brief has no `target`.", "Add the line `target: <column>`.")
  defaults <- brief_defaults()
  for (section in names(defaults)) {
    settings[[section]] <- if (is.list(defaults[[section]])) {
      given <- settings[[section]]
      missing <- setdiff(names(defaults[[section]]), names(given))
      in_schema_order(c(given, defaults[[section]][missing]), brief_schema()[[section]])
    } else {
      settings[[section]] %||% defaults[[section]]
    }
  }
  settings$regimen <- with_method_defaults(settings$regimen)
  check_shares(settings$hold_out)
  check_regimen(settings)
  if (!is.null(settings$data)) check_source(settings$data)
  new_brief(settings)
}

# Gives the brief a table and settles what it leaves open about that table.
attach_table <- function(b, table) {
  b$table <- table
  fix_schema(b)
}

brief_yaml <- function(b) {
  settings <- brief_settings(b)
  settings$prepare <- settings$prepare[lengths(settings$prepare) > 0]
  settings$regimen <- settings$regimen[lengths(settings$regimen) > 0]
  if (length(settings$target) > 1) settings$target <- as.list(settings$target)
  settings <- settings[lengths(settings) > 0]
  settings$columns <- settings$columns[lengths(settings$columns) > 0]
  yaml::as.yaml(rapply(settings, yaml_scalars, how = "replace"), indent.mapping.sequence = TRUE)
}

# Numbers as the shortest text that reads back exactly; texts are left to the writer, which quotes the dangerous ones.
# A single class or dropped column is still written as a list.
yaml_scalars <- function(x) {
  if (is.numeric(x)) structure(format_each(x), class = "verbatim") else x
}

# Scalars come back as the text that stands in the file; the brief's schema says what they mean. Otherwise YAML 1.1
# would turn a class `no` into FALSE, `010` into 8 and `12:30` into 750.
parse_yaml <- function(text, name) {
  as_written <- c(
    "bool#yes", "bool#no", "int", "int#hex", "int#oct", "int#base60", "float", "float#fix", "float#exp", "float#base60",
    "float#inf", "float#neginf", "float#nan", "null", "timestamp", "timestamp#ymd", "timestamp#iso8601"
  )
  handlers <- stats::setNames(rep(list(function(x) x), length(as_written)), as_written)
  parsed <- tryCatch(
    yaml::yaml.load(text, handlers = handlers, eval.expr = FALSE),
    error = function(e) fail(sprintf("%s is not YAML: %s", name, conditionMessage(e)), "Look at the line it names: indentation and quotes are the usual reasons.")
  )
  if (!is.list(parsed)) fail(sprintf("%s is not a brief: it holds no keys.", name))
  parsed
}

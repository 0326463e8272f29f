#' Derive columns
#'
#' Adds or replaces columns by row-wise expressions; see [expressions] for what can be written and what it means.
#' Expressions are stored as text and go with the model: new rows need the columns that they are made of. Where the
#' target is derived, the columns that it is made of are not used as inputs, since they would give it away.
#'
#' @param b A brief.
#' @param ... Named expressions, such as `log_load = log1p(load_kg)`. Later ones can use earlier ones. `NULL` takes a
#'   derived column back.
#' @return The brief.
#' @section Errors: Functions that look at other rows (lags, means, ranks) or are not on the list are refused when they
#'   are written; values that are not finite are reported with their rows.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   add_columns(
#'     heat_hours = (peak_c - 20) / ramp_c_h,
#'     exposure_order = rank_in(glaze, "clear", "celadon", "ash", "tenmoku")
#'   )
#' @export
add_columns <- function(b, ...) UseMethod("add_columns")

#' @export
add_columns.hylomath_brief <- function(b, ...) {
  quosures <- rlang::enquos(...)
  if (length(quosures) && any(names(quosures) == "")) {
    fail("Every derived column needs a name.", "Write add_columns(b, name = expression).")
  }
  derived <- as.list(b$add_columns)
  for (name in names(quosures)) {
    derived[name] <- list(derived_text(quosures[[name]], name))
    b$columns$kinds[[name]] <- NULL
  }
  # another target may have another task and other classes
  if (any(b$target %in% names(quosures))) b[c("task", "classes", "positive")] <- NULL
  b$add_columns <- if (length(drop_nulls(derived))) drop_nulls(derived)
  completed_anew(b)
}

#' @export
add_columns.default <- function(b, ...) wrong_object("add_columns", "a brief", b)

derived_text <- function(quosure, name) {
  if (rlang::quo_is_null(quosure)) return(NULL)
  format_expression(capture_expression(quosure, sprintf("The derived column %s", quoted(name))))
}

#' Keep only some rows
#'
#' Rows for which the condition does not hold, or is missing, are neither trained on nor evaluated. [predict()] still
#' predicts every row that it is given.
#'
#' @param b A brief.
#' @param condition An expression, see [expressions]. A second call narrows the first; `NULL` takes all conditions back.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A condition that reads a column that is not there, uses a function that is not among those of
#'   [expressions], or is not true or false.
#' @examples
#' brief(kilns, target = "outcome") |> keep_rows(load_kg > 100 & kiln != "Petrel")
#' @export
keep_rows <- function(b, condition, ...) UseMethod("keep_rows")

#' @export
keep_rows.hylomath_brief <- function(b, condition, ...) {
  check_others(...)
  quosure <- rlang::enquo(condition)
  former <- b$keep_rows
  b$keep_rows <- if (!rlang::quo_is_null(quosure)) both_conditions(former, capture_expression(quosure, "keep_rows"))
  if (!is.null(b$keep_rows) && !is.null(b$table)) rows_where(b$keep_rows, working_table_of(b), "keep_rows")
  completed_anew(b)
}

#' @export
keep_rows.default <- function(b, ...) wrong_object("keep_rows", "a brief", b)

# The text of a condition that holds where the former one and this one do.
both_conditions <- function(former, tree) {
  if (is.null(former)) return(format_expression(tree))
  in_brackets <- function(tree) call("(", tree)
  joined <- as.call(list(as.name("&"), in_brackets(parse_expression(former, "keep_rows")), in_brackets(tree)))
  format_expression(joined)
}

# ---- levels put together ---------------------------------------------------------------------------------------------

# Levels that are the same thing written in several ways.

#' Put levels together that are written in several ways
#'
#' Levels that differ only in case, blanks or accents, such as `"Stromness"`, `"stromness "` and `"STROMNESS"`, become
#' the one that most rows have. What is put together is written into the brief as a column of [add_columns()], so that
#' it can be read and changed, and does the same in predictions and transcripts.
#'
#' @param b A brief with its table.
#' @param ... Columns, as in [set_columns()]; without any, all columns of text that have such levels.
#' @return The brief.
#' @section Errors: A column that is not there or holds no such levels.
#' @examples
#' table <- kilns
#' table$glaze[1:40] <- toupper(table$glaze[1:40])
#' brief(table, target = "outcome") |> merge_levels(glaze)
#' @export
merge_levels <- function(b, ...) UseMethod("merge_levels")

#' @export
merge_levels.hylomath_brief <- function(b, ...) {
  table <- b$table
  if (is.null(table)) fail("This brief has no table, so its levels are not known.", "Start from one with brief().")
  texts <- setdiff(names(table)[vapply(table, function(x) is.character(x) || is.factor(x), NA)], b$columns$drop)
  named <- rlang::enquos(...)
  columns <- if (length(named)) {
    unique(unlist(lapply(named, function(quosure) selected_names(quosure, table, "merge_levels()"))))
  }
  groups <- lapply(stats::setNames(nm = columns %||% texts), function(column) alike_levels(labels_in(table[[column]])))
  none <- names(groups)[lengths(groups) == 0]
  if (length(columns) && length(none)) {
    fail(sprintf("%s has no levels that differ only in case, blanks or accents.", quoted(none[1])))
  }
  derived <- as.list(b$add_columns)
  for (column in setdiff(names(groups), none)) {
    if (!is.null(derived[[column]])) {
      hint <- "Put its levels together there: see add_columns()."
      fail(sprintf("%s is a derived column already.", quoted(column)), hint)
    }
    derived[[column]] <- merging_text(column, groups[[column]], as_label(table[[column]]))
    b$columns$kinds[[column]] <- NULL
  }
  if (b$target[1] %in% names(groups)) b[c("task", "classes", "positive")] <- NULL
  b$add_columns <- if (length(derived)) derived
  completed_anew(b)
}

#' @export
merge_levels.default <- function(b, ...) wrong_object("merge_levels", "a brief", b)

# The expression by which groups of levels of a column, or of what `name` makes of it, become one level each.
merging_text <- function(column, groups, values, name = column_text(column)) {
  text <- function(x) encodeString(x, quote = "\"")
  merged <- name
  for (group in groups) {
    counts <- tabulate(match(values, group), length(group))
    kept <- group[which.max(counts)]
    others <- setdiff(group, kept)
    merged <- sprintf("ifelse(%s %%in%% c(%s), %s, %s)", name, paste(text(others), collapse = ", "), text(kept), merged)
  }
  format_expression(parse_expression(merged, quoted(column)))
}

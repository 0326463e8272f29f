#' Derive columns
#'
#' Adds or replaces columns by row-wise expressions; see [expressions] for what can be written and what it means.
#' Expressions are stored as text and go with the model: new rows need the columns that they are made of. Where the
#' target is derived, the columns that it is made of are no inputs, since they would give it away.
#'
#' @param b A brief.
#' @param ... Named expressions, such as `log_load = log1p(load_kg)`. Later ones can use earlier ones. `NULL` takes a derived
#'   column back.
#' @return The brief.
#' @section Errors: Functions that look at other rows (lags, means, ranks) or are not on the list are refused when they are
#'   written; values that are not finite are reported with their rows.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   derive(
#'     heat_hours = (peak_c - 20) / ramp_c_h,
#'     exposure_order = rank_in(glaze, "clear", "celadon", "ash", "tenmoku")
#'   )
#' @export
derive <- function(b, ...) UseMethod("derive")

#' @rdname derive
#' @export
derive.hylomath_brief <- function(b, ...) {
  quosures <- rlang::enquos(...)
  if (length(quosures) && any(names(quosures) == "")) fail("Every derived column needs a name.", "Write derive(b, name = expression).")
  derived <- as.list(b$derive)
  for (name in names(quosures)) {
    derived[name] <- list(if (!rlang::quo_is_null(quosures[[name]])) format_expression(capture_expression(quosures[[name]], sprintf("The derived column %s", quoted(name)))))
    b$columns$kinds[[name]] <- NULL
  }
  # another target may have another task and other classes
  if (any(b$target %in% names(quosures))) b[c("task", "classes", "positive")] <- NULL
  b$derive <- if (length(drop_nulls(derived))) drop_nulls(derived)
  refreshed(b)
}

#' Keep only some rows
#'
#' Rows for which the condition does not hold, or is missing, are neither trained on nor judged. [predict()] still answers
#' every row that it is given.
#'
#' @param b A brief.
#' @param condition An expression, see [expressions]. A second call narrows the first; `NULL` takes all conditions back.
#' @param ... Not used.
#' @return The brief.
#' @examples
#' brief(kilns, target = "outcome") |> keep_rows(load_kg > 100 & kiln != "Petrel")
#' @export
keep_rows <- function(b, ...) UseMethod("keep_rows")

#' @rdname keep_rows
#' @export
keep_rows.hylomath_brief <- function(b, condition, ...) {
  rlang::check_dots_empty()
  quosure <- rlang::enquo(condition)
  if (rlang::quo_is_null(quosure)) {
    b$keep_rows <- NULL
    return(refreshed(b))
  }
  tree <- capture_expression(quosure, "keep_rows")
  former <- b$keep_rows
  b$keep_rows <- format_expression(if (is.null(former)) tree else as.call(list(as.name("&"), call("(", parse_expression(former, "keep_rows")), call("(", tree))))
  if (!is.null(b$table)) rows_where(b$keep_rows, brief_table(b), "keep_rows")
  refreshed(b)
}

# The brief in its order, with the kinds of new columns guessed when there is a table.
refreshed <- function(b) {
  b <- new_brief(brief_settings(b), b$table)
  if (is.null(b$table)) b else fix_schema(b)
}

# A column that is named in a call.

# One column of a table, named bare, as text or not at all.
chosen_column <- function(quosure, data, argument) {
  if (rlang::quo_is_null(quosure) || rlang::quo_is_missing(quosure)) return(NULL)
  column <- named_column(quosure, names(data))
  if (is.null(column)) return(NULL)
  if (is.null(data)) {
    fail(
      sprintf("`%s` names a column, but there is no table.", argument),
      "Give the table as `data`; with `rows = \"test\"` the one that the model was trained on."
    )
  }
  if (!is_text(column, 1)) fail(sprintf("`%s` must name one column.", argument), suggestion("", names(data)))
  check_is_column(data, column, sprintf("column of `%s`", argument))
  column
}

# A bare name that is a column stands for itself; anything else is evaluated, or taken as it is written.
named_column <- function(quosure, known) {
  expression <- rlang::quo_get_expr(quosure)
  if (rlang::is_symbol(expression) && (is.null(known) || rlang::as_string(expression) %in% known)) {
    return(rlang::as_string(expression))
  }
  tryCatch(rlang::eval_tidy(quosure), error = function(e) rlang::as_label(expression))
}

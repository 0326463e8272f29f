# Evaluating a checked tree on a table.

# A vector along the rows of the table.
evaluate_expression <- function(node, table, what) {
  unknown <- setdiff(expression_columns(node), names(table))
  if (length(unknown)) {
    hint <- paste(suggestion(unknown[1], names(table)), "A value of your R session goes in as !!x or .env$x.")
    fail(sprintf("%s reads the column %s, which there is not.", what, quoted(unknown[1])), hint)
  }
  value <- tryCatch(
    evaluate_node(node, table, nrow(table)),
    hylomath_error = function(e) fail(sprintf("%s (%s): %s", what, format_expression(node), e$what), e$try)
  )
  if (length(value) == 1) rep(value, nrow(table)) else value
}

evaluate_node <- function(node, table, n) {
  if (is.name(node)) return(expression_value(table[[as.character(node)]]))
  if (!is.call(node)) return(rep(node, n))
  name <- as.character(node[[1]])
  # a set of constants has a length of its own
  arguments <- lapply(as.list(node)[-1], evaluate_node, table, if (name == "c") 1 else n)
  do.call(the_functions[[name]]$run, arguments)
}

# A condition on rows: TRUE where it holds; a missing value does not.
rows_where <- function(text, table, what) {
  value <- evaluate_expression(parse_expression(text, what), table, what)
  if (!is.logical(value)) {
    fail(sprintf("%s must be a condition; %s gives %s.", what, quoted(text), expression_type(value)))
  }
  value %in% TRUE
}

# Evaluating a checked tree on a table.

# A vector along the rows of the table.
evaluate_expression <- function(node, table, what) {
  check_columns_read(node, names(table), what)
  value <- tryCatch(
    evaluate_node(node, table, nrow(table)),
    hylomath_error = function(e) fail(sprintf("%s (%s): %s", what, format_expression(node), e$what), e$try)
  )
  if (length(value) == 1) rep(value, nrow(table)) else value
}

check_columns_read <- function(node, there, what) {
  unknown <- setdiff(expression_columns(node), there)
  if (length(unknown) == 0) return()
  hint <- paste(suggestion(unknown[1], there), "A value of your R session goes in as !!x or .env$x.")
  fail(sprintf("%s reads the column %s, which the table doesn't have.", what, quoted(unknown[1])), hint)
}

evaluate_node <- function(node, table, n) {
  walk_tree(node, function(node, parts) {
    if (is.name(node)) return(expression_value(table[[as.character(node)]]))
    if (is_constant_set(node)) return(set_values(node))
    if (!is.call(node)) return(rep(node, n))
    name <- as.character(node[[1]])
    # a set of constants has a length of its own
    if (name == "c") parts <- lapply(parts, `[`, 1)
    do.call(the_functions[[name]]$run, parts)
  })
}

# A condition on rows: TRUE where it holds; a missing value does not.
rows_where <- function(text, table, what) {
  value <- evaluate_expression(parse_expression(text, what), table, what)
  if (!is.logical(value)) {
    fail(sprintf("%s must be a condition; %s gives %s.", what, quoted(text), expression_type(value)))
  }
  value %in% TRUE
}

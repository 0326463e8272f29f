# The table that everything else works on: codes that mean missing taken out, derived columns put in.

# The rules of a brief: codes by column, and the derived columns in their order.
table_rules <- function(b) {
  columns <- setdiff(names(b$table), names(b[["derive"]]))
  codes <- lapply(stats::setNames(nm = columns), function(column) settings_for(b, column)$missing_codes)
  list(codes = codes[lengths(codes) > 0], derived = as.list(b[["derive"]]))
}

# `wanted` are the columns that will be looked at (all when it is NULL): only what they need is computed and asked for.
working_table <- function(table, rules, wanted = NULL) {
  steps <- names(rules$derived)
  trees <- lapply(stats::setNames(nm = steps), function(name) parse_expression(rules$derived[[name]], quoted(name)))
  if (!is.null(wanted)) {
    plan <- needed_steps(trees, wanted)
    trees <- trees[plan$steps]
    table <- table[intersect(names(table), c(plan$raw, wanted))]
  }
  for (column in intersect(names(rules$codes), names(table))) table[[column]] <- without_codes(table[[column]], rules$codes[[column]])
  for (name in names(trees)) table[[name]] <- derived_value(trees[[name]], table, name)
  table
}

# Which derivations the wanted columns need, and which columns of the table itself. A derived column may be built on
# earlier ones, and may take the name of one that it is built on.
needed_steps <- function(trees, wanted) {
  needed <- wanted
  steps <- character()
  for (name in rev(names(trees))) {
    if (!name %in% needed) next
    steps <- c(name, steps)
    needed <- union(setdiff(needed, name), expression_columns(trees[[name]]))
  }
  list(steps = steps, raw = needed)
}

derived_value <- function(tree, table, name) {
  value <- evaluate_expression(tree, table, sprintf("The derived column %s", quoted(name)))
  if (is_number_column(value)) {
    # missing because something it was built on is missing is one thing, NaN another
    bad <- which(is.infinite(value) | is.nan(value))
    if (length(bad)) {
      fail(sprintf("The derived column %s, %s, is not finite in %s.", quoted(name), format_expression(tree), rows_text(bad)), "Guard it, for example with ifelse(), or set these rows aside with keep_rows().")
    }
  }
  value
}

# Text that is numbers once the codes are gone becomes numbers.
without_codes <- function(x, codes) {
  if (is.numeric(x)) {
    number <- suppressWarnings(as.numeric(codes))
    x[x %in% number[!is.na(number)]] <- NA
    return(x)
  }
  if (is_moment(x) || is.logical(x)) return(x)
  text <- as.character(x)
  coded <- text %in% codes
  if (!any(coded)) return(x)
  text[coded] <- NA
  if (is.factor(x)) return(factor(text, levels(x)))
  number <- suppressWarnings(as.numeric(text))
  if (all(is.na(text)) || anyNA(number[!is.na(text)])) text else number
}

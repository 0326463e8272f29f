# The working table of a brief.

# The rules of a brief for a table, see working-table.R.
table_rules <- function(b, table = b$table) {
  derived <- as.list(b[["add_columns"]])
  columns <- setdiff(names(table), names(derived))
  codes <- lapply(stats::setNames(nm = columns), function(column) settings_for(b, column)$missing_codes)
  kinds <- unlist(b$columns$kinds)
  typed <- kinds[names(kinds) %in% columns & kinds %in% c("number", "count", "date", "time")]
  formats <- as.list(b$columns$formats[intersect(names(b$columns$formats), columns)])
  list(codes = codes[lengths(codes) > 0], formats = formats, types = typed, derived = derived)
}

# What of a table a brief looks at: list(columns, kinds, formats), plain data.
looked_at_by <- function(b) {
  list(columns = unname(wanted_columns(b)), kinds = unlist(b$columns$kinds), formats = b$columns$formats)
}

# What a table says to a brief, whatever types its columns were read as: a hash of the columns that the brief looks at,
# each as its kind has it.
table_identity <- function(looked_at, table) {
  if (is_stored(table)) return(table_hash(table))
  there <- intersect(looked_at$columns %||% names(table), names(table))
  columns <- lapply(stats::setNames(nm = there[order_texts(there)]), function(column) {
    x <- table[[column]]
    kind <- looked_at$kinds[column]
    if (kind %in% c("number", "count", "date", "time")) x <- as_expected(x, kind, looked_at$formats[[column]])
    x <- if (is.factor(x) || kind %in% c("category", "id", "text")) as_label(x) else {
      if (is.numeric(x) || is.logical(x) || is_moment(x)) as.numeric(x) else x
    }
    x[seq_along(x)]  # without what R remembers of how a vector was made
  })
  rlang::hash(columns)
}

# The table as everything else sees it.
working_table_of <- function(b, table = b$table) working_table(table, table_rules(b, table))

# The working table of a brief.

# The rules of a brief for a table, see working-table.R.
table_rules <- function(b, table = b$table) {
  derived <- as.list(b[["derive"]])
  columns <- setdiff(names(table), names(derived))
  codes <- lapply(stats::setNames(nm = columns), function(column) settings_for(b, column)$missing_codes)
  list(codes = codes[lengths(codes) > 0], derived = derived)
}

# The table as everything else sees it.
working_table_of <- function(b, table = b$table) working_table(table, table_rules(b, table))

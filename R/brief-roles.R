# What each column of the table is to the network, and how it is prepared.

# The columns that the network takes in: of a kind that it can use, and without another role.
brief_inputs <- function(b) {
  columns <- b$columns
  kinds <- unlist(columns$kinds)
  usable <- names(kinds)[kinds %in% input_kinds]
  dates <- usable[kinds[usable] %in% c("date", "time")]
  usable <- setdiff(usable, Filter(function(column) length(settings_for(b, column)$dates) == 0, dates))
  others <- c(b$target, target_sources(b), b[["hold_out"]]$parts, taken_columns(columns), columns$drop)
  setdiff(usable, others)
}

# Columns that a derived target is made of would give it away.
target_sources <- function(b) {
  derived <- b[["add_columns"]]
  targets <- b$target
  if (any(targets %in% names(derived))) setdiff(raw_columns(derived, targets), targets)
}

# Columns whose role keeps them from being inputs. A date or time that orders the rows is one all the same: what is
# taken from it (season, weekday, hour) comes again, which a running number does not.
taken_columns <- function(columns) {
  taken <- unlist(columns[column_roles])
  taken[!(names(taken) == "order" & unlist(columns$kinds)[taken] %in% c("date", "time"))]
}

# The settings by which one column is prepared: the brief's, and what `only` says of this column.
settings_for <- function(b, column) {
  said <- b[["prepare"]]
  usual <- said[names(column_settings())]
  own <- said$only[[column]]
  usual[names(own)] <- own
  usual
}

# Columns that a brief names and has no use for, so that they needn't be read. What it doesn't name is guessed.
unwanted_columns <- function(b, beside = NULL) {
  columns <- b$columns
  setdiff(c(names(columns$kinds), columns$drop), c(wanted_columns(b), beside))
}

# Every column of the table that a brief names, whatever for.
named_columns <- function(b) {
  columns <- b$columns
  said <- brief_settings(b)
  own <- c(names(said[["prepare"]]$only), said[["hold_out"]]$parts)
  named <- c(said$target, names(columns$kinds), columns$drop, unlist(columns[column_roles]), own)
  setdiff(named, names(said[["add_columns"]]))
}

# The columns that a brief with known kinds will look at, NULL when they are not known yet.
wanted_columns <- function(b) {
  columns <- b$columns
  if (length(columns$kinds) == 0) return(NULL)
  how <- b[["hold_out"]]
  conditions <- unlist(c(b[["keep_rows"]], how[grep("_where$", names(how))]))
  in_conditions <- lapply(conditions, function(text) expression_columns(parse_expression(text, "condition")))
  looked_at <- c(brief_inputs(b), b$target, unlist(columns[column_roles]), how$parts, unlist(in_conditions))
  raw_columns(b[["add_columns"]], looked_at)
}

# The brief with these inputs only.
with_inputs <- function(b, inputs) {
  set_section(b, "columns", list(drop = union(b$columns$drop, setdiff(brief_inputs(b), inputs))))
}

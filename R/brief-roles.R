# What each column of the table is to the network.

# The columns that the network takes in: of a kind that it can use, and without another role.
brief_inputs <- function(b) {
  kinds <- unlist(b$columns$kinds)
  usable <- names(kinds)[kinds %in% c("number", "count", "flag", "category", "date", "time", "missing")]
  dates <- usable[kinds[usable] %in% c("date", "time")]
  usable <- setdiff(usable, dates[vapply(dates, function(column) length(settings_for(b, column)$dates) == 0, NA)])
  setdiff(usable, c(b$target, target_sources(b), b[["hold_out"]]$parts, taken_columns(b, kinds), b$columns$drop))
}

# Columns that a derived target is made of would give it away.
target_sources <- function(b) {
  if (!any(b$target %in% names(b[["derive"]]))) return(character())
  trees <- lapply(b[["derive"]], parse_expression, "derive")
  setdiff(needed_steps(trees, b$target)$raw, b$target)
}

# Columns whose role keeps them from being inputs. A date or time that orders the rows is one all the same: what is
# taken from it (season, weekday, hour) comes again, which a running number does not.
taken_columns <- function(b, kinds) {
  taken <- unlist(b$columns[column_roles])
  taken[!(names(taken) == "order" & kinds[taken] %in% c("date", "time"))]
}

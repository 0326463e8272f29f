# What each column of the table is to the network.

# The columns that the network takes in: of a kind that it can use, and without another role.
brief_inputs <- function(b) {
  kinds <- unlist(b$columns$kinds)
  usable <- names(kinds)[kinds %in% c("number", "count", "flag", "category", "date", "time", "missing")]
  if (b[["prepare"]]$dates == "none") usable <- setdiff(usable, names(kinds)[kinds %in% c("date", "time")])
  setdiff(usable, c(b$target, taken_columns(b, kinds), b$columns$drop))
}

# Columns whose role keeps them from being inputs. A date or time that orders the rows is one all the same: what is
# taken from it (season, weekday, hour) comes again, which a running number does not.
taken_columns <- function(b, kinds) {
  taken <- unlist(b$columns[column_roles])
  taken[!(names(taken) == "order" & kinds[taken] %in% c("date", "time"))]
}

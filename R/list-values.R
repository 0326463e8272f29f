# Small functions on lists.

drop_nulls <- function(x) x[!vapply(x, is.null, NA)]

# A data frame as a list of its rows, each a list; picking rows out of it one by one takes far longer.
rows_of <- function(table) lapply(seq_len(nrow(table)), function(i) lapply(table, `[`, i))

in_schema_order <- function(settings, schema) settings[intersect(names(schema), names(settings))]

# The value at a path of names; NULL where there is none.
value_at <- function(values, path) Reduce(function(at, key) at[[key]], path, values)

# The settings with a value at a path, whose upper parts may not be there yet. A word in its way is the kind of what is
# set (`regimen.loss.delta`), or gives way (`regimen.stop.seconds` for `none`); another kind has settings of its own.
set_at <- function(settings, path, value) {
  if (is.character(settings)) {
    settings <- if (settings[1] == "auto" && path[1] %in% stop_rules) {
      list(patience = "auto")  # a further rule takes none away
    } else if (settings[1] %in% c("none", "even", "auto")) list() else list(kind = settings[1])
  }
  if (path[1] == "kind") settings <- list()
  settings <- as.list(settings)
  settings[[path[1]]] <- if (length(path) == 1) value else set_at(settings[[path[1]]], path[-1], value)
  settings
}

# What ends training beside patience.
stop_rules <- c("gradient", "loss", "seconds")

# The same rows of every part of a list of vectors and data frames.
rows_of_each <- function(parts, rows) {
  lapply(parts, function(x) if (is.data.frame(x)) x[rows, , drop = FALSE] else x[rows])
}

# A list of columns as a data frame, without a look at them.
as_plain_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1]])))
}

# Until `frame` ends a longer name that would pass for the one that is asked for by `$` is a warning. Set back to NULL,
# as it is at first, R would go on warning.
local_exact_names <- function(frame = parent.frame()) {
  former <- isTRUE(getOption("warnPartialMatchDollar"))
  options(warnPartialMatchDollar = TRUE)
  withr::defer(options(warnPartialMatchDollar = former), envir = frame)
}

# A table as the core's encoder takes it, and the target there and back. The encoding itself is the core's
# (src/core/encode.hpp); the plans come from prep-learn.R.

# Each input column as numbers or codes: 1 .. for the levels, 0 for one that training never saw.
encoder_sources <- function(preparation, table) {
  lapply(preparation$columns, function(plan) source_column(plan, table[[plan$column]]))
}

source_column <- function(plan, x) {
  switch(plan$encoding,
    number = if (is.numeric(x) || is.logical(x)) x else as.numeric(x),
    level = , score = , code = if (isTRUE(plan$hashed)) hash_codes(x, plan$width) else level_codes(x, plan$levels),
    date = if (plan$clock) local_seconds(x) else as.numeric(as.Date(x))
  )
}

level_codes <- function(x, levels) {
  if (is.factor(x)) return(match(enc2utf8(levels(x)), levels, nomatch = 0L)[as.integer(x)])
  seen <- levels_of(x)
  match(seen$levels, levels, nomatch = 0L)[seen$codes]
}

hash_codes <- function(x, buckets) {
  seen <- levels_of(x)
  (as.integer(core_hash(seen$levels) %% buckets) + 1L)[seen$codes]
}

# Seconds on the clock of the column's own time zone.
local_seconds <- function(x) {
  if (inherits(x, "Date")) return(as.numeric(x) * 86400)
  if (time_zone(x) %in% c("UTC", "GMT")) return(as.numeric(x))
  part <- as.POSIXlt(x, tz = time_zone(x))
  as.numeric(as.Date(part)) * 86400 + part$hour * 3600 + part$min * 60 + part$sec
}

plan_features <- function(plan) {
  name <- plan$column
  switch(plan$encoding,
    number = c(name, if (plan$flag) paste0(name, ":missing")),
    score = name,
    code = character(),
    level = if (isTRUE(plan$hashed)) paste0(name, "#", seq_len(plan$width)) else
      paste0(name, "=", c(plan$levels, if (plan$lumped) "(other)", if (plan$own) "(missing)")),
    date = paste0(name, ":", unlist(part_features[plan$parts]))
  )
}

part_features <- list(
  season = c("year_sin", "year_cos"), weekday = c("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"),
  month = c("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"),
  quarter = c("Q1", "Q2", "Q3", "Q4"), year = "year", hour = c("hour_sin", "hour_cos")
)

# The inputs of the first layer: the encoded ones, then the dimensions of the embeddings.
network_inputs <- function(preparation) {
  embedded <- Filter(function(plan) plan$encoding == "code", preparation$columns)
  c(preparation$features, unlist(lapply(embedded, function(plan) paste0(plan$column, "~", seq_len(plan$width)))))
}

# The targets as the core takes them, one column each: the scaled number, 1 for the positive class, the class's place (from
# 0 among ordered classes).
encode_target <- function(b, preparation, targets) {
  if (b$task != "classification") {
    y <- vapply(targets, as.numeric, numeric(nrow(targets)))
    y <- matrix(y, nrow(targets))
    if (preparation$target$log) y <- log(y)
    return(sweep(sweep(y, 2, preparation$target$shift), 2, preparation$target$scale, `/`))
  }
  seen <- levels_of(targets[[1]])
  place <- as.numeric(match(seen$levels, b$classes)[seen$codes])
  if (settled_loss(b)$kind == "ordinal") return(matrix(place - 1))
  matrix(if (length(b$classes) == 2) (seen$levels == b$positive)[seen$codes] + 0 else place)
}

# The network's numbers in the targets' own units: one column an answer, in rows of the table.
decode_numbers <- function(preparation, raw) {
  target <- preparation$target
  z <- t(raw) * rep(target$scale, each = ncol(raw)) + rep(target$shift, each = ncol(raw))
  if (target$log) exp(z) * rep(target$smear, each = ncol(raw)) else z
}

# The columns that a table of new rows must have.
needed_columns <- function(model) {
  inputs <- vapply(model$preparation$columns, `[[`, "", "column")
  trees <- lapply(model$preparation$rules$derived, parse_expression, "derive")
  c(needed_steps(trees, inputs)$raw, model$brief$columns$exposure)
}

# Columns are found by name, in any order; one that is missing or of another type fails before any work. Returns the
# table that the network's inputs are read from.
new_rows <- function(preparation, table) {
  inputs <- vapply(preparation$columns, `[[`, "", "column")
  trees <- lapply(preparation$rules$derived, parse_expression, "derive")
  needed <- needed_steps(trees, inputs)$raw
  absent <- setdiff(needed, names(table))
  if (length(absent)) {
    fail(
      sprintf("The table has no column %s, which the network needs%s.", quoted(absent[1]), if (length(absent) > 1) sprintf(" (nor %s)", enumerate(quoted(absent[-1]))) else ""),
      suggestion(absent[1], names(table))
    )
  }
  table <- working_table(table, preparation$rules, inputs)
  for (plan in preparation$columns) check_new_column(table[[plan$column]], plan)
  table
}

check_new_column <- function(x, plan) {
  if (!fits_kind(x, plan$kind)) {
    wanted <- c(number = "numbers", count = "numbers", flag = "logical, or 0 and 1", category = "text", date = "dates", time = "times")
    fail(sprintf("Column %s must be %s as in training; here it is %s.", quoted(plan$column), wanted[[plan$kind]], type_name(x)), bad_number_hint(x, plan$kind))
  }
  if (is.numeric(x)) check_finite(x, plan$column)
}

# Which value keeps a column of text from being numbers.
bad_number_hint <- function(x, kind) {
  if (!kind %in% c("number", "count") || !(is.character(x) || is.factor(x))) return(NULL)
  x <- as.character(x)
  bad <- which(!is.na(x) & is.na(suppressWarnings(as.numeric(x))))
  if (length(bad)) sprintf("Row %d holds %s.", bad[1], describe(x[bad[1]])) else "Read the column as numbers."
}

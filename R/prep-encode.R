# A table as the core's encoder takes it. The encoding itself is the core's (src/core/encode.hpp); the plans come from
# prep-learn.R.

# Whether a learned point stands for each level.
is_embedded <- function(plan) plan$encoding == "code"

# Each input column as numbers or codes: 1 .. for the levels, 0 for one that training never saw.
encoder_sources <- function(preparation, table) {
  Map(source_column, preparation$columns, unname(columns_of(table, prepared_columns(preparation))))
}

source_column <- function(plan, x) {
  switch(plan$encoding,
    number = if (is.numeric(x) || is.logical(x)) x else as.numeric(x),
    level = , score = , code = if (isTRUE(plan$hashed)) hash_codes(x, plan$width) else level_codes(x, plan$levels),
    date = if (plan$clock) local_seconds(x, plan$zone) else as.numeric(date_shown(x))
  )
}

# Of a factor its own places and the code of each of its levels, so that nothing is made that is as long as the table.
level_codes <- function(x, levels) {
  if (is.factor(x)) return(list(x, match(enc2utf8(levels(x)), levels, nomatch = 0L)))
  seen <- levels_of(x)
  match(seen$levels, levels, nomatch = 0L)[seen$codes]
}

labels_and_places <- function(x) {
  if (is.factor(x)) list(levels = enc2utf8(levels(x)), codes = as.integer(x)) else levels_of(x)
}

hash_codes <- function(x, buckets) {
  seen <- levels_of(x)
  (as.integer(core_hash(seen$levels) %% buckets) + 1L)[seen$codes]
}

# What several preparations take of a table, each thing once: list(columns, intakes, intake) as core_joint_predictions()
# takes them; `intake` is by preparation the place of its own. A column of labels holds each row's place among the
# labels that occur, and an intake the code of each of them.
shared_intakes <- function(preparations, table) {
  each <- lapply(preparations, `[[`, "columns")
  # match() would write both lists out as text
  intake <- vapply(each, function(own) Position(function(other) identical(own, other), each), 0L)
  intakes <- each[unique(intake)]
  plans <- unlist(intakes, recursive = FALSE)
  keys <- vapply(plans, source_key, "")
  first <- !duplicated(keys)
  found <- Map(shared_source, plans[first], columns_of(table, vapply(plans[first], `[[`, "", "column")))
  names(found) <- keys[first]
  list(
    columns = unname(lapply(found, `[[`, "codes")),
    intakes = lapply(intakes, function(plans) {
      keys <- vapply(plans, source_key, "")
      codes <- Map(function(plan, key) {
        if (by_labels(plan)) match(found[[key]]$levels, plan$levels, nomatch = 0L)
      }, plans, keys)
      list(plans = plans, places = match(keys, names(found)), codes = unname(codes))
    }),
    intake = match(intake, unique(intake))
  )
}

# Plans with the same key look at the same of a column.
source_key <- function(plan) {
  how <- switch(plan$encoding, number = , date = plan$zone, if (by_labels(plan)) "labels" else plan$width)
  paste(plan$column, plan$encoding == "number", how)
}

by_labels <- function(plan) plan$encoding %in% c("level", "score", "code") && !isTRUE(plan$hashed)

shared_source <- function(plan, x) {
  if (by_labels(plan)) labels_and_places(x) else list(codes = source_column(plan, x))
}

plan_features <- function(plan) {
  name <- plan$column
  switch(plan$encoding,
    number = c(number_features(plan), if (plan$flag) paste0(name, ":missing")),
    score = name,
    code = character(),
    level = level_features(plan),
    date = paste0(name, ":", unlist(part_features[plan$parts]))
  )
}

# Pieces are numbered, waves are named by their length in standard deviations.
number_features <- function(plan) {
  name <- plan$column
  if (!is.null(plan$edges)) return(paste0(name, "/", seq_len(length(plan$edges) - 1)))
  if (is.null(plan$waves)) return(name)
  c(name, paste0(name, ":", c("sin", "cos"), rep(format_each(1 / plan$waves), each = 2)))
}

level_features <- function(plan) {
  if (isTRUE(plan$hashed)) return(paste0(plan$column, "#", seq_len(plan$width)))
  paste0(plan$column, "=", c(plan$levels, if (plan$lumped) "(other)", if (plan$own) "(missing)"))
}

part_features <- list(
  season = c("year_sin", "year_cos"), weekday = c("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"),
  month = c("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"),
  quarter = c("Q1", "Q2", "Q3", "Q4"), year = "year", hour = c("hour_sin", "hour_cos")
)

# The inputs of the first layer: the encoded ones, then the dimensions of the embeddings.
network_inputs <- function(preparation) {
  embedded <- Filter(is_embedded, preparation$columns)
  c(preparation$features, unlist(lapply(embedded, function(plan) paste0(plan$column, "~", seq_len(plan$width)))))
}

prepared_columns <- function(preparation) vapply(preparation$columns, `[[`, "", "column")

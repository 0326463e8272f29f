# A brief is a list with the keys of brief_schema() in their order, keys without a value left out, and behind them
# the table that it was started from, as `table`. The table is no part of what the brief says: files leave it out.
# Sections are taken as b[["regimen"]] here and below, since the verbs that set them have the same names.

# `settings` are settled; there may be no table, as for a brief that was read from a file.
new_brief <- function(settings, table = NULL) {
  settings <- in_schema_order(settings, brief_schema())
  settings$table <- table
  structure(settings, class = "hylomath_brief")
}

brief_settings <- function(b) unclass(b)[names(b) != "table"]

without_table <- function(b) new_brief(brief_settings(b))

# What is said of a network's use makes no other analysis.
without_about <- function(b) {
  b["about"] <- NULL
  b
}

# Brings `changes` into one section of the brief; NULLs leave what is there.
set_section <- function(b, section, changes) {
  schema <- brief_schema()[[section]]
  changes <- settle_settings(drop_nulls(changes), schema, section)
  merged <- utils::modifyList(b[[section]], changes)
  # modifyList would merge named class weights with the former ones
  for (whole in intersect(settings_set_whole, names(changes))) merged[[whole]] <- changes[[whole]]
  b[[section]] <- in_schema_order(merged, schema)
  b
}

settings_set_whole <- c("class_weights", "stop", "only", "loss", "schedule")

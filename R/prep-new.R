# New rows, as far as a preparation looks at them.

# Columns are found by name, in any order; one that is missing or of another type fails before any work. Returns the
# table that the network's inputs are read from.
new_rows <- function(preparation, table) {
  inputs <- prepared_columns(preparation)
  check_needed_columns(raw_columns(preparation$rules$derived, inputs), names(table), "The table")
  table <- working_table(table, preparation$rules, inputs)
  Map(check_new_column, columns_of(table, inputs), preparation$columns)
  table
}

# The table with what is no number, where numbers are needed, taken for missing. The attribute `bad` counts such cells
# by column.
cleaned_cells <- function(preparation, table) {
  numbers <- vapply(Filter(function(plan) plan$encoding == "number", preparation$columns), `[[`, "", "column")
  counts <- numeric()
  for (column in intersect(raw_columns(preparation$rules$derived, numbers), names(table))) {
    x <- table[[column]]
    text <- (is.character(x) || is.factor(x)) && column %in% numbers
    if (!text && !is.numeric(x)) next
    number <- if (text) suppressWarnings(as.numeric(as.character(x))) else x
    number[is.infinite(number)] <- NA
    counts[[column]] <- sum(is.na(number) & !is.na(x))
    table[[column]] <- number
  }
  structure(table, bad = counts[counts > 0])
}

# The same with a word about it.
without_bad_cells <- function(preparation, table) {
  table <- cleaned_cells(preparation, table)
  tell_bad_cells(attr(table, "bad"))
  structure(table, bad = NULL)
}

tell_bad_cells <- function(bad) {
  if (length(bad) == 0) return()
  told <- sprintf("%s of %s", format_each_count(bad), vapply(names(bad), quoted, ""))
  rlang::inform(sprintf("Cells that are not numbers are taken for missing: %s.", enumerate(told)))
}

check_new_column <- function(x, plan) {
  if (!fits_kind(x, plan$kind)) {
    what <- "Column %s must be %s as in training; here it is %s."
    wanted <- kinds_in_words[[plan$kind]]
    fail(sprintf(what, quoted(plan$column), wanted, type_name(x)), bad_number_hint(x, plan$kind))
  }
  if (!is.character(x) && !is.factor(x)) check_finite(as.numeric(x), plan$column)
  zone <- if (isTRUE(plan$clock) && inherits(x, "POSIXct")) time_zone(x)
  if (!is.null(zone) && zone != plan$zone && !all(c(zone, plan$zone) %in% zones_of_utc)) {
    what <- paste(
      "Column %s is in the time zone %s; the network learned it in %s,",
      "and takes the hours of the same instants there."
    )
    rlang::warn(sprintf(what, quoted(plan$column), zone, plan$zone), class = "hylomath_warning_zone")
  }
}

kinds_in_words <- c(
  number = "numbers", count = "numbers", flag = "logical, or 0 and 1", category = "text", date = "dates",
  time = "times"
)

# Which value keeps a column of text from being numbers.
bad_number_hint <- function(x, kind) {
  if (!kind %in% c("number", "count") || !(is.character(x) || is.factor(x))) return(NULL)
  x <- as.character(x)
  bad <- which(!is.na(x) & is.na(suppressWarnings(as.numeric(x))))
  if (length(bad) == 0) return("Read the column as numbers.")
  more <- if (length(bad) > 1) sprintf(", and %s more are not numbers", counted(length(bad) - 1, "row")) else ""
  sprintf(
    "Row %s holds %s%s. To take such cells for missing: bad_cells = \"missing\" (`--bad-cells missing`).",
    format_count(bad[1]), describe(x[bad[1]]), more
  )
}

# ---- what is unusual about them -----------------------------------------------------------------------------------

# By what is unusual, whether it is in each row; FALSE where it is in none, which mostly takes a glance to see.
unusual_in_column <- function(plan, x) {
  list(
    unseen = unseen_rows(plan, x), missing = if (plan$seen_missing == 0 && anyNA(x)) is.na(x) else FALSE,
    outside = outside_rows(plan, x)
  )
}

unseen_rows <- function(plan, x) {
  if (is.null(plan$levels)) return(FALSE)
  found <- labels_and_places(x)
  unseen <- !found$levels %in% c(plan$levels, plan$rare)
  if (any(unseen)) unseen[found$codes] %in% TRUE else FALSE
}

outside_rows <- function(plan, x) {
  if (plan$encoding != "number") return(FALSE)
  x <- as.numeric(x)
  within <- suppressWarnings(min(x, na.rm = TRUE) >= plan$seen_low && max(x, na.rm = TRUE) <= plan$seen_high)
  if (within) FALSE else !is.na(x) & (x < plan$seen_low | x > plan$seen_high)
}

trained_on <- function(plan) {
  if (plan$encoding == "number") {
    return(paste(format_each(signif(c(plan$seen_low, plan$seen_high), 6)), collapse = " to "))
  }
  if (!is.null(plan$levels)) counted(length(plan$levels) + length(plan$rare), "level") else ""
}

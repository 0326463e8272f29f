# From a table and a preparation to the matrix of inputs: one row a feature, one column a row of the table.

encode_inputs <- function(preparation, table) {
  do.call(rbind, lapply(preparation$columns, function(learned) encode_column(learned, table[[learned$column]])))
}

encode_column <- function(learned, x) {
  switch(learned$kind,
    number = , count = , flag = encode_number(learned, as.numeric(x)),
    category = encode_levels(learned, as_label(x)),
    date = encode_date(as.Date(x)),
    time = rbind(encode_date(as.Date(x, tz = time_zone(x))), encode_hour(x))
  )
}

column_features <- function(learned) {
  name <- learned$column
  switch(learned$kind,
    number = , count = , flag = name,
    category = paste0(name, "=", c(learned$levels, if (learned$lumped) "(other)")),
    date = date_features(name),
    time = c(date_features(name), paste0(name, c(":hour_sin", ":hour_cos")))
  )
}

encode_number <- function(learned, x) {
  x[is.na(x)] <- learned$fill
  matrix((x - learned$shift) / learned$scale, nrow = 1)
}

encode_levels <- function(learned, x) {
  place <- match(x, learned$levels)
  if (learned$lumped) place[is.na(place) & !is.na(x)] <- length(learned$levels) + 1L
  result <- matrix(0, length(learned$levels) + learned$lumped, length(x))
  known <- which(!is.na(place))
  result[cbind(place[known], known)] <- 1
  result
}

# The place in the year as a point on a circle, so that December is next to January, and the weekday.
encode_date <- function(x) {
  part <- as.POSIXlt(x)
  turn <- 2 * pi * part$yday / 365.25
  weekday <- (part$wday + 6) %% 7  # 0 for Monday
  result <- rbind(sin(turn), cos(turn), t(outer(weekday, 0:6, `==`)) + 0)
  result[, is.na(x)] <- 0
  result
}

date_features <- function(name) {
  days <- c("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
  c(paste0(name, c(":year_sin", ":year_cos")), paste0(name, ":", days))
}

encode_hour <- function(x) {
  part <- as.POSIXlt(x)
  turn <- 2 * pi * (part$hour + part$min / 60) / 24
  result <- rbind(sin(turn), cos(turn))
  result[, is.na(x)] <- 0
  result
}

time_zone <- function(x) {
  zone <- attr(x, "tzone")
  if (is.null(zone) || zone[1] == "") "UTC" else zone[1]
}

# The target as the loss wants it: one row an output, one column a row of the table; and back.
encode_target <- function(b, preparation, y) {
  if (b$task != "classification") {
    return(matrix((as.numeric(y) - preparation$target$shift) / preparation$target$scale, nrow = 1))
  }
  label <- as_label(y)
  if (length(b$classes) == 2) return(matrix((label == b$positive) + 0, nrow = 1))
  t(outer(label, b$classes, `==`)) + 0
}

decode_number <- function(preparation, answers) {
  as.numeric(answers) * preparation$target$scale + preparation$target$shift
}

# Columns are found by name, in any order; one that is missing or of another type fails before any work.
check_columns <- function(preparation, table) {
  needed <- vapply(preparation$columns, `[[`, "", "column")
  absent <- setdiff(needed, names(table))
  if (length(absent)) {
    fail(
      sprintf("The table has no column %s, which the network needs%s.", quoted(absent[1]), if (length(absent) > 1) sprintf(" (nor %s)", enumerate(quoted(absent[-1]))) else ""),
      suggestion(absent[1], names(table))
    )
  }
  for (learned in preparation$columns) {
    x <- table[[learned$column]]
    if (!fits_kind(x, learned$kind)) {
      wanted <- c(number = "numbers", count = "numbers", flag = "logical, or 0 and 1", category = "text", date = "dates", time = "times")
      fail(sprintf("Column %s must be %s as in training; here it is %s.", quoted(learned$column), wanted[[learned$kind]], type_name(x)), bad_number_hint(x, learned$kind))
    }
    if (is.numeric(x)) check_finite(x, learned$column)
  }
}

# Which value keeps a column of text from being numbers.
bad_number_hint <- function(x, kind) {
  if (!kind %in% c("number", "count") || !(is.character(x) || is.factor(x))) return(NULL)
  x <- as.character(x)
  bad <- which(!is.na(x) & is.na(suppressWarnings(as.numeric(x))))
  if (length(bad)) sprintf("Row %d holds %s.", bad[1], describe(x[bad[1]])) else "Read the column as numbers."
}

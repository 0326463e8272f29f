# Columns of all makes as the few that are understood here: numbers, logical values, text or factors, dates, times.

as_table <- function(data) {
  if (!is.data.frame(data)) fail(sprintf("Rows are given as a data frame, not as %s.", describe_class(data)))
  data <- as.data.frame(data)
  check_names(data)
  odd <- !vapply(data, is_plain, NA)
  data <- change_columns(data, odd, plain_value, names(data)[odd])
  change_columns(data, vapply(data, has_empty_texts, NA), empty_as_missing)
}

# The table with some of its columns changed by `change`, which gets a column and an element of each of `...`. As a
# list, since each assignment to a data frame copies its list of columns, which takes minutes where there are 100,000.
change_columns <- function(table, which, change, ...) {
  if (!any(which)) return(table)
  columns <- as.list(table)
  columns[which] <- Map(change, columns[which], ...)
  attributes(columns) <- attributes(table)
  columns
}

# An empty text is a missing value, as it is in a file: no file, database or program could tell them apart.
has_empty_texts <- function(x) if (is.factor(x)) "" %in% levels(x) else is.character(x) && !all(nzchar(x))

empty_as_missing <- function(x) {
  if (is.factor(x)) levels(x)[levels(x) == ""] <- NA else x[!nzchar(x)] <- NA
  x
}

check_names <- function(table) {
  columns <- names(table)
  empty <- which(is.na(columns) | columns == "")
  if (length(empty)) fail(sprintf("Column %d has no name.", empty[1]), "Give it one.")
  twice <- columns[duplicated(columns)]
  if (length(twice)) fail(sprintf("Two columns are called %s.", quoted(twice[1])), "Rename one of them.")
}

is_plain <- function(x) {
  if (!is.null(dim(x))) return(FALSE)
  if (is.object(x)) return(inherits(x, c("factor", "Date", "POSIXct")) && !inherits(x, "haven_labelled"))
  is.numeric(x) || is.logical(x) || is.character(x)
}

# Labelled values whose labels name all of them become their labels; 64-bit integers become doubles; matrices with one
# column lose their dimension. What is left (lists, complex numbers) stays and is of the kind `other`.
plain_value <- function(x, name) {
  if (inherits(x, "haven_labelled")) return(labelled_value(x))
  if (inherits(x, "integer64")) {
    rlang::check_installed("bit64", "to read 64-bit integers")
    return(as.numeric(getExportedValue("bit64", "as.double.integer64")(x)))
  }
  if (inherits(x, "POSIXlt")) return(as.POSIXct(x))
  if (inherits(x, "difftime")) return(as.numeric(x, units = "days"))
  if (length(dim(x)) == 2 && ncol(x) == 1 && !is.data.frame(x)) return(as.vector(x))
  if (!is.null(dim(x))) {
    fail(sprintf("Column %s holds a table of its own.", quoted(name)), "Make each of its columns a column.")
  }
  if (is.numeric(x) && !is.list(x)) return(as.numeric(unclass(x)))
  if (is.character(x)) return(as.character(unclass(x)))
  x
}

labelled_value <- function(x) {
  labels <- attr(x, "labels", exact = TRUE)
  values <- as.vector(unclass(x))
  if (length(labels) == 0 || !all(values[!is.na(values)] %in% labels)) return(values)
  names(labels)[match(values, labels)]
}

in_order <- function(table, by) {
  table <- table[order(by), ]
  rownames(table) <- NULL
  table
}

# By its columns alone: R keeps the same row names in more than one way.
table_hash <- function(table) if (is_stored(table)) attr(table, "stored")$hash else rlang::hash(as.list(table))

# ---- moments ---------------------------------------------------------------------------------------------------------

# Dates and times: their type, their zone and their clock.

is_moment <- function(x) inherits(x, c("Date", "POSIXct"))

# The date that a date or time shows where it was written.
date_shown <- function(x) if (inherits(x, "Date")) x else as.Date(format(x, "%Y-%m-%d"))

# Days since 1970-01-01; the instant of a time.
days_of <- function(x) if (inherits(x, "Date")) as.numeric(x) else as.numeric(x) / 86400

time_formats <- c("%Y-%m-%d %H:%M:%OS", "%Y-%m-%d %H:%M")

# Text as a date, or as a time where it is compared with one.
as_moment <- function(text, like) {
  result <- if (inherits(like, "Date")) as.Date(text, "%Y-%m-%d") else
    as.POSIXct(text, tz = time_zone(like), tryFormats = c(time_formats, "%Y-%m-%d"), optional = TRUE)
  bad <- which(is.na(result) & !is.na(text))
  if (length(bad)) fail(sprintf("%s is not a date.", describe(text[bad[1]])), "Dates are written YYYY-MM-DD.")
  result
}

# The zone that a time shows itself in: the one that it names, else that of the session.
time_zone <- function(x) {
  zone <- attr(x, "tzone")
  if (is.null(zone) || zone[1] == "") session_zone() else zone[1]
}

zones_of_utc <- c("UTC", "GMT", "Etc/UTC", "Etc/GMT")

session_zone <- function() {
  zone <- Sys.timezone()
  if (is.null(zone) || is.na(zone) || !nzchar(zone)) "UTC" else zone
}

# Year, month and so on in the column's own time zone.
local_parts <- function(d) if (inherits(d, "Date")) as.POSIXlt(d) else as.POSIXlt(d, tz = time_zone(d))

# Seconds on the clock of a time zone, the column's own if none is named.
local_seconds <- function(x, zone = time_zone(x)) {
  if (inherits(x, "Date")) return(as.numeric(x) * 86400)
  if (zone %in% zones_of_utc) return(as.numeric(x))
  part <- as.POSIXlt(x, tz = zone)
  as.numeric(as.Date(part)) * 86400 + part$hour * 3600 + part$min * 60 + part$sec
}

# ---- whether a table fits --------------------------------------------------------------------------------------------

# Whether a column is what it is taken for.

check_is_column <- function(table, column, role) {
  if (!column %in% names(table)) {
    fail(sprintf("There is no column %s to be the %s.", quoted(column), role), suggestion(column, names(table)))
  }
}

# Whether what is there holds all columns that a network needs; `holder` begins the sentence.
check_needed_columns <- function(needed, there, holder) {
  lacking <- setdiff(needed, there)
  if (length(lacking) == 0) return()
  others <- if (length(lacking) > 1) sprintf(" (nor %s)", enumerate(quoted(lacking[-1]))) else ""
  what <- sprintf("%s has no column %s, which the network needs%s.", holder, quoted(lacking[1]), others)
  fail(what, suggestion(lacking[1], there))
}

check_finite <- function(x, column) {
  if (max(0, x, na.rm = TRUE) <= most_of_a_number && min(0, x, na.rm = TRUE) >= -most_of_a_number) return()
  bad <- which(is.infinite(x))
  if (length(bad)) {
    what <- sprintf("Column %s is infinite in %s.", quoted(column), rows_text(bad))
    fail(what, "Mend these values or make them missing.")
  }
  huge <- which(abs(x) > most_of_a_number)
  if (length(huge)) {
    what <- "Column %s holds %s in %s, which is too large to compute with (the limit is 1e30)."
    value <- format_number(x[huge[1]])
    fail(sprintf(what, quoted(column), value, rows_text(huge)), "Give it in a larger unit, or make these missing.")
  }
}

# Squares of it still fit single precision's range once they are scaled.
most_of_a_number <- 1e30

# Whether what is to be learned from is large enough that its spread can be told: squares have to fit double precision.
check_not_tiny <- function(x, column) {
  largest <- max(0, x, -min(0, x, na.rm = TRUE), na.rm = TRUE)
  if (largest == 0 || largest >= least_of_a_column) return()
  what <- "Column %s holds nothing larger than %s, which is too small to compute with (the limit is 1e-100)."
  fail(sprintf(what, quoted(column), format_number(largest)), "Give it in a smaller unit.")
}

least_of_a_column <- 1e-100

# Whether a column has no value; mostly the first rows tell.
is_all_missing <- function(x) all(is.na(utils::head(x, 10))) && all(is.na(x))

# Whether values can be encoded as the kind says. A column without any value fits every kind.
fits_kind <- function(x, kind) {
  if (is_all_missing(x)) return(TRUE)
  switch(kind,
    number = , count = is.numeric(x) || is.logical(x),
    flag = is.logical(x) || (is.numeric(x) && all(x %in% c(0, 1, NA))),
    category = is.character(x) || is.factor(x) || is.logical(x) || is.numeric(x),
    date = inherits(x, c("Date", "POSIXct")),
    time = inherits(x, "POSIXct"),
    FALSE
  )
}

type_name <- function(x) {
  if (is.character(x) || is.factor(x)) return("text")
  if (is.logical(x)) return("logical")
  if (is.numeric(x)) return("numbers")
  paste0("of class ", class(x)[1])
}

check_exposure_values <- function(x, column) {
  if (!is.numeric(x)) fail(sprintf("The exposure %s must be numbers, not %s.", quoted(column), type_name(x)))
  bad <- which(is.na(x) | x <= 0 | is.infinite(x))
  if (length(bad)) fail(sprintf("The exposure %s is not a number above 0 in %s.", quoted(column), rows_text(bad)))
}

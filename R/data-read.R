# Reading tables. A brief's kinds, when known, decide how a column is read, so that a category `010` is not taken for
# the number ten.

read_table <- function(file, kinds = NULL) {
  check_file(file)
  rlang::check_installed("data.table", "to read CSV files")
  if (file.size(file) == 0) fail(sprintf("%s is empty.", quoted(file)))
  as_text <- names(kinds)[kinds %in% c("category", "id", "text")]
  header <- read_header(file)
  table <- tryCatch(
    data.table::fread(
      file, data.table = FALSE, na.strings = c("", "NA"), keepLeadingZeros = TRUE, check.names = FALSE,
      encoding = "UTF-8", colClasses = list(character = intersect(as_text, header)), showProgress = FALSE
    ),
    error = function(e) fail(sprintf("%s can't be read as a table: %s", quoted(file), conditionMessage(e))),
    warning = function(w) fail(
      sprintf("%s can't be read as a table: %s", quoted(file), conditionMessage(w)),
      "Every row must have as many values as the header has names."
    )
  )
  if (nrow(table) == 0) fail(sprintf("%s has a header but no rows.", quoted(file)))
  table[] <- Map(read_column, table, names(table) %in% as_text)
  table
}

# The cells as they stand in the file, for writing them again beside something new.
read_cells <- function(file) {
  data.table::fread(
    file, data.table = FALSE, colClasses = "character", na.strings = NULL, check.names = FALSE, encoding = "UTF-8",
    showProgress = FALSE, strip.white = FALSE
  )
}

write_table <- function(table, file) {
  rlang::check_installed("data.table", "to write CSV files")
  replace_whole(file, function(part) data.table::fwrite(table, part, dateTimeAs = "ISO"))
}

read_header <- function(file) {
  names(suppressWarnings(tryCatch(data.table::fread(file, nrows = 0, encoding = "UTF-8"), error = function(e) NULL)))
}

# The reader's own classes of dates as base R's, and dates that it left as text.
read_column <- function(x, keep_text) {
  if (inherits(x, "Date")) return(structure(as.numeric(x), class = "Date"))
  if (!is.character(x)) return(if (inherits(x, "integer64")) as.numeric(format(x)) else x)
  Encoding(x) <- "UTF-8"
  if (keep_text) x else iso_dates(x)
}

# Text that is an ISO 8601 date or time (in UTC) throughout becomes one.
iso_dates <- function(x) {
  date <- "^[0-9]{4}-[0-9]{2}-[0-9]{2}"
  first <- x[!is.na(x)][1]
  if (is.na(first) || !grepl(date, first)) return(x)
  if (all(grepl(paste0(date, "$"), x) | is.na(x))) return(unless_lost(as.Date(x, "%Y-%m-%d"), x))
  time <- paste0(date, "[T ][0-9]{2}:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?Z?$")
  if (!all(grepl(time, x) | is.na(x))) return(x)
  text <- sub("Z$", "", sub("T", " ", x))
  unless_lost(as.POSIXct(text, tz = "UTC", tryFormats = c("%Y-%m-%d %H:%M:%OS", "%Y-%m-%d %H:%M")), x)
}

# "2023-02-30" looks like a date and is none: then the column stays text.
unless_lost <- function(converted, x) if (identical(is.na(converted), is.na(x))) converted else x

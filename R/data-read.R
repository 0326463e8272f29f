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
  table[] <- lapply(table, plain_column)
  table
}

read_header <- function(file) {
  names(suppressWarnings(tryCatch(data.table::fread(file, nrows = 0, encoding = "UTF-8"), error = function(e) NULL)))
}

# The reader's own classes of dates and 64-bit integers as base R's.
plain_column <- function(x) {
  if (inherits(x, "integer64")) return(as.numeric(format(x)))
  if (inherits(x, "Date")) return(structure(as.numeric(x), class = "Date"))
  if (is.character(x)) Encoding(x) <- "UTF-8"
  x
}

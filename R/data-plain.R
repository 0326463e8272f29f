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

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

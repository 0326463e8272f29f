# The types that values in expressions have: numbers, logical values, text, dates and times.

expression_value <- function(x) {
  if (is.factor(x)) return(as.character(x))
  if (is.numeric(x) && !is_moment(x)) return(as.numeric(x))
  x
}

is_moment <- function(x) inherits(x, c("Date", "POSIXct"))

# Days since 1970-01-01; the instant of a time.
days_of <- function(x) if (inherits(x, "Date")) as.numeric(x) else as.numeric(x) / 86400

# Text as a date, or as a time where it is compared with one.
as_moment <- function(text, like) {
  result <- if (inherits(like, "Date")) as.Date(text, "%Y-%m-%d") else
    as.POSIXct(text, tz = time_zone(like), tryFormats = c("%Y-%m-%d %H:%M:%OS", "%Y-%m-%d %H:%M", "%Y-%m-%d"), optional = TRUE)
  bad <- which(is.na(result) & !is.na(text))
  if (length(bad)) fail(sprintf("%s is not a date.", describe(text[bad[1]])), "Dates are written YYYY-MM-DD.")
  result
}

time_zone <- function(x) {
  zone <- attr(x, "tzone")
  if (is.null(zone) || zone[1] == "") "UTC" else zone[1]
}

numbers_in <- function(x, name) {
  if (is.character(x) && all(is.na(x))) return(rep(NA_real_, length(x)))
  if (is.character(x) || is_moment(x)) fail(sprintf("`%s` needs numbers, not %s.", name, expression_type(x)))
  as.numeric(x)
}

logical_in <- function(x, name) {
  if (is.logical(x)) return(x)
  if (!is.numeric(x) || is_moment(x) || !all(x %in% c(0, 1, NA))) fail(sprintf("`%s` needs true or false, not %s.", name, expression_type(x)))
  x == 1
}

text_in <- function(x, name) {
  if (is.logical(x) && all(is.na(x))) return(rep(NA_character_, length(x)))
  if (!is.character(x)) fail(sprintf("`%s` needs text, not %s.", name, expression_type(x)))
  x
}

expression_type <- function(x) {
  if (is.character(x)) return("text")
  if (inherits(x, "Date")) return("dates")
  if (is_moment(x)) return("times")
  if (is.logical(x)) "logical values" else "numbers"
}

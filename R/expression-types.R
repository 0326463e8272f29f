# The types that values in expressions have: numbers, logical values, text, dates and times.

expression_value <- function(x) {
  if (is.factor(x)) return(as.character(x))
  if (is.numeric(x) && !is_moment(x)) return(as.numeric(x))
  x
}

numbers_in <- function(x, name) {
  if (is.character(x) && all(is.na(x))) return(rep(NA_real_, length(x)))
  if (is.character(x) || is_moment(x)) fail(sprintf("`%s` needs numbers, not %s.", name, expression_type(x)))
  as.numeric(x)
}

logical_in <- function(x, name) {
  if (is.logical(x)) return(x)
  if (!is.numeric(x) || is_moment(x) || !all(x %in% c(0, 1, NA))) {
    fail(sprintf("`%s` needs true or false, not %s.", name, expression_type(x)))
  }
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

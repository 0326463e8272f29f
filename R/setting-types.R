# The types that settings of a brief can have. Each is a function of a value and its key that returns the value in its
# one canonical form or fails, naming the key. Values come from R in their own type and from files as text, so both
# are understood; this is why a class called `no` or `1e-4` is never taken for something else.

type_text <- function() {
  function(value, key) {
    if (!is_text(value, 1)) fail(sprintf("%s must be one text, not %s.", quoted(key), describe(value)))
    enc2utf8(as.character(value))
  }
}

type_texts <- function() {
  function(value, key) {
    value <- unlist(value, use.names = FALSE)
    if (is.null(value)) return(character())
    if (!is_text(value)) fail(sprintf("%s must be a list of texts, not %s.", quoted(key), describe(value)))
    enc2utf8(as.character(value))
  }
}

type_choice <- function(choices) {
  function(value, key) {
    if (!is_text(value, 1) || !value %in% choices) {
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        paste(c(if (is_text(value, 1)) did_you_mean(value, choices), sprintf("It is one of %s.", enumerate(choices, "or"))), collapse = " ")
      )
    }
    as.character(value)
  }
}

type_number <- function(low = -Inf, high = Inf, open_low = FALSE, open_high = FALSE, whole = FALSE) {
  limits <- number_limits(low, high, open_low, open_high, whole)
  function(value, key) {
    number <- as_one_number(value)
    bad <- is.na(number) || number < low || number > high || (open_low && number == low) ||
      (open_high && number == high) || (whole && number != round(number))
    if (bad) fail(sprintf("%s must be %s, not %s.", quoted(key), limits, describe(value)))
    number
  }
}

# A named list of values, each of the given type.
type_map <- function(type) {
  function(value, key) {
    value <- as.list(value)
    if (length(value) == 0) return(list())
    if (is.null(names(value)) || any(names(value) == "")) {
      fail(sprintf("%s must name each of its values.", quoted(key)))
    }
    names(value) <- enc2utf8(names(value))
    for (name in names(value)) value[[name]] <- type(value[[name]], paste0(key, ".", name))
    value
  }
}

# `type`, or one of the words.
type_or_word <- function(words, type) {
  function(value, key) {
    if (is_text(value, 1) && is.null(names(value))) {
      if (value %in% words) return(as.character(value))
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        sprintf("It is %s, or values with names.", enumerate(quoted(words), "or"))
      )
    }
    type(value, key)
  }
}

is_text <- function(value, length = NULL) {
  (is.character(value) || is.factor(value)) && !anyNA(value) && (is.null(length) || length(value) == length)
}

as_one_number <- function(value) {
  if (is.list(value) || length(value) != 1) return(NA_real_)
  if (is.character(value) && !grepl("^[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][-+]?[0-9]+)?$", value)) return(NA_real_)
  if (!is.character(value) && !is.numeric(value)) return(NA_real_)
  as.numeric(value)
}

number_limits <- function(low, high, open_low, open_high, whole) {
  what <- if (whole) "a whole number" else "a number"
  below <- if (is.finite(low)) paste(if (open_low) "above" else "from", format(low, scientific = FALSE))
  above <- if (is.finite(high)) paste(if (open_high) "below" else "to", format(high, scientific = FALSE))
  paste(c(what, below, above), collapse = " ")
}

describe <- function(value) {
  if (length(value) == 0) return("nothing")
  if (is.list(value)) return("a list")
  if (length(value) > 1) return(sprintf("%d values", length(value)))
  if (is.na(value)) return("missing")
  if (is.character(value) || is.factor(value)) return(dQuote(as.character(value), FALSE))
  format(value)
}

describe_class <- function(x) paste0("an object of class ", paste(class(x), collapse = "/"))

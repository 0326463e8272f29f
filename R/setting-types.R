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
      meant <- if (is_text(value, 1)) did_you_mean(value, choices)
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        paste(c(meant, sprintf("It is one of %s.", enumerate(choices, "or", limit = Inf))), collapse = " ")
      )
    }
    as.character(value)
  }
}

type_number <- function(low = -Inf, high = Inf, open_low = FALSE, open_high = FALSE, whole = FALSE) {
  function(value, key) {
    number <- as_one_number(value)
    bad <- !is.finite(number) || number < low || number > high || (open_low && number == low) ||
      (open_high && number == high) || (whole && number != round(number))
    if (bad) {
      limits <- number_limits(low, high, open_low, open_high, whole)
      fail(sprintf("%s must be %s, not %s.", quoted(key), limits, describe(value)))
    }
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
    names <- enc2utf8(names(value))
    stats::setNames(Map(type, unname(value), paste0(key, ".", names), USE.NAMES = FALSE), names)
  }
}

# `type`, or one of the words.
type_or_word <- function(words, type, otherwise = "values with names") {
  function(value, key) {
    if (is_text(value, 1) && is.null(names(value))) {
      if (value %in% words) return(as.character(value))
      if (!is.na(as_one_number(as.character(value)))) return(type(as.character(value), key))
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        paste(c(
          did_you_mean(as.character(value), words),
          sprintf("It is %s, or %s.", enumerate(quoted(words), "or"), otherwise)
        ), collapse = " ")
      )
    }
    type(value, key)
  }
}

# One of several kinds, some of which have settings of their own: `kinds` is a list by kind of list(setting =
# list(type, default)). "cosine" and list(kind = "cosine", floor = 0.1) are both understood. Canonical is the word
# alone where every setting has its default, else the list with all of them.
type_kind <- function(kinds) {
  function(value, key) {
    if (is_text(value, 1) && is.null(names(value))) value <- list(kind = as.character(value))
    value <- as.list(value)
    kind <- type_choice(names(kinds))(value$kind, paste0(key, ".kind"))
    own <- kinds[[kind]]
    types <- lapply(own, `[[`, "type")
    defaults <- lapply(own, `[[`, "default")
    given <- settle_settings(value[names(value) != "kind"], types, key)
    settings <- utils::modifyList(defaults, given)
    if (identical(settings, defaults)) kind else c(list(kind = kind), settings)
  }
}

# The settings of a value of such a type, with `kind` and all defaults.
kind_settings <- function(value, kinds) {
  if (is.list(value)) return(value)
  c(list(kind = value), lapply(kinds[[value]], `[[`, "default"))
}

kind_setting <- function(type, default) list(type = type, default = default)

# Numbers in rising order.
type_shares <- function(value, key) {
  numbers <- vapply(as.list(value), as_one_number, 0)
  if (length(numbers) == 0 || anyNA(numbers) || any(numbers <= 0 | numbers >= 1)) {
    fail(sprintf("%s must be numbers between 0 and 1.", quoted(key)))
  }
  sort(unique(numbers))
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

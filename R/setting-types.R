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
  function(value, key) {
    number <- as_one_number(value)
    bad <- is.na(number) || number < low || number > high || (open_low && number == low) ||
      (open_high && number == high) || (whole && number != round(number))
    if (bad) fail(sprintf("%s must be %s, not %s.", quoted(key), number_limits(low, high, open_low, open_high, whole), describe(value)))
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
type_or_word <- function(words, type, otherwise = "values with names") {
  function(value, key) {
    if (is_text(value, 1) && is.null(names(value))) {
      if (value %in% words) return(as.character(value))
      if (!is.na(as_one_number(as.character(value)))) return(type(as.character(value), key))
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        sprintf("It is %s, or %s.", enumerate(quoted(words), "or"), otherwise)
      )
    }
    type(value, key)
  }
}

# One of several kinds, some of which have settings of their own: `kinds` is a list by kind of list(setting = list(type,
# default)). "cosine" and list(kind = "cosine", floor = 0.1) are both understood. Canonical is the word alone where every
# setting has its default, else the list with all of them.
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
  if (length(numbers) == 0 || anyNA(numbers) || any(numbers <= 0 | numbers >= 1)) fail(sprintf("%s must be numbers between 0 and 1.", quoted(key)))
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

describe <- function(value) {
  if (length(value) == 0) return("nothing")
  if (is.list(value)) return("a list")
  if (length(value) > 1) return(sprintf("%d values", length(value)))
  if (is.na(value)) return("missing")
  if (is.character(value) || is.factor(value)) return(dQuote(as.character(value), FALSE))
  format(value)
}

describe_class <- function(x) paste0("an object of class ", paste(class(x), collapse = "/"))

# ---- settings against a schema -------------------------------------------------------------------------------------

# Checks and canonicalises settings against (a part of) the schema, in the schema's order. An unknown key fails with
# the nearest known one.
settle_settings <- function(settings, schema, key = NULL) {
  if (length(settings) == 0) return(list())
  full <- function(name) paste(c(key, name), collapse = ".")
  if (!is.list(settings) || is.null(names(settings))) {
    fail(sprintf("%s must hold settings with names.", quoted(key %||% "The brief")), suggestion("", names(schema)))
  }
  unknown <- setdiff(names(settings), names(schema))
  if (length(unknown)) {
    where <- if (is.null(key)) "The brief" else quoted(key)
    fail(sprintf("%s has no setting %s.", where, quoted(unknown[1])), suggestion(unknown[1], names(schema)))
  }
  repeated <- names(settings)[duplicated(names(settings))]
  if (length(repeated)) fail(sprintf("%s is set twice.", quoted(full(repeated[1]))))
  settled <- list()
  for (name in intersect(names(schema), names(settings))) {
    type <- schema[[name]]
    settled[[name]] <- if (is.list(type)) {
      settle_settings(settings[[name]], type, full(name))
    } else {
      type(settings[[name]], full(name))
    }
  }
  settled
}

in_schema_order <- function(settings, schema) settings[intersect(names(schema), names(settings))]

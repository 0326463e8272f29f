# What arguments can be that verbs have in R and on the command line, so that both refuse the same.

# Counting numbers up to `most`.
type_count <- function(most = Inf, from = 1) type_number(from, most, whole = TRUE)

# The level of an interval of a measure, and the share of rows that an interval or set of predictions is to hold.
type_level <- function() type_number(0.5, 1, open_high = TRUE)
type_share <- function() type_number(0, 1, open_low = TRUE, open_high = TRUE)

# What bounds a resource.
type_limit <- function() type_number(0, 1e12, open_low = TRUE)

type_repeats <- function() type_count(1000)
type_folds <- function() type_count(1000, from = 2)
type_temperature <- function() type_number(0, 1000, open_low = TRUE)

evaluated_parts <- c("training", "validation", "calibration", "test", "out_of_fold")
dealing_ways <- c("stratified", "random", "ordered", "group")
search_evaluations <- c("out_of_fold", "folds", "validation")
sifting_directions <- c("backward", "forward", "ranking")
sifting_sets <- c("small", "best")
recalibration_methods <- c("platt", "isotonic", "temperature", "none")
prediction_types <- c("prediction", "probability", "both", "interval", "set")
ways_with_bad_cells <- c("refuse", "missing")

# ---- the schema ------------------------------------------------------------------------------------------------------

# Settings against a schema: a list of types by key, or of such lists.

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
      about_setting(full(name), type(settings[[name]], full(name)))
    }
  }
  settled
}

# What a type refuses is the argument of the error.
about_setting <- function(key, code) {
  tryCatch(code, hylomath_error = function(e) {
    e$argument <- e$argument %||% key
    rlang::cnd_signal(e)
  })
}

# ---- types -----------------------------------------------------------------------------------------------------------

# The types that settings of a brief can have. Each is a function of a value and its key that returns the value in its
# one canonical form or fails, naming the key. Values come from R in their own type and from files as text, so both
# are understood; this is why a class called `no` or `1e-4` is never taken for something else.

# What a page offers for a value of the type, list(kind, ...): one of `choices`, a `number`, a `text`, `texts`, or a
# `map` of values by name; and the `words` that can stand in its place.
offering <- function(type, ...) structure(type, offers = list(...))
offers_of <- function(type) attr(type, "offers") %||% list(kind = "text")

type_text <- function() {
  function(value, key) {
    if (!is_text(value, 1)) fail(sprintf("%s must be one text, not %s.", quoted(key), describe(value)))
    enc2utf8(as.character(value))
  }
}

type_texts <- function() {
  offering(function(value, key) {
    value <- unlist(value, use.names = FALSE)
    if (is.null(value)) return(character())
    if (!is_text(value)) fail(sprintf("%s must be a list of texts, not %s.", quoted(key), describe(value)))
    enc2utf8(as.character(value))
  }, kind = "texts")
}

type_choice <- function(choices) {
  offering(function(value, key) {
    if (!is_text(value, 1) || !value %in% choices) {
      meant <- if (is_text(value, 1)) did_you_mean(value, choices)
      fail(
        sprintf("%s can't be %s.", quoted(key), describe(value)),
        paste(c(meant, sprintf("It is one of %s.", enumerate(choices, "or", limit = Inf))), collapse = " ")
      )
    }
    as.character(value)
  }, kind = "choice", choices = choices)
}

type_number <- function(low = -Inf, high = Inf, open_low = FALSE, open_high = FALSE, whole = FALSE) {
  offering(function(value, key) {
    number <- as_one_number(value)
    bad <- !is.finite(number) || number < low || number > high || (open_low && number == low) ||
      (open_high && number == high) || (whole && number != round(number))
    if (bad) {
      limits <- number_limits(low, high, open_low, open_high, whole)
      fail(sprintf("%s must be %s, not %s.", quoted(key), limits, describe(value)))
    }
    number
  }, kind = "number", limits = number_limits(low, high, open_low, open_high, whole))
}

# A named list of values, each of the given type.
type_map <- function(type) {
  offering(function(value, key) {
    value <- as.list(value)
    if (length(value) == 0) return(list())
    if (is.null(names(value)) || any(names(value) == "")) {
      fail(sprintf("%s must name each of its values.", quoted(key)))
    }
    names <- enc2utf8(names(value))
    stats::setNames(Map(type, unname(value), paste0(key, ".", names), USE.NAMES = FALSE), names)
  }, kind = "map")
}

# `type`, or one of the words.
type_or_word <- function(words, type, otherwise = "values with names") {
  structure(function(value, key) {
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
  }, offers = c(offers_of(type), list(words = words)))
}

# One of several kinds, some of which have settings of their own: `kinds` is a list by kind of list(setting =
# list(type, default)). "cosine" and list(kind = "cosine", floor = 0.1) are both understood. Canonical is the word
# alone where every setting has its default, else the list with all of them.
type_kind <- function(kinds) {
  offering(function(value, key) {
    if (is_text(value, 1) && is.null(names(value))) value <- list(kind = as.character(value))
    value <- as.list(value)
    kind <- type_choice(names(kinds))(value$kind, paste0(key, ".kind"))
    own <- kinds[[kind]]
    types <- lapply(own, `[[`, "type")
    defaults <- lapply(own, `[[`, "default")
    given <- settle_settings(value[names(value) != "kind"], types, key)
    settings <- utils::modifyList(defaults, given)
    if (identical(settings, defaults)) kind else c(list(kind = kind), settings)
  }, kind = "choice", choices = names(kinds))
}

# The settings of a value of such a type, with `kind` and all defaults.
kind_settings <- function(value, kinds) {
  if (is.list(value)) return(value)
  c(list(kind = value), lapply(kinds[[value]], `[[`, "default"))
}

kind_setting <- function(type, default) list(type = type, default = default)

# How long: a number with a unit, or a number alone in the unit of the column that it is about.
duration_units <- c(second = 1, minute = 60, hour = 3600, day = 86400, week = 604800)

type_duration <- offering(function(value, key) {
  number <- as_one_number(value)
  unit <- NULL
  if (is.na(number) && is_text(value, 1)) {
    parts <- regmatches(value, regexec("^\\s*([0-9.]+)\\s+([a-z]+?)s?\\s*$", value, perl = TRUE))[[1]]
    if (length(parts) == 3 && parts[3] %in% names(duration_units)) {
      number <- as_one_number(parts[2])
      unit <- parts[3]
    }
  }
  if (!is.finite(number) || number < 0) {
    fail(
      sprintf("%s can't be %s.", quoted(key), describe(value)),
      "It is a number of seconds, minutes, hours, days or weeks, such as 30 days, or a number alone."
    )
  }
  if (is.null(unit) || number == 0) return(number)
  paste0(format_number(number), " ", unit, if (number != 1) "s")
}, kind = "text")

# Numbers in rising order.
type_shares <- offering(function(value, key) {
  numbers <- vapply(as.list(value), as_one_number, 0)
  if (length(numbers) == 0 || anyNA(numbers) || any(numbers <= 0 | numbers >= 1)) {
    fail(sprintf("%s must be numbers between 0 and 1.", quoted(key)))
  }
  sort(unique(numbers))
}, kind = "texts")

is_text <- function(value, length = NULL) {
  (is.character(value) || is.factor(value)) && !anyNA(value) && (is.null(length) || length(value) == length)
}

is_flag <- function(x) is.logical(x) && length(x) == 1 && !is.na(x)

check_flag <- function(x, name) {
  if (!is_flag(x)) fail(sprintf("`%s` must be TRUE or FALSE, not %s.", name, describe(x)))
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

# ---- values of lists -------------------------------------------------------------------------------------------------

# Small functions on lists.

drop_nulls <- function(x) x[!vapply(x, is.null, NA)]

# A data frame as a list of its rows, each a list; picking rows out of it one by one takes far longer.
rows_of <- function(table) lapply(seq_len(nrow(table)), function(i) lapply(table, `[`, i))

# Such a list as a data frame, NULL without any rows; rbind() takes far longer.
frame_of_rows <- function(rows) {
  if (length(rows) == 0) return(NULL)
  list2DF(lapply(stats::setNames(nm = names(rows[[1]])), function(name) unlist(lapply(rows, `[[`, name))))
}

in_schema_order <- function(settings, schema) settings[intersect(names(schema), names(settings))]

# The value at a path of names; NULL where there is none.
value_at <- function(values, path) Reduce(function(at, key) at[[key]], path, values)

# The settings with a value at a path, whose upper parts may not be there yet. A word in its way is the kind of what is
# set (`regimen.loss.delta`), or gives way (`regimen.stop.seconds` for `none`); another kind has settings of its own.
set_at <- function(settings, path, value) {
  if (is.character(settings)) {
    settings <- if (settings[1] == "auto" && path[1] %in% stop_rules) {
      list(patience = "auto")  # a further rule takes none away
    } else if (settings[1] %in% c("none", "even", "auto")) list() else list(kind = settings[1])
  }
  if (path[1] == "kind") settings <- list()
  settings <- as.list(settings)
  settings[[path[1]]] <- if (length(path) == 1) value else set_at(settings[[path[1]]], path[-1], value)
  settings
}

# What ends training beside patience.
stop_rules <- c("gradient", "loss", "seconds", "epoch")

# The same rows of every part of a list of vectors and data frames.
rows_of_each <- function(parts, rows) {
  lapply(parts, function(x) if (is.data.frame(x)) x[rows, , drop = FALSE] else x[rows])
}

# Some columns of a table as a list: taken one by one by their names, each would be looked for among all.
columns_of <- function(table, names) unclass(table)[names]

# A table with some of its columns as these are: a data frame would look at each of them.
with_columns <- function(table, names, columns) {
  kept <- oldClass(table)
  table <- unclass(table)
  table[names] <- columns
  structure(table, class = kept)
}

# A list of columns as a data frame, without a look at them.
as_plain_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1]])))
}

# Until `frame` ends a longer name that would pass for the one that is asked for by `$` is a warning. Set back to NULL,
# as it is at first, R would go on warning.
local_exact_names <- function(frame = parent.frame()) {
  former <- isTRUE(getOption("warnPartialMatchDollar"))
  options(warnPartialMatchDollar = TRUE)
  withr::defer(options(warnPartialMatchDollar = former), envir = frame)
}

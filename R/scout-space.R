# The settings that a search goes over, each with its bounds or values: a point of the unit cube becomes a row of
# settings, and a row of settings becomes numbers that the surrogate can measure distances in.
#
# A dimension is list(name, kind = "bounds", low, high, log, whole) or list(name, kind = "values", values, numeric).

#' Bounds of a setting
#'
#' @param low,high The lowest and the highest value.
#' @param scale `"log"` searches ratios, `"linear"` differences; `"auto"` takes ratios where `high` is at least 10
#'   times `low`.
#' @return An object for [scout()].
#' @section Errors: Bounds that are not numbers, or of which the lower is not below the upper; a logarithmic scale from
#'   0 or below.
#' @examples
#' bounds(1e-4, 0.1)
#' @export
bounds <- function(low, high, scale = "auto") {
  type_choice(c("auto", "linear", "log"))(scale, "scale")
  low <- type_number()(low, "low")
  high <- type_number()(high, "high")
  if (low >= high) {
    what <- sprintf("The bounds %s and %s leave nothing between them.", format_number(low), format_number(high))
    fail(what, "The lower one comes first.")
  }
  if (scale == "log" && low <= 0) fail("A logarithmic scale needs bounds above 0.")
  log <- scale == "log" || (scale == "auto" && low > 0 && high / low >= 10)
  structure(list(low = low, high = high, log = log), class = "hylomath_bounds")
}

#' @export
format.hylomath_bounds <- function(x, ...) {
  sprintf("%s to %s%s", format_number(x$low), format_number(x$high), if (x$log) ", logarithmic" else "")
}

# `given` are bounds or values by name.
scout_space <- function(b, given) {
  stats::setNames(Map(function(name, what) space_dimension(b, name, what), names(given), given), names(given))
}

check_space_names <- function(given) {
  names <- names(given) %||% rep("", length(given))
  if (any(names == "")) {
    hint <- "For example scout(b, units = bounds(4, 64), activation = c(\"relu\", \"tanh\"))."
    fail("Every setting of a search needs its name.", hint)
  }
  if (anyDuplicated(names)) fail(sprintf("%s is given twice.", quoted(names[duplicated(names)][1])))
  wired <- is_wiring_setting(names)
  if ("wiring" %in% names && any(wired)) {
    fail(sprintf("`wiring` and %s can't both be searched.", quoted(names[wired][1])), "Leave one of them out.")
  }
  for (name in names[!wired]) {
    if (sub("^.*[.]", "", name) == "seed") {
      fail("A seed is chance and can't be searched.", "Set `restarts` to see how much depends on the start.")
    }
    path <- setting_path(name)
    if (path[1] == "hold_out") {
      fail(sprintf("%s can't be searched: it decides which rows are evaluated.", quoted(paste(path, collapse = "."))))
    }
  }
}

# What is searched when nothing is said: what usually matters for a table of this size.
usual_space <- function(a) {
  rows <- length(rows_in(a, "training"))
  activations <- c("relu", "tanh", "elu", "silu")
  c(
    list(layers = 1:3, units = bounds(4, 64, "log"), activation = activations, l2 = bounds(1e-5, 0.02)),
    if (rows > small_table) list(dropout = c(0, 0.1, 0.3), learning_rate = bounds(5e-4, 0.03))
  )
}

space_dimension <- function(b, name, what) {
  if (inherits(what, "hylomath_bounds")) return(bounds_dimension(b, name, what))
  values <- lapply(as.list(what), function(value) if (is.integer(value)) as.numeric(value) else value)
  if (length(values) == 0) fail(sprintf("%s has no values to search.", quoted(name)))
  for (value in values) {
    if (length(value) != 1 || is.list(value)) {
      what <- "%s can be searched over single words or numbers only, not over %s."
      fail(sprintf(what, quoted(name), describe(value)))
    }
  }
  if (anyDuplicated(lapply(values, as.character))) fail(sprintf("%s has a value twice.", quoted(name)))
  list(name = name, kind = "values", values = values, numeric = all(vapply(values, is.numeric, NA)))
}

# What the brief makes of the ends is found out before the search.
bounds_dimension <- function(b, name, bounds) {
  needs_a_layer <- name != "layers" && is_wiring_setting(name)
  for (end in c(bounds$low, bounds$high)) {
    changed_brief(b, c(if (needs_a_layer) list(layers = 1), stats::setNames(list(end), name)))
  }
  whole <- takes_whole_numbers(b, name, bounds)
  c(list(name = name, kind = "bounds"), bounds[c("low", "high", "log")], whole = whole)
}

takes_whole_numbers <- function(b, name, bounds) {
  if (is_wiring_setting(name)) return(name != "dropout")
  if (bounds$low != round(bounds$low) || bounds$high != round(bounds$high)) return(FALSE)
  refuses <- function(value) {
    tryCatch(
      {
        changed_brief(b, stats::setNames(list(value), name))
        FALSE
      },
      hylomath_error = function(e) TRUE
    )
  }
  refuses(bounds$low + 0.5)
}

is_numeric_dimension <- function(dimension) dimension$kind == "bounds" || dimension$numeric

# ---- points -------------------------------------------------------------------------------------------------------

# A row of settings for each row of `u`, a matrix over the unit cube; NA where the wiring has no such layer.
space_rows <- function(space, u, layers) {
  columns <- lapply(seq_along(space), function(d) dimension_values(space[[d]], u[, d]))
  rows <- as.data.frame(stats::setNames(columns, names(space)), optional = TRUE, stringsAsFactors = FALSE)
  count <- if ("layers" %in% names(space)) rows$layers else rep(layers, nrow(rows))
  for (name in names(space)[is_wiring_setting(names(space)) & names(space) != "layers"]) {
    least <- if (grepl("^units_", name)) as.integer(sub("units_", "", name)) else 1L
    rows[[name]][count < least] <- NA
  }
  rows
}

dimension_values <- function(dimension, u) {
  if (dimension$kind == "values") {
    place <- pmin(length(dimension$values), 1 + floor(u * length(dimension$values)))
    return((if (dimension$numeric) unlist(dimension$values) else vapply(dimension$values, value_text, ""))[place])
  }
  low <- dimension$low
  high <- dimension$high
  if (dimension$whole) {
    low <- low - 0.499
    high <- high + 0.499
  }
  x <- if (dimension$log) exp(log(low) + u * (log(high) - log(low))) else low + u * (high - low)
  pmin(pmax(if (dimension$whole) round(x) else signif(x, 3), dimension$low), dimension$high)
}

value_text <- function(value) if (is.numeric(value)) format_number(value) else as.character(value)

# One row as named values for changed_brief().
row_values <- function(space, row) {
  values <- lapply(stats::setNames(nm = names(space)), function(name) {
    dimension <- space[[name]]
    if (is.na(row[[name]])) return(NULL)
    if (is_numeric_dimension(dimension)) return(row[[name]])
    dimension$values[[match(row[[name]], vapply(dimension$values, value_text, ""))]]
  })
  drop_nulls(values)
}

# Each row as one text.
row_keys <- function(rows) {
  texts <- lapply(rows, function(column) ifelse(is.na(column), "-", as.character(column)))
  do.call(paste, c(texts, sep = " | "))
}

# ---- distances ----------------------------------------------------------------------------------------------------

# For each dimension a column in [0, 1], the middle where the setting says nothing; of words the place among the values.
space_places <- function(space, rows) {
  places <- vapply(space, function(dimension) {
    x <- rows[[dimension$name]]
    if (dimension$kind == "bounds") {
      low <- dimension$low
      high <- dimension$high
      span <- if (dimension$log) log(x / low) / log(high / low) else (x - low) / (high - low)
      return(ifelse(is.na(span), 0.5, span))
    }
    place <- match(as.character(x), vapply(dimension$values, value_text, ""))
    if (!dimension$numeric) return(ifelse(is.na(place), 0, place))
    ifelse(is.na(place), 0.5, (place - 0.5) / length(dimension$values))
  }, numeric(nrow(rows)))
  matrix(places, nrow(rows), dimnames = list(NULL, names(space)))
}

# Squared distances by dimension, an array of rows by rows by dimensions; words are either the same or one apart.
space_distances <- function(space, a, b) {
  apart <- vapply(seq_along(space), function(d) {
    difference <- outer(a[, d], b[, d], `-`)
    if (is_numeric_dimension(space[[d]])) difference^2 else (difference != 0) + 0
  }, matrix(0, nrow(a), nrow(b)))
  array(apart, c(nrow(a), nrow(b), length(space)))
}

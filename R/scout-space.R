# The settings that a search goes over, each with its bounds or values: a point of the unit cube becomes a row of settings, and a row
# of settings becomes numbers that the surrogate can measure distances in.
#
# A dimension is list(name, kind = "bounds", low, high, log, whole) or list(name, kind = "values", values, numeric).

#' Bounds of a setting
#'
#' @param low,high The lowest and the highest value.
#' @param scale `"log"` searches ratios, `"linear"` differences; `"auto"` takes ratios where `high` is at least 10 times `low`.
#' @return An object for [scout()].
#' @examples
#' bounds(1e-4, 0.1)
#' @export
bounds <- function(low, high, scale = "auto") {
  type_choice(c("auto", "linear", "log"))(scale, "scale")
  low <- type_number()(low, "low")
  high <- type_number()(high, "high")
  if (low >= high) fail(sprintf("The bounds %s and %s leave nothing between them.", format_number(low), format_number(high)), "The lower one comes first.")
  if (scale == "log" && low <= 0) fail("A logarithmic scale needs bounds above 0.")
  structure(list(low = low, high = high, log = scale == "log" || (scale == "auto" && low > 0 && high / low >= 10)), class = "hylomath_bounds")
}

#' @export
format.hylomath_bounds <- function(x, ...) sprintf("%s to %s%s", format_number(x$low), format_number(x$high), if (x$log) ", logarithmic" else "")

#' @export
print.hylomath_bounds <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

scout_space <- function(b, given) {
  if (length(given) == 0) given <- usual_space(b)
  names <- names(given) %||% rep("", length(given))
  if (any(names == "")) fail("Every setting of a search needs its name.", "For example scout(b, units = bounds(4, 64), activation = c(\"relu\", \"tanh\")).")
  if (anyDuplicated(names)) fail(sprintf("%s is given twice.", quoted(names[duplicated(names)][1])))
  if ("wiring" %in% names && any(is_wiring_setting(names))) fail(sprintf("`wiring` and %s can't both be searched.", quoted(names[is_wiring_setting(names)][1])), "Leave one of them out.")
  for (name in names[!is_wiring_setting(names)]) {
    if (sub("^.*[.]", "", name) == "seed") fail("A seed is luck and can't be searched.", "Set `restarts` to see how much luck there is.")
    path <- setting_path(name)
    if (path[1] == "hold_out") fail(sprintf("%s can't be searched: it decides which rows are judged.", quoted(paste(path, collapse = "."))))
  }
  stats::setNames(Map(function(name, what) space_dimension(b, name, what), names, given), names)
}

# What is searched when nothing is said: what usually matters for a table of this size.
usual_space <- function(b) {
  rows <- sum(split_rows(b, brief_table(b)) %in% "training")
  c(
    list(layers = 1:3, units = bounds(4, 64, "log"), activation = c("relu", "tanh", "elu", "silu"), l2 = bounds(1e-5, 0.02)),
    if (rows > small_table) list(dropout = c(0, 0.1, 0.3), learning_rate = bounds(5e-4, 0.03))
  )
}

space_dimension <- function(b, name, what) {
  if (inherits(what, "hylomath_bounds")) {
    for (end in c(what$low, what$high)) changed_brief(b, c(if (name != "layers" && is_wiring_setting(name)) list(layers = 1), stats::setNames(list(end), name)))
    return(c(list(name = name, kind = "bounds"), what[c("low", "high", "log")], whole = takes_whole_numbers(b, name, what)))
  }
  values <- lapply(as.list(what), function(value) if (is.integer(value)) as.numeric(value) else value)
  if (length(values) == 0) fail(sprintf("%s has no values to search.", quoted(name)))
  for (value in values) if (length(value) != 1 || is.list(value)) fail(sprintf("%s can be searched over single words or numbers only, not over %s.", quoted(name), describe(value)))
  if (anyDuplicated(lapply(values, as.character))) fail(sprintf("%s has a value twice.", quoted(name)))
  list(name = name, kind = "values", values = values, numeric = all(vapply(values, is.numeric, NA)))
}

takes_whole_numbers <- function(b, name, bounds) {
  if (is_wiring_setting(name)) return(name != "dropout")
  if (bounds$low != round(bounds$low) || bounds$high != round(bounds$high)) return(FALSE)
  tryCatch({ changed_brief(b, stats::setNames(list(bounds$low + 0.5), name)); FALSE }, hylomath_error = function(e) TRUE)
}

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
  if (dimension$whole) pmin(pmax(round(x), dimension$low), dimension$high) else pmin(pmax(signif(x, 3), dimension$low), dimension$high)
}

value_text <- function(value) if (is.numeric(value)) format_number(value) else as.character(value)

# One row as named values for changed_brief().
row_values <- function(space, row) {
  values <- lapply(stats::setNames(nm = names(space)), function(name) {
    dimension <- space[[name]]
    if (is.na(row[[name]])) return(NULL)
    if (dimension$kind == "values" && !dimension$numeric) dimension$values[[match(row[[name]], vapply(dimension$values, value_text, ""))]] else row[[name]]
  })
  drop_nulls(values)
}

row_keys <- function(rows) do.call(paste, c(lapply(rows, function(column) ifelse(is.na(column), "-", as.character(column))), sep = " | "))

# ---- distances ----------------------------------------------------------------------------------------------------

# For each dimension a column in [0, 1], the middle where the setting says nothing; of words the place among the values.
space_places <- function(space, rows) {
  places <- vapply(space, function(dimension) {
    x <- rows[[dimension$name]]
    if (dimension$kind == "bounds") {
      span <- if (dimension$log) log(x / dimension$low) / log(dimension$high / dimension$low) else (x - dimension$low) / (dimension$high - dimension$low)
      return(ifelse(is.na(span), 0.5, span))
    }
    place <- match(as.character(x), vapply(dimension$values, value_text, ""))
    if (dimension$numeric) ifelse(is.na(place), 0.5, (place - 0.5) / length(dimension$values)) else ifelse(is.na(place), 0, place)
  }, numeric(nrow(rows)))
  matrix(places, nrow(rows), dimnames = list(NULL, names(space)))
}

# Squared distances by dimension, an array of rows by rows by dimensions; words are either the same or one apart.
space_distances <- function(space, a, b) {
  apart <- vapply(seq_along(space), function(d) {
    difference <- outer(a[, d], b[, d], `-`)
    if (space[[d]]$kind == "values" && !space[[d]]$numeric) (difference != 0) + 0 else difference^2
  }, matrix(0, nrow(a), nrow(b)))
  array(apart, c(nrow(a), nrow(b), length(space)))
}

#' Look at a table
#'
#' @param data A data frame, or the path of a file that [brief()] can read.
#' @param target The column to predict, if it is known.
#' @param ... Not used.
#' @return A look: an object of class `hylomath_look` with `columns` (a data frame with a row for each column:
#'   `column`, `kind`, `missing`, `distinct`, `outliers` (numbers more than three quartile distances beyond the
#'   quartiles), `skew` (the third standardised moment) and `values`, the range or the commonest levels, of the first
#'   and last thousand columns), `n`, `target`, `shares` (classes of the target, their rows and shares) and `notes`,
#'   see [notes()].
#' @section Errors: A file that can't be read (the message names line, column or byte); a target that is not a column.
#' @examples
#' look(kilns, target = "outcome")
#' @export
look <- function(data, ...) UseMethod("look")

#' @rdname look
#' @export
look.data.frame <- function(data, target = NULL, ...) {
  check_others(...)
  data <- as_table(data)
  if (nrow(data) == 0) fail("The table has no rows.")
  if (!is.null(target)) check_is_column(data, target, "target")
  found <- find_formats(Filter(is.character, as.list(data)), attr(data, "decimal"))
  for (column in names(found$formats)) {
    data[[column]] <- as_written(without_codes(data[[column]], found$missing[[column]]), found$formats[[column]])
  }
  columns <- look_at_columns(data, unlist(guess_kinds(data)))
  shares <- if (!is.null(target)) look_at_target(data[[target]])
  of_formats <- join_notes(note_formats(found), note_open_formats(found$open))
  structure(
    list(
      n = nrow(data), columns = columns, target = target, shares = shares,
      notes = join_notes(of_formats, look_notes(data, columns, shares, target, names(found$open)))
    ),
    class = "hylomath_look"
  )
}

#' @export
look.character <- function(data, ...) look(read_table(data), ...)

#' @export
look.default <- function(data, ...) wrong_object("look", "a data frame or the path of a file", data)

# Of very wide tables only the first and last columns are put into words.
most_described <- 1000

look_at_columns <- function(data, kinds) {
  columns <- unname(as.list(data))
  numeric <- kinds %in% c("number", "count")
  missing <- vapply(columns, function(x) sum(is.na(x)), 0L)
  outliers <- rep(NA_integer_, length(columns))
  skew <- rep(NA_real_, length(columns))
  if (any(numeric)) {
    found <- summarise_numbers(columns[numeric], shares = c(0.25, 0.75))
    outliers[numeric] <- mapply(count_outliers, columns[numeric], found$q1, found$q2)
    skew[numeric] <- vapply(columns[numeric], skewness, 0)
  }
  place <- seq_along(columns)
  described <- place <= most_described | place > length(place) - most_described
  values <- character(length(columns))
  describe_one <- function(x, kind, skew) describe_values(x[!is.na(x)], kind, skew)
  skews <- ifelse(numeric, skew, 0)
  values[described] <- mapply(describe_one, columns[described], kinds[described], skews[described])
  data.frame(
    column = names(data), kind = unname(kinds), missing = missing, distinct = vapply(columns, count_distinct, 0L),
    outliers = outliers, skew = skew, values = values
  )
}

count_distinct <- function(x) {
  if (is.character(x) || is.factor(x)) length(labels_in(x)) else length(unique(x[!is.na(x)]))
}

# Further than three quartile distances beyond the quartiles.
count_outliers <- function(x, lower, upper) {
  reach <- 3 * (upper - lower)
  # where half of the rows have one value, everything else would be far
  if (!is.finite(reach) || reach == 0) return(sum(is.infinite(x)))
  sum(x < lower - reach | x > upper + reach, na.rm = TRUE)
}

skewness <- function(x) {
  x <- x[is.finite(x)]
  z <- x - mean(x)
  if (all(z == 0)) return(0)
  mean(z^3) / mean(z^2)^1.5
}

describe_values <- function(x, kind, skew) {
  if (length(x) == 0 || kind == "other") return("")
  if (is.numeric(x) && kind != "flag") {
    three <- format_each_short(c(min(x), max(x), stats::median(x)))
    text <- sprintf("%s to %s, median %s", three[1], three[2], three[3])
    return(if (isTRUE(abs(skew) > 2)) sprintf("%s, skew %.1f", text, skew) else text)
  }
  if (inherits(x, c("Date", "POSIXct"))) return(paste(format(min(x)), "to", format(max(x))))
  if (kind %in% c("id", "text")) {
    ends <- substr(as_label(x[c(1, length(x))]), 1, 100)
    return(paste0(paste(ends, collapse = ", "), ", ..."))
  }
  seen <- levels_of(x)
  count <- sort(stats::setNames(tabulate(seen$codes), seen$levels), decreasing = TRUE)
  shown <- utils::head(count, 4)
  text <- paste(substr(names(shown), 1, 100), format_percent_short(shown / length(x)), collapse = ", ")
  if (length(count) > 4) paste0(text, ", and ", length(count) - 4, " more") else text
}

look_at_target <- function(y) {
  present <- y[!is.na(y)]
  if (length(present) == 0) return(NULL)
  if (is.numeric(present) && length(unique(present)) > 20) return(NULL)
  seen <- levels_of(as_label(present))
  if (length(seen$levels) > 50) return(NULL)
  count <- sort(stats::setNames(tabulate(seen$codes), seen$levels), decreasing = TRUE)
  data.frame(class = names(count), rows = as.integer(count), share = as.numeric(count) / length(present))
}

# ---- looks at test rows ----------------------------------------------------------------------------------------------

# How many different networks have been evaluated on one set of test rows. The session remembers, by the test rows, the
# networks that were; a model carries those that it knows of in `looks`, and with it its file.

seen_tests <- new.env(parent = emptyenv())

test_rows_id <- function(model) {
  test <- model$evaluated$test
  if (is.null(test)) NULL else rlang::hash(test[c("key", "observed")])
}

# The weights make a network; a rule or a recalibration, chosen on other rows, makes no other one of it.
network_id <- function(model) rlang::hash(model$predictor[c("network", "members", "shares")])

looks_at <- function(model) {
  id <- test_rows_id(model)
  unique(c(model$looks, if (!is.null(id)) seen_tests[[id]]))
}

# Counts this look and gives the number of networks that have been looked at.
look_at_test <- function(model) {
  seen <- unique(c(looks_at(model), network_id(model)))
  assign(test_rows_id(model), seen, envir = seen_tests)
  length(seen)
}

# The model with what the session knows of its test rows.
with_looks <- function(model, former = NULL) {
  same_rows <- !is.null(former) && identical(test_rows_id(former), test_rows_id(model))
  if (same_rows) model$looks <- unique(c(former$looks, model$looks))
  model$looks <- looks_at(model)
  model
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
print.hylomath_look <- function(x, all = FALSE, ...) print_lines(x, all = all)

# The first and last columns of a wide table, or all of them on request.
#' @export
format.hylomath_look <- function(x, all = FALSE, most = 40, ...) {
  columns <- x$columns
  shown <- seq_len(nrow(columns))
  if (!all && length(shown) > most) shown <- c(utils::head(shown, most - 10), utils::tail(shown, 10))
  left_out <- nrow(columns) - length(shown)
  c(
    cli::style_bold(sprintf("%s, %s", counted(x$n, "row"), counted(nrow(columns), "column"))),
    look_table(columns[shown, ], x$n),
    if (left_out > 0) {
      sprintf("  (%d columns in the middle are left out; print(x, all = TRUE) shows them)", left_out)
    },
    if (x$n > 0 && nrow(columns) > most) c("", kinds_text(columns$kind)),
    target_text(x),
    format_notes(x$notes)
  )
}

look_table <- function(columns, n) {
  name <- shorten(columns$column, 30)
  room <- cli::console_width() - max(nchar(name, "width"), 6) - 36
  cells <- list(
    column = name, kind = columns$kind, missing = missing_text(columns$missing, n),
    distinct = format_each_count(columns$distinct), outliers = outliers_text(columns$outliers),
    values = shorten(columns$values, room)
  )
  text_table(cells, right = 3:5)
}

missing_text <- function(missing, n) {
  ifelse(missing == 0, "0", paste0(format(signif(100 * missing / n, 2), trim = TRUE, digits = 2), " %"))
}

outliers_text <- function(x) ifelse(is.na(x) | x == 0, "", format_each_count(x))

kinds_text <- function(kinds) {
  count <- sort(table(kinds), decreasing = TRUE)
  paste0("  kinds: ", paste(names(count), as.integer(count), collapse = ", "))
}

target_text <- function(x) {
  shares <- x$shares
  if (is.null(shares)) return(NULL)
  cells <- list(class = shares$class, rows = format_each_count(shares$rows), share = format_percent(shares$share))
  c("", cli::style_bold(sprintf("Target %s", x$target)), text_table(cells, right = 2:3))
}

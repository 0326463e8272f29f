#' Look at a table
#'
#' @param data A data frame, or the path of a file that [brief()] can read.
#' @param target The column to predict, if it is known.
#' @param ... Not used.
#' @return A look: an object of class `hylomath_look` with `columns` (a data frame with a row for each column: `column`,
#'   `kind`, `gaps`, `distinct`, `outliers` (numbers more than three quartile distances beyond the quartiles), `skew` (the
#'   third standardised moment) and `values`, the range or the commonest levels), `n`, `target`, `shares` (classes of the
#'   target, their rows and shares) and `notes`, see [notes()].
#' @examples
#' look(kilns, target = "outcome")
#' @export
look <- function(data, ...) UseMethod("look")

#' @rdname look
#' @export
look.data.frame <- function(data, target = NULL, ...) {
  rlang::check_dots_empty()
  data <- as_table(data)
  if (!is.null(target)) check_is_column(data, target, "target")
  kinds <- guess_kinds(data)
  columns <- do.call(rbind, lapply(names(data), function(column) look_at(data[[column]], column, kinds[[column]])))
  shares <- if (!is.null(target)) look_at_target(data[[target]])
  structure(
    list(n = nrow(data), columns = columns, target = target, shares = shares, notes = look_notes(data, columns, shares, target)),
    class = "hylomath_look"
  )
}

#' @export
look.character <- function(data, ...) look(read_table(data), ...)

#' @export
look.default <- function(data, ...) fail(sprintf("look() takes a data frame or the path of a file, not %s.", describe_class(data)))

look_at <- function(x, column, kind) {
  numeric <- kind %in% c("number", "count")
  distinct <- if (is.character(x) || is.factor(x)) length(labels_in(x)) else length(unique(x[!is.na(x)]))
  data.frame(
    column = column, kind = kind, gaps = sum(is.na(x)), distinct = distinct,
    outliers = if (numeric) count_outliers(x) else NA_integer_, skew = if (numeric) skewness(x) else NA_real_,
    values = describe_values(x[!is.na(x)], kind, if (numeric) skewness(x) else 0)
  )
}

count_outliers <- function(x) {
  quartiles <- stats::quantile(x, c(0.25, 0.75), na.rm = TRUE, names = FALSE)
  reach <- 3 * diff(quartiles)
  sum(x < quartiles[1] - reach | x > quartiles[2] + reach, na.rm = TRUE)
}

skewness <- function(x) {
  x <- x[is.finite(x)]
  z <- x - mean(x)
  mean(z^3) / mean(z^2)^1.5
}

describe_values <- function(x, kind, skew) {
  if (length(x) == 0 || kind == "other") return("")
  if (is.numeric(x) && kind != "flag") {
    text <- sprintf("%s to %s, median %s", format_short(min(x)), format_short(max(x)), format_short(stats::median(x)))
    return(if (abs(skew) > 2) sprintf("%s, skew %.1f", text, skew) else text)
  }
  if (inherits(x, c("Date", "POSIXct"))) return(paste(format(min(x)), "to", format(max(x))))
  if (kind %in% c("id", "text")) return(paste0(as_label(x[1]), ", ", as_label(x[length(x)]), ", ..."))
  seen <- levels_of(x)
  count <- sort(stats::setNames(tabulate(seen$codes), seen$levels), decreasing = TRUE)
  shown <- utils::head(count, 4)
  text <- paste(names(shown), format_percent_short(shown / length(x)), collapse = ", ")
  if (length(count) > 4) paste0(text, ", and ", length(count) - 4, " more") else text
}

look_at_target <- function(y) {
  present <- y[!is.na(y)]
  if (is.numeric(present) && length(unique(present)) > 20) return(NULL)
  seen <- levels_of(as_label(present))
  if (length(seen$levels) > 50) return(NULL)
  count <- sort(stats::setNames(tabulate(seen$codes), seen$levels), decreasing = TRUE)
  data.frame(class = names(count), rows = as.integer(count), share = as.numeric(count) / length(present))
}

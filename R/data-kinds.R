# The kind of a column, guessed from its values. See ?brief for the list.

guess_kinds <- function(table) lapply(as.list(table), guess_kind)

guess_kind <- function(x) {
  present <- x[!is.na(x)]
  if (length(present) == 0) return("missing")
  distinct <- unique(present)
  if (length(distinct) == 1) return("constant")
  if (is.logical(x)) return("flag")
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("time")
  if (is.factor(x) || is.character(x)) return(kind_of_words(length(distinct), length(present)))
  if (!is.numeric(x)) return("other")
  if (all(distinct %in% c(0, 1))) return("flag")
  if (any(present != round(present))) return("number")
  if (length(x) >= 20 && length(distinct) == length(x) && diff(range(x)) == length(x) - 1) return("id")
  if (min(present) >= 0) "count" else "number"
}

# Another word in every row is an id; more than 100 words, or more than one for every five rows, are too many to be
# levels of a category.
kind_of_words <- function(distinct, n) {
  if (n >= 20 && distinct == n) return("id")
  if (distinct > 100 || (n >= 50 && distinct > n / 5)) "text" else "category"
}

guess_task <- function(y, target) {
  kind <- guess_kind(y)
  if (kind %in% c("category", "flag")) return("classification")
  if (kind == "count" && stats::median(y, na.rm = TRUE) <= 1000) return("count")
  if (kind %in% c("constant", "missing")) return("classification")  # refused by check_target()
  if (is.numeric(y)) return(if (length(unique(y[!is.na(y)])) == 2) "classification" else "regression")
  fail(
    sprintf("The target %s is of the kind `%s`, which can't be predicted.", quoted(target), kind),
    "Choose a target of numbers, or of words with few different values."
  )
}

# Classes as text: the levels of a factor that occur, in their order, or the values in alphabetical order (by code
# point, so that the order is the same on every machine).
guess_classes <- function(y) {
  if (is.factor(y)) return(enc2utf8(levels(y)[levels(y) %in% y]))
  values <- unique(y[!is.na(y)])
  if (is.numeric(y)) return(as_label(sort(values)))
  sort(as_label(values), method = "radix")
}

# The text of values as labels: TRUE is "TRUE", 3 is "3", words are themselves.
as_label <- function(x) {
  if (is.numeric(x)) return(format_labels(x))
  enc2utf8(as.character(x))
}

format_labels <- function(x) {
  distinct <- unique(x)
  text <- vapply(distinct, function(v) if (is.na(v)) NA_character_ else format_number(v), "")
  text[match(x, distinct)]
}

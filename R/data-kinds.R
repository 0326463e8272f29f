# The kind of a column, guessed from its values. See ?brief for the list.

guess_kinds <- function(table) {
  numeric <- vapply(table, is_number_column, NA)
  kinds <- stats::setNames(vector("list", length(table)), names(table))
  if (any(numeric)) {
    columns <- unname(as.list(table)[numeric])
    kinds[numeric] <- Map(kind_of_numbers, rows_of(summarise_numbers(columns)), columns)
  }
  kinds[!numeric] <- lapply(table[!numeric], guess_kind)
  kinds
}

guess_kind <- function(x) {
  if (is_number_column(x)) return(kind_of_numbers(summarise_numbers(list(x))[1, ], x))
  if (all(is.na(x))) return("missing")
  if (is.logical(x) || is_moment(x)) {
    ends <- range(x, na.rm = TRUE)
    if (ends[1] == ends[2]) return("constant")
    return(if (is.logical(x)) "flag" else if (inherits(x, "Date")) "date" else "time")
  }
  if (is.factor(x) || is.character(x)) return(kind_of_words(x))
  "other"
}

is_number_column <- function(x) is.numeric(x) && !is.object(x)

# One row a column, see core_summary(); `rows` chooses among the rows, `shares` are those of the quantiles.
summarise_numbers <- function(columns, rows = integer(), shares = numeric()) {
  found <- core_summary(columns, rows, shares, thread_count())
  colnames(found) <- c("rows", "gaps", "infinite", "mean", "deviation", "low", "high", "whole", "binary", if (length(shares)) paste0("q", seq_along(shares)))
  as.data.frame(found)
}

# A data frame as a list of its rows, each a list; picking rows out of it one by one takes far longer.
rows_of <- function(table) lapply(seq_len(nrow(table)), function(i) lapply(table, `[`, i))

kind_of_numbers <- function(s, x) {
  if (s$gaps == s$rows) return("missing")
  if (s$low == s$high) return("constant")
  if (s$binary) return("flag")
  if (!s$whole) return("number")
  if (s$rows >= 20 && s$gaps == 0 && s$high - s$low == s$rows - 1 && !anyDuplicated(x)) return("id")
  if (s$low >= 0) "count" else "number"
}

# Another word in every row is an id; more than 100 words, or more than one for every five rows, are too many to be
# levels of a category.
kind_of_words <- function(x) {
  # no column with more words than this can be a category; whether all differ is another question
  distinct <- length(labels_in(x, most = 101))
  if (distinct == 1) return("constant")
  n <- sum(!is.na(x))
  if (n >= 20 && (distinct == n || (distinct > 100 && !anyDuplicated(x[!is.na(x)])))) return("id")
  if (distinct > 100 || (n >= 50 && distinct > n / 5)) "text" else "category"
}

# The labels that occur, in the order in which they first stand (a factor's in the order of its levels), and each row's
# place among them.
levels_of <- function(x) {
  if (is.factor(x)) {
    occurring <- sort(unique(as.integer(x)))
    return(list(levels = enc2utf8(levels(x)[occurring]), codes = match(as.integer(x), occurring)))
  }
  found <- core_levels(if (is.character(x)) x else as_label(x), Inf, TRUE)
  levels <- enc2utf8(found$levels)
  # one text in two encodings is one label
  if (anyDuplicated(levels)) found$codes <- match(levels, unique(levels))[found$codes]
  list(levels = unique(levels), codes = found$codes)
}

# The labels alone, at most `most` of them.
labels_in <- function(x, most = Inf) {
  if (is.factor(x)) return(levels_of(x)$levels)
  unique(enc2utf8(core_levels(if (is.character(x)) x else as_label(x), most, FALSE)$levels))
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
  if (is.numeric(y)) return(as_label(sort(unique(y[!is.na(y)]))))
  sort(labels_in(y), method = "radix")
}

# The text of values as labels: TRUE is "TRUE", 3 is "3", words are themselves.
as_label <- function(x) {
  if (is.numeric(x)) return(format_labels(x))
  if (is.factor(x)) return(enc2utf8(levels(x))[as.integer(x)])
  enc2utf8(as.character(x))
}

format_labels <- function(x) {
  distinct <- unique(x)
  text <- vapply(distinct, function(v) if (is.na(v)) NA_character_ else format_number(v), "")
  text[match(x, distinct)]
}

# The kind of a column, guessed from its values. See ?brief for the list.

# `whole` is the table that the columns are of, by which those that name units are known; the columns `except` are known
# to be something else.
guess_kinds <- function(table, whole = table, except = NULL) {
  numeric <- vapply(table, is_number_column, NA)
  kinds <- stats::setNames(vector("list", length(table)), names(table))
  if (any(numeric)) {
    numbers <- unname(as.list(table)[numeric])
    kinds[numeric] <- Map(kind_of_numbers, rows_of(summarise_numbers(numbers)), numbers)
  }
  kinds[!numeric] <- lapply(table[!numeric], guess_kind)
  # side by side, since each look into a table of 100,000 columns by name would pass all names
  excepted <- names(kinds) %in% except
  columns <- as.list(table)
  own <- unlist(Map(names_rows, columns, kinds, names(kinds)), use.names = FALSE)
  kinds[own & !excepted] <- "id"
  likely <- names(kinds)[unlist(Map(may_name_units, columns, kinds), use.names = FALSE) & !excepted]
  if (length(likely) == 0) return(kinds)
  others <- setdiff(names(whole), names(kinds))
  kinds[unit_columns(likely, whole, c(kinds, lapply(whole[others], guess_kind)))] <- "id"
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

# One row a column, see core_summary(); `rows` chooses among the rows, `shares` are those of the quantiles, and `weight`
# stands along the rows.
summarise_numbers <- function(columns, rows = integer(), shares = numeric(), weight = numeric()) {
  if (all(weight == 1)) weight <- numeric()
  found <- core_summary(columns, rows, shares, weight, thread_count())
  quantiles <- if (length(shares)) paste0("q", seq_along(shares))
  colnames(found) <- c(number_facts, quantiles)
  as.data.frame(found)
}

number_facts <- c("rows", "missing", "infinite", "mean", "deviation", "low", "high", "whole", "binary")

kind_of_numbers <- function(s, x) {
  if (s$missing == s$rows) return("missing")
  if (s$low == s$high) return("constant")
  if (s$binary) return("flag")
  if (!s$whole) return("number")
  if (s$rows >= 20 && s$missing == 0 && s$high - s$low == s$rows - 1 && !anyDuplicated(x)) return("id")
  if (s$low >= 0) "count" else "number"
}

# Another word in every row is an id. Words that come again are levels of a category, however many there are; where
# there are more than one for every five rows they are text. A factor has been declared a category.
kind_of_words <- function(x) {
  n <- sum(!is.na(x))
  # of more words than this, whether they are ids or text is another question
  most <- if (has_own_order(x) || n < 50) Inf else n / 5 + 1
  distinct <- length(labels_in(x, most = most))
  if (distinct == 1) return("constant")
  if (n >= 20 && (distinct == n || (distinct >= most && !anyDuplicated(x[!is.na(x)])))) return("id")
  if (!has_own_order(x) && n >= 50 && distinct > n / 5) "text" else "category"
}

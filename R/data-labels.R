# Values as labels: the texts that stand for classes and levels, the same on every machine.

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

# Whether somebody has put the labels of a factor into an order; those of a stored table's text are in none.
has_own_order <- function(x) is.factor(x) && !inherits(x, "hylomath_text")

# Labels in the order in which a reader looks for them: that of a factor's levels, else by their letters with the
# numbers in them by size (2 before 10).
natural_order <- function(labels, of = NULL) {
  if (has_own_order(of)) return(intersect(c(levels(of), labels), labels))
  padded <- vapply(regmatches(labels, gregexpr("[0-9]+|[^0-9]+", labels)), function(parts) {
    digits <- grepl("^[0-9]", parts)
    parts[digits] <- formatC(parts[digits], width = 12, flag = "0")
    paste(gsub(" ", "0", parts), collapse = "")
  }, "")
  labels[order(padded, labels, method = "radix")]
}

# The labels alone, at most `most` of them.
labels_in <- function(x, most = Inf) {
  if (is.factor(x)) return(levels_of(x)$levels)
  unique(enc2utf8(core_levels(if (is.character(x)) x else as_label(x), most, FALSE)$levels))
}

# The text of values as labels: TRUE is "TRUE", 3 is "3", words are themselves.
as_label <- function(x) {
  if (is.numeric(x)) return(format_labels(x))
  if (is.factor(x)) return(enc2utf8(levels(x))[as.integer(x)])
  enc2utf8(as.character(x))
}

format_labels <- function(x) {
  distinct <- unique(x)
  text <- format_number(distinct)
  text[is.na(distinct)] <- NA
  text[match(x, distinct)]
}

# Classes as text: the levels of a factor that occur, in their order, or the values in alphabetical order (by code
# point, so that the order is the same on every machine).
guess_classes <- function(y) {
  if (has_own_order(y)) return(enc2utf8(levels(y)[levels(y) %in% y]))
  if (is.numeric(y)) return(as_label(sort(unique(y[!is.na(y)]))))
  sort(labels_in(y), method = "radix")
}

# The rows' weight by class, named by class.
class_counts <- function(y, classes, weight) {
  seen <- levels_of(y)
  counts <- weight_by_place(seen$codes, weight, length(seen$levels))[match(classes, seen$levels)]
  stats::setNames(ifelse(is.na(counts), 0, counts), classes)
}

# The place of each value among the classes.
class_places <- function(y, classes) {
  seen <- levels_of(y)
  match(seen$levels, classes)[seen$codes]
}

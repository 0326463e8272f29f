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

# The order of texts by code point, the same on every machine. The radix sort takes a kilobyte of memory for each byte
# of the longest text, so long texts are compared instead.
order_texts <- function(x, then = NULL) {
  by <- drop_nulls(list(x, then))
  if (max(0L, nchar(x, "bytes"), na.rm = TRUE) <= 1000) return(do.call(order, c(by, method = "radix")))
  withr::with_collate("C", do.call(order, c(by, method = "shell")))
}

# Labels in the order in which a reader looks for them: that of a factor's levels, else by their letters with the
# numbers in them by size (2 before 10).
natural_order <- function(labels, of = NULL) {
  if (has_own_order(of)) return(intersect(c(levels(of), labels), labels))
  padded <- vapply(regmatches(labels, gregexpr("[0-9]+|[^0-9]+", labels)), function(parts) {
    digits <- grepl("^[0-9]", parts)
    parts[digits] <- formatC(parts[digits], width = 12, flag = "0")
    paste(gsub(" ", "0", parts), collapse = "")
  }, "")
  labels[order_texts(padded, labels)]
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
  labels <- labels_in(y)
  labels[order_texts(labels)]
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

# Groups of levels that differ only in case, blanks or accents.
alike_levels <- function(levels, plain = bare_letters(levels)) {
  unname(Filter(function(group) length(group) > 1, split(levels, factor(plain, unique(plain)))))
}

# Small letters without accents, single blanks; the same in every locale.
bare_letters <- function(text) {
  text <- gsub("[\\s\u00a0\u202f]+", " ", trimws(enc2utf8(text)), perl = TRUE)
  text <- trimws(chartr(accented_letters, plain_letters, text))
  gsub("\u00df", "ss", chartr(paste(LETTERS, collapse = ""), paste(letters, collapse = ""), text))
}

accented_letters <- paste0(
  "\u00c0\u00c1\u00c2\u00c3\u00c4\u00c5\u0100\u0102\u0104\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u0101\u0103\u0105",
  "\u00c7\u0106\u010c\u00e7\u0107\u010d\u010e\u0110\u010f\u0111\u00c8\u00c9\u00ca\u00cb\u0112\u0118\u011a",
  "\u00e8\u00e9\u00ea\u00eb\u0113\u0119\u011b\u011e\u011f\u00cc\u00cd\u00ce\u00cf\u0130\u00ec\u00ed\u00ee\u00ef\u0131",
  "\u0141\u0142\u0139\u013a\u00d1\u0143\u0147\u00f1\u0144\u0148\u00d2\u00d3\u00d4\u00d5\u00d6\u00d8\u0150",
  "\u00f2\u00f3\u00f4\u00f5\u00f6\u00f8\u0151\u0158\u0159\u015a\u015e\u0160\u015b\u015f\u0161\u0164\u0165",
  "\u00d9\u00da\u00db\u00dc\u016e\u0170\u00f9\u00fa\u00fb\u00fc\u016f\u0171\u00dd\u0178\u00fd\u00ff",
  "\u0179\u017b\u017d\u017a\u017c\u017e"
)
plain_letters <- paste0(
  strrep("a", 18), strrep("c", 6), strrep("d", 4), strrep("e", 14), strrep("g", 2), strrep("i", 10), strrep("l", 4),
  strrep("n", 6), strrep("o", 14), strrep("r", 2), strrep("s", 6), strrep("t", 2), strrep("u", 12), strrep("y", 4),
  strrep("z", 6)
)

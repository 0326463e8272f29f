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

# ---- columns that name units -----------------------------------------------------------------------------------------

# Columns that name units with several rows each: a patient's number beside each visit. They are no quantity and no
# level: what is learned of them is of no use for new units, and rows of one unit in two parts of a split are no test of
# each other.

# Of some columns of a table those that name units: their values come again a few times each. `kinds` are the guessed
# ones of all columns, a list.
unit_columns <- function(columns, table, kinds) {
  Filter(function(column) names_units(table[[column]], column, table, kinds), columns)
}

fewest_units_named <- 20
most_rows_a_unit <- 30

may_name_units <- function(x, kind) {
  if (!kind %in% c("count", "number", "category", "text") || has_own_order(x)) return(FALSE)
  x <- x[!is.na(x)]
  n <- length(x)
  if (n < 40 || (is.numeric(x) && any(x != round(x)))) return(FALSE)
  distinct <- length(unique(x))
  usual <- n / distinct
  distinct >= fewest_units_named && usual >= 1.05 && usual <= most_rows_a_unit &&
    max(tabulate(match(x, unique(x)))) <= max(5, 10 * usual)
}

names_units <- function(x, column, table, kinds) {
  known <- !is.na(x)
  # so many rows tell
  rows <- which(known)
  if (length(rows) > 20000) rows <- rows[seq_len(20000)]
  unit <- match(x[rows], unique(x[rows]))
  called <- grepl(unit_words, tolower(column), perl = TRUE)
  in_runs <- comes_in_runs(x[rows], unit)
  steady <- has_steady_columns(unit, x[rows], column, table[rows, , drop = FALSE], kinds)
  # what is measured has a middle, and may be the same for all of a household or a day
  if (is.numeric(x)) {
    spread <- is_spread_evenly(x[rows])
    named <- called && (steady || in_runs)
    return(!grepl(time_words, tolower(column)) && (named || spread && (steady || in_runs || called)))
  }
  shaped <- has_one_shape(unique(as_label(x[rows])))
  (shaped && (called || steady || in_runs || max(unit) > length(rows) / 10)) || (called && (steady || in_runs))
}

# Whole numbers, another in each row, under a name that says what they are: a customer's, drawn or given out.
names_rows <- function(x, kind, column) {
  called <- kind == "count" && grepl(unit_words, tolower(column), perl = TRUE) && !grepl(time_words, tolower(column))
  if (!called || length(x) < 20 || anyNA(x) || anyDuplicated(x)) return(FALSE)
  grepl(id_words, tolower(column), perl = TRUE) || is_spread_evenly(x)
}

# What columns that name units are called, in a few languages.
id_words <- "(^|[_. ])(id|ids|nr|nummer|numero|uuid|mrn)$|[a-z0-9][_. ](no|num)$"
# "NO" may be a gas, and a number or key a quantity
unit_words <- paste0(
  id_words, "|(^|[_. ])(no|num|number|code|key|ref)$|[a-z](id|nr)$|",
  "patient|subject|customer|client|member|account|household|person|kunde|student|employee|participant|serial"
)

time_words <- "day|week|month|year|hour|minute|time|date|age$|^age"

# Rows of a unit stand together though the units are in no order.
comes_in_runs <- function(x, unit) {
  again <- sum(duplicated(unit))
  if (again < 20 || !is.unsorted(x) || !is.unsorted(-xtfrm(x))) return(FALSE)
  sum(diff(unit) == 0) > 0.9 * again && mean(diff(as.numeric(xtfrm(x))) != 0 & diff(as.numeric(xtfrm(x))) < 0) > 0.02
}

# Whether another column says the same in all rows of nearly every unit, and other things of other units. A band that
# follows from a quantity does so too, but changes seldom along it.
has_steady_columns <- function(unit, x, column, table, kinds) {
  several <- unit %in% unit[duplicated(unit)]
  if (sum(several) < 40) return(FALSE)
  order <- order(xtfrm(x))
  others <- setdiff(names(kinds)[unlist(kinds) %in% c("category", "flag", "date")], column)
  any(vapply(others, function(other) {
    y <- match(table[[other]], unique(table[[other]]))
    values <- max(y)
    if (values < 2 || values > max(unit) / 3) return(FALSE)
    own <- unit[several]
    first <- y[several][match(own, own)]
    if (mean(first == y[several]) < 0.99) return(FALSE)
    expected <- sum((tabulate(y) / length(y))^2)
    changes <- sum(diff(y[order]) != 0)
    expected < 0.95 && changes > 0.2 * (1 - expected) * max(unit)
  }, NA))
}

# Numbers that were given out one after another are spread evenly; what is measured has a middle.
is_spread_evenly <- function(x) {
  distinct <- unique(x)
  bins <- tabulate(pmin(10, 1 + floor((distinct - min(distinct)) / max(diff(range(distinct)), 1) * 10)), 10)
  min(bins) > 0.5 * mean(bins)
}

# "P0123", "K-47": letters and digits in one pattern.
has_one_shape <- function(labels) {
  labels <- utils::head(labels, 1000)
  shape <- gsub("[0-9]+", "0", gsub("[[:alpha:]]+", "a", labels))
  found <- sort(table(shape), decreasing = TRUE)
  grepl("0", names(found)[1]) && grepl("a", names(found)[1]) && found[[1]] >= 0.95 * length(labels)
}

# ---- labels ----------------------------------------------------------------------------------------------------------

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

# Whether a target of numbers is better spoken of in bands than value by value.
has_many_values <- function(y) is.numeric(y) && length(unique(y)) > 20

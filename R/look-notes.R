# What is odd about a table before anything is trained. Each function returns a note or NULL.

#' @export
notes.hylomath_look <- function(x, ...) x$notes

# Columns that are `open` can be read in several ways, which is said already.
look_notes <- function(data, columns, shares, target, open = character()) {
  inputs <- columns[!columns$column %in% target, ]
  of_kind <- function(kind) inputs$column[inputs$kind == kind]
  values <- as.list(data)[inputs$column]
  texts <- inputs$column[vapply(values, function(x) is.character(x) || is.factor(x), NA)]
  factors <- inputs$column[vapply(values, has_own_order, NA)]
  labels <- lapply(values[texts], short_labels)
  labels_but <- function(others) labels[setdiff(texts, others)]
  join_notes(
    note_nearly_one_class(shares),
    note_id_like(Filter(function(column) !anyDuplicated(data[[column]]), of_kind("id"))),
    note_units(data[Filter(function(column) anyDuplicated(data[[column]]) > 0, of_kind("id"))]),
    if (!is.null(target)) note_few_counts(data[[target]], target),
    note_total_row(data), note_no_values(of_kind("missing")), note_constant(of_kind("constant")),
    note_duplicates(data[setdiff(names(data), of_kind("id"))], target),
    if (!is.null(target)) note_leak(data, inputs, target),
    note_numbers_as_text(labels_but(c(factors, open))), note_dates_as_text(labels_but(open)),
    note_alike_levels(labels_but(c(of_kind("id"), of_kind("text")))),
    note_missing_codes(values[inputs$kind %in% c("number", "count", "category")], labels),
    if (!is.null(target)) note_informative_missing(data, inputs$column[inputs$missing > 0], target)
  )
}

# How text was read as numbers and dates.
note_formats <- function(found) {
  if (length(found$formats) == 0) return(NULL)
  written <- vapply(names(found$formats), function(column) {
    missing <- found$missing[[column]]
    but <- if (length(missing)) sprintf(", %s missing", enumerate(dQuote(missing, FALSE), "and", limit = 3))
    sprintf("%s (as `%s`%s)", column, found$formats[[column]], but %||% "")
  }, "")
  numbers <- vapply(found$formats, function(format) format %in% names(number_marks), NA)
  kinds <- c(if (any(numbers)) "numbers", if (!all(numbers)) "dates")
  new_note(
    "read_as_written", sprintf("Text is read as %s: %s.", enumerate(kinds, "and"), enumerate(written, limit = 20)),
    sprintf(
      "If a column means something else: brief(..., formats = ) or set_columns(kinds = c(%s = \"text\")).",
      column_text(names(found$formats)[1])
    )
  )
}

note_open_formats <- function(open) {
  if (length(open) == 0) return(NULL)
  first <- open[[1]]
  what <- "%s can be read in several ways: %s may be %s."
  new_note(
    "read_in_two_ways",
    sprintf(what, names(open)[1], describe(first$example), enumerate(quoted(first$formats), "or")),
    sprintf("Say which: brief(..., formats = c(%s = \"%s\")).", column_text(names(open)[1]), first$formats[1])
  )
}

note_nearly_one_class <- function(shares) {
  if (is.null(shares) || max(shares$share) < 0.9) return(NULL)
  commonest <- which.max(shares$share)
  what <- "%s of the rows with a target are \"%s\": predicting it for every row is correct that often."
  new_note(
    "nearly_one_class", sprintf(what, format_percent(shares$share[commonest]), shares$class[commonest]),
    "Compare networks by balanced accuracy and by each class's recall, and try class_weights: even."
  )
}

note_id_like <- function(columns) {
  said <- columns_that(columns, "has another value in every row", "have another value in every row")
  advice <- "It names rows, so it carries no information about new rows. A brief does not use it as an input."
  if (!is.null(said)) new_note("id_like", said, advice)
}

# Columns that name units with several rows each.
note_units <- function(columns) {
  if (length(columns) == 0) return(NULL)
  name <- names(columns)[1]
  x <- columns[[1]]
  what <- paste(
    "%s names %s units in %s rows. Rows of one unit are alike: if some of them train a network and others test it, it",
    "looks better than it is."
  )
  new_note(
    "rows_belong_together",
    sprintf(what, name, format_count(length(unique(x[!is.na(x)]))), format_count(length(x))),
    sprintf("Keep its rows together: set_columns(group = %s). A group is not used as an input.", column_text(name))
  )
}

# Whole numbers of few values may be counts or classes.
note_few_counts <- function(y, target) {
  y <- y[!is.na(y)]
  if (!is.numeric(y) || any(y != round(y)) || any(y < 0)) return(NULL)
  values <- sort(unique(y))
  if (length(values) < 3 || length(values) > 6) return(NULL)
  what <- "%s has %d values, %s. A brief takes them as counts; they may be classes."
  new_note(
    "few_values", sprintf(what, target, length(values), enumerate(format_each(values), "and")),
    "Say which: brief(..., task = \"classification\") or brief(..., task = \"count\")."
  )
}

total_words <- c(
  "total", "totals", "grand total", "subtotal", "sum", "summe", "gesamt", "gesamtsumme", "insgesamt", "totale",
  "totaal", "suma", "summa", "soma", "somme", "total general", "i alt", "yhteens\u00e4", "razem", "celkem"
)

# One of the last rows that adds up the others, as spreadsheets have it: a cell says so, and more cells are empty than
# in the first row. `rows` are those that are looked at.
note_total_row <- function(table, rows = seq_len(nrow(table))) {
  if (length(rows) < 4) return(NULL)
  row_of <- function(i) vapply(table, function(x) as_label(x[i])[1], "")
  usual <- sum(is.na(row_of(rows[1])))
  for (row in rev(utils::tail(rows, 3))) {
    cells <- row_of(row)
    says <- which(tolower(gsub("^\\s+|[\\s:]+$", "", cells, perl = TRUE)) %in% total_words)
    empty <- sum(is.na(cells))
    if (length(says) == 0 || empty < usual + max(1, length(cells) / 4)) next
    column <- names(table)[says[1]]
    what <- "Row %s seems to add up the others: its %s is %s, and %d of its %s are empty."
    return(new_note(
      "total_row",
      sprintf(what, format_count(row), column, describe(cells[[says[1]]]), empty, counted(length(cells), "cell")),
      sprintf("If so, leave it out: keep_rows(%s != %s).", column_text(column), describe(cells[[says[1]]]))
    ))
  }
  NULL
}

note_no_values <- function(columns) {
  said <- columns_that(columns, "has no values", "have no values")
  if (!is.null(said)) new_note("no_values", said, "A brief doesn't use it as an input.")
}

note_constant <- function(columns) {
  said <- columns_that(columns, "always has the same value", "always have the same value")
  if (!is.null(said)) new_note("constant", said, "A brief doesn't use it as an input.")
}

columns_that <- function(columns, one, several) {
  if (length(columns)) sprintf("%s %s.", enumerate(columns), if (length(columns) == 1) one else several)
}

note_duplicates <- function(data, target) {
  if (ncol(data) == 0) return(NULL)
  copies <- nrow(data) - vctrs::vec_unique_count(data)
  if (copies == 0 || are_alike_by_chance(data, target)) return(NULL)
  rows <- if (copies == 1) "1 row is" else paste(format_count(copies), "rows are")
  what <- "%s an exact copy of another one; when rows are held out, copies can stand on both sides."
  new_note(
    "duplicate_rows", sprintf(what, rows),
    "Keep one of each if they are the same record; if not, hold out by a group that copies share."
  )
}

# Whether rows are equal because there are few values to have.
are_alike_by_chance <- function(data, target) {
  others <- data[setdiff(names(data), target)]
  if (is.null(target) || ncol(others) == 0) return(FALSE)
  first <- vctrs::vec_match(others, others)
  twins <- which(first != seq_along(first))
  y <- data[[target[1]]]
  same <- vctrs::vec_equal(y[twins], y[first[twins]], na_equal = TRUE)
  !are_copies(same, y[!is.na(y)])
}

# A column by which alone the target is known in nearly every row.
note_leak <- function(data, inputs, target) {
  y <- data[[target]]
  kinds <- stats::setNames(inputs$kind, inputs$column)
  leaks <- giving_columns(as.list(data[inputs$column]), y, kinds)
  pairs <- giving_pairs(as.list(data[inputs$column]), y)
  join_notes(if (length(leaks)) leak_note(leaks, target), if (length(pairs)) pairs_note(pairs, target))
}

# Distinct texts that are short enough to be a number, a date or the name of a level.
short_labels <- function(x) {
  labels <- labels_in(x)
  labels[nchar(labels, "bytes") <= 200]
}

# For each column which of its labels are those that are wanted. A label is looked at once, though many columns may have
# it.
labels_that <- function(labels, are_wanted) {
  all <- as.character(unique(unlist(labels, use.names = FALSE)))
  wanted <- all[are_wanted(all)]
  lapply(labels, function(own) if (length(wanted)) own[own %in% wanted])
}

number_pattern <- "^[[:space:]]*[-+]?[0-9]+([.,][0-9]+)*[[:space:]]*(%)?$"

note_numbers_as_text <- function(labels) {
  numbers <- labels_that(labels, function(text) grepl(number_pattern, text) & !grepl(date_patterns, text))
  found <- labels[lengths(labels) >= 5 & lengths(numbers) >= 0.9 * lengths(labels)]
  if (length(found) == 0) return(NULL)
  distinct <- found[[1]]
  odd <- distinct[is.na(suppressWarnings(as.numeric(distinct)))]
  but <- if (length(odd)) sprintf(" (but \"%s\")", odd[1]) else ""
  new_note(
    "numbers_as_text", sprintf("%s holds numbers as text%s.", enumerate(names(found)), but),
    paste(
      "Read it as numbers: name the decimal mark of the file,",
      "or the codes that mean missing with prepare(missing_codes = ...)."
    )
  )
}

# 2025-06-01, 1.6.2025, 01/06/25, 1 June 2025; a time may follow.
date_patterns <- paste0(
  "^([0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}",
  "|[0-9]{1,2}[-/.][0-9]{1,2}[-/.]([0-9]{4}|[0-9]{2})",
  "|[0-9]{1,2} [A-Z][a-z]{2,8} [0-9]{4})( .*|T.*)?$"
)

note_dates_as_text <- function(labels) {
  some <- lapply(labels, utils::head, 1000)
  dates <- labels_that(some, function(text) grepl(date_patterns, text))
  found <- labels[lengths(some) > 0 & lengths(dates) >= 0.95 * lengths(some)]
  if (length(found) == 0) return(NULL)
  example <- found[[1]][1]
  new_note(
    "dates_as_text", sprintf("%s holds dates as text, such as \"%s\".", enumerate(names(found)), example),
    paste(
      "Write them as YYYY-MM-DD, or convert them with as.Date() first;",
      "then season and weekday can be used."
    )
  )
}

# Words and numbers that often stand for a missing value: a number of nines or a number below 0 that is far from all
# others and comes again and again.
note_missing_codes <- function(columns, labels) {
  numeric <- vapply(columns, is.numeric, NA)
  words <- labels_that(labels[intersect(names(columns), names(labels))], function(text) {
    tolower(trimws(text)) %in% surely_missing
  })
  codes <- Filter(length, c(lapply(columns[numeric], missing_numbers), words)[names(columns)])
  if (length(codes)) {
    told <- vapply(names(codes), function(column) {
      sprintf("%s (%s)", column, enumerate(dQuote(format_each_code(codes[[column]]), FALSE), "and", limit = 3))
    }, "")
    first <- codes[[1]]
    text <- if (is.numeric(first)) format_each(first) else encodeString(first, quote = "\"")
    new_note(
      "codes_for_missing", sprintf("These values may stand for missing ones: %s.", enumerate(told, limit = 10)),
      sprintf("If they do: prepare(only = %s, missing_codes = %s).", column_text(names(codes)[1]), in_vector(text))
    )
  }
}

format_each_code <- function(codes) if (is.numeric(codes)) format_each(codes) else codes

in_vector <- function(texts) if (length(texts) == 1) texts else sprintf("c(%s)", paste(texts, collapse = ", "))

missing_numbers <- function(x) {
  x <- x[is.finite(x)]
  if (length(x) < 20) return(NULL)
  usual <- c(-9, -99, -999, -9999, -99999, -1, 99, 999, 9999, 99999, 999999)
  found <- usual[usual %in% x]
  alone <- Filter(function(code) {
    others <- x[!x %in% found]
    reach <- if (length(others) > 1) diff(range(others)) else return(FALSE)
    often <- sum(x == code) >= 2
    if (code < 0) often && min(others) >= 0 else often && code > max(others) + 0.5 * max(reach, 1)
  }, found)
  if (length(alone)) alone
}

note_alike_levels <- function(labels) {
  all <- as.character(unique(unlist(labels, use.names = FALSE)))
  plain <- bare_letters(all)
  several <- labels[lengths(labels) > 1]
  found <- Filter(length, lapply(several, function(own) unlist(alike_levels(own, plain[match(own, all)]))))
  if (length(found) == 0) return(NULL)
  levels <- enumerate(dQuote(utils::head(found[[1]], 4), FALSE))
  columns <- vapply(names(found), column_text, "")
  new_note(
    "alike_levels",
    sprintf(
      "%s %s levels that differ only in case, blanks or accents: %s.", enumerate(names(found)),
      if (length(found) == 1) "has" else "have", levels
    ),
    sprintf("If they mean the same: merge_levels(%s).", paste(columns, collapse = ", "))
  )
}

# ---- missing values -----------------------------------------------------------------------------------------------

# Columns whose missing values go with the target, more than chance would have it (p below 0.001) and by enough to
# matter.
note_informative_missing <- function(data, columns, target) {
  y <- data[[target]]
  # what gives the target away is no information to keep
  telling <- Filter(function(column) {
    missing_tells(is.na(data[[column]]), y) && !missing_gives_away(data[[column]], y)
  }, columns)
  if (length(telling) == 0) return(NULL)
  example <- missing_example(is.na(data[[telling[1]]]), y, telling[1])
  new_note(
    "informative_missing", sprintf("Whether %s is missing goes with %s%s.", enumerate(telling), target, example),
    paste(
      sprintf("If this is known before %s is, keep an input for it: prepare(missing = \"flag\"), the default", target),
      sprintf("above 1 %% missing. If %s causes the missing values, drop the column.", target)
    )
  )
}

missing_tells <- function(gap, y) {
  known <- !is.na(y)
  gap <- gap[known]
  y <- y[known]
  if (sum(gap) < 10 || sum(!gap) < 10) return(FALSE)
  if (has_many_values(y)) {
    apart <- abs(mean(y[gap]) - mean(y[!gap]))
    return(stats::t.test(y[gap], y[!gap])$p.value < 0.001 && apart > 0.2 * stats::sd(y))
  }
  counts <- table(as_label(y), gap)
  shares <- prop.table(counts, 2)
  chance <- suppressWarnings(stats::chisq.test(counts)$p.value)
  chance < 0.001 && max(abs(shares[, 1] - shares[, 2])) > 0.03
}

missing_example <- function(gap, y, column) {
  if (has_many_values(y)) {
    means <- format_each_short(c(mean(y[gap], na.rm = TRUE), mean(y[!gap], na.rm = TRUE)))
    return(sprintf(": where %s is missing its mean is %s, elsewhere %s", column, means[1], means[2]))
  }
  shares <- prop.table(table(as_label(y), gap), 2)
  class <- rownames(shares)[which.max(abs(shares[, "TRUE"] - shares[, "FALSE"]))]
  percents <- format_percent(shares[class, c("TRUE", "FALSE")])
  what <- ": where %s is missing %s of the rows are \"%s\", elsewhere %s"
  sprintf(what, column, percents[1], class, percents[2])
}

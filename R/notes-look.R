# What is odd about a table before anything is trained. Each function returns a note or NULL.

look_notes <- function(data, columns, shares, target) {
  inputs <- columns[!columns$column %in% target, ]
  of_kind <- function(kind) inputs$column[inputs$kind == kind]
  y <- if (!is.null(target)) data[[target]]
  texts <- inputs$column[vapply(data[inputs$column], function(x) is.character(x) || is.factor(x), NA)]
  join_notes(
    note_nearly_one_class(shares),
    note_columns("id_like", of_kind("id"), "has another value in every row", "have another value in every row", "It names rows and tells nothing about new ones; a brief doesn't use it as an input."),
    note_columns("no_values", of_kind("missing"), "has no values", "have no values", "Drop it with set_columns(drop = ...)."),
    note_columns("constant", of_kind("constant"), "always has the same value", "always have the same value", "A brief doesn't use it as an input."),
    note_duplicates(data[setdiff(names(data), of_kind("id"))]),
    if (!is.null(target)) note_leak(data, inputs, y, target),
    note_numbers_as_text(data[texts[!vapply(data[texts], is.factor, NA)]]),
    note_dates_as_text(data[texts]),
    note_alike_levels(data[texts[!texts %in% c(of_kind("id"), of_kind("text"))]]),
    if (!is.null(target)) note_telling_gaps(data, inputs$column[inputs$gaps > 0], y, target)
  )
}

note_nearly_one_class <- function(shares) {
  if (is.null(shares) || max(shares$share) < 0.9) return(NULL)
  new_note(
    "nearly_one_class",
    sprintf("%s of the rows with a target are \"%s\": always saying so would be right that often.", format_percent(max(shares$share)), shares$class[which.max(shares$share)]),
    "Judge a network by balanced accuracy and by each class's recall, and try class_weights: even."
  )
}

note_columns <- function(code, columns, one, several, try) {
  if (length(columns) == 0) return(NULL)
  new_note(code, sprintf("%s %s.", enumerate(columns), if (length(columns) == 1) one else several), try)
}

note_duplicates <- function(data) {
  if (ncol(data) == 0) return(NULL)
  copies <- nrow(data) - vctrs::vec_unique_count(data)
  if (copies == 0) return(NULL)
  new_note(
    "duplicate_rows",
    sprintf("%s an exact copy of another one; when rows are held out, copies can stand on both sides.", if (copies == 1) "1 row is" else paste(format_count(copies), "rows are")),
    "Keep one of each if they are the same record; if not, hold out by a group that copies share."
  )
}

# A column by which alone the target is known in nearly every row.
note_leak <- function(data, inputs, y, target) {
  leaks <- Filter(function(column) gives_away(data[[column]], y, inputs$kind[inputs$column == column]), inputs$column)
  if (length(leaks) == 0) return(NULL)
  leak_note(leaks, target)
}

# Distinct texts that are short enough to be a number, a date or the name of a level.
short_labels <- function(x) {
  labels <- labels_in(x)
  labels[nchar(labels, "bytes") <= 200]
}

note_numbers_as_text <- function(texts) {
  found <- Filter(function(x) {
    distinct <- short_labels(x)
    number <- grepl("^[[:space:]]*[-+]?[0-9]+([.,][0-9]+)*[[:space:]]*(%)?$", distinct)
    length(distinct) >= 5 && mean(number & !grepl(date_patterns, distinct)) >= 0.9
  }, texts)
  if (length(found) == 0) return(NULL)
  examples <- vapply(found, function(x) {
    distinct <- short_labels(x)
    odd <- distinct[is.na(suppressWarnings(as.numeric(distinct)))]
    if (length(odd)) sprintf(" (but \"%s\")", odd[1]) else ""
  }, "")
  new_note("numbers_as_text", sprintf("%s holds numbers as text%s.", enumerate(names(found)), examples[1]), "Read it as numbers: name the decimal mark of the file, or the codes that mean missing with prepare(missing_codes = ...).")
}

date_patterns <- "^([0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}|[0-9]{1,2}[-/.][0-9]{1,2}[-/.]([0-9]{4}|[0-9]{2})|[0-9]{1,2} [A-Z][a-z]{2,8} [0-9]{4})( .*|T.*)?$"

note_dates_as_text <- function(texts) {
  found <- Filter(function(x) {
    distinct <- utils::head(short_labels(x), 1000)
    length(distinct) > 0 && mean(grepl(date_patterns, distinct)) >= 0.95
  }, texts)
  if (length(found) == 0) return(NULL)
  new_note("dates_as_text", sprintf("%s holds dates as text, such as \"%s\".", enumerate(names(found)), labels_in(found[[1]])[1]), "Write them as YYYY-MM-DD, or convert them with as.Date() first; then season and weekday can be used.")
}

note_alike_levels <- function(texts) {
  alike <- function(x) {
    distinct <- short_labels(x)
    plain <- tolower(gsub("[[:space:]]+", " ", trimws(distinct)))
    distinct[plain %in% plain[duplicated(plain)]]
  }
  found <- Filter(length, lapply(texts, alike))
  if (length(found) == 0) return(NULL)
  new_note(
    "alike_levels",
    sprintf("%s has levels that differ only in case or blanks: %s.", enumerate(names(found)), enumerate(dQuote(utils::head(found[[1]], 4), FALSE))),
    sprintf("If they mean the same, derive(%s = lower(trim(%s))).", column_text(names(found)[1]), column_text(names(found)[1]))
  )
}

# Columns whose gaps go with the target, more than chance would have it (p below 0.001) and by enough to matter.
note_telling_gaps <- function(data, columns, y, target) {
  telling <- Filter(function(column) gaps_tell(is.na(data[[column]]), y), columns)
  if (length(telling) == 0) return(NULL)
  new_note(
    "telling_gaps",
    sprintf("Whether %s is missing goes with %s%s.", enumerate(telling), target, gap_example(is.na(data[[telling[1]]]), y, telling[1])),
    "The gap itself is information: keep an input for it with prepare(gaps = \"flag\"), the default above 1 % of gaps."
  )
}

gaps_tell <- function(gap, y) {
  known <- !is.na(y)
  gap <- gap[known]
  y <- y[known]
  if (sum(gap) < 10 || sum(!gap) < 10) return(FALSE)
  if (is.numeric(y) && length(unique(y)) > 20) {
    return(stats::t.test(y[gap], y[!gap])$p.value < 0.001 && abs(mean(y[gap]) - mean(y[!gap])) > 0.2 * stats::sd(y))
  }
  counts <- table(as_label(y), gap)
  shares <- prop.table(counts, 2)
  suppressWarnings(stats::chisq.test(counts)$p.value) < 0.001 && max(abs(shares[, 1] - shares[, 2])) > 0.03
}

gap_example <- function(gap, y, column) {
  if (is.numeric(y) && length(unique(y)) > 20) {
    return(sprintf(": where %s is missing its mean is %s, elsewhere %s", column, format_short(mean(y[gap], na.rm = TRUE)), format_short(mean(y[!gap], na.rm = TRUE))))
  }
  shares <- prop.table(table(as_label(y), gap), 2)
  class <- rownames(shares)[which.max(abs(shares[, "TRUE"] - shares[, "FALSE"]))]
  sprintf(": where %s is missing %s of the rows are \"%s\", elsewhere %s", column, format_percent(shares[class, "TRUE"]), class, format_percent(shares[class, "FALSE"]))
}

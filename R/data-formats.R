# How numbers and dates are written, in the ways of many countries, and how a column's way is found.
#
# A format is a text that shows it: "1.234,5" is a number with a comma and with points between thousands, "d.m.y" a
# date. Currency and percent signs, blanks, brackets and signs behind a number for those below 0 need no saying.

# By format the decimal mark and the mark between thousands; the plainest first.
number_marks <- list(
  "1234.5" = c(".", ""), "1234,5" = c(",", ""), "1,234.5" = c(".", ","), "1.234,5" = c(",", "."),
  "1 234,5" = c(",", " "), "1 234.5" = c(".", " "), "1'234.5" = c(".", "'"), "1'234,5" = c(",", "'")
)

# By format the order of the parts and the pattern of a date; a time may follow.
date_patterns_of <- local({
  parted <- function(order, mark, year) {
    part <- c(y = year, m = "([0-9]{1,2})", d = "([0-9]{1,2})")
    list(order = order, pattern = paste(part[order], collapse = mark))
  }
  two_or_four <- "([0-9]{4}|[0-9]{2})"
  list(
    "y-m-d" = parted(c("y", "m", "d"), "-", "([0-9]{4})"), "y/m/d" = parted(c("y", "m", "d"), "/", "([0-9]{4})"),
    "y.m.d" = parted(c("y", "m", "d"), "[.]", "([0-9]{4})"), "d.m.y" = parted(c("d", "m", "y"), "[.]", two_or_four),
    "d/m/y" = parted(c("d", "m", "y"), "/", two_or_four), "m/d/y" = parted(c("m", "d", "y"), "/", two_or_four),
    "d-m-y" = parted(c("d", "m", "y"), "-", two_or_four), "m-d-y" = parted(c("m", "d", "y"), "-", two_or_four),
    "d month y" = list(
      order = c("d", "m", "y"), pattern = paste0("([0-9]{1,2})[. -]+(\\p{L}{3,9})[.,]?[ -]+", two_or_four)
    ),
    "month d y" = list(order = c("m", "d", "y"), pattern = "(\\p{L}{3,9})[.]? ([0-9]{1,2}),? ([0-9]{4})")
  )
})

time_behind <- "(?:[T, ]+([0-9]{1,2}):([0-9]{2})(?::([0-9]{2})(?:[.,][0-9]+)?)? ?([AaPp][Mm])?Z?)?"

format_words <- function() c(names(number_marks), names(date_patterns_of))

# Words and marks that stand for a missing value between numbers or dates, in lower case.
words_for_missing <- c(
  "na", "n/a", "n.a.", "#n/a", "#na", "nan", "null", "nil", "none", "missing", "unknown", "not known", "unbekannt",
  "k.a.", "k. a.", "keine angabe", "inconnu", "n.c.", "nc", "desconocido", "s/d", "sconosciuto", "n.d.", "nd",
  "onbekend", "ukjent", "ok\u00e4nd", "nieznany", "?", "-", "--", "---", "\u2013", "\u2014", ".", "*", "x",
  "#div/0!", "#value!", "#ref!"
)

# Of categories words such as "none" are levels of their own.
surely_missing <- setdiff(words_for_missing, c("none", "nil", "x", "*", ".", "nc", "nd", "-", "na"))

is_word_for_missing <- function(text) tolower(trimws(text)) %in% words_for_missing

# ---- cells --------------------------------------------------------------------------------------------------------

currencies <- paste(c(
 "\\p{Sc}", "EUR", "USD", "GBP", "CHF", "SEK", "NOK", "DKK", "ISK", "PLN", "CZK", "HUF", "JPY", "CNY", "INR", "CAD",
  "AUD", "BRL", "kr\\.?", "Kr\\.?", "Fr\\.?", "SFr\\.?", "z\u0142", "K\u010d", "Ft", "lei", "R\\$", "Rs\\.?", "US\\$"
), collapse = "|")

# Numbers without what stands around them, their sign in front.
bare_numbers <- function(text) {
  text <- trimws(gsub("[\u00a0\u202f\u2009\u2007]", " ", text))
  text <- gsub("[\u2212\u2013]", "-", text)
  text <- gsub("\u2019", "'", text)
  bracketed <- grepl("^[(].*[)]$", text)
  text[bracketed] <- paste0("-", sub("^[(](.*)[)]$", "\\1", text[bracketed]))
  text <- sub(sprintf("^([-+]?) ?(?:%s) ?([-+]?)", currencies), "\\1\\2", text, perl = TRUE)
  text <- sub(sprintf(" ?(?:%s)(-?)$", currencies), "\\1", text, perl = TRUE)
  text <- sub(" ?%$", "", text)
  behind <- grepl("[0-9] ?-$", text)
  text[behind] <- paste0("-", sub(" ?-$", "", text[behind]))
  sub("^([-+]) ", "\\1", text)
}

# NA for what is no number in this format. Between thousands stand three digits, of lakhs and crores two.
numbers_written <- function(text, format) {
  marks <- number_marks[[format]]
  mark <- c("." = "[.]", "," = ",", " " = " ", "'" = "'")
  whole <- if (marks[2] == "") "[0-9]+" else {
    grouped <- "(?:[1-9][0-9]{0,2}(?:%1$s[0-9]{3})+|[1-9][0-9]?(?:%1$s[0-9]{2})+%1$s[0-9]{3}|[0-9]+)"
    sprintf(grouped, mark[[marks[2]]])
  }
  pattern <- sprintf("^[-+]?(?:%1$s(?:%2$s[0-9]*)?|%2$s[0-9]+)(?:[eE][-+]?[0-9]+)?$", whole, mark[[marks[1]]])
  bare <- bare_numbers(text)
  right <- grepl(pattern, bare, perl = TRUE)
  plain <- bare[right]
  if (marks[2] != "") plain <- gsub(marks[2], "", plain, fixed = TRUE)
  value <- rep(NA_real_, length(text))
  value[right] <- as.numeric(sub(marks[1], ".", plain, fixed = TRUE))
  value
}

# Names of months by their first letters, in the languages of the exports that were tried.
months_by_name <- list(
  c("jan", "ene", "gen", "janv", "led", "sty"), c("feb", "feb", "fev", "f\u00e9v", "febb", "lut"),
  c("mar", "m\u00e4r", "maa", "mrt", "mars", "marz"), c("apr", "abr", "avr", "kwi"),
  c("may", "mai", "mei", "maj", "mag"),
  c("jun", "jui[n]", "giu", "cze"), c("jul", "juil", "lug", "lip"), c("aug", "ago", "ao\u00fb", "aou", "sie"),
  c("sep", "set", "wrz"), c("oct", "okt", "ott", "out", "pa\u017a"), c("nov", "lis"),
  c("dec", "dez", "dic", "d\u00e9c", "des", "gru")
)

month_numbers <- function(name) {
  if (all(grepl("^[0-9]+$", name))) return(as.integer(name))
  name <- tolower(name)
  number <- rep(NA_integer_, length(name))
  for (m in 1:12) number[grepl(sprintf("^(%s)", paste(months_by_name[[m]], collapse = "|")), name)] <- m
  number[grepl("^juil", name)] <- 7L
  number
}

# A Date, or a POSIXct in UTC where a time stands behind any of them; NA for what is no date in this format.
dates_written <- function(text, format) {
  how <- date_patterns_of[[format]]
  found <- regmatches(text, regexec(sprintf("^%s%s$", how$pattern, time_behind), trimws(text), perl = TRUE))
  none <- rep(NA_character_, 7)
  parts <- matrix(unlist(lapply(found, function(f) if (length(f)) f[-1] else none)), ncol = 7, byrow = TRUE)
  of <- function(name) parts[, match(name, how$order)]
  year <- as.integer(of("y"))
  year <- ifelse(nchar(of("y")) == 2, year + ifelse(year < 69, 2000L, 1900L), year)
  day <- sprintf("%04d-%02d-%02d", year, month_numbers_or_na(of("m")), as.integer(of("d")))
  date <- as.Date(ifelse(is.na(year), NA_character_, day), "%Y-%m-%d")
  if (!any(nzchar(parts[, 4], keepNA = TRUE), na.rm = TRUE)) return(date)
  number <- function(column) {
    text <- parts[, column]
    ifelse(is.na(text) | text == "", 0, suppressWarnings(as.numeric(text)))
  }
  hour <- number(4)
  half <- tolower(parts[, 7])
  hour <- ifelse(half %in% "pm" & hour < 12, hour + 12, ifelse(half %in% "am" & hour == 12, 0, hour))
  right <- hour < 24 & number(5) < 60 & number(6) < 61
  .POSIXct(ifelse(right, as.numeric(date) * 86400 + hour * 3600 + number(5) * 60 + number(6), NA), "UTC")
}

month_numbers_or_na <- function(name) {
  number <- rep(NA_integer_, length(name))
  number[!is.na(name)] <- month_numbers(name[!is.na(name)])
  number
}

# The column's values where all that is there is written so, else the column as it is: what is wrong is said where it is
# known what the column is for.
as_written <- function(x, format) {
  if (!is.character(x) && !is.factor(x)) return(x)
  text <- as_label(x)
  distinct <- unique(text)
  read <- if (format %in% names(number_marks)) numbers_written else dates_written
  value <- read(distinct, format)
  if (any(is.na(value) & !is.na(distinct) & trimws(distinct) != "")) x else value[match(text, distinct)]
}

# ---- how a column is written --------------------------------------------------------------------------------------

# list(formats, missing, open): by column the format that its cells are written in, and which cells stand for missing;
# and by column the formats that it may be in, where nothing tells which. `columns` are columns of text; `decimal` is
# the mark that others of the same file have, if it is known.
find_formats <- function(columns, decimal = NULL) {
  found <- drop_nulls(lapply(columns, formats_of))
  # what the other columns tell of the decimal mark
  marks <- unlist(lapply(found, function(f) if (length(f$formats) == 1) number_marks[[f$formats]][1]))
  decimal <- decimal %||% if (length(unique(marks)) == 1) unique(marks)
  for (column in names(found)) {
    formats <- found[[column]]$formats
    if (length(formats) < 2 || is.null(decimal) || !all(formats %in% names(number_marks))) next
    agree <- formats[vapply(formats, function(f) number_marks[[f]][1] == decimal, NA)]
    if (length(agree)) found[[column]]$formats <- agree[1]
  }
  clear <- lengths(lapply(found, `[[`, "formats")) == 1
  list(
    formats = lapply(found[clear], `[[`, "formats"),
    missing = Filter(length, lapply(found[clear], `[[`, "missing")),
    open = lapply(found[!clear], `[`, c("formats", "example"))
  )
}

# list(formats, missing, example), NULL for a column that holds other text. Text that is numbers as they stand is left
# alone unless something stands between them: it may be codes.
formats_of <- function(x) {
  distinct <- labels_in(x, most = 1e5)
  if (!any(grepl("[0-9]", distinct))) return(NULL)
  distinct <- distinct[trimws(distinct) != ""]
  if (any(nchar(distinct, "bytes") > 60)) return(NULL)
  missing <- distinct[is_word_for_missing(distinct)]
  cells <- setdiff(distinct, missing)
  if (length(cells) == 0 || mean(grepl("[0-9]", cells)) < 1) return(NULL)
  numbers <- readings(cells, number_marks, numbers_written)
  plain <- grepl("^[-+]?[0-9]+([.][0-9]+)?$", cells)
  if (length(numbers) && all(plain) && length(missing) == 0 && !grouped_throughout(cells)) return(NULL)
  if (length(numbers) && any(grepl("^[-+]?0[0-9]", cells))) return(NULL)  # codes
  if (length(numbers) && length(distinct) >= 2) return(list(formats = numbers, missing = missing, example = cells[1]))
  dates <- readings(cells, date_patterns_of, dates_written)
  if (length(dates) && !identical(dates, "y-m-d")) list(formats = dates, missing = missing, example = cells[1])
}

# One to three digits and then threes of them, in every cell: either thousands or three decimals.
grouped_throughout <- function(cells) all(grepl("^[-+]?[1-9][0-9]{0,2}[.][0-9]{3}$", cells))

# The formats in which all cells can be read, one for each way of reading them: the first of those that agree. A few
# cells rule most formats out.
readings <- function(cells, formats, read) {
  few <- cells[unique(round(seq(1, length(cells), length.out = min(length(cells), 20))))]
  values <- lapply(stats::setNames(nm = names(formats)), function(format) {
    if (anyNA(read(few, format))) return(NULL)
    value <- read(cells, format)
    if (!anyNA(value)) as.numeric(value)
  })
  values <- drop_nulls(values)
  names(values)[!duplicated(values)]
}

# ---- questions ----------------------------------------------------------------------------------------------------

# What a column that can be read in two ways is, by whoever sits there; a script is told what to say.
settled_formats <- function(open) {
  lapply(stats::setNames(nm = names(open)), function(column) {
    formats <- open[[column]]$formats
    example <- open[[column]]$example
    what <- sprintf("Column %s can be read in %d ways: %s is %s.", quoted(column), length(formats), describe(example),
      enumerate(sprintf("%s (`%s`)", vapply(formats, reading_text, "", example), formats), "or"))
    if (!rlang::is_interactive()) {
      hint <- "Say which: brief(formats = c(%s = \"%s\")), or `--set columns.formats.%s=%s`."
      name <- if (make.names(column) == column) column else sprintf("`%s`", column)
      fail(what, sprintf(hint, name, formats[1], column, formats[1]))
    }
    message(what)
    chosen <- utils::menu(formats, title = "Which is it?")
    if (chosen == 0) fail(what, "Nothing was chosen.")
    formats[chosen]
  })
}

reading_text <- function(format, example) {
  if (format %in% names(number_marks)) return(format(numbers_written(example, format), big.mark = ",", digits = 15))
  format(dates_written(example, format), if (grepl(":", example)) "%d %B %Y %H:%M" else "%d %B %Y")
}

#' Expressions
#'
#' [add_columns()], [keep_rows()] and the conditions of [hold_out()] take row-wise expressions. They have one meaning
#' everywhere: in R, in a brief file, on the command line, and in every export. They consist of columns, constants and
#' the functions below; anything else is refused when it is written. In R, `!!x` and `.env$x` put a value of your
#' session in as a constant.
#'
#' @section Functions:
#' - arithmetic: `+`, `-`, `*`, `/`, `^`, `%/%`, `%%`, parentheses. `a - b` of two dates or times is their distance in
#'   days.
#' - comparison: `==`, `!=`, `<`, `<=`, `>`, `>=`, `x %in% c("a", "b")`.
#' - logic: `!`, `&`, `|`.
#' - numbers: `abs(x)`, `sign(x)`, `sqrt(x)`, `exp(x)`, `log(x)`, `log2(x)`, `log10(x)`, `log1p(x)`, `expm1(x)`,
#'   `floor(x)`, `ceiling(x)`, `trunc(x)`, `round(x)`, `round(x, digits)`, `pmin(a, b, ...)`, `pmax(a, b, ...)`.
#' - choice: `ifelse(condition, a, b)`, `is.na(x)`, `coalesce(a, b, ...)` (the first that is not missing).
#' - dates and times: `year(d)`, `quarter(d)`, `month(d)`, `week(d)`, `weekday(d)`, `day(d)`, `yearday(d)`, `hour(d)`,
#'   `minute(d)`, `date("2025-06-01")`.
#' - text: `starts_with(x, "a")`, `ends_with(x, "a")`, `contains(x, "a")`, `lower(x)`, `upper(x)`, `trim(x)`,
#'   `nchar(x)`.
#' - order: `rank_in(x, "poor", "fair", "good")` is 1, 2 or 3, the place of `x` in the list; missing for other values.
#'
#' @section Meaning:
#' - *Missing values*: a function of a missing value is missing, except that `is.na()` shows it, `coalesce()` passes
#'   over, `ifelse()` needs only the branch it chooses, `FALSE & NA` is `FALSE` and `TRUE | NA` is `TRUE`. `%in%` of a
#'   missing value is missing. A row whose condition is missing is not kept and not chosen.
#' - *Rounding*: halves go away from zero, so `round(2.5)` is 3 and `round(-2.5)` is -3.
#' - *Remainders*: `a %/% b` is `floor(a / b)` and `a %% b` is `a - b * floor(a / b)`: it has the sign of `b`.
#' - *Not finite*: what has no value as a number (`log(-1)`, `1 / 0`) is reported with its rows when the brief gets its
#'   table, and not passed on.
#' - *Weeks*: `week()` is the week of ISO 8601 (Monday first; week 1 holds the year's first Thursday), `weekday()` is 1
#'   for Monday to 7 for Sunday.
#' - *Time zone*: parts of a time are those of the column's own time zone, UTC if it names none. Text that is compared
#'   with a date is read as `YYYY-MM-DD`.
#' - *Text* is compared by Unicode code point, capitals before small letters, on every machine. `lower()`, `upper()`
#'   change the letters of the alphabet A to Z only; `trim()` takes blanks, tabs and line ends off both ends.
#' - *Logical values* count as 1 and 0 in arithmetic.
#' @name expressions
#' @examples
#' brief(kilns, target = "outcome") |>
#'   add_columns(
#'     heat = (peak_c - 20) / ramp_c_h, log_load = log1p(load_kg), winter = month(fired_on) %in% c(12, 1, 2)
#'   ) |>
#'   keep_rows(load_kg > 100)
NULL

# Each function: the fewest and most arguments, how it is written, and what it does to evaluated arguments (vectors
# along the rows).
expression_functions <- function() the_functions

expression_function <- function(written, least, most, run) {
  list(written = written, least = least, most = most, run = run)
}

on_number <- function(name, f) {
  expression_function(sprintf("%s(x)", name), 1, 1, function(x) f(numbers_in(x, name)))
}

# NaN warnings are of no use here: what is not finite is reported with its rows.
quietly <- function(f) function(x) suppressWarnings(f(x))

arithmetic <- function(name, f) {
  expression_function(sprintf("a %s b", name), 2, 2, function(a, b) f(numbers_in(a, name), numbers_in(b, name)))
}

minus <- function(a, b) {
  if (missing(b)) return(-numbers_in(a, "-"))
  if (is_moment(a) && is_moment(b)) return(days_of(a) - days_of(b))
  numbers_in(a, "-") - numbers_in(b, "-")
}

comparison <- function(name, f) {
  expression_function(sprintf("a %s b", name), 2, 2, function(a, b) {
    pair <- comparable(a, b, name)
    f(pair[[1]], pair[[2]])
  })
}

# Both sides as numbers: text by its place in code point order, dates by their days.
comparable <- function(a, b, name) {
  if (is_moment(a) && is.character(b)) b <- as_moment(b, a)
  if (is_moment(b) && is.character(a)) a <- as_moment(a, b)
  if (is_moment(a) && is_moment(b)) return(list(days_of(a), days_of(b)))
  if (is.character(a) && is.character(b)) {
    places <- unique(stats::na.omit(c(a, b)))
    places <- places[order_texts(places)]
    return(list(match(a, places), match(b, places)))
  }
  if (is.character(a) != is.character(b) || is_moment(a) != is_moment(b)) {
    fail(sprintf("`%s` compares %s with %s.", name, expression_type(a), expression_type(b)))
  }
  list(as.numeric(a), as.numeric(b))
}

in_set <- function(x, set) {
  if (is.character(x) != is.character(set) && !is_moment(x)) {
    fail(sprintf("`%%in%%` looks for %s among %s.", expression_type(x), expression_type(set)))
  }
  if (is_moment(x) && is.character(set)) set <- as_moment(set, x)
  found <- if (is_moment(x)) days_of(x) %in% days_of(set) else x %in% set
  ifelse(is.na(x), NA, found)
}

choose <- function(condition, yes, no) {
  condition <- logical_in(condition, "ifelse")
  both <- alike(list(yes, no), "The branches of `ifelse` are %s and %s.")
  result <- both[[1]]
  result[which(!condition)] <- both[[2]][which(!condition)]
  result[is.na(condition)] <- NA
  result
}

first_present <- function(...) {
  given <- alike(list(...), "`coalesce` chooses among %s and %s.")
  result <- given[[1]]
  for (other in given[-1]) result[is.na(result)] <- other[is.na(result)]
  result
}

# Values that can stand for each other, of one type: a missing one is of any, logical values go with numbers. Types are
# those of whole columns, so that a row's value doesn't depend on its neighbours.
alike <- function(values, complaint) {
  kind <- function(x) {
    if (is.logical(x) && all(is.na(x))) return("none")
    if (is.character(x)) "text" else if (inherits(x, "Date")) "dates" else if (is_moment(x)) "times" else "numbers"
  }
  kinds <- vapply(values, kind, "")
  typed <- which(kinds != "none")
  if (length(typed) == 0) return(values)
  apart <- typed[kinds[typed] != kinds[typed[1]]]
  if (length(apart)) {
    fail(sprintf(complaint, expression_type(values[[typed[1]]]), expression_type(values[[apart[1]]])))
  }
  like <- values[[typed[1]]]
  values[kinds == "none"] <- lapply(values[kinds == "none"], function(x) rep(like[NA_integer_], length(x)))
  values
}

round_away <- function(x, digits = 0) {
  unit <- 10^numbers_in(digits, "round")
  x <- numbers_in(x, "round") * unit
  sign(x) * floor(abs(x) + 0.5) / unit
}

date_part <- function(name, f) {
  expression_function(sprintf("%s(d)", name), 1, 1, function(d) {
    if (!is_moment(d)) fail(sprintf("`%s` needs a date or time, not %s.", name, expression_type(d)))
    as.numeric(f(local_parts(d)))
  })
}

iso_week <- function(part) {
  thursday <- as.POSIXlt(as.Date(part) - (part$wday + 6) %% 7 + 3)
  thursday$yday %/% 7 + 1
}

text_test <- function(name, f) {
  expression_function(sprintf("%s(x, \"text\")", name), 2, 2, function(x, fixed) {
    x <- text_in(x, name)
    ifelse(is.na(x), NA, f(x, text_in(fixed, name)))
  })
}

on_text <- function(name, f) expression_function(sprintf("%s(x)", name), 1, 1, function(x) f(text_in(x, name)))

contains_fixed <- function(x, fixed) mapply(grepl, fixed, x, MoreArgs = list(fixed = TRUE), USE.NAMES = FALSE)

a_date <- as.Date(0, origin = "1970-01-01")

across_arguments <- function(name, f) function(...) do.call(f, lapply(list(...), numbers_in, name))

rank_among <- function(x, ...) as.numeric(match(text_in(x, "rank_in"), vapply(list(...), `[`, "", 1)))

capitals <- paste(LETTERS, collapse = "")
small_letters <- paste(letters, collapse = "")

the_functions <- list(
  "(" = expression_function("(x)", 1, 1, function(x) x),
  "c" = expression_function("c(a, b, ...)", 1, Inf, function(...) c(...)),
  "+" = expression_function("a + b", 1, 2, function(a, b = 0) numbers_in(a, "+") + numbers_in(b, "+")),
  "-" = expression_function("a - b", 1, 2, minus),
  "*" = arithmetic("*", `*`), "/" = arithmetic("/", `/`), "^" = arithmetic("^", `^`),
  "%/%" = arithmetic("%/%", function(a, b) floor(a / b)),
  "%%" = arithmetic("%%", function(a, b) a - b * floor(a / b)),
  "==" = comparison("==", `==`), "!=" = comparison("!=", `!=`),
  "<" = comparison("<", `<`), "<=" = comparison("<=", `<=`),
  ">" = comparison(">", `>`), ">=" = comparison(">=", `>=`),
  "%in%" = expression_function("x %in% c(\"a\", \"b\")", 2, 2, in_set),
  "!" = expression_function("!x", 1, 1, function(x) !logical_in(x, "!")),
  "&" = expression_function("a & b", 2, 2, function(a, b) logical_in(a, "&") & logical_in(b, "&")),
  "|" = expression_function("a | b", 2, 2, function(a, b) logical_in(a, "|") | logical_in(b, "|")),
  abs = on_number("abs", abs), sign = on_number("sign", sign),
  sqrt = on_number("sqrt", quietly(sqrt)), exp = on_number("exp", exp),
  log = on_number("log", quietly(log)),
  log2 = on_number("log2", quietly(log2)), log10 = on_number("log10", quietly(log10)),
  log1p = on_number("log1p", quietly(log1p)), expm1 = on_number("expm1", expm1),
  floor = on_number("floor", floor), ceiling = on_number("ceiling", ceiling), trunc = on_number("trunc", trunc),
  round = expression_function("round(x) or round(x, digits)", 1, 2, round_away),
  pmin = expression_function("pmin(a, b, ...)", 2, Inf, across_arguments("pmin", pmin)),
  pmax = expression_function("pmax(a, b, ...)", 2, Inf, across_arguments("pmax", pmax)),
  ifelse = expression_function("ifelse(condition, a, b)", 3, 3, choose),
  is.na = expression_function("is.na(x)", 1, 1, function(x) is.na(x)),
  coalesce = expression_function("coalesce(a, b, ...)", 2, Inf, first_present),
  year = date_part("year", function(p) p$year + 1900), quarter = date_part("quarter", function(p) p$mon %/% 3 + 1),
  month = date_part("month", function(p) p$mon + 1), week = date_part("week", iso_week),
  weekday = date_part("weekday", function(p) (p$wday + 6) %% 7 + 1), day = date_part("day", function(p) p$mday),
  yearday = date_part("yearday", function(p) p$yday + 1), hour = date_part("hour", function(p) p$hour),
  minute = date_part("minute", function(p) p$min),
  date = expression_function("date(\"2025-06-01\")", 1, 1, function(x) as_moment(text_in(x, "date"), a_date)),
  starts_with = text_test("starts_with", startsWith), ends_with = text_test("ends_with", endsWith),
  contains = text_test("contains", contains_fixed),
  lower = on_text("lower", function(x) chartr(capitals, small_letters, x)),
  upper = on_text("upper", function(x) chartr(small_letters, capitals, x)),
  trim = on_text("trim", function(x) gsub("^[ \t\r\n]+|[ \t\r\n]+$", "", x)),
  nchar = on_text("nchar", function(x) ifelse(is.na(x), NA_real_, as.numeric(nchar(x)))),
  rank_in = expression_function("rank_in(x, \"worst\", ..., \"best\")", 3, Inf, rank_among)
)

# ---- types -----------------------------------------------------------------------------------------------------------

# The types that values in expressions have: numbers, logical values, text, dates and times.

expression_value <- function(x) {
  if (is.factor(x)) return(as.character(x))
  if (is.numeric(x) && !is_moment(x)) return(as.numeric(x))
  x
}

numbers_in <- function(x, name) {
  if (is.character(x) && all(is.na(x))) return(rep(NA_real_, length(x)))
  if (is.character(x) || is_moment(x)) fail(sprintf("`%s` needs numbers, not %s.", name, expression_type(x)))
  as.numeric(x)
}

logical_in <- function(x, name) {
  if (is.logical(x)) return(x)
  if (!is.numeric(x) || is_moment(x) || !all(x %in% c(0, 1, NA))) {
    fail(sprintf("`%s` needs true or false, not %s.", name, expression_type(x)))
  }
  x == 1
}

text_in <- function(x, name) {
  if (is.logical(x) && all(is.na(x))) return(rep(NA_character_, length(x)))
  if (!is.character(x)) fail(sprintf("`%s` needs text, not %s.", name, expression_type(x)))
  x
}

expression_type <- function(x) {
  if (is.character(x)) return("text")
  if (inherits(x, "Date")) return("dates")
  if (is_moment(x)) return("times")
  if (is.logical(x)) "logical values" else "numbers"
}

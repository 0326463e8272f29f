# Column arithmetic: what is missing makes missing what is reckoned with it, unless it is said otherwise.

as_moments <- function(day) as.POSIXlt(as.Date(floor(day), origin = "1970-01-01"))
before <- function(a, b) {
  places <- sort(unique(c(a, b)), method = "radix")
  match(a, places) < match(b, places)
}
chosen <- function(condition, yes, no) {
  n <- max(length(condition), length(yes), length(no))
  result <- rep(yes, length.out = n)
  other <- which(rep(condition == 0, length.out = n))
  result[other] <- rep(no, length.out = n)[other]
  result[is.na(rep(condition, length.out = n))] <- NA
  result
}
present <- function(a, b) {
  n <- max(length(a), length(b))
  a <- rep(a, length.out = n)
  a[is.na(a)] <- rep(b, length.out = n)[is.na(a)]
  a
}
capitals <- paste(LETTERS, collapse = "")
small_letters <- paste(letters, collapse = "")
if_known <- function(a, b, value) ifelse(is.na(a) | is.na(b), NA, value)
op <- list(
  add = function(a, b) a + b, sub = function(a, b) a - b, mul = function(a, b) a * b, div = function(a, b) a / b,
  pow = function(a, b) ifelse(is.na(a) | is.na(b), NA, a^b), neg = function(a) -a, abs = abs, sign = sign, sqrt = sqrt,
  exp = exp, log = log, log1p = log1p, expm1 = expm1, floor = floor, ceiling = ceiling, trunc = trunc,
  round = function(a, digits) sign(a) * floor(abs(a) * 10^digits + 0.5) / 10^digits, min = pmin, max = pmax,
  eq_number = function(a, b) (a == b) + 0, lt_number = function(a, b) (a < b) + 0,
  eq_text = function(a, b) (a == b) + 0, lt_text = function(a, b) before(a, b) + 0, not = function(a) (a == 0) + 0,
  and = function(a, b) (a != 0 & b != 0) + 0, or = function(a, b) (a != 0 | b != 0) + 0, choose = chosen,
  is_missing = function(a) is.na(a) + 0, present = present,
  year = function(day) as_moments(day)$year + 1900, month = function(day) as_moments(day)$mon + 1,
  mday = function(day) as_moments(day)$mday + 0, yday = function(day) as_moments(day)$yday + 0,
  starts_with = function(a, b) if_known(a, b, startsWith(a, b) + 0),
  ends_with = function(a, b) if_known(a, b, endsWith(a, b) + 0),
  contains = function(a, b) if_known(a, b, mapply(grepl, b, a, MoreArgs = list(fixed = TRUE), USE.NAMES = FALSE) + 0),
  nchar = function(a) ifelse(is.na(a), NA, nchar(a) + 0), lower = function(a) chartr(capitals, small_letters, a),
  upper = function(a) chartr(small_letters, capitals, a), trim = function(a) gsub("^[ \t\r\n]+|[ \t\r\n]+$", "", a)
)

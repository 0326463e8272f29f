# Numbers as a reader wants them.

format_count <- function(n) format(n, big.mark = ",", scientific = FALSE, trim = TRUE)

format_each_count <- function(x) vapply(x, format_count, "")

# The shortest decimal text that reads back as the same double, of each number.
format_number <- function(x) {
  text <- formatC(x, digits = 15, format = "g", width = 1)
  for (digits in 16:17) {
    off <- which(!is.na(x))
    off <- off[as.numeric(text[off]) != x[off]]
    if (length(off) == 0) break
    text[off] <- formatC(x[off], digits = digits, format = "g", width = 1)
  }
  text
}

format_each <- format_number

format_short <- function(x) {
  plain <- is.finite(x) && abs(x) >= 1 && abs(x) < 1e9  # 200,000 and not 2e+05
  format(signif(x, 4), big.mark = ",", scientific = if (plain) FALSE else NA, trim = TRUE, digits = 4)
}

format_each_short <- function(x) if (look_like_years(x)) format_each(x) else vapply(x, format_short, "")

# Years are not counted in thousands.
look_like_years <- function(x) {
  x <- x[!is.na(x)]
  length(x) > 0 && all(x == round(x)) && all(x >= 1500 & x <= 2200)
}

# Different numbers as different texts: in four digits, or as many more as that takes.
format_apart <- function(x) {
  if (look_like_years(x)) return(format_each(x))
  for (digits in 4:15) {
    text <- vapply(x, function(v) format(signif(v, digits), big.mark = ",", trim = TRUE, digits = digits), "")
    if (anyDuplicated(text[!duplicated(x)]) == 0) return(text)
  }
  format_each(x)
}

format_percent <- function(x) paste0(format(round(100 * x, 1), nsmall = 1, trim = TRUE), " %")

format_percent_short <- function(x) paste0(ifelse(x < 0.1, signif(100 * x, 2), round(100 * x)), " %")

format_share <- function(x) ifelse(is.na(x), "-", formatC(x, digits = 3, format = "f"))

# Three decimals below 10, else four digits: what the measures of a few thousand rows deserve.
format_measure <- function(x) {
  one <- function(v) {
    if (is.na(v)) return("-")
    if (abs(v) < 1e-12) v <- 0  # what rounding leaves of nothing
    if (abs(v) >= 1e7) return(format(signif(v, 4), scientific = TRUE))
    if (abs(v) >= 10) return(format(signif(v, 4), big.mark = ",", scientific = FALSE))
    text <- formatC(v, digits = 3, format = "f")
    if (v != 0 && abs(v) < 0.0005) format(signif(v, 2), scientific = abs(v) < 1e-6) else text
  }
  vapply(x, one, "")
}

# With its sign, so that a difference is seen to be one.
format_signed <- function(x) ifelse(is.na(x), "-", paste0(ifelse(x > 0, "+", ""), format_measure(x)))

format_p <- function(p) ifelse(p < 0.001, "< 0.001", formatC(p, digits = 3, format = "f"))

format_seconds <- function(s) {
  if (s < 1) return(sprintf("%.2f s", s))
  if (s < 90) return(sprintf("%.1f s", s))
  sprintf("%.0f min %02.0f s", s %/% 60, floor(s %% 60))
}

format_weighted_count <- function(x) {
  if (all(x == round(x))) return(format(x, big.mark = ",", scientific = FALSE, trim = TRUE))
  formatC(x, digits = 1, format = "f", big.mark = ",")
}

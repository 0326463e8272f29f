# Numbers as a reader wants them.

format_count <- function(n) format(n, big.mark = ",", scientific = FALSE, trim = TRUE)

format_each_count <- function(x) vapply(x, format_count, "")

# The shortest of 15 to 17 digits that read back as the same double, of each number. R's own reading is off by a bit now
# and then, so that it can't tell.
format_number <- function(x) {
  text <- core_shortest_texts(as.double(x))
  names(text) <- names(x)
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
format_signed <- function(x) {
  x <- ifelse(abs(x) < 0.0005, signif(x, 1), x)
  ifelse(is.na(x), "-", paste0(ifelse(x > 0, "+", ""), format_measure(x)))
}

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

# ---- words -----------------------------------------------------------------------------------------------------------

# Words as a reader wants them.

quoted <- function(x) paste0("`", shorten(harmless(x), most_quoted), "`")

# What is longer is no name that anybody would read to its end.
most_quoted <- 300

# Names and levels are somebody else's: what would move a terminal's cursor, name its window, fill its clipboard or turn
# the direction of writing is shown as what it is, as in \u001b. Line ends and tabs stay; with `styled`, so do the
# sequences that colour text.
harmless <- function(text, styled = FALSE) {
  text <- as.character(text)
  broken <- !validUTF8(enc2utf8(text))
  text[broken] <- iconv(text[broken], "", "UTF-8", sub = "byte")
  text <- enc2utf8(text)
  escape <- if (styled) "\\x{1b}(?!\\[[0-9;]*m)" else "\\x{1b}"
  pattern <- paste0(
    "(*UTF)", escape, "|[\\x{01}-\\x{08}\\x{0b}-\\x{1a}\\x{1c}-\\x{1f}\\x{7f}-\\x{9f}]",
    "|[\\x{61c}\\x{200e}\\x{200f}\\x{202a}-\\x{202e}\\x{2066}-\\x{2069}]"
  )
  odd <- which(grepl(pattern, text, perl = TRUE))
  for (i in odd) {
    found <- gregexpr(pattern, text[i], perl = TRUE)
    codes <- utf8ToInt(paste(regmatches(text[i], found)[[1]], collapse = ""))
    regmatches(text[i], found) <- list(sprintf("\\u%04x", codes))
  }
  text
}

# "a, b and c"
enumerate <- function(x, last = "and", limit = 8) {
  if (length(x) > limit) x <- c(x[seq_len(limit - 1)], sprintf("%d more", length(x) - limit + 1))
  if (length(x) < 2) return(paste(x, collapse = ""))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

# "1 row", "3 rows"
counted <- function(n, noun, plural = paste0(noun, "s")) {
  paste(format_count(n), if (n == 1) noun else plural)
}

rows_text <- function(rows) {
  if (length(rows) == 1) return(paste("row", rows))
  paste("rows", enumerate(format(rows, trim = TRUE, scientific = FALSE), limit = 4))
}

shorten <- function(x, width) {
  width <- max(width, 8)
  ifelse(nchar(x, "width") <= width, x, paste0(strtrim(x, width - 3), "..."))
}

# Each line as wide as the console, a number and its percent sign together.
wrapped <- function(text, indent, exdent = indent, width = cli::console_width()) {
  bound <- gsub("(?<=[0-9]) %", "\u00a0%", text, perl = TRUE)
  gsub("\u00a0", " ", strwrap(bound, width, indent = indent, exdent = exdent), fixed = TRUE)
}

capitalised <- function(text) sub("^(.)", "\\U\\1", text, perl = TRUE)

# Names of parts as they are read: `out_of_fold` is "out-of-fold".
part_words <- function(part) gsub("_", "-", part, fixed = TRUE)

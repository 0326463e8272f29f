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

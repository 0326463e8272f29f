# Words as a reader wants them.

quoted <- function(x) paste0("`", x, "`")

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

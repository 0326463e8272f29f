# Text as a reader wants it, shared by all that prints.

# A table as text: a header and aligned columns; text to the left, numbers (given as text) to the right.
text_table <- function(columns, right = integer(), indent = 2) {
  cells <- lapply(seq_along(columns), function(i) {
    text <- c(names(columns)[i], columns[[i]])
    cli::ansi_align(text, width = max(cli::ansi_nchar(text, "width")), align = if (i %in% right) "right" else "left")
  })
  lines <- paste0(strrep(" ", indent), do.call(paste, c(cells, sep = "  ")))
  lines <- sub("[[:space:]]+$", "", lines)
  c(cli::style_bold(lines[1]), lines[-1])
}

# The first columns are keys, to the left; the others are numbers, to the right.
as_text_table <- function(columns, keys) text_table(columns, right = seq_along(columns)[-seq_len(keys)])

# Whether lines of text are too wide for the console.
too_wide <- function(lines) max(cli::ansi_nchar(lines, "width")) > cli::console_width()

format_notes <- function(notes, width = cli::console_width()) {
  if (NROW(notes) == 0) return(character())
  lines <- lapply(seq_len(nrow(notes)), function(i) {
    said <- paste0(notes$note[i], " [", notes$code[i], "]")
    c(wrapped(said, 2, 4, width), wrapped(advice_here(notes$try[i]), 4, 4, width))
  })
  c("", cli::style_bold("Notes"), unlist(lines))
}

paragraphs <- function(sentences) unlist(lapply(sentences, wrapped, 2))

# "  label      text", wrapped to the console with the text under itself.
indented <- function(label, text) {
  lines <- strwrap(text, max(30, cli::console_width() - 15))
  paste0("  ", formatC(c(label, rep("", length(lines) - 1)), width = -11), lines)
}

# Where something is named again in the next row, it is left out there.
said_once <- function(x) ifelse(duplicated(x), "", x)

interval_cell <- function(low, high) {
  ifelse(is.na(low) | is.na(high), "-", paste(format_measure(low), "to", format_measure(high)))
}

# "95 % interval"
interval_heading <- function(level) sprintf("%s %% interval", format_number(100 * level))

# A difference with its interval.
difference_cell <- function(difference, low, high) {
  sprintf("%s (%s to %s)", format_signed(difference), format_signed(low), format_signed(high))
}

# "5 folds, dealt 2 times"
folds_words <- function(k, repeats, end = "") {
  paste0(counted(k, "fold"), if (repeats > 1) sprintf(", dealt %d times%s", repeats, end) else "")
}

# Said where an interrupt ended a list of fits early.
left_out_text <- function(n, what) {
  if (n > 0) sprintf("An interrupt left out %s: what is shown was done before it.", counted(n, what))
}

write_lines <- function(...) cat(harmless(c(...), styled = cli::num_ansi_colors() > 1), sep = "\n")

# What print() does for every object of ours: its lines, and the object back.
print_lines <- function(x, ...) {
  write_lines(format(x, ...))
  invisible(x)
}

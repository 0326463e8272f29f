# Words and numbers as a reader wants them, shared by all that prints.

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

format_notes <- function(notes, width = cli::console_width()) {
  if (nrow(notes) == 0) return(character())
  lines <- lapply(seq_len(nrow(notes)), function(i) {
    c(
      wrapped(paste0(notes$note[i], " [", notes$code[i], "]"), 2, 4, width),
      wrapped(notes$try[i], 4, 4, width)
    )
  })
  c("", cli::style_bold("Notes"), unlist(lines))
}

# A number and its percent sign stay together.
wrapped <- function(text, indent, exdent = indent, width = cli::console_width()) {
  gsub("\u00a0", " ", strwrap(gsub("(?<=[0-9]) %", "\u00a0%", text, perl = TRUE), width, indent = indent, exdent = exdent), fixed = TRUE)
}

paragraphs <- function(sentences) unlist(lapply(sentences, wrapped, 2))

# Said where an interrupt ended a list of fits early.
left_out_text <- function(n, what) if (n > 0) sprintf("An interrupt left out %s: what is shown was done before it.", counted(n, what))

write_lines <- function(...) cat(c(...), sep = "\n")

shorten <- function(x, width) {
  width <- max(width, 8)
  ifelse(nchar(x, "width") <= width, x, paste0(strtrim(x, width - 3), "..."))
}

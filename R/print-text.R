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

# Three decimals below 10, else four digits: what the measures of a few thousand rows deserve.
format_measure <- function(x) {
  one <- function(v) {
    if (is.na(v)) return("-")
    if (abs(v) < 1e-12) v <- 0  # what rounding leaves of nothing
    if (abs(v) >= 1e7) return(format(signif(v, 4), scientific = TRUE))
    if (abs(v) >= 10) return(format(signif(v, 4), big.mark = ",", scientific = FALSE))
    text <- formatC(v, digits = 3, format = "f")
    if (v != 0 && abs(v) < 0.0005) format(signif(v, 2)) else text
  }
  vapply(x, one, "")
}

format_share <- function(x) ifelse(is.na(x), "-", formatC(x, digits = 3, format = "f"))

format_weighted_count <- function(x) {
  if (all(x == round(x))) format(x, big.mark = ",", scientific = FALSE, trim = TRUE) else formatC(x, digits = 1, format = "f", big.mark = ",")
}

format_notes <- function(notes, width = cli::console_width()) {
  if (nrow(notes) == 0) return(character())
  lines <- lapply(seq_len(nrow(notes)), function(i) {
    c(
      strwrap(paste0(notes$note[i], " [", notes$code[i], "]"), width, indent = 2, exdent = 4),
      strwrap(notes$try[i], width, indent = 4, exdent = 4)
    )
  })
  c("", cli::style_bold("Notes"), unlist(lines))
}

write_lines <- function(...) cat(c(...), sep = "\n")

shorten <- function(x, width) {
  width <- max(width, 8)
  ifelse(nchar(x, "width") <= width, x, paste0(strtrim(x, width - 3), "..."))
}

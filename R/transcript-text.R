# Programs as the text of a language: numbers that read back as they were, texts quoted as the language has them.

# Names and levels are somebody else's: they end neither a line nor a comment, whatever the language.
comment_text <- function(text) {
  text <- gsub("[\r\n\u2028\u2029]", " ", harmless(text))
  gsub("/*", "/ *", gsub("*/", "* /", text, fixed = TRUE), fixed = TRUE)
}

quoted_texts <- function(x) {
  quoted <- stats::setNames(sprintf("\"%s\"", x), x)
  # what JSON writes otherwise
  other <- is.na(x) | grepl("[^ !#-.0-\\[\\]-~]", x, perl = TRUE)
  quoted[other] <- vapply(x[other], function(text) as.character(jsonlite::toJSON(jsonlite::unbox(enc2utf8(text)))), "")
  quoted
}

# `how` says how the language writes numbers, texts, missing values, flags, arrays and objects.
program_text <- function(x, how) {
  if (is.null(x)) return(how$nothing)
  if (is.list(x)) {
    values <- vapply(x, program_text, "", how)
    return(if (is.null(names(x))) how$array(values, atomic = FALSE) else how$object(names(x), values))
  }
  flag_or_number <- function(x) if (is.logical(x)) how$flags[2 - x] else how$numbers(format_number(x))
  values <- if (is.character(x)) how$texts(x) else flag_or_number(x)
  values[is.na(x)] <- if (is.character(x)) how$missing[1] else how$missing[2]
  if (inherits(x, "AsIs") || length(x) != 1) how$array(values, atomic = TRUE) else values
}

# Lines of at most 100 characters, broken between values.
in_lines <- function(values, indent = "  ") {
  if (sum(nchar(values) + 2) < 100) return(paste(values, collapse = ", "))
  line <- cumsum(nchar(values) + 2) %/% 100
  rows <- tapply(values, line, paste, collapse = ", ")
  paste0("\n", indent, paste(rows, collapse = paste0(",\n", indent)))
}

# What stands on top of a transcript: what it is, and its columns. `needs` is all that it needs; `columns_by` says how a
# column is known.
transcript_head <- function(program, comment, needs, columns_by = "by name in any order") {
  columns <- vapply(program$columns, function(column) {
    trained <- if (nzchar(column$trained)) paste0(", trained on ", column$trained) else ""
    sprintf("%s  %s%s", column$name, column$type, trained)
  }, "")
  lines <- c(
    sprintf("A network of hylomath that %s.", program$title),
    sprintf("Identity %s. It stands alone: nothing but %s is needed.", program$identity, needs), "",
    sprintf("Columns, %s; a missing cell is empty:", columns_by), paste0("  ", columns), "",
    sprintf("Predictions: %s.", enumerate(program$predictions, limit = 30))
  )
  paste0(comment, ifelse(lines == "", "", " "), comment_text(lines), collapse = "\n")
}

transcript_runtime <- function(name) {
  file <- system.file("transcripts", name, package = "hylomath")
  paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
}

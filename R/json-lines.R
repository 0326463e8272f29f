# Files of JSON that grow while work goes on, one document a line. The first, the header, says what the work is; a line
# that was cut off by a kill is no line.

# A kind of such files is list(format, version, what, hint, again): the header's `format` and its version, what such a
# file holds, who writes it, and what to do about one of another version.

# list(header, lines). `mend` takes away what a kill cut off, so that the next line begins on its own: for who goes on
# with the work only, since others may be reading the file while it grows.
read_json_lines <- function(file, kind, mend = FALSE) {
  check_file(file)
  text <- read_text(file)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  parsed <- lapply(lines, function(line) tryCatch(jsonlite::parse_json(line), error = function(e) NULL))
  if (length(lines) == 0 || !is.list(parsed[[1]]) || !identical(parsed[[1]]$format, kind$format)) {
    fail(sprintf("%s holds no %s.", quoted(file), kind$what), kind$hint)
  }
  version <- parsed[[1]]$format_version
  if (!identical(version, kind$version)) {
    what <- "%s was written by another version of hylomath (format %s)."
    fail(sprintf(what, quoted(file), version), kind$again)
  }
  if (mend && !endsWith(text, "\n")) write_whole(charToRaw(paste0(lines[-length(lines)], "\n", collapse = "")), file)
  list(header = parsed[[1]], lines = drop_nulls(parsed[-1]))
}

json_line <- function(document) paste0(json_text(document), "\n")

append_json_line <- function(document, file) cat(json_line(document), file = file, sep = "", append = TRUE)

# What differs between two headers, one of them as it was read; NULL where they are of the same work.
header_difference <- function(own, stored) {
  own <- jsonlite::parse_json(json_text(own))
  differs <- function(name) !identical(own[[name]], stored[[name]])
  apart <- Filter(differs, union(names(own), names(stored)))
  if (length(apart)) apart[1]
}

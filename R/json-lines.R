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
  parsed <- lapply(lines, function(line) tryCatch(parse_document(line, quoted(file)), error = function(e) NULL))
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

# What `read` makes of each line. One that it can't make anything of, or NULL, is not one that was cut off.
each_line <- function(lines, file, kind, read) {
  lapply(seq_along(lines), function(i) {
    damaged <- function(...) {
      fail(sprintf("%s is damaged: line %d holds no part of a %s.", quoted(file), i + 1L, kind$what), kind$again)
    }
    tryCatch(read(lines[[i]]), error = damaged, warning = damaged) %||% damaged()
  })
}

json_line <- function(document) paste0(json_text(document), "\n")

# A file of such lines that this process alone adds to: list(add, rewrite). What was never added to is never made, so
# that work that is refused leaves nothing behind. The file stays taken until the process or `frame` ends.
growing_file <- function(file, header, frame) {
  check_can_write(file)
  take_file(file, frame)
  add <- function(document) {
    if (!file.exists(file)) write_whole(charToRaw(json_line(header)), file)
    line <- json_line(document)
    before <- file.size(file)
    cat(line, file = file, sep = "", append = TRUE)
    # R doesn't say when what it writes last is lost
    if (file.size(file) != before + nchar(line, "bytes")) {
      fail(sprintf("%s can't be written to its end.", quoted(file)), "Is there room?")
    }
  }
  rewrite <- function(documents) {
    lines <- vapply(documents, json_line, "")
    write_whole(charToRaw(paste0(c(json_line(header), lines), collapse = "")), file)
  }
  list(add = add, rewrite = rewrite)
}

# Two that add to one file would spoil it. The lock is the system's own: it is gone with the process, however that ends.
take_file <- function(file, frame) {
  beside <- file.path(dirname(file), paste0(".", basename(file), ".lock"))
  lock <- filelock::lock(beside, timeout = 0)
  if (is.null(lock)) {
    fail(sprintf("%s is being written by another process.", quoted(file)), "Wait for it, or name another file.")
  }
  withr::defer(
    {
      unlink(beside)
      filelock::unlock(lock)
    },
    envir = frame
  )
}

# What differs between two headers, one of them as it was read; NULL where they are of the same work.
header_difference <- function(own, stored) {
  own <- jsonlite::parse_json(json_text(own))
  differs <- function(name) !identical(own[[name]], stored[[name]])
  apart <- Filter(differs, union(names(own), names(stored)))
  if (length(apart)) apart[1]
}

# Files of JSON that grow while work goes on, one document a line, each with the checksum of what stands before it. The
# first, the header, says what the work is; a line that was cut off by a kill is no line.

# A kind of such files is list(format, version, what, texts, hint, again): the header's `format` and its version, what
# such a file holds, which parts of the header are texts, who writes it, and what to do about one of another version.

# list(header, lines). `mend` takes away what a kill cut off, so that the next line begins on its own: for who goes on
# with the work only, since others may be reading the file while it grows.
read_json_lines <- function(file, kind, mend = FALSE) {
  check_file(file)
  text <- read_text(file)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  whole <- lines[seq_len(length(lines) - !endsWith(text, "\n"))]
  parsed <- lapply(whole, function(line) tryCatch(parse_document(line, quoted(file)), error = function(e) NULL))
  header <- if (length(parsed)) parsed[[1]]
  if (!is.list(header) || !identical(header[["format"]], kind$format)) {
    fail(sprintf("%s holds no %s.", quoted(file), kind$what), kind$hint)
  }
  if (!identical(header[["format_version"]], kind$version)) {
    what <- "%s was written by another version of hylomath (format %s)."
    fail(sprintf(what, quoted(file), describe(header[["format_version"]])), kind$again)
  }
  changed <- which(!vapply(whole, has_own_checksum, NA))
  if (length(changed)) fail_damaged_line(file, kind, changed[1])
  if (!all(vapply(header[kind$texts], is_text, NA, 1))) fail_damaged_line(file, kind, 1)
  if (mend && length(whole) < length(lines)) write_whole(charToRaw(paste0(whole, "\n", collapse = "")), file)
  bare <- lapply(parsed, function(document) document[names(document) != "checksum"])
  list(header = bare[[1]], lines = bare[-1])
}

fail_damaged_line <- function(file, kind, i) {
  fail(sprintf("%s is damaged: its line %d is not that of a %s.", quoted(file), i, kind$what), kind$again)
}

# What `read` makes of each line. One that it can't make anything of, or NULL, is not one that was cut off.
each_line <- function(lines, file, kind, read) {
  lapply(seq_along(lines), function(i) {
    damaged <- function(...) fail_damaged_line(file, kind, i + 1L)
    tryCatch(read(lines[[i]]), error = damaged, warning = damaged) %||% damaged()
  })
}

json_line <- function(document) {
  text <- json_text(document)
  body <- substr(text, 1, nchar(text) - 1)
  paste0(body, checksum_end(body), "\n")
}

checksum_end <- function(body) paste0(",\"checksum\":\"", text_checksum(body), "\"}")

has_own_checksum <- function(line) {
  bytes <- charToRaw(line)
  held <- max(0, length(bytes) - nchar(checksum_end("")))
  body <- rawToChar(utils::head(bytes, held))
  identical(rawToChar(bytes[-seq_len(held)]), checksum_end(body))
}

# A file of such lines that this process alone adds to: list(add, rewrite). What was never added to is never made, so
# that work that is refused leaves nothing behind. The file stays taken until the process or `frame` ends.
growing_file <- function(file, header, frame) {
  check_can_write(file)
  taken <- take_file(file, frame)
  anew <- function(lines) {
    write_whole(charToRaw(paste0(lines, collapse = "")), file)
    taken$follow()
  }
  add <- function(document) {
    if (!file.exists(file)) anew(json_line(header))
    line <- json_line(document)
    lost <- core_append_file(path.expand(file), charToRaw(line))
    if (nzchar(lost)) fail(sprintf("%s can't be written to its end: %s.", quoted(file), lost), "Is there room?")
  }
  rewrite <- function(documents) {
    lines <- vapply(documents, json_line, "")
    anew(c(json_line(header), lines))
  }
  list(add = add, rewrite = rewrite)
}

# Two that add to one file would spoil it. The lock is the system's own: it is gone with the process, however that ends.
# The file that bears it lies with the machine's temporary files and stays: were it taken away, somebody who has opened
# it already and somebody who makes it anew would both hold a lock of that name.
#
# A file is locked by its path, and, since it may have several, by its number on the disk: list(follow), by which the
# lock goes over to the number of the file that has taken its place, or that was not there before.
take_file <- function(file, frame) {
  folder <- file.path(dirname(tempdir()), paste0("hylomath-locks-", Sys.info()[["effective_user"]]))
  dir.create(folder, showWarnings = FALSE, mode = "0700")
  lock <- function(of, patience = 0) {
    lock <- filelock::lock(file.path(folder, rlang::hash(of)), timeout = patience)
    if (!is.null(lock)) return(lock)
    fail(sprintf("%s is being written by another process.", quoted(file)), "Wait for it, or name another file.")
  }
  by_path <- lock(normalizePath(file.path(normalizePath(dirname(file)), basename(file)), mustWork = FALSE))
  withr::defer(filelock::unlock(by_path), envir = frame)
  number <- ""
  by_number <- NULL
  follow <- function() {
    now <- core_file_number(path.expand(file))
    if (now == number) return(invisible())
    former <- by_number
    # the disk gives a freed number to the next new file, and its former holder may not have released the lock yet
    by_number <<- if (nzchar(now)) lock(now, patience = 2000)
    number <<- now
    if (!is.null(former)) filelock::unlock(former)
  }
  withr::defer(if (!is.null(by_number)) filelock::unlock(by_number), envir = frame)
  follow()
  invisible(list(follow = follow))
}

# What differs between two headers, one of them as it was read; NULL where they are of the same work.
header_difference <- function(own, stored) {
  own <- jsonlite::parse_json(json_text(own))
  differs <- function(name) !identical(own[[name]], stored[[name]])
  apart <- Filter(differs, union(names(own), names(stored)))
  if (length(apart)) apart[1]
}

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

# ---- values of R as JSON ---------------------------------------------------------------------------------------------

# R values as JSON and back, bit for bit: what model files, kept results and searches are made of. Reading makes data of
# known types only and never runs anything.
#
# Texts, flags and single numbers are JSON values, a number with a point or exponent being a double, and one without an
# integer; lists are arrays or, with names, objects. What JSON has no form for is an object with one key:
#   {"$doubles": base64}, {"$integers": base64}   little-endian IEEE 754 doubles and 32-bit integers
#   {"$texts": [...]}, {"$flags": [...]}          null for missing
#   {"$table": {columns, rows}}                   columns by name; `rows` are the names of rows that have some
#   {"$matrix": {rows, columns, sides, values}}   both sides named, the values column by column
#   {"$factor": {levels, codes}}
#   {"$named": {names, values}}                   a vector, or a list whose names are no keys
#   {"$object": {class, value}}

as_stored <- function(x) {
  if (is.null(x)) return(NULL)
  if (is.function(x) || is.environment(x) || is.language(x)) fail("What has code in it can't be kept.")
  if (is.factor(x)) return(list("$factor" = list(levels = as_vector(levels(x)), codes = as_vector(as.integer(x)))))
  if (is.data.frame(x)) return(stored_table(x))
  if (is.object(x)) return(list("$object" = list(class = as_vector(stored_class(x)), value = as_stored(unclass(x)))))
  if (is.matrix(x)) return(stored_matrix(x))
  if (is.list(x)) return(stored_list(x))
  if (!is.null(names(x))) return(list("$named" = list(names = as_vector(names(x)), values = as_vector(unname(x)))))
  if (length(x) == 1 && !is.na(x)) return(if (is.double(x)) stored_double(x) else x)
  as_vector(x)
}

# The class above all results is theirs by their own one.
stored_class <- function(x) setdiff(class(x), "hylomath_result")

as_vector <- function(x) {
  # I() keeps one value an array
  if (is.character(x)) return(list("$texts" = I(as.vector(x))))
  if (is.logical(x)) return(list("$flags" = I(as.vector(x))))
  # as JSON that is ready: nothing in it but its line ends has to be escaped
  bytes <- function(numbers) {
    base64 <- jsonlite::base64_enc(writeBin(numbers, raw(), endian = "little"))
    structure(paste0("\"", gsub("\n", "\\n", base64, fixed = TRUE), "\""), class = "json")
  }
  if (is.integer(x)) list("$integers" = bytes(as.vector(x))) else list("$doubles" = bytes(as.double(x)))
}

stored_double <- function(x) {
  if (!is.finite(x)) return(as_vector(x))
  text <- format_number(x)
  structure(if (grepl("[.e]", text)) text else paste0(text, ".0"), class = "json")
}

stored_table <- function(x) {
  rows <- attr(x, "row.names")
  list("$table" = drop_nulls(list(
    columns = lapply(as.list(x), function(column) if (is.object(column)) as_stored(column) else as_vector(column)),
    rows = if (is.character(rows)) as_vector(rows), count = if (length(x) == 0) length(rows)
  )))
}

stored_matrix <- function(x) {
  sides <- names(dimnames(x)) %||% c("", "")
  list("$matrix" = drop_nulls(list(
    size = if (is.null(dimnames(x))) as_vector(dim(x)), rows = if (!is.null(rownames(x))) as_vector(rownames(x)),
    columns = if (!is.null(colnames(x))) as_vector(colnames(x)), sides = as_vector(sides),
    values = as_vector(as.vector(x))
  )))
}

stored_list <- function(x) {
  values <- lapply(unname(x), as_stored)
  keys <- names(x)
  if (is.null(keys)) return(values)
  if (any(keys == "" | startsWith(keys, "$")) || anyDuplicated(keys) || length(x) == 0) {
    return(list("$named" = list(names = as_vector(keys), values = values)))
  }
  stats::setNames(values, keys)
}

# ---- reading ------------------------------------------------------------------------------------------------------

# What is wrong with a value is said by an error, also where R would only warn: a longer name, for one, would pass for
# the one that is meant.
from_stored <- function(x) {
  local_exact_names()
  tryCatch(value_from(x), warning = function(w) fail("It holds a value of an unknown form."))
}

value_from <- function(x) {
  if (!is.list(x) || length(x) == 0) return(x)
  if (length(x) == 1 && !is.null(names(x))) {
    value <- x[[1]]
    switch(names(x),
      "$table" = return(read_stored_table(value)),
      "$matrix" = return(read_stored_matrix(lapply(value, value_from))),
      "$factor" = return(read_stored_factor(lapply(value, value_from))),
      "$named" = return(stats::setNames(value_from(value$values), value_from(value$names))),
      "$object" = return(read_stored_object(value_from(value$value), value_from(value$class))),
      "$texts" = return(read_stored_vector(value, is.character, NA_character_)),
      "$flags" = return(read_stored_vector(value, is.logical, NA)),
      "$integers" = return(read_stored_numbers(value, "integer", 4)),
      "$doubles" = return(read_stored_numbers(value, "double", 8))
    )
  }
  # our lists have an element for each column, fold or network; a longer one was crafted, and costs seconds
  if (length(x) > 2 * limit_of("columns")) fail("It holds a list that is longer than any of a hylomath file.")
  lapply(x, value_from)
}

read_stored_vector <- function(values, is_one, missing) {
  values[lengths(values) == 0] <- missing
  if (!all(vapply(values, is_one, NA)) || any(lengths(values) != 1)) {
    fail("It holds a list of texts or flags with something else in it.")
  }
  unlist(values, use.names = FALSE) %||% missing[0]
}

read_stored_numbers <- function(base64, what, bytes) {
  raw <- jsonlite::base64_dec(base64)
  readBin(raw, what, length(raw) / bytes, endian = "little")
}

# The classes that a document may name, each as the whole of an object's classes: a class decides what is run on it.
stored_classes <- list("brief_text", "Date", c("POSIXct", "POSIXt"), "difftime", "hylomath_predictor")
stored_results <- c("folds", "variation", "sifting", "lineup", "appraisal", "more_rows")

read_stored_object <- function(value, class) {
  kind <- stored_results[vapply(paste0("hylomath_", stored_results), identical, NA, class)]
  known <- length(kind) || any(vapply(stored_classes, identical, NA, class))
  if (!known) fail(sprintf("It holds an object of the class %s, which no result has.", describe(class[1])))
  if (is.null(value)) fail(sprintf("It holds an object of the class %s with nothing in it.", describe(class[1])))
  if (length(kind)) new_result(value, kind) else structure(value, class = class)
}

read_stored_factor <- function(x) {
  codes <- x$codes
  bad <- !is.integer(codes) || !is.character(x$levels) || any(codes < 1 | codes > length(x$levels), na.rm = TRUE) ||
    anyDuplicated(x$levels)
  if (bad) fail("It holds a factor whose codes have no levels.")
  structure(codes, levels = x$levels, class = "factor")
}

read_stored_matrix <- function(x) {
  if (!is.null(x$size)) {
    fits <- length(x$size) == 2 && identical(as.numeric(prod(x$size)), as.numeric(length(x$values)))
    if (!fits) fail("It holds a matrix whose values are more or fewer than its cells.")
    return(matrix(x$values, x$size[1], x$size[2]))
  }
  sides <- list(x$rows, x$columns)
  if (any(x$sides != "")) names(sides) <- x$sides
  rows <- if (is.null(x$rows)) length(x$values) / length(x$columns) else length(x$rows)
  matrix(x$values, rows, dimnames = sides)
}

read_stored_table <- function(x) {
  columns <- lapply(x$columns, value_from)
  if (length(unique(lengths(columns))) > 1 || (length(columns) && is.null(names(columns)))) {
    fail("It holds a table whose columns have different lengths.")
  }
  if (length(columns) == 0) check_limit(x$count %||% 0, "values", "A table without columns has")
  rows <- if (!is.null(x$rows)) value_from(x$rows) else seq_len(x$count %||% length(columns[[1]]))
  if (length(columns) && length(rows) != length(columns[[1]])) {
    fail("It holds a table whose rows are not named one by one.")
  }
  structure(columns, class = "data.frame", row.names = rows)
}

# ---- documents ----------------------------------------------------------------------------------------------------

# JSON that somebody else wrote. The parser puts what it complains of into a message that C takes for a format, by which
# a percent sign can end R: so what it would complain of in a text is found before, and no percent sign comes to it.
parse_json_text <- function(text) {
  if (core_json_counts(text)[["broken"]] > 0) stop("a text holds an unknown escape")  # nolint: caught
  percents <- sum(charToRaw(text) == charToRaw("%"))
  check_limit(nchar(text, "bytes") + 5 * percents, "bytes", "A document has")
  jsonlite::parse_json(if (percents) gsub("%", "\\u0025", text, fixed = TRUE) else text)
}

# What the values of a document are is known from its text, before any of them is made. `holder` names the document.
parse_document <- function(text, holder) {
  counts <- core_json_counts(text)
  check_limit(counts[["values"]], "values", sprintf("%s holds", holder))
  if (counts[["depth"]] > limit_of("depth")) {
    fail(sprintf("%s is nested too deep.", holder), "Files of hylomath are smaller; see ?limits.")
  }
  parse_json_text(text)
}

# Plain JSON for a page's script, which nothing in it may end; it knows no escape of `</` as a script does.
script_json <- function(x) {
  text <- jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null", na = "null")
  gsub("<", "\\u003c", text, fixed = TRUE)
}

text_checksum <- function(text) cli::hash_raw_sha256(charToRaw(enc2utf8(text)))

json_text <- function(x) {
  enc2utf8(jsonlite::toJSON(as_stored(x), auto_unbox = TRUE, null = "null", na = "null", json_verbatim = TRUE))
}

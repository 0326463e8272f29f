# Text files as blocks of whole records, of which a few are in memory at a time.

# A source of blocks is a list of functions: `next_block` gives a block, or NULL at the end; `read` makes of it a table
# with the wanted columns; `share` is how much was read, NA where that isn't known; `close`. And its `header`. One of
# text also has the file's `dialect`, its `first_line` as bytes, and `as_file`, which puts bytes behind that into a
# file.

# A record that is longer is none: a quote was opened and never closed.
longest_record <- 2^28

text_source <- function(from, block) {
  rlang::check_installed("data.table", "to read CSV files")
  is_plain <- from != "-" && !is_compressed(from)
  rewritten <- if (is_plain) rewritten_text(from)
  source <- byte_source(rewritten %||% from)
  size <- if (is_plain) file.size(rewritten %||% from) else NA
  folder <- tempfile("blocks-")
  dir.create(folder)
  close <- function() {
    source$close()
    unlink(c(folder, rewritten), recursive = TRUE)
  }
  is_read <- FALSE
  on.exit(if (!is_read) close())
  records <- whole_records(source, block, from)
  first <- records$take()
  if (is.null(first)) fail(sprintf("%s is empty.", quoted(from)))
  if (is_utf16(first$bytes)) {
    fail(sprintf("%s is in UTF-16, which is read from a plain file only.", quoted(from)), "Write it into a .csv first.")
  }
  dialect <- text_dialect(first$bytes, from, folder)
  start <- records$divide_again(first$bytes, dialect$separator)
  as_file <- function(bytes) {
    path <- file.path(folder, "block.csv")
    unlink(path)
    add_to_temporary(start$header, path)
    add_to_temporary(bytes, path)
    path
  }
  is_read <- TRUE
  waiting <- start$behind
  list(
    header = dialect$header,
    next_block = function() {
      found <- waiting %||% records$take()
      waiting <<- NULL
      if (is.null(found) || is_blank(found$bytes)) NULL else found
    },
    read = function(found, kinds, wanted) {
      named_as(from, folder, read_table(as_file(found$bytes), kinds, dialect["how"][[1]], wanted))
    },
    dialect = dialect, first_line = start$header, as_file = as_file,
    share = function() if (is.na(size)) NA_real_ else min(1, records$taken() / size),
    close = close
  )
}

# The records of a source of bytes, whole, a block at a time: `take` gives list(bytes, ends), or NULL at the end;
# `divide_again` begins anew with the first block's bytes, once the separator is known, and gives the header and what
# is behind it; `taken` is how many bytes were read behind the first block.
whole_records <- function(source, block, from) {
  rest <- raw()
  taken <- 0
  separator <- ","
  take <- function() {
    repeat {
      part <- source$read(block)
      last <- length(part) == 0
      rest <<- if (length(rest)) core_joined_bytes(rest, part) else part
      if (length(rest) == 0) return(NULL)
      if (last && rest[length(rest)] != as.raw(0x0a)) rest <<- c(rest, as.raw(0x0a))
      ends <- core_record_ends(rest, separator)
      if (length(ends)) {
        end <- ends[length(ends)]
        whole <- list(bytes = core_bytes(rest, 1, end), ends = ends)
        rest <<- core_bytes(rest, end + 1, length(rest))
        taken <<- taken + length(whole$bytes)
        return(whole)
      }
      if (last || length(rest) > longest_record) {
        what <- "A quote in %s is opened and never closed, from about byte %s on."
        fail(sprintf(what, quoted(from), format_count(taken + 1)), "Mend the cell where it begins.")
      }
    }
  }
  divide_again <- function(first, by) {
    separator <<- by
    taken <<- 0
    rest <<- core_joined_bytes(first, rest)
    ends <- core_record_ends(rest, separator)
    end <- ends[length(ends)]
    header <- core_bytes(rest, 1, ends[1])
    behind <- if (length(ends) > 1) list(bytes = core_bytes(rest, ends[1] + 1, end), ends = ends[-1] - ends[1])
    rest <<- core_bytes(rest, end + 1, length(rest))
    list(header = header, behind = behind)
  }
  list(take = take, divide_again = divide_again, taken = function() taken)
}

# Lines without anything on them, which may stand at a file's end.
is_blank <- function(bytes) length(bytes) < 1e4 && all(bytes %in% as.raw(c(0x0a, 0x0d)))

# How a text file is written, from its first block: list(header, separator, how), `how` as read_table() takes it. A code
# page that shows itself there is that of all blocks.
text_dialect <- function(bytes, from, folder) {
  path <- file.path(folder, "first.csv")
  add_to_temporary(bytes, path)
  start <- named_as(from, folder, file_start(path, path))
  separator <- named_as(from, folder, guess_separator(path))
  decimal <- guess_decimal(first_cells(start$lines, separator))
  list(
    header = read_header(path, separator, start$encoding), separator = separator, decimal = decimal,
    how = drop_nulls(list(
      separator = separator, decimal = decimal, encoding = if (start$encoding != "UTF-8") start$encoding
    ))
  )
}

# The one by which the reader, left to itself, finds these names.
guess_separator <- function(path) {
  names <- names(raw_header(path))
  same <- function(separator) identical(names(raw_header(path, separator)), names)
  c(Filter(same, c(",", ";", "\t", "|", " ")), ",")[1]
}

# Errors about the file of a block are about the file that it comes from.
named_as <- function(from, folder, code) {
  tryCatch(code, hylomath_error = function(e) {
    what <- gsub("`[^`]*/(block|first)[.]csv`", quoted(from), e$what)
    fail(what, e$try)
  })
}

# From a file, or standard input, to a file or standard output.

score_file <- function(model, from, into, how, block, report) {
  if (!is.null(into) && !is_text(into, 1)) fail("Rows of a file go into a file: `into` is a path or \"-\".")
  if (from != "-") check_file(from)
  source <- if (from == "-" || file_kind(from) == "text") text_source(from, block) else whole_source(from)
  on.exit(source$close())
  check_needed_columns(needed_columns(model$answerer), source$header, quoted(from))
  wanted <- needed_columns(model$answerer)
  kinds <- unlist(model$brief$columns$kinds)
  tables <- !is.null(into) && into != "-" && file_kind(into) == "parquet"
  run <- function(sink) {
    tally <- new_tally()
    while (!is.null(bytes <- source$next_block())) {
      table <- source$read(bytes, kinds, wanted)
      scored <- at_row(tally$rows, from, scored_block(model, table, how))
      if (tally$rows == 0) check_former(names(scored$answers), source$header, from)
      sink(if (tables) {
        cells <- source$read(bytes, kinds, NULL)
        cbind(cells[setdiff(names(cells), names(scored$answers))], scored$answers)
      } else {
        source$beside(bytes, scored$answers, tally$rows == 0)
      })
      tally <- tallied(tally, scored)
      report(list(event = "scored", rows = tally$rows, share = source$share(), last = FALSE))
    }
    if (tally$rows == 0) fail(sprintf("%s has a header but no rows.", quoted(from)))
    report(list(event = "scored", rows = tally$rows, share = 1, last = TRUE))
    tally
  }
  tally <- into_file(into, run)
  tell_bad_cells(tally$bad)
  tally_facts(tally)
}

check_former <- function(names, there, from) {
  former <- intersect(names, there)
  if (length(former) == 0) return()
  what <- "%s has %s from an earlier scoring; replaced. Another prefix keeps both."
  rlang::inform(sprintf(what, from, enumerate(quoted(former))), class = "hylomath_message_replaced")
}

# Rows are counted within a block; what is wrong there says where the block begins.
at_row <- function(before, from, code) {
  if (before == 0) return(code)
  tryCatch(code, hylomath_error = function(e) {
    where <- sprintf("(Rows are counted from row %s of %s on.)", format_count(before + 1), from)
    fail(paste(e$what, where), e$try)
  })
}

# ---- sources ------------------------------------------------------------------------------------------------------

# A source is a list of functions: `next_block` gives a block, or NULL at the end; `read` makes of it a table with the
# wanted columns, `beside` bytes or a data frame with the answers behind the block's cells; `share` is how much was
# read, NA where that isn't known; `close`. And its `header`.

# A record that is longer is none: a quote was opened and never closed.
longest_record <- 2^28

text_source <- function(from, block) {
  rlang::check_installed("data.table", "to read CSV files")
  connection <- if (from == "-") file("stdin", "rb") else if (is_compressed(from)) gzfile(from, "rb") else {
    file(from, "rb")
  }
  size <- if (from == "-" || is_compressed(from)) NA else file.size(from)
  folder <- tempfile("score-")
  dir.create(folder)
  taken <- 0
  rest <- raw()
  separator <- NULL
  take <- function() {
    repeat {
      part <- readBin(connection, "raw", block)
      last <- length(part) == 0
      rest <<- if (length(rest)) core_joined_bytes(rest, part) else part
      if (length(rest) == 0) return(NULL)
      if (last && rest[length(rest)] != as.raw(0x0a)) rest <<- c(rest, as.raw(0x0a))
      ends <- core_record_ends(rest, separator %||% ",")
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
  first <- take()
  if (is.null(first)) fail(sprintf("%s is empty.", quoted(from)))
  dialect <- text_dialect(first$bytes, from, folder)
  separator <- dialect$separator
  # records of the first block end where the separator says
  rest <- core_joined_bytes(first$bytes, rest)
  taken <- 0
  ends <- core_record_ends(rest, separator)
  end <- ends[length(ends)]
  header <- core_bytes(rest, 1, ends[1])
  waiting <- if (length(ends) > 1) {
    list(bytes = core_bytes(rest, ends[1] + 1, end), ends = ends[-1] - ends[1])
  }
  rest <- core_bytes(rest, end + 1, length(rest))
  as_file <- function(bytes) {
    path <- file.path(folder, "block.csv")
    out <- file(path, "wb")
    writeBin(header, out)
    writeBin(bytes, out)
    close(out)
    path
  }
  list(
    header = dialect$header,
    next_block = function() {
      found <- waiting %||% take()
      waiting <<- NULL
      if (is.null(found) || is_blank(found$bytes)) NULL else found
    },
    read = function(found, kinds, wanted) {
      named_as(from, folder, read_table(as_file(found$bytes), kinds, dialect["how"][[1]], wanted))
    },
    beside = function(found, answers, first) {
      cells_beside(header, found, answers, first, dialect, function() as_file(found$bytes))
    },
    share = function() if (is.na(size)) NA_real_ else min(1, taken / size),
    close = function() {
      close(connection)
      unlink(folder, recursive = TRUE)
    }
  )
}

# Lines without anything on them, which may stand at a file's end.
is_blank <- function(bytes) length(bytes) < 1e4 && all(bytes %in% as.raw(c(0x0a, 0x0d)))

# How a text file is written, from its first block: list(header, separator, how), `how` as read_table() takes it.
text_dialect <- function(bytes, from, folder) {
  path <- file.path(folder, "first.csv")
  writeBin(bytes, path)
  start <- named_as(from, folder, file_start(path, path))
  separator <- named_as(from, folder, guess_separator(path))
  decimal <- guess_decimal(start$lines, separator)
  list(
    header = read_header(path, separator), separator = separator, decimal = decimal,
    how = list(separator = separator, decimal = decimal)
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

# The bytes of a block with the answers behind its cells. Records are taken as they stand, unless columns of an earlier
# scoring have to go, or the reader found other rows in them.
cells_beside <- function(header, found, answers, first, dialect, as_file) {
  replaced <- intersect(names(answers), dialect$header)
  if (length(replaced) == 0 && length(found$ends) == nrow(answers)) {
    left <- if (first) core_joined_bytes(header, found$bytes) else found$bytes
    return(core_join_records(left, csv_bytes(answers, first, dialect), dialect$separator, thread_count()))
  }
  cells <- read_cells(as_file(), dialect$how)
  csv_bytes(cbind(cells[setdiff(names(cells), replaced)], answers), first, dialect)
}

csv_bytes <- function(table, header, dialect = list(separator = ",", decimal = ".")) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  data.table::fwrite(
    table, path, col.names = header, sep = dialect$separator, dec = dialect$decimal, dateTimeAs = "ISO",
    nThread = thread_count()
  )
  readBin(path, "raw", file.size(path))
}

# What is read whole is one block, written as text or as the data frame that it is.
whole_source <- function(from) {
  table <- read_table(from)
  given <- FALSE
  list(
    header = names(table),
    next_block = function() {
      if (given) return(NULL)
      given <<- TRUE
      table
    },
    read = function(table, kinds, wanted) read_table(from, kinds, columns = wanted),
    beside = function(table, answers, first) cbind(table[setdiff(names(table), names(answers))], answers),
    share = function() NA_real_,
    close = function() NULL
  )
}

# ---- sinks --------------------------------------------------------------------------------------------------------

# Runs `run` with a function that takes bytes, or a data frame, and puts them where they belong.
into_file <- function(into, run) {
  as_bytes <- function(rows, first) if (is.data.frame(rows)) csv_bytes(rows, first) else rows
  first <- TRUE
  put <- function(write) {
    function(rows) {
      write(as_bytes(rows, first))
      first <<- FALSE
    }
  }
  if (is.null(into)) return(run(function(rows) NULL))
  if (into == "-") return(run(put(function(bytes) cat(rawToChar(bytes)))))
  check_can_write(into)
  tally <- NULL
  if (file_kind(into) == "parquet") {
    replace_whole(into, function(part) tally <<- run(parquet_sink(part)))
    return(tally)
  }
  replace_whole(into, function(part) {
    out <- if (grepl("[.]gz$", into, ignore.case = TRUE)) gzfile(part, "wb") else file(part, "wb")
    on.exit(close(out))
    tally <<- run(put(function(bytes) writeBin(bytes, out)))
  })
  tally
}

# The types of a text file's columns are those of its first block.
parquet_sink <- function(part) {
  rlang::check_installed("nanoparquet", "to write Parquet files")
  types <- NULL
  function(rows) {
    rows[] <- lapply(rows, plain_type)
    if (is.null(types)) {
      types <<- lapply(rows, class)
      return(nanoparquet::write_parquet(rows, part))
    }
    for (column in names(rows)) rows[[column]] <- as_type(rows[[column]], types[[column]], column)
    nanoparquet::append_parquet(rows, part)
  }
}

plain_type <- function(x) {
  if (inherits(x, "Date")) return(structure(as.double(x), class = "Date"))
  if (is.integer(x) && !is.object(x)) as.double(x) else x
}

as_type <- function(x, type, column) {
  if (identical(class(x), type)) return(x)
  if (all(is.na(x))) x <- rep(NA, length(x))
  converted <- switch(type[1],
    character = as.character(x), numeric = if (!is.character(x)) as.numeric(x),
    Date = if (is.logical(x)) as.Date(x), POSIXct = if (is.logical(x)) as.POSIXct(x, tz = "UTC"),
    logical = if (all(is.na(x))) as.logical(x)
  )
  if (!is.null(converted)) return(converted)
  what <- "Column %s holds %s, and in the first rows it was of the class %s; a Parquet file has one type a column."
  fail(sprintf(what, quoted(column), type_name(x), type[1]), "Write text: let `into` end in .csv.")
}

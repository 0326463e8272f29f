# Reading tables from files: CSV and its kin, Parquet, Excel. A brief's kinds, when known, decide how a column is read,
# so that a category `010` is not taken for the number ten; and only the wanted columns are read.

# `how` may hold `separator`, `decimal`, `encoding` and `sheet`; `columns` are the wanted ones, NULL for all.
read_table <- function(file, kinds = NULL, how = list(), columns = NULL) {
  check_table_file(file)
  if (file_kind(file) == "stored") return(open_table_folder(file, columns))
  if (file.size(file) == 0) fail(sprintf("%s is empty.", quoted(file)))
  check_table_size(file, how)
  table <- switch(file_kind(file),
    parquet = read_parquet_table(file, columns),
    excel = read_excel_table(file, how$sheet),
    text = read_text_table(file, kinds, how, columns)
  )
  check_limit(ncol(table), "columns", sprintf("%s has", quoted(file)))
  if (nrow(table) == 0) fail(sprintf("%s has a header but no rows.", quoted(file)))
  decimal <- attr(table, "decimal")
  table <- as_table(table)
  if (!is.null(columns)) table <- table[intersect(names(table), columns)]
  keep_text <- names(table) %in% text_columns(kinds)
  table <- change_columns(table, !keep_text & vapply(table, is.character, NA), iso_dates)
  structure(table, decimal = decimal)
}

# The names of all columns of a file.
table_columns <- function(file, how = list()) {
  check_table_file(file)
  switch(file_kind(file),
    stored = vapply(table_manifest(file)$columns, `[[`, "", "name"),
    parquet = parquet_columns(file)$names,
    excel = names(read_excel_table(file, how$sheet, 0)),
    text = {
      plain <- plain_text(file)
      if (plain != file) on.exit(unlink(plain))
      read_header(plain, how$separator, how$encoding %||% file_start(plain, file)$encoding)
    }
  )
}

# Before anything of its size is made.
check_table_size <- function(file, how) {
  holder <- sprintf("%s has", quoted(file))
  if (file_kind(file) == "text") return(check_limit(file.size(file), "table_bytes", holder))
  # a workbook is bounded where it is read
  if (file_kind(file) != "parquet") return()
  there <- parquet_columns(file)
  check_limit(length(there$names), "columns", holder)
  check_limit(as.numeric(there$rows) * length(there$names), "cells", holder)
}

# A table is a file, or the folder of a stored one.
check_table_file <- function(file) {
  if (!is_text(file, 1) || !is_table_folder(file)) check_file(file)
}

file_kind <- function(file) {
  if (is_table_folder(file)) return("stored")
  ending <- tolower(sub("[.]gz$", "", file, ignore.case = TRUE))
  if (grepl("[.]parquet$", ending)) "parquet" else if (grepl("[.]xlsx?$", ending)) "excel" else "text"
}

text_columns <- function(kinds) names(kinds)[kinds %in% c("category", "id", "text")]

# ---- text ---------------------------------------------------------------------------------------------------------

# The reader guesses the separator among , ; | tab and blank. A decimal comma is seen where numbers with commas stand
# between semicolons or tabs. Text that is not UTF-8 is taken for Latin-1.
# So many bytes take long enough to be told of.
long_to_read <- 3e7

read_text_table <- function(file, kinds, how, columns) {
  rlang::check_installed("data.table", "to read CSV files")
  plain <- plain_text(file)
  if (plain != file) on.exit(unlink(plain))
  if (file.size(plain) >= long_to_read) {
    tell <- reporter("auto")
    tell(list(event = "doing", what = "reading", of = file, bytes = file.size(plain)))
    on.exit(tell(list(event = "done")), add = TRUE)
  }
  start <- file_start(plain, file)
  scan <- scan_text(plain, file)
  read_as <- function(encoding) {
    table <- read_text_as(plain, file, kinds, how, columns, start, scan, encoding)
    decimal <- attr(table, "decimal")
    structure(if (scan$doubled_quotes) plain_quotes(table) else table, decimal = decimal)
  }
  table <- read_as(how$encoding %||% start$encoding)
  wrong <- if (!scan$ascii) not_in_utf8(table)
  if (is.null(wrong)) return(table)
  # the first lines looked like UTF-8, and a later one doesn't
  if (!is.null(how$encoding)) {
    what <- "%s is not in UTF-8, as `data.encoding` says: column %s, row %s."
    fail(sprintf(what, quoted(file), quoted(wrong$column), format_count(wrong$row)), "Say encoding: Latin-1.")
  }
  read_as("Latin-1")
}

# What the bytes of the file say, so that what is not there is not looked for in every cell.
scan_text <- function(plain, file) {
  scan <- core_scan_text(path.expand(plain), thread_count())
  if (!is.na(scan$zero_byte)) {
    what <- "%s is not a text file: it holds a zero byte at position %s."
    fail(sprintf(what, quoted(file), format_count(scan$zero_byte)))
  }
  scan
}

not_in_utf8 <- function(table) {
  bad_names <- which(!validUTF8(names(table)))
  if (length(bad_names)) return(list(column = "of the header", row = 0L))
  for (i in which(vapply(table, is.character, NA))) {
    row <- which(!validUTF8(table[[i]]))
    if (length(row)) return(list(column = names(table)[i], row = row[1]))
  }
  NULL
}

# A quote in a quoted cell is written twice (RFC 4180); the reader leaves it so. Texts that are no UTF-8 are left alone,
# for the file is read once more then.
plain_quotes <- function(table) {
  single <- function(x) {
    doubled <- grepl("\"\"", x, fixed = TRUE, useBytes = TRUE) & validUTF8(x)
    x[doubled] <- gsub("\"\"", "\"", x[doubled], fixed = TRUE)
    x
  }
  names(table) <- single(names(table))
  change_columns(table, vapply(table, is.character, NA), single)
}

read_text_as <- function(plain, file, kinds, how, columns, start, scan, encoding) {
  cells <- first_cells(start$lines, how$separator)
  decimal <- how$decimal %||% guess_decimal(cells)
  header <- read_header(plain, how$separator, encoding)
  # 1.234 throughout is a number of three decimals or of a thousand: how the cells stand decides
  grouped <- if (is.null(how$decimal)) grouped_columns(cells, length(header))
  text <- header %in% text_columns(kinds) | seq_along(header) %in% grouped
  table <- quietly_read(file, data.table::fread(
    file = plain,
    sep = how$separator %||% "auto", dec = decimal, data.table = FALSE, na.strings = c("", "NA"),
    keepLeadingZeros = scan$leading_zeros,
    check.names = FALSE, encoding = encoding_for_reader(encoding), showProgress = FALSE, integer64 = "double",
    colClasses = list(character = which(text)),
    select = if (!is.null(columns)) which(header %in% columns), nThread = thread_count()
  )) |> in_utf8(encoding)
  structure(table, decimal = how$decimal %||% decimal_told(cells))
}

# An uncompressed copy of a .gz file, one in UTF-8 of a file in UTF-16, without a line that only names the separator,
# else the file itself.
plain_text <- function(file) {
  if (is_compressed(file)) text_from(file) else rewritten_text(file) %||% file
}

rewritten_text <- function(file) {
  first <- readBin(file, "raw", 16)
  wide <- is_utf16(first)
  named <- grepl("^(\xef\xbb\xbf)?sep=.\r?\n", rawToChar(first[first != 0]), useBytes = TRUE)
  if (!wide && !named) return(NULL)
  check_limit(file.size(file), "table_bytes", "The table has")
  bytes <- readBin(file, "raw", file.size(file))
  if (wide) {
    bytes <- iconv(list(bytes), "UTF-16", "UTF-8", toRaw = TRUE)[[1]]
    if (is.null(bytes)) fail(sprintf("%s is damaged: it begins as UTF-16 and is not.", quoted(file)))
  }
  if (grepl("^sep=", rawToChar(utils::head(bytes, 4)))) bytes <- bytes[-seq_len(match(as.raw(0x0a), bytes))]
  plain <- tempfile(fileext = ".csv")
  add_to_temporary(bytes, plain)
  plain
}

is_utf16 <- function(bytes) {
  length(bytes) > 1 && (all(bytes[1:2] == as.raw(c(0xff, 0xfe))) || all(bytes[1:2] == as.raw(c(0xfe, 0xff))))
}

# What comes of a file, a pipe or standard input ("-"), unpacked, as a temporary file.
text_from <- function(from) {
  plain <- tempfile(fileext = ".csv")
  source <- byte_source(from)
  is_whole <- FALSE
  on.exit({
    source$close()
    if (!is_whole) unlink(plain)
  })
  add_to_temporary(raw(), plain)
  bytes <- 0
  while (length(part <- source$read(2^24)) > 0) {
    bytes <- bytes + length(part)
    check_limit(bytes, "table_bytes", "The table has")
    add_to_temporary(part, plain)
  }
  is_whole <- TRUE
  plain
}

# The first lines and the encoding, from the first bytes of the file; what is no text is refused.
file_start <- function(plain, file) {
  bytes <- readBin(plain, "raw", 2^16)
  bytes <- bytes[bytes != as.raw(0)]  # the scan of the whole file complains of these
  ends <- which(bytes == as.raw(0x0a))
  whole <- if (length(ends)) bytes[seq_len(max(ends))] else bytes
  text <- rawToChar(whole)
  encoding <- if (validUTF8(text)) "UTF-8" else if (looks_central_european(text)) "Windows-1250" else "Latin-1"
  list(lines = strsplit(text, "\r?\n", useBytes = TRUE)[[1]], encoding = encoding)
}

# Polish, Czech or Hungarian letters of Windows' code page 1250 would be signs in the midst of words in Latin-1.
looks_central_european <- function(text) {
  western <- iconv(text, "WINDOWS-1252", "UTF-8", sub = "?")
  signs <- "\\p{L}[\u00b3\u00b9\u00bf\u00a5\u00a3\u00be\u00bc](\\p{L}|\\b)|[\u00a3\u00a5\u00af]\\p{Ll}"
  grepl(signs, western, perl = TRUE)
}

encoding_for_reader <- function(encoding) if (encoding == "UTF-8") encoding else "Latin-1"

# The cells of the first lines behind the header, a list by line, where something else than a comma parts them.
first_cells <- function(lines, separator) {
  lines <- utils::head(lines, 200)
  separators <- separator %||% c(";", "\t", "|")
  found <- Filter(function(s) any(grepl(s, lines, fixed = TRUE, useBytes = TRUE)), setdiff(separators, ","))
  if (length(found) == 0) return(list())
  cells <- strsplit(lines[-1], found[1], fixed = TRUE, useBytes = TRUE)
  lapply(cells, function(line) gsub("^[\" ]+|[\" ]+$", "", line, useBytes = TRUE))
}

guess_decimal <- function(cells) {
  cells <- unlist(cells)
  comma <- sum(grepl("^-?[0-9]+,[0-9]+$", cells, useBytes = TRUE))
  point <- sum(grepl("^-?[0-9]+[.][0-9]+$", cells, useBytes = TRUE))
  if (comma > point) "," else "."
}

# The decimal mark that some cells have beyond doubt, NULL where none has one.
decimal_told <- function(cells) {
  cells <- unlist(cells)
  clear <- function(mark) {
    any(grepl(sprintf("^[-+]?(0|[0-9]{4,}|[0-9]+)%s([0-9]{1,2}|[0-9]{4,})$", mark), cells, useBytes = TRUE))
  }
  if (clear(",") != clear("[.]")) if (clear(",")) "," else "."
}

# The places of columns whose cells may all be thousands.
grouped_columns <- function(cells, width) {
  whole <- cells[lengths(cells) == width]
  if (length(whole) == 0) return(integer())
  which(vapply(seq_len(width), function(j) {
    column <- vapply(whole, `[`, "", j)
    column <- column[column != ""]
    length(column) > 0 && all(grepl("^[-+]?[1-9][0-9]{0,2}([.][0-9]{3})+$", column, useBytes = TRUE))
  }, NA))
}

read_header <- function(plain, separator, encoding) {
  names(plain_quotes(in_utf8(raw_header(plain, separator), encoding)))
}

# How many cells the first line has at most, whatever parts them.
cells_in_first_line <- function(plain) {
  connection <- file(plain, "rb")
  on.exit(close(connection))
  found <- numeric(5)
  while (length(bytes <- readBin(connection, "raw", 2^16)) > 0) {
    end <- match(as.raw(0x0a), bytes)
    if (!is.na(end)) bytes <- bytes[seq_len(end)]
    found <- found + vapply(charToRaw(",;|\t "), function(separator) sum(bytes == separator), 0L)
    if (!is.na(end)) break
  }
  1 + max(found)
}

# A table without rows.
raw_header <- function(plain, separator = NULL) {
  check_limit(cells_in_first_line(plain), "columns", "The first line has")
  read <- function() {
    data.table::fread(
      file = plain, sep = separator %||% "auto", nrows = 0, encoding = "UTF-8", check.names = FALSE, data.table = FALSE
    )
  }
  suppressWarnings(tryCatch(read(), error = function(e) data.frame()))
}

# What the reader complains of is an error here: a warning means that rows or values were lost.
quietly_read <- function(file, code) {
  tryCatch(
    code,
    error = function(e) fail(sprintf("%s can't be read as a table: %s", quoted(file), first_sentence(e))),
    warning = function(w) {
      hint <- "Every row must have as many values as the header has names; quotes must close."
      fail(sprintf("%s can't be read as a table: %s", quoted(file), first_sentence(w)), hint)
    }
  )
}

# What calls itself Latin-1 is nearly always its extension by Windows, which has signs such as the Euro's.
code_page <- function(encoding) if (encoding == "Latin-1") "WINDOWS-1252" else "WINDOWS-1250"

in_utf8 <- function(table, encoding) {
  if (encoding == "UTF-8") return(table)
  converted <- function(x) {
    widened <- iconv(x, code_page(encoding), "UTF-8")
    ifelse(is.na(widened), enc2utf8(x), widened)
  }
  names(table) <- converted(names(table))
  change_columns(table, vapply(table, is.character, NA), converted)
}

# The cells as they stand in the file, for writing them again beside something new.
read_cells <- function(file, how = list()) {
  if (file_kind(file) != "text") return(read_table(file, how = how))
  plain <- plain_text(file)
  if (plain != file) on.exit(unlink(plain))
  start <- file_start(plain, file)
  plain_quotes(in_utf8(data.table::fread(
    file = plain, sep = how$separator %||% "auto", data.table = FALSE, colClasses = "character", na.strings = "",
    check.names = FALSE,
    encoding = encoding_for_reader(how$encoding %||% start$encoding), showProgress = FALSE, strip.white = FALSE
  ), how$encoding %||% start$encoding))
}

# ---- dates --------------------------------------------------------------------------------------------------------

# Text that is an ISO 8601 date or time (in UTC) throughout becomes one.
iso_dates <- function(x) {
  date <- "^[0-9]{4}-[0-9]{2}-[0-9]{2}"
  first <- x[which.min(is.na(x))]  # the first that is not missing, or one that is
  if (is.na(first) || !grepl(date, substr(first, 1, 10))) return(x)
  # few dates stand for many rows: each is read once
  distinct <- unique(x)
  if (all(grepl(paste0(date, "$"), distinct) | is.na(distinct))) {
    return(unless_lost(as.Date(distinct, "%Y-%m-%d"), distinct, x))
  }
  time <- paste0(date, "[T ][0-9]{2}:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?Z?$")
  if (!all(grepl(time, distinct) | is.na(distinct))) return(x)
  text <- sub("Z$", "", sub("T", " ", distinct))
  unless_lost(as.POSIXct(text, tz = "UTC", tryFormats = time_formats, optional = TRUE), distinct, x)
}

# "2023-02-30" looks like a date and is none: then the column stays text.
unless_lost <- function(converted, distinct, x) {
  if (identical(is.na(converted), is.na(distinct))) converted[match(x, distinct)] else x
}

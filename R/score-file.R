# From a file, or standard input, to a file or standard output.

score_file <- function(model, from, into, how, block, report) {
  if (!is.null(into) && !is_text(into, 1)) fail("Rows of a file go into a file: `into` is a path or \"-\".")
  if (from != "-") check_table_file(from)
  source <- if (from == "-") scored_text(from, block) else switch(file_kind(from),
    text = scored_text(from, block), stored = scored_store(from), whole_source(from)
  )
  on.exit(source$close())
  check_needed_columns(needed_columns(model$predictor), source$header, quoted(from))
  wanted <- needed_columns(model$predictor)
  kinds <- unlist(model$brief$columns$kinds)
  tables <- !is.null(into) && into != "-" && file_kind(into) %in% c("parquet", "excel")
  run <- function(sink) {
    tally <- new_tally()
    while (!is.null(bytes <- source$next_block())) {
      table <- source$read(bytes, kinds, wanted)
      scored <- at_row(tally$rows, from, scored_block(model, table, how))
      if (tally$rows == 0) check_former(names(scored$predictions), source$header, from)
      sink(if (tables) {
        cells <- source$read(bytes, kinds, NULL)
        cbind(cells[setdiff(names(cells), names(scored$predictions))], scored$predictions)
      } else {
        source$beside(bytes, scored$predictions, tally$rows == 0)
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

# A source of blocks, see data-blocks.R, with one more function: `beside` gives bytes or a data frame with the
# predictions behind the block's cells.

scored_text <- function(from, block) {
  source <- text_source(from, block)
  source$beside <- function(found, predictions, first) {
    cells_beside(source$first_line, found, predictions, first, source$dialect, function() source$as_file(found$bytes))
  }
  source
}

# Of a stored table so many rows at a time.
scored_store <- function(from) {
  table <- read_table(from)
  step <- next_rows_of(nrow(table))
  list(
    header = names(table),
    next_block = function() step(),
    read = function(rows, kinds, wanted) as_text_columns(table[rows, wanted %||% names(table), drop = FALSE]),
    beside = function(rows, predictions, first) {
      cbind(as_text_columns(table[rows, setdiff(names(table), names(predictions)), drop = FALSE]), predictions)
    },
    share = function() step(share = TRUE),
    close = function() NULL
  )
}

# The bytes of a block with the predictions behind its cells, in the file's code page. Records are taken as they stand,
# unless columns of an earlier scoring have to go, the reader found other rows in them, or they are meant for a
# spreadsheet.
cells_beside <- function(header, found, predictions, first, dialect, as_file) {
  replaced <- intersect(names(predictions), dialect$header)
  if (length(replaced) == 0 && length(found$ends) == nrow(predictions) && !for_spreadsheet()) {
    left <- if (first) core_joined_bytes(header, found$bytes) else found$bytes
    return(core_join_records(left, bytes_in_page(predictions, first, dialect), dialect$separator, thread_count()))
  }
  cells <- read_cells(as_file(), dialect$how)
  bytes_in_page(cbind(cells[setdiff(names(cells), replaced)], predictions), first, dialect)
}

bytes_in_page <- function(rows, first, dialect) {
  bytes <- csv_bytes(rows, first, dialect)
  if (is.null(dialect$how$encoding)) return(bytes)
  iconv(list(bytes), "UTF-8", code_page(dialect$how$encoding), sub = "?", toRaw = TRUE)[[1]]
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
    beside = function(table, predictions, first) cbind(table[setdiff(names(table), names(predictions))], predictions),
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
  if (file_kind(into) == "excel") {
    check_spreadsheet(into)
    kept <- list()
    tally <- run(function(rows) kept[[length(kept) + 1]] <<- rows)
    write_spreadsheet(do.call(rbind, kept), into)
    return(tally)
  }
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

# ---- a tally ---------------------------------------------------------------------------------------------------------

# What is told of all blocks of a scored table together, and how one of them is predicted.

# A tally counts rows and what is unusual about them.
new_tally <- function() list(rows = 0, unusual_rows = 0, columns = NULL, bad = numeric(), added = character())

tallied <- function(tally, scored) {
  tally$rows <- tally$rows + nrow(scored$predictions)
  tally$unusual_rows <- tally$unusual_rows + scored$unusual_rows
  tally$columns <- added_counts(tally$columns, scored$columns)
  for (column in names(scored$bad)) {
    before <- if (column %in% names(tally$bad)) tally$bad[[column]] else 0
    tally$bad[[column]] <- before + scored$bad[[column]]
  }
  tally$added <- names(scored$predictions)
  tally
}

added_counts <- function(before, now) {
  both <- rbind(before, now)
  if (is.null(both) || nrow(both) == 0) return(both)
  sums <- rowsum(as.matrix(both[c("unseen", "missing", "outside")]), both$column, reorder = FALSE)
  data.frame(
    column = rownames(sums), sums, trained_on = both$trained_on[match(rownames(sums), both$column)], row.names = NULL
  )
}

tally_facts <- function(tally) {
  list(
    rows = tally$rows, columns = tally$added, bad_cells = tally$bad,
    unusual = list(rows = tally$unusual_rows, columns = tally$columns)
  )
}

# A block of a table with its predictions: list(predictions, unusual_rows, columns, bad).
scored_block <- function(model, table, how) {
  preparation <- model$predictor$preparation
  bad <- numeric()
  if (how$bad_cells == "missing") {
    table <- cleaned_cells(preparation, table)
    bad <- attr(table, "bad")
    attr(table, "bad") <- NULL
  }
  own <- c("type", "level", "shares", "flags", "identity", "prefix")
  predictions <- do.call(augment, c(list(model, table), how[own]))[-seq_along(table)]
  unusual <- unusual_rows(model, table)
  if (how$flags) {
    column <- paste0(how$prefix, "unusual")
    predictions[[column]][predictions[[column]] == ""] <- NA  # an empty cell
  }
  # what is chance is another question for all blocks together
  columns <- unusual$columns[c("column", "unseen", "missing", "outside", "trained_on")]
  list(predictions = predictions, unusual_rows = sum(unusual$rows != ""), columns = columns, bad = bad)
}

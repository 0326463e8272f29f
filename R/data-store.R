#' Store a table that is larger than memory
#'
#' Goes through a table once, a few rows at a time, and puts each column into a file of its own in a folder. That folder
#' is then a table like any other, wherever a file is taken: [brief()], [train()], [appraise()], [folds()], [predict()],
#' [importance()] and the command. Its columns are looked at where they lie, and what a network learns from is encoded
#' into a file too, so that memory need hold the target, the rows' parts and a column or two at a time. The network
#' is the same, bit for bit, as that of the same table in memory.
#'
#' @section Order of the rows: Where more than 1,048,576 rows are learned from, in memory or not, an epoch takes them in
#'   stretches of 64 neighbours, which come in random order; of each 262,144 rows that then follow one another the
#'   order is random. Fewer rows are shuffled whole. A table that is sorted is learned as well so; see
#'   `bench/shuffling.R`.
#' @section Columns: A column is what all of its values say, as where a file is read whole: one that turns out to hold
#'   text is stored as text from its first row on, and the file is gone through once more. A column of more than
#'   1,000,000 different texts ([limits]) is left out, which is said; no network learns from one.
#' @param from The table: the path of a file of text (also `.gz`), Parquet or Excel, `"-"` for standard input, a data
#'   frame, or a database with a query, `list(sqlite = path, query = )` or `list(postgres = name, query = )`.
#' @param into A folder. It is made whole or not at all; a stored table that was there is replaced.
#' @param progress See [train()]; events are `"stored"`, with `rows` done and, where it is known, the `share` of all.
#' @return The stored table, invisibly: a data frame whose columns are mapped from the folder's files.
#' @section Errors: A table that can't be read; a folder that holds something else.
#' @examples
#' folder <- tempfile(fileext = ".table")
#' store_table(kilns, folder)
#' brief(folder, target = "outcome")
#' @export
store_table <- function(from, into, progress = "auto") {
  if (!is_text(into, 1)) fail(sprintf("`into` is the path of a folder, not %s.", describe(into)))
  check_table_place(into)
  report <- reporter(progress)
  part <- tempfile(paste0(".", basename(into), "-"), tmpdir = dirname(into))
  dir.create(part)
  on.exit(unlink(part, recursive = TRUE))
  manifest <- write_columns(from, part, report)
  write_whole(charToRaw(enc2utf8(json_plain(manifest))), file.path(part, "table.json"))
  replace_folder(part, into)
  if (length(manifest$left_out)) {
    what <- "Left out, since nearly each of their rows holds another text: %s."
    rlang::inform(sprintf(what, enumerate(quoted(unlist(manifest$left_out)))), class = "hylomath_message_left_out")
  }
  invisible(open_table_folder(into))
}

check_table_place <- function(into) {
  check_folder(dirname(into), into)
  if (!file.exists(into) || is_table_folder(into)) return(check_can_write(file.path(dirname(into), "x")))
  fail(sprintf("%s is there already, and no stored table.", quoted(into)), "Name another folder.")
}

# Takes the place of a stored table in one step; where the system can't, in two, between which the former one has
# another name. `part` is then the former one, or not there.
replace_folder <- function(part, into) {
  if (file.exists(into) && core_swap_paths(path.expand(part), path.expand(into))) return()
  former <- tempfile(paste0(".", basename(into), "-"), tmpdir = dirname(into))
  if (file.exists(into)) file.rename(into, former)
  if (!file.rename(part, into)) fail(sprintf("%s can't be written.", quoted(into)), "Is the folder writable?")
  unlink(former, recursive = TRUE)
}

# The manifest of what was written. What a column is is known at the end only: one that turns out to be text is so from
# the first row on, and all is gone through again.
write_columns <- function(from, folder, report) {
  if (is_text(from, 1) && from != "-" && file_kind(from) == "parquet") {
    return(write_parquet_columns(from, folder, report))
  }
  kinds <- character()
  repeat {
    source <- rows_of_table(from)
    done <- tryCatch(
      written_once(source, folder, kinds, report), hylomath_turned = function(turn) turn$column,
      finally = source$close()
    )
    if (is.list(done)) return(done)
    if (identical(from, "-")) fail(text_too_late(done), "Put it into a file first.")
    kinds[done] <- "text"
  }
}

text_too_late <- function(column) sprintf("Column %s holds text after rows without.", quoted(column))

written_once <- function(source, folder, kinds, report) {
  writers <- NULL
  rows <- 0
  hash <- ""
  on.exit(for (writer in writers) writer$close())
  while (!is.null(block <- source$rows_next(kinds))) {
    if (is.null(writers)) {
      check_names(block)
      writers <- Map(function(name, i) column_writer(name, file.path(folder, i)), names(block), seq_along(block))
    }
    if (!identical(names(block), names(writers))) fail("The columns change on the way through the table.")
    for (name in names(block)) writers[[name]]$put(block[[name]])
    rows <- rows + nrow(block)
    hash <- rlang::hash(list(hash, as.list(block)))
    report(list(event = "stored", rows = rows, share = source$share(), last = FALSE))
  }
  if (rows == 0) fail("The table has a header but no rows.")
  if (rows >= 2^31) fail(sprintf("The table has %s rows; a table can have 2,147,483,647.", format_count(rows)))
  types <- vapply(writers, function(writer) writer$finish(), "")
  report(list(event = "stored", rows = rows, share = 1, last = TRUE))
  manifest_of(folder, types, rows, hash)
}

# A Parquet file is by columns itself: one is read at a time.
write_parquet_columns <- function(from, folder, report) {
  check_table_file(from)
  check_table_size(from, list())
  names <- table_columns(from)
  types <- character()
  hash <- ""
  for (i in seq_along(names)) {
    column <- read_table(from, columns = names[i])
    writer <- column_writer(names[i], file.path(folder, i))
    for (at in seq(1, nrow(column), by = rows_at_a_time)) {
      writer$put(column[[1]][seq(at, min(at + rows_at_a_time - 1, nrow(column)))])
    }
    types[[names[i]]] <- writer$finish()
    hash <- rlang::hash(list(hash, as.list(column)))
    rows <- nrow(column)
    report(list(event = "stored", rows = rows, share = i / length(names), last = i == length(names)))
  }
  manifest_of(folder, types, rows, hash)
}

# Columns that are left out lose their files, and those behind them move up.
manifest_of <- function(folder, types, rows, hash) {
  kept <- which(types != "")
  if (length(kept) == 0) fail("No column of the table can be stored.")
  for (i in seq_along(types)) {
    files <- file.path(folder, paste0(i, c("", ".json")))
    to <- file.path(folder, paste0(match(i, kept), c("", ".json")))
    there <- file.exists(files)
    if (i %in% kept) file.rename(files[there], to[there]) else unlink(files)
  }
  list(
    format = "hylomath table", format_version = 1L, rows = rows, hash = hash,
    columns = lapply(unname(kept), function(i) list(name = names(types)[i], type = types[[i]])),
    left_out = as.list(names(types)[types == ""])
  )
}

json_plain <- function(x) jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, pretty = TRUE)

# ---- columns ------------------------------------------------------------------------------------------------------

# list(put, finish, close). `finish` gives the column's type, "" for one that is left out. Values of another type than
# those before are no values of that type: then the condition `hylomath_turned` says so.
column_writer <- function(name, file) {
  type <- NULL
  missing <- 0  # rows before the first value
  texts <- character()
  connection <- file(file, "wb")
  open <- TRUE
  write <- function(x) writeBin(x, connection, endian = "little")
  put_values <- function(x) {
    if (type == "") return()
    if (type != "text") return(write(if (type == "flag") as.integer(x) else as.double(x)))
    seen <- levels_of(as_label(x))
    texts <<- c(texts, setdiff(seen$levels, texts))
    if (length(texts) > limit_of("texts")) {
      type <<- ""
      texts <<- character()
      return()
    }
    write(match(seen$levels, texts)[seen$codes])
  }
  put <- function(x) {
    if (is_all_missing(x) && is.null(type)) {
      missing <<- missing + length(x)
      return()
    }
    own <- stored_type(x)
    if (is.null(own)) fail(sprintf("Column %s is %s, which can't be stored.", quoted(name), describe_class(x)))
    if (is.null(type)) {
      type <<- own
      if (missing > 0) put_values(rep(NA, missing))
    }
    if (own != type && !type %in% c("text", "") && !is_all_missing(x)) {
      rlang::signal("", class = "hylomath_turned", column = name)
    }
    put_values(if (own == type || type == "text" || type == "") x else rep(NA, length(x)))
  }
  close <- function() {
    if (open) close.connection(connection)
    open <<- FALSE
  }
  finish <- function() {
    if (is.null(type)) {
      type <<- "real"
      write(rep(NA_real_, missing))
    }
    close()
    if (type == "text") write_whole(charToRaw(enc2utf8(jsonlite::toJSON(texts))), paste0(file, ".json"))
    type
  }
  list(put = put, finish = finish, close = close)
}

stored_type <- function(x) {
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("time")
  if (is.character(x) || is.factor(x)) return("text")
  if (is.logical(x)) return("flag")
  if (is.numeric(x)) "real"
}

# ---- rows ---------------------------------------------------------------------------------------------------------

# list(rows_next, share, close): the rows of a table as data frames, NULL at the end. `kinds` are columns that are read
# as text.
rows_of_table <- function(from) {
  if (is.data.frame(from)) return(rows_in_memory(as_table(from)))
  if (is.list(from)) return(rows_of_query(from))
  if (!identical(from, "-")) check_table_file(from)
  if (!identical(from, "-") && file_kind(from) != "text") return(rows_in_memory(read_table(from)))
  source <- text_source(from, limit_of("block_bytes"))
  list(
    rows_next = function(kinds) {
      found <- source$next_block()
      if (!is.null(found)) source$read(found, kinds, NULL)
    },
    share = source$share, close = source$close
  )
}

rows_in_memory <- function(table) {
  step <- next_rows_of(nrow(table))
  list(
    rows_next = function(kinds) if (!is.null(rows <- step())) as_asked(table[rows, , drop = FALSE], kinds),
    share = function() step(share = TRUE), close = function() NULL
  )
}

as_asked <- function(table, kinds) {
  table[names(kinds)] <- lapply(table[names(kinds)], as_label)
  table
}

# PostgreSQL gives a query's rows piece by piece only to a cursor, and a cursor lives in a transaction.
rows_of_query <- function(from) {
  check_source(from)
  if (!is.null(from$file)) fail("A file is named by its path alone.")
  check_one_statement(from$query)
  query <- sub("[;[:space:]]+$", "", from$query)
  connection <- if (is.null(from$sqlite)) postgres_connection(from$postgres) else sqlite_connection(from$sqlite)
  asked <- function(code) refused_by_database(code, from$query)
  if (is.null(from$sqlite)) {
    asked(DBI::dbExecute(connection, "begin transaction read only"))
    asked(DBI::dbExecute(connection, sprintf("declare hylomath_rows no scroll cursor for\n%s\n", query)))
    fetch <- function() DBI::dbGetQuery(connection, sprintf("fetch forward %d from hylomath_rows", rows_at_a_time))
    done <- function() DBI::dbExecute(connection, "rollback")
  } else {
    result <- asked(DBI::dbSendQuery(connection, query))
    fetch <- function() DBI::dbFetch(result, n = rows_at_a_time)
    done <- function() DBI::dbClearResult(result)
  }
  list(
    rows_next = function(kinds) {
      rows <- asked(fetch())
      if (nrow(rows) > 0) as_asked(as_rows(rows, from$query), kinds)
    },
    share = function() NA_real_,
    close = function() {
      done()
      DBI::dbDisconnect(connection)
    }
  )
}

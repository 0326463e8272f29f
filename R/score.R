#' Score a table of any size
#'
#' Puts a model's predictions beside the rows of a file or of a database's query, block by block: what is held in memory
#' at a time doesn't grow with the table. Order and cells of the rows stay as they are.
#'
#' @section Files: Text files (CSV and its kin, also `.gz`) are read and written in blocks; each row is written as it
#'   stands, in the separator, decimal mark and code page of its file, with the predictions behind it. A file in UTF-16,
#'   or one whose first line names its separator, is written in UTF-8 and without that line. Parquet and Excel files are
#'   read whole. What is written is text, or Parquet where `into` ends so. A file is written whole or not at all. `"-"`
#'   stands for standard input and standard output.
#' @section Databases: The rows of `query` are taken in the order of the column `key`, which must be unique and without
#'   missing values, and their predictions put into `table`, which is made if it isn't there: the key, the predictions,
#'   and `network`, the network's identity. Each block is one transaction. A scoring that was broken off goes on behind
#'   the last key that is in `table`, so that no row is predicted twice and none is left out; a table that holds the
#'   predictions of another network is refused. Host, port, user and password of PostgreSQL come from the environment,
#'   see [read_brief()].
#' @param model A model.
#' @param from The rows: a path, `"-"`, or a database with a query, `list(sqlite = path, query = )` or
#'   `list(postgres = name, query = )`.
#' @param into Where the predictions go: a path, `"-"`, or for rows of a database a table of it, `list(table = name)`;
#'   or `NULL` to try the whole and write nothing.
#' @param type,level,bad_cells,shares,flags,identity,prefix See [predict()][predict.hylomath_model] and
#'   [augment()][augment.hylomath_model].
#' @param key The column that names each row of a query.
#' @param block So many rows (of a database), or so many bytes (of a text file, 16 MB if it is `NULL`), are taken at a
#'   time.
#' @param progress See [train()]; events are `"scored"`, with `rows` done and, where it is known, the `share` of all.
#' @return A list, invisibly: `rows` predicted, `columns` added, `bad_cells` that were taken for missing, by column, and
#'   `unusual`, how the rows differ from those of training (`columns` as in [unusual_rows()], and in how many `rows`).
#' @section Errors: Those of [predict()][predict.hylomath_model], with the row where they are found; in a file that is
#'   written nothing is then left.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 5) |> train(progress = "none")
#' new <- tempfile(fileext = ".csv")
#' write.csv(head(kilns, 100), new, row.names = FALSE)
#' scored <- tempfile(fileext = ".csv")
#' score_table(model, new, scored, flags = TRUE)
#' readLines(scored, 3)
#' @export
score_table <- function(model, from, into, type = "auto", level = 0.9, bad_cells = "refuse", shares = NULL,
                        flags = FALSE, identity = FALSE, prefix = "", key = NULL, block = NULL, progress = "auto") {
  check_model(model)
  type_choice(ways_with_bad_cells)(bad_cells, "bad_cells")
  how <- list(
    type = type, level = level, bad_cells = bad_cells, shares = shares, flags = flags, identity = identity,
    prefix = prefix
  )
  if (!is.null(block)) type_number(1, 1e9, whole = TRUE)(block, "block")
  report <- reporter(progress)
  if (is.list(from)) return(invisible(score_database(model, from, into, how, key, block %||% 50000, report)))
  if (!is_text(from, 1)) fail(sprintf("`from` is a path or a database's query, not %s.", describe(from)))
  if (!is.null(key)) fail("`key` is for databases; rows of a file keep their order.")
  invisible(score_file(model, from, into, how, block %||% 2^24, report))
}

# ---- databases -------------------------------------------------------------------------------------------------------

# From a query to a table of the same database, block by block in the order of a key. Each block is one transaction, and
# the next one begins behind the last key that is in the table: a scoring that is killed goes on where it was.

score_database <- function(model, from, into, how, key, block, report) {
  check_scored_query(from, into, key)
  if (!is.null(into) && !is.null(from$sqlite)) take_file(from$sqlite, environment())
  connection <- scored_connection(from)
  on.exit(DBI::dbDisconnect(connection))
  query <- sprintf("(\n%s\n) as scored_rows", sub("[;[:space:]]+$", "", from$query))
  header <- names(ask_database(connection, sprintf("select * from %s limit 0", query), from$query))
  check_needed_columns(needed_columns(model$predictor), header, "The query")
  if (!key %in% header) fail(sprintf("The query has no column %s to be the key.", quoted(key)), suggestion(key, header))
  quoted_key <- DBI::dbQuoteIdentifier(connection, key)
  counts <- ask_database(connection, sprintf(
    "select count(*) as n, count(%s) as known, count(distinct %s) as keys from %s", quoted_key, quoted_key, query
  ), from$query)
  check_key(key, counts, from$query)
  how$identity <- TRUE
  # what a row's predictions are called and what types they have
  sample <- ask_database(connection, sprintf("select * from %s limit 20", query), from$query)
  form <- scored_block(model, typed_rows(sample, model), how)$predictions
  target <- if (!is.null(into)) said_by_others(
    open_target(connection, from, into$table, key, form, identity_of(model), query),
    function(e) {
      what <- "The database refuses the table of predictions: %s"
      fail(sprintf(what, first_sentence(e)), "Does another program write to it?")
    }
  )
  wanted <- DBI::dbQuoteIdentifier(connection, needed_columns(model$predictor))
  tally <- new_tally()
  tally$added <- c(key, names(form))
  before <- if (is.null(target)) 0 else target$rows
  if (before > 0) {
    what <- "Goes on behind %s that are in %s already."
    rlang::inform(sprintf(what, counted(before, "row"), quoted(into$table)), class = "hylomath_message_checkpoint")
  }
  repeat {
    where <- if (is.null(target)) "" else sprintf(" where %s", target$behind)
    skip <- if (is.null(target)) sprintf(" offset %.0f", tally$rows) else ""
    rows <- ask_database(connection, sprintf(
      "select %s as scored_key, %s from %s%s order by %s limit %.0f%s", key_value(from, quoted_key),
      paste(wanted, collapse = ", "), query, where, quoted_key, block, skip
    ), from$query)
    if (nrow(rows) == 0) break
    scored <- at_row(before + tally$rows, "the query", scored_block(model, typed_rows(rows[-1], model), how))
    if (!is.null(target)) target$put(rows[[1]], scored$predictions)
    tally <- tallied(tally, scored)
    done <- before + tally$rows
    report(list(event = "scored", rows = done, share = min(1, done / counts$n), last = FALSE))
  }
  report(list(event = "scored", rows = before + tally$rows, share = 1, last = TRUE))
  tell_bad_cells(tally$bad)
  tally_facts(tally)
}

check_scored_query <- function(from, into, key) {
  check_source(from)
  if (!is.null(from$file)) fail("A file is named by its path alone.")
  check_one_statement(from$query)
  if (!is.null(into) && !(is.list(into) && is_text(into$table, 1))) {
    fail("Predictions for a query go into a table of its database: into = list(table = \"name\").")
  }
  if (!is_text(key, 1)) {
    hint <- "Name a column that is unique: key = \"id\"."
    fail("Rows of a database need a `key`, by whose order they are taken.", hint)
  }
}

scored_connection <- function(from) {
  if (is.null(from$sqlite)) postgres_connection(from$postgres) else sqlite_connection(from$sqlite, writes = TRUE)
}

check_key <- function(key, counts, query) {
  if (counts$n == 0) fail("The query gives no rows.", sprintf("The query is: %s", query))
  if (counts$known < counts$n) {
    fail(sprintf("The key %s is missing in %s.", quoted(key), counted(as.numeric(counts$n - counts$known), "row")))
  }
  if (counts$keys < counts$n) {
    what <- "The key %s is not unique: %s rows have %s values."
    fail(sprintf(what, quoted(key), format_count(counts$n), format_count(counts$keys)), "Name a column that is.")
  }
}

# PostgreSQL's keys come and go as text, which is exact for every type; SQLite's as they are.
key_value <- function(from, quoted_key) {
  if (is.null(from$sqlite)) sprintf("cast(%s as text)", quoted_key) else quoted_key
}

# Rows of a database by the kinds of the model's columns.
typed_rows <- function(rows, model) {
  kinds <- unlist(model$brief$columns$kinds)
  rows <- as_table(rows)
  as_text <- names(rows) %in% text_columns(kinds)
  rows[as_text] <- lapply(rows[as_text], function(x) if (is.character(x)) x else as_label(x))
  numbers <- names(rows) %in% names(kinds)[kinds %in% c("number", "count", "flag")]
  texts <- !as_text & vapply(rows, is.character, NA)
  rows[texts & numbers] <- lapply(rows[texts & numbers], numbers_from_text)
  for (i in which(texts & !numbers)) rows[[i]] <- iso_dates(rows[[i]])
  rows
}

# A database may hold numbers as text. What holds anything else stays text, for the checks to tell where.
numbers_from_text <- function(x) {
  x[x %in% ""] <- NA
  number <- suppressWarnings(as.numeric(x))
  if (identical(is.na(number), is.na(x))) number else x
}

# The table of predictions: list(rows, behind, put). `behind` is the condition of rows whose keys are not in it yet.
open_target <- function(connection, from, table, key, form, identity, query) {
  name <- DBI::dbQuoteIdentifier(connection, table)
  keyed <- DBI::dbQuoteIdentifier(connection, key)
  columns <- c(key, names(form))
  if (DBI::dbExistsTable(connection, table)) {
    check_target_table(connection, table, name, columns, identity)
  } else {
    make_target(connection, name, keyed, form, query)
  }
  rows <- as.numeric(DBI::dbGetQuery(connection, sprintf("select count(*) as n from %s", name))$n)
  list(
    rows = rows,
    behind = sprintf(
      "((select count(*) from %s) = 0 or %s > (select max(%s) from %s))", name, keyed, keyed, name
    ),
    put = function(keys, predictions) put_rows(connection, from, name, columns, keys, predictions)
  )
}

# The key has the type that it has in the query.
make_target <- function(connection, name, keyed, form, query) {
  in_transaction(connection, {
    DBI::dbExecute(connection, sprintf("create table %s as select %s from %s limit 0", name, keyed, query))
    for (column in names(form)) {
      x <- form[[column]]
      type <- if (is.numeric(x)) "double precision" else if (is.logical(x)) "boolean" else "text"
      quoted_column <- DBI::dbQuoteIdentifier(connection, column)
      DBI::dbExecute(connection, sprintf("alter table %s add column %s %s", name, quoted_column, type))
    }
    index <- DBI::dbQuoteIdentifier(connection, paste0(gsub("\"", "", name), "_by_key"))
    DBI::dbExecute(connection, sprintf("create unique index %s on %s (%s)", index, name, keyed))
  })
}

check_target_table <- function(connection, table, name, columns, identity) {
  there <- DBI::dbListFields(connection, table)
  if (!setequal(there, columns)) {
    apart <- c(setdiff(columns, there), setdiff(there, columns))[1]
    what <- "The table %s is there already and has other columns: %s is in one of both alone."
    fail(sprintf(what, quoted(table), quoted(apart)), "Name another table.")
  }
  marked <- DBI::dbQuoteIdentifier(connection, columns[length(columns)])
  networks <- DBI::dbGetQuery(connection, sprintf("select distinct %s as network from %s", marked, name))$network
  other <- setdiff(networks, identity)
  if (length(other)) {
    what <- "The table %s holds predictions of the network %s; this is %s."
    fail(sprintf(what, quoted(table), other[1], identity), "Name another table, or drop this one.")
  }
}

in_transaction <- function(connection, code) {
  DBI::dbExecute(connection, "begin")
  done <- FALSE
  on.exit(if (!done) DBI::dbExecute(connection, "rollback"))
  force(code)
  DBI::dbExecute(connection, "commit")
  done <- TRUE
}

put_rows <- function(connection, from, name, columns, keys, predictions) {
  listed <- paste(DBI::dbQuoteIdentifier(connection, columns), collapse = ", ")
  refused <- function(e) fail(sprintf("The database took no predictions: %s", first_sentence(e)))
  tryCatch(in_transaction(connection, {
    if (!is.null(from$sqlite)) {
      places <- paste(rep("?", length(columns)), collapse = ", ")
      values <- unname(c(list(keys), as.list(predictions)))
      DBI::dbExecute(connection, sprintf("insert into %s (%s) values (%s)", name, listed, places), params = values)
    } else {
      cells <- lapply(c(list(keys), as.list(predictions)), sql_literals, connection)
      rows <- do.call(paste, c(unname(cells), sep = ", "))
      for (some in split(rows, (seq_along(rows) - 1) %/% 1000)) {
        values <- paste0("(", some, ")", collapse = ", ")
        DBI::dbExecute(connection, sprintf("insert into %s (%s) values %s", name, listed, values))
      }
    }
  }), error = refused)
}

sql_literals <- function(x, connection) {
  if (is.logical(x)) return(ifelse(is.na(x), "null", ifelse(x, "true", "false")))
  if (is.numeric(x)) return(ifelse(is.na(x), "null", sprintf("%.17g", x)))
  x <- as.character(x)
  ifelse(is.na(x), "null", as.character(DBI::dbQuoteString(connection, x)))
}

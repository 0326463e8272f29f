# Where a table comes from: a file, or a database with a query, as `data:` in a brief says it. What is secret is never
# in a brief: a PostgreSQL connection takes its host, port, user and password from the environment (PGHOST, PGPORT,
# PGUSER, PGPASSWORD), as all of its clients do.

# `folder` is where relative paths count from; the columns of `except` are not read. The attribute `columns` has the
# names of all.
read_source <- function(source, folder = ".", kinds = NULL, except = NULL) {
  check_source(source)
  leave_out <- except %||% character()
  if (!is.null(source$sqlite)) return(read_sqlite(path_in(source$sqlite, folder), source$query, leave_out))
  if (!is.null(source$postgres)) return(read_postgres(source$postgres, source$query, leave_out))
  file <- path_in(source$file, folder)
  there <- table_columns(file, source)
  table <- read_table(file, kinds, source, if (length(except)) setdiff(there, except))
  structure(table, columns = there)
}

check_source <- function(source) {
  places <- intersect(c("file", "sqlite", "postgres"), names(source))
  if (length(places) != 1) {
    fail("`data` must name one source.", "It is one of `data.file`, `data.sqlite` and `data.postgres`.")
  }
  if (places == "file" && !is.null(source$query)) fail("`data.query` is for databases, and `data.file` is a file.")
  if (places != "file" && is.null(source$query)) {
    what <- "`data.%s` is a database; `data.query` must say what to take from it."
    fail(sprintf(what, places), "For a whole table: query: select * from <table>")
  }
  if (!is.null(source$postgres) && !grepl("^[[:alnum:]_][[:alnum:]_.-]*$", source$postgres)) {
    fail(
      "`data.postgres` is the name of a database and nothing else.",
      "Host, port, user and password come from the environment: PGHOST, PGPORT, PGUSER, PGPASSWORD."
    )
  }
}

# Whether the table can be had without a person: a database is always asked, a file may be elsewhere.
source_is_there <- function(source, folder) is.null(source$file) || file.exists(path_in(source$file, folder))

read_sqlite <- function(file, query, except) {
  connection <- sqlite_connection(file)
  on.exit(DBI::dbDisconnect(connection))
  read_query(connection, query, except, most_cells = max(limit_of("query_cells"), 10 * file.size(file)))
}

sqlite_tables <- function(file) {
  connection <- sqlite_connection(file)
  on.exit(DBI::dbDisconnect(connection))
  # its own tables begin with sqlite_
  there <- DBI::dbGetQuery(connection, "select name from sqlite_master where type in ('table', 'view') order by name")
  there$name[!startsWith(there$name, "sqlite_")]
}

# Without extensions, by which a query could run code.
sqlite_connection <- function(file, writes = FALSE) {
  rlang::check_installed(c("DBI", "RSQLite"), "to read SQLite databases")
  check_file(file)
  flags <- if (writes) RSQLite::SQLITE_RW else RSQLite::SQLITE_RO
  if (file.size(file) > 0 && !starts_with_bytes(file, "SQLite format 3")) {
    fail(sprintf("%s is not a SQLite database.", quoted(file)))
  }
  connection <- DBI::dbConnect(
    RSQLite::SQLite(), file, flags = flags, loadable.extensions = FALSE, synchronous = NULL
  )
  # milliseconds to wait for another program that writes
  RSQLite::sqliteSetBusyHandler(connection, 5000)
  connection
}

# In a transaction that can change nothing and is rolled back.
read_postgres <- function(database, query, except) {
  check_one_statement(query)
  connection <- postgres_connection(database)
  on.exit(DBI::dbDisconnect(connection))
  DBI::dbExecute(connection, "begin transaction read only")
  on.exit(DBI::dbExecute(connection, "rollback"), add = TRUE, after = FALSE)
  read_query(connection, query, except)
}

postgres_connection <- function(database) {
  driver <- postgres_driver()
  tryCatch(
    DBI::dbConnect(driver, dbname = database),
    error = function(e) {
      what <- "The PostgreSQL database %s can't be reached: %s"
      hint <- "Host, port, user and password come from PGHOST, PGPORT, PGUSER and PGPASSWORD."
      fail(sprintf(what, quoted(database), first_sentence(e)), hint)
    }
  )
}

postgres_driver <- function() {
  if (rlang::is_installed("RPostgres")) return(get("Postgres", envir = asNamespace("RPostgres"))())
  rlang::check_installed(c("DBI", "RPostgreSQL"), "to read PostgreSQL databases")
  RPostgreSQL::PostgreSQL()
}

# A query is one statement, and one that selects: another kind may write files though the database is only read.
check_one_statement <- function(query) {
  if (may_hold_statements(query)) {
    fail(
      "`data.query` holds more than one statement, or a semicolon in its midst.",
      sprintf("Give one query that selects rows. It is: %s", query)
    )
  }
  begins <- "^(?:\\s|--[^\n]*\n|/[*](?s:.*?)[*]/|[(])*(select|with|values|table)\\b"
  if (!grepl(begins, query, perl = TRUE, ignore.case = TRUE)) {
    fail("`data.query` selects no rows.", sprintf("It has to begin with select, with or values. It is: %s", query))
  }
}

# Whether a semicolon stands before the end, outside of texts, quoted names and comments. Where backslashes, dollar
# quotes or nested comments make it hard to say what is text, a semicolon counts wherever it stands.
may_hold_statements <- function(query) {
  inner <- sub("[;[:space:]]+$", "", query)
  if (!grepl(";", inner, fixed = TRUE)) return(FALSE)
  if (grepl("[\\\\$]", inner) || grepl("/[*]((?![*]/).)*/[*]", inner, perl = TRUE)) return(TRUE)
  bare <- gsub("'([^']|'')*'|\"([^\"]|\"\")*\"|--[^\n]*|/[*](?s:.*?)[*]/", " ", inner, perl = TRUE)
  grepl("[;']|\"|/[*]", bare)
}

# The rows of a query as it is; with `except` the database leaves out these columns (none of them, if there are none),
# and the attribute `columns` has the names of all. The query then stands in brackets, on lines of its own, so that a
# comment at its end hides nothing.
read_query <- function(connection, query, except = NULL, most_cells = Inf) {
  check_one_statement(query)
  asked <- function(sql) ask_database(connection, sql, query)
  if (is.null(except)) return(as_rows(asked(query), query))
  inner <- sub("[;[:space:]]+$", "", query)
  there <- names(asked(sprintf("select * from (\n%s\n) as brief_rows limit 0", inner)))
  if (is.finite(most_cells)) check_query_ends(asked, inner, floor(most_cells / length(there)))
  chosen <- DBI::dbQuoteIdentifier(connection, setdiff(there, except))
  table <- asked(sprintf("select %s from (\n%s\n) as brief_rows", paste(chosen, collapse = ", "), inner))
  structure(as_rows(table, query), columns = there)
}

# A view of a small file may give rows without end.
check_query_ends <- function(asked, query, most_rows) {
  counting <- "select count(*) as n from (select 1 from (\n%s\n) as q limit %.0f) as r"
  if (as.numeric(asked(sprintf(counting, query, most_rows + 1))$n) > most_rows) {
    what <- "The query gives more than %s rows, more than is read from a database of this size."
    fail(
      sprintf(what, format_count(most_rows)),
      sprintf("If that is meant, raise it: options(hylomath.most_query_cells = ...). The query is: %s", query)
    )
  }
}

# The rows of `sql`, which is made of the query that a refusal is about.
ask_database <- function(connection, sql, query) refused_by_database(DBI::dbGetQuery(connection, sql), query)

refused_by_database <- function(code, query) {
  refused <- function(condition) {
    what <- sprintf("The database refused the query: %s", first_sentence(condition))
    fail(what, sprintf("The query is: %s", query))
  }
  tryCatch(code, error = refused, warning = refused)
}

as_rows <- function(table, query) {
  if (nrow(table) == 0) fail("The query gives no rows.", sprintf("The query is: %s", query))
  table <- as_table(table)
  for (i in which(vapply(table, is.character, NA))) table[[i]] <- iso_dates(table[[i]])
  table
}

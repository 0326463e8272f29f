# Where a table comes from: a file, or a database with a query, as `data:` in a brief says it. What is secret is never
# in a brief: a PostgreSQL connection takes its host, port, user and password from the environment (PGHOST, PGPORT,
# PGUSER, PGPASSWORD), as all of its clients do.

# `folder` is where relative paths count from.
read_source <- function(source, folder = ".", kinds = NULL, columns = NULL) {
  check_source(source)
  if (!is.null(source$sqlite)) return(read_sqlite(path_in(source$sqlite, folder), source$query, columns))
  if (!is.null(source$postgres)) return(read_postgres(source$postgres, source$query, columns))
  read_table(path_in(source$file, folder), kinds, source, columns)
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
  if (grepl("password|://", paste(source$postgres, collapse = ""), ignore.case = TRUE)) {
    fail(
      "`data.postgres` is the name of a database and nothing else.",
      "Host, port, user and password come from the environment: PGHOST, PGPORT, PGUSER, PGPASSWORD."
    )
  }
}

# Whether the table can be had without a person: a database is always asked, a file may be elsewhere.
source_is_there <- function(source, folder) is.null(source$file) || file.exists(path_in(source$file, folder))

read_sqlite <- function(file, query, columns) {
  rlang::check_installed(c("DBI", "RSQLite"), "to read SQLite databases")
  check_file(file)
  connection <- DBI::dbConnect(RSQLite::SQLite(), file, flags = RSQLite::SQLITE_RO)
  on.exit(DBI::dbDisconnect(connection))
  read_query(connection, query, columns)
}

read_postgres <- function(database, query, columns) {
  driver <- postgres_driver()
  connection <- tryCatch(
    DBI::dbConnect(driver, dbname = database),
    error = function(e) {
      what <- "The PostgreSQL database %s can't be reached: %s"
      hint <- "Host, port, user and password come from PGHOST, PGPORT, PGUSER and PGPASSWORD."
      fail(sprintf(what, quoted(database), first_sentence(e)), hint)
    }
  )
  on.exit(DBI::dbDisconnect(connection))
  read_query(connection, query, columns)
}

postgres_driver <- function() {
  if (rlang::is_installed("RPostgres")) return(get("Postgres", envir = asNamespace("RPostgres"))())
  rlang::check_installed(c("DBI", "RPostgreSQL"), "to read PostgreSQL databases")
  RPostgreSQL::PostgreSQL()
}

# The rows of a query; the database leaves out the columns that are not wanted.
read_query <- function(connection, query, columns = NULL) {
  refused <- function(condition) {
    what <- sprintf("The database refused the query: %s", first_sentence(condition))
    fail(what, sprintf("The query is: %s", query))
  }
  asked <- function(sql) tryCatch(
    DBI::dbGetQuery(connection, sql),
    error = refused,
    warning = refused
  )
  if (!is.null(columns)) {
    inner <- sub(";[[:space:]]*$", "", query)
    there <- names(asked(sprintf("select * from (%s) as brief_rows limit 0", inner)))
    chosen <- DBI::dbQuoteIdentifier(connection, intersect(there, columns))
    query <- sprintf("select %s from (%s) as brief_rows", paste(chosen, collapse = ", "), inner)
  }
  table <- asked(query)
  if (nrow(table) == 0) fail("The query gives no rows.", sprintf("The query is: %s", query))
  table <- as_table(table)
  for (i in which(vapply(table, is.character, NA))) table[[i]] <- iso_dates(table[[i]])
  table
}

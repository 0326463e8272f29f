# A program as one SQL query: common table expressions, each of which adds columns to the one before, a step of the way
# from raw columns to predictions. Names are short: k keys, c cells, v places of levels, x inputs, z sums, h units, o
# outputs, r their sums over starts, a what all networks come to, p probabilities.

transcript_in_sql <- function(program, dialect, table, key) {
  out <- sql_writer(dialect)
  key <- as.character(unlist(key))
  sql_query(out, program, sql_name(table), key)
  paste0(sql_head(program, dialect, table), "\n", out$query(sql_predictions(out, program, key)), ";\n")
}

sql_dialects <- c("standard", "sqlite", "postgres")

sql_head <- function(program, dialect, table) {
  needs <- switch(dialect,
    sqlite = "SQLite from 3.35 on with its mathematical functions", postgres = "PostgreSQL from 12 on",
    "the standard's functions (with GREATEST and LEAST of SQL:2023)"
  )
  how <- c(
    "--", sprintf("-- Reads the table %s. For a view put `create view name as` before it.", table),
    if (dialect == "postgres") "-- Compiling so long a query takes longer than it saves: `set jit = off` before it."
  )
  paste(c(transcript_head(program, "--", needs), how), collapse = "\n")
}

sql_query <- function(out, program, table, key) {
  cells <- sql_cells(out, program, table, key)
  carried <- c(columns_named("k", length(key)), cells$carried)
  values <- if (is.null(program$classes)) own_predictions(program) else length(program$classes)
  for (i in seq_along(program$networks)) {
    sql_network(out, program, program$networks[[i]], cells, carried, values, i)
  }
  needed <- unique(unlist(lapply(program$networks, `[[`, "needed")))
  known <- paste(sprintf("c%d is not null", needed), collapse = " and ")
  keep <- c(columns_named("k", length(key)), if (length(needed)) paste0("c", needed))
  sql_after_networks(out, program, keep, values)
  values <- sql_ends(out, program, keep, values)
  if (length(needed)) {
    predictions <- c(columns_named("a", values), if (!is.null(program$classes)) "a0")
    out$stage(
      stats::setNames(sprintf("case when %s then %s end", known, predictions), predictions),
      columns_named("k", length(key)),
      note = "No prediction where a value is missing that it takes."
    )
  }
}

# How SQL is written: stages of a query, numbers, texts, names, and functions that engines call differently.

# Collects stages. `stage` makes one of new columns (expressions by name) beside those of `keep`; `from` is the first
# stage's table. SQLite and PostgreSQL are told to work each out, as otherwise they would put one into the other.
sql_writer <- function(dialect) {
  stages <- character()
  last <- NULL
  recurs <- FALSE
  count <- 0
  stage <- function(new, keep = character(), from = last, note = NULL) {
    count <<- count + 1
    name <- sprintf("s%d", count)
    columns <- c(keep, sprintf("%s as %s", new, names(new)))
    how <- if (dialect == "standard") "as" else "as materialized"
    text <- sprintf("%s %s (\n  select\n    %s\n  from %s\n)", name, how, sql_columns(columns), from)
    if (!is.null(note)) text <- paste0("-- ", comment_text(note), "\n", text)
    stages <<- c(stages, text)
    last <<- name
  }
  list(
    dialect = dialect, stage = stage, last = function() last,
    # an expression of another form, beside the stages
    add = function(text, recursive = FALSE) {
      if (recursive) recurs <<- TRUE
      stages <<- c(stages, text)
    },
    query = function(columns) {
      head <- if (recurs) "with recursive\n" else "with\n"
      paste0(head, paste(stages, collapse = ",\n"), "\nselect\n  ", sql_columns(columns, 2), "\nfrom ", last)
    }
  )
}

sql_columns <- function(columns, indent = 4) paste(columns, collapse = paste0(",\n", strrep(" ", indent)))

# Approximate numbers, as the exponent says; exact ones follow other rules of arithmetic.
sql_number <- function(x) {
  text <- format_number(x)
  text <- ifelse(grepl("e", text, fixed = TRUE), text, paste0(text, "e0"))
  ifelse(startsWith(text, "-"), paste0("(", text, ")"), text)
}

sql_text <- function(x) paste0("'", gsub("'", "''", enc2utf8(x), fixed = TRUE), "'")

sql_name <- function(x) paste0("\"", gsub("\"", "\"\"", enc2utf8(x), fixed = TRUE), "\"")

sql_type <- function(dialect) if (dialect == "standard") "varchar(1000)" else "text"

# The sum of products, in groups: a long chain is deeper than some engines go.
sql_sum <- function(terms) {
  if (length(terms) == 0) return("0e0")
  groups <- split(terms, (seq_along(terms) - 1) %/% 50)
  grouped <- vapply(groups, paste, "", collapse = " + ")
  if (length(grouped) == 1) grouped else paste0("(", grouped, ")", collapse = " + ")
}

sql_least <- function(out, x) sql_extreme(out, x, c(sqlite = "min", "least"))
sql_greatest <- function(out, x) sql_extreme(out, x, c(sqlite = "max", "greatest"))

sql_extreme <- function(out, x, called) {
  name <- if (out$dialect == "sqlite") called[["sqlite"]] else called[[2]]
  if (length(x) == 1) x else sprintf("%s(%s)", name, paste(x, collapse = ", "))
}

# e to a column, within what a double can hold: some engines take what is beyond for an error.
sql_exp <- function(name) sprintf("exp(%s)", sql_within(name, -700, 700))

sql_within <- function(name, low, high) {
  sprintf(
    "case when %s < %s then %s when %s > %s then %s else %s end", name, sql_number(low), sql_number(low), name,
    sql_number(high), sql_number(high), name
  )
}

sql_logistic <- function(name) {
  sprintf("1e0 / (1e0 + exp(-(%s)))", sql_within(name, -700, 700))
}

columns_named <- function(letter, n) if (n > 0) paste0(letter, seq_len(n)) else character()

# How many values an output layer gives.
sql_width <- function(network) {
  last <- network$starts[[1]]$layers[[length(network$starts[[1]]$layers)]]
  if (network$output == "logistic") 2 else max(last$units, length(network$starts[[1]]$thresholds) + 1)
}

fail_in_sql <- function(name, what) {
  fail(
    sprintf("SQL can't express %s, which the network uses with %s.", what, quoted(name)),
    "Transcribe it to C, JavaScript or R; or give the column where the rows come from, and train on it."
  )
}

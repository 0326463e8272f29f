# A query by which a transcript in SQL proves itself.

# The query over the made-up rows: how many there are, and how far the predictions are from the model's, as a share of
# what is allowed; below 1 all is well.
sql_check <- function(program, dialect) {
  out <- sql_writer(dialect)
  predictions <- program$check$predictions
  told <- columns_named("told", ncol(predictions))
  from <- sprintf("(\n%s\n) as made_up", sql_made_up(program, dialect, told))
  sql_query(out, program, from, told)
  numbers <- vapply(predictions, is.numeric, NA)
  values <- if (is.null(program$classes)) columns_named("a", length(predictions)) else {
    c("a0", columns_named("a", length(predictions) - 1))
  }
  keys <- columns_named("k", length(told))
  apart <- ifelse(
    numbers, sprintf("abs(%s - %s) / (1e-5 * (abs(%s) + %s))", values, keys, keys, sql_number(program$check$spread)),
    sprintf("case when %s = %s then 0e0 else 2e0 end", values, keys)
  )
  off <- sprintf(
    "case when %s is null and %s is null then 0e0 when %s is null or %s is null then 2e0 else %s end", values, keys,
    values, keys, apart
  )
  out$stage(c(off = sql_greatest(out, off)), note = "How far each prediction is off.")
  columns <- c("count(*) as \"rows\"", "max(off) as \"off\"")
  paste0(sql_head(program, dialect, "of made-up rows"), "\n", out$query(columns), ";\n")
}

sql_made_up <- function(program, dialect, told) {
  rows <- program$check$rows[raw_names(program)]
  as_type <- function(x, type) sprintf("cast(%s as %s)", ifelse(is.na(x), "null", x), type)
  moment <- function(type) if (dialect == "sqlite") "text" else type
  cells <- Map(function(x, column) {
    switch(column$type,
      number = , flag = as_type(sql_number(as.numeric(x)), "double precision"),
      text = as_type(sql_text(as.character(x)), sql_type(dialect)),
      date = as_type(sql_text(as.character(x)), moment("date")),
      as_type(sql_text(as.character(x)), moment("timestamp"))
    )
  }, rows, program$columns)
  cells <- Map(function(text, x) ifelse(is.na(x), sub("\\((.*) as ([a-z0-9() ]+)\\)$", "(null as \\2)", text), text),
    cells, rows)
  predictions <- lapply(program$check$predictions, function(x) {
    if (is.numeric(x)) as_type(ifelse(is.na(x), NA, sql_number(x)), "double precision") else {
      as_type(ifelse(is.na(x), NA, sql_text(x)), sql_type(dialect))
    }
  })
  all <- c(cells, predictions)
  names <- sql_name(c(names(rows), told))
  lines <- vapply(seq_len(nrow(rows)), function(i) {
    values <- vapply(all, `[`, "", i)
    paste("  select", paste(if (i == 1) paste(values, "as", names) else values, collapse = ", "))
  }, "")
  paste(lines, collapse = " union all\n")
}

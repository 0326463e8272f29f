# Column arithmetic in SQL.

# A derived column. Parts of dates are had of columns of the table alone.
sql_expression <- function(out, node) {
  below <- function(node) if (node$op %in% sql_parts) list() else node$args
  walk_tree(node, function(node, parts) sql_node(out, node, unlist(parts)), below)
}

sql_parts <- c("year", "month", "mday", "yday", "week")

# A node whose arguments are text already.
sql_node <- function(out, node, own) {
  dialect <- out$dialect
  none <- function(what) {
    fail(
      sprintf("%s SQL has no function for `%s`, by which a column is derived.", dialect, what),
      "Choose another dialect or language, or derive the column where the rows come from."
    )
  }
  if (node$op == "cell") return(sprintf("c%d", as.integer(node$place)))
  if (node$op == "number") return(sql_number(node$value))
  if (node$op == "text") return(sql_text(node$value))
  if (node$op == "missing") return("null")
  if (node$op %in% sql_parts) return(sql_part(node, none))
  a <- own[1]
  b <- own[2]
  true_of <- function(condition, known = own) {
    sprintf(
      "case when %s then null when %s then 1e0 else 0e0 end", paste(known, "is null", collapse = " or "), condition
    )
  }
  unknown <- sprintf("when %s is null or %s is null then null", a, b)
  in_order <- switch(dialect, sqlite = "%s < %s", postgres = "%s < %s collate \"C\"", standard = NULL)
  switch(node$op,
    add = sprintf("(%s + %s)", a, b), sub = sprintf("(%s - %s)", a, b), mul = sprintf("(%s * %s)", a, b),
    div = sprintf("(%s / %s)", a, b), pow = sprintf("power(%s, %s)", a, b), neg = sprintf("(-%s)", a),
    sqrt = , exp = , floor = , abs = sprintf("%s(%s)", node$op, a), log = sprintf("ln(%s)", a),
    log1p = sprintf("ln(1e0 + %s)", a), expm1 = sprintf("(exp(%s) - 1e0)", a), ceiling = sprintf("(-floor(-(%s)))", a),
    sign = sprintf("case when %s > 0 then 1e0 when %s < 0 then -1e0 when %s = 0 then 0e0 end", a, a, a),
    trunc = sprintf("case when %s < 0 then -floor(-(%s)) else floor(%s) end", a, a, a),
    round = {
      unit <- sprintf("power(1e1, %s)", b)
      away <- sprintf("floor(abs(%s) * %s + 5e-1) / %s", a, unit, unit)
      sprintf("case when %s < 0 then -(%s) else %s end", a, away, away)
    },
    min = sprintf("case when %s < %s then %s when %s is null then null else %s end", a, b, a, a, b),
    max = sprintf("case when %s > %s then %s when %s is null then null else %s end", a, b, a, a, b),
    eq_number = , eq_text = true_of(sprintf("%s = %s", a, b)), lt_number = true_of(sprintf("%s < %s", a, b)),
    lt_text = if (is.null(in_order)) none("<") else true_of(sprintf(in_order, a, b)),
    not = sprintf("case when %s = 0 then 1e0 when %s <> 0 then 0e0 end", a, a),
    and = sprintf("case when %s = 0 or %s = 0 then 0e0 %s else 1e0 end", a, b, unknown),
    or = sprintf("case when %s <> 0 or %s <> 0 then 1e0 %s else 0e0 end", a, b, unknown),
    choose = sprintf("case when %s is null then null when %s <> 0 then %s else %s end", a, a, b, own[3]),
    is_missing = sprintf("case when %s is null then 1e0 else 0e0 end", a), present = sprintf("coalesce(%s, %s)", a, b),
    nchar = sprintf(if (dialect == "standard") "char_length(%s)" else "length(%s)", a),
    starts_with = true_of(sql_found(dialect, a, b, node$args[[2]], "start")),
    ends_with = true_of(sql_found(dialect, a, b, node$args[[2]], "end")),
    contains = true_of(sprintf(
      switch(dialect, sqlite = "instr(%s, %s) > 0", postgres = "strpos(%s, %s) > 0", "position(%2$s in %1$s) > 0"), a, b
    )),
    lower = switch(dialect, sqlite = sprintf("lower(%s)", a), postgres = sql_letters(a, capitals, small_letters),
      none("lower")),
    upper = switch(dialect, sqlite = sprintf("upper(%s)", a), postgres = sql_letters(a, small_letters, capitals),
      none("upper")),
    trim = switch(dialect,
      sqlite = sprintf("trim(%s, ' ' || char(9) || char(10) || char(13))", a),
      postgres = sprintf("btrim(%s, ' ' || chr(9) || chr(10) || chr(13))", a), none("trim")
    )
  )
}

sql_letters <- function(x, from, to) sprintf("translate(%s, '%s', '%s')", x, from, to)

# Whether a text begins or ends with another one.
sql_found <- function(dialect, a, b, node, where) {
  length_of <- if (dialect == "standard") "char_length" else "length"
  cut <- if (dialect == "standard") "substring(%s from %s for %s)" else "substr(%s, %s, %s)"
  from <- if (where == "start") "1" else sprintf("%s(%s) - %s(%s) + 1", length_of, a, length_of, b)
  enough <- sprintf("%s(%s) >= %s(%s)", length_of, a, length_of, b)
  sprintf("%s and %s = %s", enough, sprintf(cut, a, from, sprintf("%s(%s)", length_of, b)), b)
}

# Of a day that is a date's column, or the day of a time's.
sql_part <- function(node, none) {
  day <- node$args[[1]]
  if (day$op == "floor") day <- day$args[[1]]$args[[1]]
  if (!identical(day$op, "cell")) none(node$op)
  place <- as.integer(day$place)
  switch(node$op,
    year = sprintf("c%dy", place), month = sprintf("c%dm", place), mday = sprintf("c%dd", place),
    yday = sprintf("c%dyday", place), week = sql_week(sprintf("c%d", place))
  )
}

# The week of ISO 8601: by the day of the year and of the week, which can lead into the year before or behind.
sql_week <- function(cell) {
  rest <- function(x) sprintf("((%s) - 7 * floor((%s) / 7e0))", x, x)
  leap <- function(year) {
    rest_of <- function(by) sprintf("%s - %d * floor((%s) / %de0) = 0", year, by, year, by)
    sprintf(
      "(case when (%s and not %s) or %s then 1 else 0 end)", rest_of(4L), rest_of(100L), rest_of(400L)
    )
  }
  first <- rest(sprintf("%swday - %syday", cell, cell))  # the weekday of 1 January, 0 for Monday
  weeks <- function(first, year) {
    sprintf("(case when %s = 3 or (%s = 2 and %s = 1) then 53 else 52 end)", first, first, leap(year))
  }
  year <- paste0(cell, "y")
  before <- sprintf("%sy - 1", cell)
  week <- sprintf("floor((%syday - %swday + 10) / 7e0)", cell, cell)
  first_before <- rest(sprintf("%s - 365 - %s", first, leap(before)))
  sprintf(
    "case when %s < 1 then %s when %s > %s then 1e0 else %s end", week, weeks(first_before, before), week,
    weeks(first, year), week
  )
}

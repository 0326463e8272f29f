# From a table's columns to cells, in SQL: what stands for missing, dates and their parts.

# Raw columns without their codes for missing, in one type each; dates as days with their parts.
sql_cells <- function(out, program, table, key) {
  keys <- stats::setNames(sql_name(key), columns_named("k", length(key)))
  own <- unlist(lapply(seq_along(program$columns), function(i) sql_cell(out, program$columns[[i]], i)))
  out$stage(c(keys, own), from = table, note = "Cells, without what stands for missing.")
  carried <- names(own)
  carried <- sql_dates(out, program$columns, names(keys), carried)
  for (i in seq_along(program$derived)) {
    derived <- program$derived[[i]]
    place <- length(program$columns) + i
    out$stage(
      stats::setNames(sql_expression(out, derived$node), paste0("c", place)), c(names(keys), carried),
      note = sprintf("%s, derived: %s", derived$name, derived$text)
    )
    carried <- c(carried, paste0("c", place))
    if (derived$type %in% c("date", "time")) fail_in_sql(derived$name, "a derived date")
  }
  plans <- unlist(lapply(program$networks, `[[`, "plans"), recursive = FALSE)
  hashed <- unique(unlist(lapply(plans, function(plan) if (isTRUE(plan$hashed)) plan$column)))
  list(carried = sql_hashes(out, program, hashed, names(keys), carried))
}

sql_cell <- function(out, column, i) {
  name <- sql_name(column$name)
  text <- sprintf("cast(%s as %s)", name, sql_type(out$dialect))
  empty <- sprintf("%s is null or %s in (%s)", name, text, paste(sql_text(c("", column$missing)), collapse = ", "))
  as_number <- sprintf("cast(%s as double precision)", name)
  codes <- suppressWarnings(as.numeric(column$missing))
  codes <- codes[!is.na(codes)]
  if (column$type == "number" && length(codes)) {
    empty <- sprintf("%s or %s in (%s)", empty, as_number, paste(sql_number(codes), collapse = ", "))
  }
  given <- function(x) sprintf("case when %s then null else %s end", empty, x)
  as_flag <- sprintf(
    "case when %s in ('1', '1.0', 'true', 'TRUE', 't') then 1e0 when %s in ('0', '0.0', 'false', 'FALSE', 'f') %s",
    text, text, "then 0e0 end"
  )
  value <- switch(column$type,
    number = given(as_number), flag = given(as_flag), text = given(text),
    return(sql_moment_cells(out, column, i, given))
  )
  stats::setNames(value, paste0("c", i))
}

# Year, month, day and, of a time, the second of the day.
sql_moment_cells <- function(out, column, i, given) {
  name <- sql_name(column$name)
  parts <- c(y = "year", m = "month", d = "day")
  clock <- column$type == "time"
  if (out$dialect == "sqlite") {
    code <- c(y = "%Y", m = "%m", d = "%d")
    part <- function(code) given(sprintf("cast(strftime('%s', %s) as double precision)", code, name))
    cells <- vapply(code, part, "")
    if (clock) cells[["s"]] <- given(sprintf(
      "strftime('%%H', %s) * 3600e0 + strftime('%%M', %s) * 60e0 + strftime('%%S', %s)", name, name, name
    ))
  } else {
    as_moment <- sprintf("cast(%s as %s)", name, if (clock) "timestamp" else "date")
    extract <- function(part) sprintf("extract(%s from %s)", part, as_moment)
    cells <- vapply(parts, function(p) given(sprintf("cast(%s as double precision)", extract(p))), "")
    if (clock) cells[["s"]] <- given(sprintf(
      "cast(%s * 3600 + %s * 60 + %s as double precision)", extract("hour"), extract("minute"), extract("second")
    ))
  }
  stats::setNames(cells, paste0("c", i, names(cells)))
}

# From civil dates to days since 1970, by years that begin in March; the day of the year and of the week.
sql_dates <- function(out, columns, keys, carried) {
  dated <- which(vapply(columns, function(column) column$type %in% c("date", "time"), NA))
  if (length(dated) == 0) return(carried)
  years <- unlist(lapply(dated, function(i) {
    stats::setNames(sprintf(
      c("case when c%dm <= 2 then c%dy - 1 else c%dy end", "case when c%dm <= 2 then c%dm + 9 else c%dm - 3 end"),
      i, i, i
    ), paste0("c", i, c("yy", "mm")))
  }))
  out$stage(years, c(keys, carried), note = "Dates: days since 1970-01-01, by years that begin in March.")
  since <- function(year, months, day) {
    sprintf(
      "365e0 * (%s) + floor((%s) / 4e0) - floor((%s) / 100e0) + floor((%s) / 400e0) + %s + %s - 719469", year, year,
      year, year, months, day
    )
  }
  days <- unlist(lapply(dated, function(i) {
    of_month <- sprintf("floor((153e0 * c%dmm + 2) / 5e0)", i)
    stats::setNames(
      c(since(sprintf("c%dyy", i), of_month, sprintf("c%dd", i)), since(sprintf("c%dy - 1", i), "306e0", "1")),
      paste0("c", i, c("n", "j"))
    )
  }))
  out$stage(days, c(keys, carried))
  carried <- c(carried, names(days))
  parts <- unlist(lapply(dated, function(i) {
    clock <- columns[[i]]$type == "time"
    value <- if (clock) sprintf("c%dn * 86400 + c%ds", i, i) else sprintf("c%dn", i)
    stats::setNames(
      c(value, sprintf("c%dn - c%dj", i, i), sprintf("c%dn + 3 - 7 * floor((c%dn + 3) / 7e0)", i, i)),
      paste0("c", i, c("", "yday", "wday"))
    )
  }))
  out$stage(parts, c(keys, carried))
  c(carried, names(parts))
}

# ---- hashed levels ---------------------------------------------------------------------------------------------------

# The hash of a text in SQL: FNV-1a over its bytes and a finisher, 64 bits, in four numbers of 16 bits a, b, c, d, the
# lowest first. Bytes are had as hexadecimal digits, and are gone through by a recursive query over distinct texts.

# Columns `g`: the upper 32 bits of the hashes of some cells, beside what is carried.
sql_hashes <- function(out, program, hashed, keys, carried) {
  if (length(hashed) == 0) return(carried)
  if (out$dialect == "standard") {
    name <- c(program$columns, program$derived)[[hashed[1]]]$name
    fail_in_sql(name, "levels by their hash, which the standard has no functions for,")
  }
  for (place in hashed) {
    cell <- paste0("c", place)
    from <- out$last()
    found <- sql_hash_of(out, cell, from)
    out$stage(
      stats::setNames("hashed.g", paste0("g", place)), paste0("cells.", c(keys, carried)),
      from = sprintf("%s as cells left join %s as hashed on hashed.t = cells.%s", from, found, cell),
      note = if (place == hashed[1]) "Levels by their hash."
    )
    carried <- c(carried, paste0("g", place))
  }
  carried
}

# The name of an expression with the columns t and g, for the texts of a cell.
sql_hash_of <- function(out, cell, from) {
  sqlite <- out$dialect == "sqlite"
  name <- function(step) paste0("h_", cell, "_", step)
  xor <- function(x, y) if (sqlite) sprintf("((%s | %s) - (%s & %s))", x, y, x, y) else sprintf("(%s # %s)", x, y)
  whole <- function(x) sprintf("cast(%s as bigint)", x)
  digits <- if (sqlite) sprintf("hex(%s)", cell) else sprintf("upper(encode(convert_to(%s, 'UTF8'), 'hex'))", cell)
  digit <- function(at) {
    sprintf(if (sqlite) "(instr(%s, %s) - 1)" else "(strpos(%s, %s) - 1)", "'0123456789ABCDEF'",
      sprintf("substr(x, %s, 1)", at))
  }
  start <- whole(c("8997", "33826", "40164", "52210"))
  byte <- whole(sprintf("16 * %s + %s", digit("n"), digit("n + 1")))
  low <- xor("a", byte)
  # times 2^40 + 435, with carries
  products <- c(
    sprintf("%s * 435", low), "b * 435", sprintf("(c * 435 + %s * 256)", low), "(d * 435 + b * 256)"
  )
  step <- sql_carried(products)
  out$add(sprintf(
    paste0(
      "%s (t, x, n, a, b, c, d) as (\n  select t, x, 1, %s from (select distinct %s as t, %s as x from %s where %s",
      " is not null) as texts\n  union all\n  select t, x, n + 2, %s from %s where n < length(x)\n)"
    ),
    name("bytes"), paste(start, collapse = ", "), cell, digits, from, cell, paste(step, collapse = ", "), name("bytes")
  ), recursive = TRUE)
  last <- name("bytes")
  add <- function(step, values, where = "") {
    columns <- paste(values, "as", c("a", "b", "c", "d"), collapse = ", ")
    out$add(sprintf("%s as (select t, %s from %s%s)", name(step), columns, last, where))
    last <<- name(step)
  }
  folded <- c(xor("a", "((c >> 1) + (d & 1) * 32768)"), xor("b", "(d >> 1)"), "c", "d")
  times <- function(k) {
    c(
      sprintf("a * %d", k[1]), sprintf("(a * %d + b * %d)", k[2], k[1]),
      sprintf("(a * %d + b * %d + c * %d)", k[3], k[2], k[1]),
      sprintf("(a * %d + b * %d + c * %d + d * %d)", k[4], k[3], k[2], k[1])
    )
  }
  add("1", folded, " where n > length(x)")
  add("2", sql_carried(times(c(36045L, 60757L, 45015L, 65361L))))
  add("3", folded)
  add("4", sql_carried(times(c(60499L, 6789L, 47614L, 50382L))))
  out$add(sprintf("%s as (select t, (c + 65536 * d) * 1e0 as g from %s)", name("hash"), last))
  name("hash")
}

# Four sums as numbers of 16 bits; what is above 64 bits is lost.
sql_carried <- function(sums) {
  above <- "0"
  vapply(sums, function(sum) {
    here <- sprintf("(%s + %s)", sum, above)
    above <<- sprintf("(%s >> 16)", here)
    sprintf("%s & 65535", here)
  }, "", USE.NAMES = FALSE)
}

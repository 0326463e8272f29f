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

# Derived columns for transcripts: a checked tree becomes one of few primitive operations on numbers and texts, which
# each language has. Dates are days since 1970, times seconds, logical values 1 and 0.
#
# A node is list(op, ...): "cell" with its `place`, "number" or "text" with a `value`, "missing", or a primitive with
# its `args`.

# Of a derived column list(name, text, type, node). `places` and `types` are those of the columns so far, by name.
derived_program <- function(name, text, places, types) {
  typed <- typed_node(parse_expression(text, quoted(name)), places, types, name)
  list(name = name, text = text, type = if (typed$type == "logical") "flag" else typed$type, node = typed$node)
}

typed_node <- function(tree, places, types, name) {
  below <- function(tree) if (is_call_of(tree, "c")) list() else arguments_of(tree)
  walk_tree(tree, function(tree, parts) typed_from(tree, parts, places, types, name), below)
}

# Of a node whose arguments are typed already.
typed_from <- function(tree, parts, places, types, name) {
  if (is.name(tree)) {
    column <- as.character(tree)
    type <- types[[column]]
    return(typed_as(node_of("cell", place = places[[column]]), if (type == "flag") "number" else type))
  }
  if (!is.call(tree)) return(typed_constant(tree))
  called <- as.character(tree[[1]])
  if (called == "c") return(lapply(as.list(tree)[-1], typed_node, places, types, name))
  if (called != "%in%") return(typed_call(called, parts, name))
  set <- if (is_call_of(tree[[3]], "c")) parts[[2]] else parts[2]
  each <- lapply(set, function(value) comparison_of("eq", parts[[1]], value, name))
  Reduce(function(a, b) typed_as(primitive("or", a$node, b$node), "logical"), each)
}

typed_as <- function(node, type) list(node = node, type = type)
node_of <- function(op, ...) list(op = op, ...)
primitive <- function(op, ...) list(op = op, args = list(...))
number_node <- function(x) node_of("number", value = as.numeric(x))

typed_constant <- function(x) {
  if (is.na(x)) return(typed_as(node_of("missing"), "none"))
  if (is.character(x)) return(typed_as(node_of("text", value = enc2utf8(x)), "text"))
  typed_as(number_node(x), if (is.logical(x)) "logical" else "number")
}

# What primitives are called with the same number of arguments.
plain_primitives <- c(
  "*" = "mul", "/" = "div", "^" = "pow", "!" = "not", "&" = "and", "|" = "or", abs = "abs", sign = "sign",
  sqrt = "sqrt", exp = "exp", log = "log", log1p = "log1p", expm1 = "expm1", floor = "floor", ceiling = "ceiling",
  trunc = "trunc", is.na = "is_missing", nchar = "nchar", lower = "lower", upper = "upper", trim = "trim",
  starts_with = "starts_with", ends_with = "ends_with", contains = "contains"
)

typed_call <- function(called, own, name) {
  a <- own[[1]]
  b <- if (length(own) > 1) own[[2]]
  result <- function(node, type = "number") typed_as(node, type)
  logical_ones <- c("!", "&", "|", "is.na", "starts_with", "ends_with", "contains")
  if (called %in% names(plain_primitives)) {
    texts <- c("lower", "upper", "trim")
    type <- if (called %in% logical_ones) "logical" else if (called %in% texts) "text" else "number"
    return(result(do.call(primitive, c(plain_primitives[[called]], lapply(own, `[[`, "node"))), type))
  }
  node <- a$node
  switch(called,
    "(" = a,
    "+" = if (is.null(b)) a else result(primitive("add", node, b$node)),
    "-" = {
      if (is.null(b)) return(result(primitive("neg", node)))
      moments <- c(a$type, b$type) %in% c("date", "time")
      if (all(moments)) result(primitive("sub", in_days(a), in_days(b))) else result(primitive("sub", node, b$node))
    },
    "%/%" = result(primitive("floor", primitive("div", node, b$node))),
    "%%" = {
      whole <- primitive("floor", primitive("div", node, b$node))
      result(primitive("sub", node, primitive("mul", b$node, whole)))
    },
    "==" = comparison_of("eq", a, b, name), "!=" = opposite(comparison_of("eq", a, b, name)),
    "<" = comparison_of("lt", a, b, name), ">" = comparison_of("lt", b, a, name),
    "<=" = opposite(comparison_of("lt", b, a, name)), ">=" = opposite(comparison_of("lt", a, b, name)),
    log2 = result(primitive("div", primitive("log", node), number_node(log(2)))),
    log10 = result(primitive("div", primitive("log", node), number_node(log(10)))),
    round = result(primitive("round", node, if (is.null(b)) number_node(0) else b$node)),
    pmin = result(folded("min", own)), pmax = result(folded("max", own)),
    ifelse = typed_as(primitive("choose", node, own[[2]]$node, own[[3]]$node), common_type(own[2:3])),
    coalesce = typed_as(folded("present", own), common_type(own)),
    rank_in = {
      places <- seq_along(own[-1])
      none <- node_of("missing")
      ranked <- Reduce(function(rest, i) {
        primitive("choose", primitive("eq_text", node, own[[i + 1]]$node), number_node(i), rest)
      }, rev(places), none)
      result(ranked)
    },
    date = result(number_node(as.Date(a$node$value)), "date"),
    date_part_node(called, a, name)
  )
}

folded <- function(op, own) Reduce(function(a, b) primitive(op, a, b), lapply(own, `[[`, "node"))
opposite <- function(x) typed_as(primitive("not", x$node), "logical")

common_type <- function(own) {
  types <- setdiff(vapply(own, `[[`, "", "type"), "none")
  if (length(types) == 0) "none" else if (all(types == types[1])) types[1] else "number"
}

in_days <- function(x) if (x$type == "time") primitive("div", x$node, number_node(86400)) else x$node

comparison_of <- function(op, a, b, name) {
  moments <- c(a$type, b$type) %in% c("date", "time")
  if (any(moments)) {
    a <- moment_constant(a, b, name)
    b <- moment_constant(b, a, name)
    return(typed_as(primitive(paste0(op, "_number"), in_days(a), in_days(b)), "logical"))
  }
  text <- c(a$type, b$type) == "text"
  typed_as(primitive(paste0(op, if (any(text)) "_text" else "_number"), a$node, b$node), "logical")
}

# Text that stands beside a date or time.
moment_constant <- function(x, beside, name) {
  if (x$type != "text") return(x)
  if (x$node$op != "text") {
    fail(
      sprintf("Transcripts can't read a text column as a date, as the derived column %s does.", quoted(name)),
      "Compare with a text in quotes, or let both columns be dates."
    )
  }
  like <- if (beside$type == "date") a_date else as.POSIXct(0, origin = "1970-01-01", tz = "UTC")
  typed_as(number_node(as_moment(x$node$value, like)), beside$type)
}

date_part_node <- function(part, d, name) {
  time <- d$type == "time"
  day <- if (time) primitive("floor", in_days(d)) else d$node
  clock <- if (time) primitive("sub", d$node, primitive("mul", day, number_node(86400))) else number_node(0)
  over <- function(x, by) primitive("floor", primitive("div", x, number_node(by)))
  plus <- function(x, by) primitive("add", x, number_node(by))
  weekday <- primitive("sub", plus(day, 3), primitive("mul", over(plus(day, 3), 7), number_node(7)))
  node <- switch(part,
    year = primitive("year", day), month = primitive("month", day), day = primitive("mday", day),
    yearday = plus(primitive("yday", day), 1), weekday = plus(weekday, 1),
    quarter = plus(over(plus(primitive("month", day), -1), 3), 1),
    # SQL has the parts of a column's own dates alone, and finds the week from these
    week = primitive("week", day, plus(over(primitive("yday", plus(primitive("sub", day, weekday), 3)), 7), 1)),
    hour = if (time) over(clock, 3600) else primitive("mul", day, number_node(0)),
    minute = if (time) {
      primitive("sub", over(clock, 60), primitive("mul", over(clock, 3600), number_node(60)))
    } else {
      primitive("mul", day, number_node(0))
    }
  )
  typed_as(node, "number")
}

# ---- as text ------------------------------------------------------------------------------------------------------

# A node in a language that calls its primitives as functions; `how` says how cells, constants and calls are written.
node_text <- function(node, how) {
  walk_tree(node, function(node, parts) {
    switch(node$op,
      week = parts[[2]], cell = how$cell(node$place), number = how$number(node$value), text = how$text(node$value),
      missing = how$missing, how$call(node$op, unlist(parts))
    )
  }, function(node) node$args)
}

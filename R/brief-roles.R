# What each column of the table is to the network, and how it is prepared.

# The columns that the network takes in: of a kind that it can use, and without another role.
brief_inputs <- function(b) {
  columns <- b$columns
  kinds <- unlist(columns$kinds)
  usable <- names(kinds)[kinds %in% input_kinds]
  dates <- usable[kinds[usable] %in% c("date", "time")]
  usable <- setdiff(usable, Filter(function(column) length(settings_for(b, column)$dates) == 0, dates))
  others <- c(b$target, target_sources(b), b[["hold_out"]]$parts, taken_columns(columns), columns$drop)
  setdiff(usable, others)
}

# Columns that a derived target is made of would give it away.
target_sources <- function(b) {
  derived <- b[["add_columns"]]
  targets <- b$target
  if (any(targets %in% names(derived))) setdiff(raw_columns(derived, targets), targets)
}

# Columns whose role keeps them from being inputs. A date or time that orders the rows is one all the same: what is
# taken from it (season, weekday, hour) comes again, which a running number does not.
taken_columns <- function(columns) {
  taken <- unlist(columns[column_roles])
  taken[!(names(taken) == "order" & unlist(columns$kinds)[taken] %in% c("date", "time"))]
}

# The settings by which one column is prepared: the brief's, and what `only` says of this column.
settings_for <- function(b, column) {
  said <- b[["prepare"]]
  usual <- said[names(column_settings)]
  own <- said$only[[column]]
  usual[names(own)] <- own
  usual
}

# Columns that a brief names and has no use for, so that they needn't be read. What it doesn't name is guessed.
unwanted_columns <- function(b, beside = NULL) {
  columns <- b$columns
  setdiff(c(names(columns$kinds), columns$drop), c(wanted_columns(b), beside))
}

# Every column of the table that a brief names, whatever for.
named_columns <- function(b) {
  columns <- b$columns
  said <- brief_settings(b)
  own <- c(names(said[["prepare"]]$only), said[["hold_out"]]$parts)
  named <- c(said$target, names(columns$kinds), columns$drop, unlist(columns[column_roles]), own)
  setdiff(named, names(said[["add_columns"]]))
}

# The columns that a brief with known kinds will look at, NULL when they are not known yet.
wanted_columns <- function(b) {
  columns <- b$columns
  if (length(columns$kinds) == 0) return(NULL)
  how <- b[["hold_out"]]
  conditions <- unlist(c(b[["keep_rows"]], how[grep("_where$", names(how))]))
  in_conditions <- lapply(conditions, function(text) expression_columns(parse_expression(text, "condition")))
  looked_at <- c(brief_inputs(b), b$target, unlist(columns[column_roles]), how$parts, unlist(in_conditions))
  raw_columns(b[["add_columns"]], looked_at)
}

# The brief with these inputs only.
with_inputs <- function(b, inputs) {
  set_section(b, "columns", list(drop = union(b$columns$drop, setdiff(brief_inputs(b), inputs))))
}

# ---- the working table of a brief ------------------------------------------------------------------------------------

# The working table of a brief.

# The rules of a brief for a table, see brief-roles.R.
table_rules <- function(b, table = b$table) {
  derived <- as.list(b[["add_columns"]])
  columns <- setdiff(names(table), names(derived))
  codes <- lapply(stats::setNames(nm = columns), function(column) settings_for(b, column)$missing_codes)
  kinds <- unlist(b$columns$kinds)
  typed <- kinds[names(kinds) %in% columns & kinds %in% c("number", "count", "date", "time")]
  formats <- as.list(b$columns$formats[intersect(names(b$columns$formats), columns)])
  list(codes = codes[lengths(codes) > 0], formats = formats, types = typed, derived = derived)
}

# What of a table a brief looks at: list(columns, kinds, formats), plain data.
looked_at_by <- function(b) {
  list(columns = unname(wanted_columns(b)), kinds = unlist(b$columns$kinds), formats = b$columns$formats)
}

# What a table says to a brief, whatever types its columns were read as: a hash of the columns that the brief looks at,
# each as its kind has it.
table_identity <- function(looked_at, table) {
  if (is_stored(table)) return(table_hash(table))
  there <- intersect(looked_at$columns %||% names(table), names(table))
  there <- there[order_texts(there)]
  formats <- lapply(there, function(column) looked_at$formats[[column]])
  columns <- Map(function(x, kind, format) {
    if (kind %in% c("number", "count", "date", "time")) x <- as_expected(x, kind, format)
    x <- if (is.factor(x) || kind %in% c("category", "id", "text")) as_label(x) else {
      if (is.numeric(x) || is.logical(x) || is_moment(x)) as.numeric(x) else x
    }
    x[seq_along(x)]  # without what R remembers of how a vector was made
  }, stats::setNames(columns_of(table, there), there), looked_at$kinds[there], formats)
  rlang::hash(columns)
}

# The table as everything else sees it.
working_table_of <- function(b, table = b$table) working_table(table, table_rules(b, table))

# ---- the working table -----------------------------------------------------------------------------------------------

# The table that everything else works on: codes that mean missing taken out, derived columns put in.
#
# It follows rules, list(codes, formats, types, derived): by column the codes, how numbers and dates are written and
# which columns they are expected in, and the derived columns as texts in their order.

# `wanted` are the columns that will be looked at (all when it is NULL): only what they need is computed and asked for.
working_table <- function(table, rules, wanted = NULL) {
  trees <- derived_trees(rules$derived)
  if (!is.null(wanted)) {
    plan <- needed_steps(trees, wanted)
    trees <- trees[plan$steps]
    table <- table[intersect(names(table), c(plan$raw, wanted))]
  }
  coded <- intersect(names(rules$codes), names(table))
  table <- with_columns(table, coded, Map(without_codes, columns_of(table, coded), rules$codes[coded]))
  typed <- intersect(names(rules$types), names(table))
  expected <- Map(as_expected, columns_of(table, typed), rules$types[typed], as.list(rules$formats)[typed])
  table <- with_columns(table, typed, expected)
  written <- setdiff(intersect(names(rules$formats), names(table)), names(rules$types))
  table <- with_columns(table, written, Map(as_written, columns_of(table, written), rules$formats[written]))
  for (name in names(trees)) table[[name]] <- derived_value(trees[[name]], table, name)
  table
}

# Text where numbers or dates are expected, as these: in the column's format, or in the one that it is clearly in. Dates
# where times are expected are those of midnight, since whether any row of a table has a time is chance.
as_expected <- function(x, kind, format) {
  x <- read_as_expected(x, kind, format)
  if (kind == "time" && inherits(x, "Date")) .POSIXct(as.numeric(x) * 86400, "UTC") else x
}

read_as_expected <- function(x, kind, format) {
  if (!is.character(x)) return(x)
  blank <- !is.na(x) & trimws(x) == ""
  if (any(blank)) x[blank] <- NA
  if (!is.null(format)) x <- as_written(x, format)
  if (!is.character(x)) return(x)
  if (kind %in% c("date", "time")) x <- iso_dates(x)
  if (!is.character(x)) return(x)
  plain <- suppressWarnings(as.numeric(x))
  if (kind %in% c("number", "count") && !any(is.na(plain) & !is.na(x))) return(plain)
  found <- formats_of(x)
  numbers <- kind %in% c("number", "count")
  right <- intersect(found$formats, if (numbers) names(number_marks) else names(date_patterns_of))
  if (length(found$formats) == 1 && length(right) == 1 && length(found$missing) == 0) as_written(x, right) else x
}

derived_trees <- function(derived) {
  lapply(stats::setNames(nm = names(derived)), function(name) parse_expression(derived[[name]], quoted(name)))
}

# Which derivations the wanted columns need, and which columns of the table itself. A derived column may be built on
# earlier ones, and may take the name of one that it is built on.
needed_steps <- function(trees, wanted) {
  needed <- wanted
  steps <- character()
  for (name in rev(names(trees))) {
    if (!name %in% needed) next
    steps <- c(name, steps)
    needed <- union(setdiff(needed, name), expression_columns(trees[[name]]))
  }
  list(steps = steps, raw = needed)
}

# The columns of the table itself that the wanted ones need.
raw_columns <- function(derived, wanted) needed_steps(derived_trees(derived), wanted)$raw

# The rules that the inputs need, for tables that are to be predicted.
needed_rules <- function(rules, inputs) {
  needed <- needed_steps(derived_trees(rules$derived), inputs)
  of_needed <- function(part) part[intersect(names(part), needed$raw)]
  c(lapply(rules[c("codes", "formats", "types")], of_needed), list(derived = rules$derived[needed$steps]))
}

derived_value <- function(tree, table, name) {
  value <- evaluate_expression(tree, table, sprintf("The derived column %s", quoted(name)))
  if (!is_number_column(value)) return(value)
  # missing because something it was built on is missing is one thing, NaN another
  bad <- which(is.infinite(value) | is.nan(value))
  if (length(bad)) {
    what <- sprintf("The derived column %s, %s, is not finite in", quoted(name), format_expression(tree))
    hint <- "Guard it, for example with ifelse(), or set these rows aside with keep_rows()."
    fail(sprintf("%s %s.", what, rows_text(bad)), hint)
  }
  value
}

# Text that is numbers once the codes are gone becomes numbers.
without_codes <- function(x, codes) {
  if (is.numeric(x)) {
    number <- suppressWarnings(as.numeric(codes))
    x[x %in% number[!is.na(number)]] <- NA
    return(x)
  }
  if (is_moment(x) || is.logical(x)) return(x)
  text <- as.character(x)
  coded <- text %in% codes
  if (!any(coded)) return(x)
  text[coded] <- NA
  if (is.factor(x)) return(factor(text, levels(x)))
  number <- suppressWarnings(as.numeric(text))
  if (all(is.na(text)) || anyNA(number[!is.na(text)])) text else number
}

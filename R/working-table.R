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
  for (column in intersect(names(rules$codes), names(table))) {
    table[[column]] <- without_codes(table[[column]], rules$codes[[column]])
  }
  for (column in intersect(names(rules$types), names(table))) {
    table[[column]] <- as_expected(table[[column]], rules$types[[column]], rules$formats[[column]])
  }
  for (column in setdiff(intersect(names(rules$formats), names(table)), names(rules$types))) {
    table[[column]] <- as_written(table[[column]], rules$formats[[column]])
  }
  for (name in names(trees)) table[[name]] <- derived_value(trees[[name]], table, name)
  table
}

# Text where numbers or dates are expected, as these: in the column's format, or in the one that it is clearly in.
as_expected <- function(x, kind, format) {
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

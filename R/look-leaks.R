# Columns that give the target away.

# Whether a column alone tells the target in nearly every row.
gives_away <- function(x, y, kind) {
  known <- !is.na(x) & !is.na(y)
  if (sum(known) < 50 || kind %in% c("id", "text", "missing", "constant", "other")) return(FALSE)
  x <- x[known]
  y <- y[known]
  words <- is.character(x) || is.factor(x) || is.logical(x)
  if (has_many_values(y)) {
    if (!words) return(abs(stats::cor(rank(as.numeric(x)), rank(y))) > 0.995)
    group <- stats::ave(y, as_label(x))
    return(1 - sum((y - group)^2) / sum((y - mean(y))^2) > 0.995)
  }
  y <- levels_of(as_label(y))$codes
  if (max(tabulate(y)) > 0.98 * length(y)) return(FALSE)
  # numbers: along their order the class hardly ever changes; words: each goes with one class
  if (!words) {
    changes <- sum(diff(y[order(as.numeric(x))]) != 0)
    return(changes <= max(2 * (max(y) - 1), 0.002 * length(y)))
  }
  counts <- table(levels_of(as_label(x))$codes, y)
  sum(apply(counts, 1, max)) > 0.995 * length(y)
}

leak_note <- function(leaks, target) {
  new_note(
    "gives_target_away",
    sprintf("%s alone tells %s in nearly every row. Is it known before %s is?", enumerate(leaks), target, target),
    sprintf("If not, drop it: set_columns(drop = %s).", leaks[1])
  )
}

# Inputs whose values look like names of rows.
id_inputs <- function(a) {
  likely <- Filter(function(column) a$kinds[[column]] %in% c("category", "count"), input_columns(a))
  as.character(Filter(function(column) guess_kind(a$table[[column]]) == "id", likely))
}

# Inputs that alone tell the target, on at most 5,000 of the rows.
leaking_inputs <- function(a, rows) {
  rows <- drawn_rows(rows, 5000, a$hold_out$seed, "leaks")
  y <- a$table[[a$target$columns[1]]][rows]
  tells <- function(column) gives_away(a$table[[column]][rows], y, a$kinds[[column]])
  as.character(Filter(tells, input_columns(a)))
}

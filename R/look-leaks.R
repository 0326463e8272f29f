# Columns that give the target away, and rows that are others' copies.

# Whether rows that are equal to another one are records that came twice: `same` says of each row whose other columns
# equal another row's whether the target does too, `y` are the targets. Where few values make many rows alike, as many
# of them have another target as chance has it; a record that came twice has not.
are_copies <- function(same, y) {
  if (length(same) == 0) return(FALSE)
  shares <- prop.table(table(as_label(if (has_many_values(y)) rank_bands(y, 10) else y)))
  by_chance <- sum(shares^2)
  (mean(same) - by_chance) / max(1 - by_chance, 1e-9) > 0.9
}

# What gives the target away in nearly every row: each column by its values, and where it is missing, as "x (missing)".
giving_columns <- function(columns, y, kinds) {
  y <- if (has_many_values(y)) y else as_label(y)
  given <- mapply(gives_away, columns, kind = kinds[names(columns)], MoreArgs = list(y = y))
  by_value <- names(columns)[as.logical(given)]
  others <- columns[setdiff(names(columns), by_value)]
  by_missing <- names(others)[vapply(others, missing_gives_away, NA, y)]
  c(by_value, if (length(by_missing)) paste(by_missing, "(missing)"))
}

# Whether a missing value gives the target away, in all rows or on one side: a letter that exists for some of those who
# came back, and for nobody else.
missing_gives_away <- function(x, y) {
  if (has_many_values(y)) return(FALSE)
  known <- !is.na(y)
  labels <- as_label(y[known])
  gap <- is.na(x[known])
  if (sum(gap) < 10 || sum(!gap) < 10) return(FALSE)
  counts <- table(labels, gap)
  shares <- rowSums(counts) / sum(counts)
  is_pure <- function(n) {
    by_chance <- shares[[which.max(n)]]^max(n)
    max(n) >= 0.99 * sum(n) && which.max(n) != which.max(shares) && by_chance < 1e-6
  }
  any(apply(counts, 2, is_pure)) || tell_classes(as.character(gap), labels)
}

# Whether nearly all rows are of the class that is commonest at their level: of the rows that the commonest class alone
# would have wrong all but a twentieth are told.
tell_classes <- function(labels, y) {
  counts <- table(levels_of(labels)$codes, levels_of(y)$codes)
  wrong <- sum(counts) - sum(apply(counts, 1, max))
  without <- sum(counts) - max(colSums(counts))
  without >= 10 && wrong < 0.005 * sum(counts) && wrong <= 0.05 * without && nrow(counts) <= max(2, sum(counts) / 10)
}

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
  if (words) return(tell_classes(as_label(x), as_label(y)))
  y <- levels_of(as_label(y))$codes
  if (length(y) - max(tabulate(y)) < 10) return(FALSE)
  # along the order of numbers the class hardly ever changes
  changes <- sum(diff(y[order(as.numeric(x))]) != 0)
  changes <= max(2 * (max(y) - 1), 0.002 * length(y))
}

# Two columns of numbers that make a target of numbers, in few enough pairs to try them all.
most_paired <- 30

# Sums, differences, products and quotients of two columns that are the target but for a factor and what is added, as
# texts. `columns` are those of some rows.
giving_pairs <- function(columns, y) {
  if (!has_many_values(y)) return(character())
  numbers <- Filter(function(x) is.numeric(x) && any(!is.na(x)), columns)
  if (length(numbers) < 2 || length(numbers) > most_paired) return(character())
  known <- which(stats::complete.cases(as.data.frame(numbers, optional = TRUE), y) & is.finite(y))
  numbers <- Filter(function(x) length(unique(x[known])) > 2, numbers)
  if (length(numbers) < 2 || length(known) < 50) return(character())
  known <- known[unique(round(seq(1, length(known), length.out = 500)))]
  y <- y[known]
  alone <- vapply(numbers, function(x) abs(stats::cor(x[known], y)), 0)
  made <- list(
    "+" = function(a, b) a + b, "-" = function(a, b) a - b, "*" = function(a, b) a * b, "/" = function(a, b) a / b,
    "\\" = function(a, b) b / a
  )
  found <- character()
  for (i in seq_along(numbers)[-1]) for (j in seq_len(i - 1)) for (sign in names(made)) {
    a <- numbers[[j]][known]
    b <- numbers[[i]][known]
    value <- made[[sign]](a, b)
    if (!all(is.finite(value)) || stats::sd(value) == 0) next
    if (abs(stats::cor(value, y)) > 0.9999 && max(alone[c(i, j)]) < 0.9999) {
      names <- names(numbers)[if (sign == "\\") c(i, j) else c(j, i)]
      found <- c(found, paste(names[1], if (sign == "\\") "/" else sign, names[2]))
    }
  }
  found
}

# The same of the inputs of an analysis.
leaking_pairs <- function(a, rows) {
  rows <- drawn_rows(rows, 5000, a$hold_out$seed, "leaks")
  giving_pairs(as.list(a$table[rows, input_columns(a), drop = FALSE]), a$table[[a$target$columns[1]]][rows])
}

pairs_note <- function(pairs, target) {
  new_note(
    "pair_gives_target_away",
    sprintf("%s is %s times a constant. Are both columns known before it is?", enumerate(pairs, limit = 3), target),
    "If not, drop one of them. If this is the relation you look for, no network is needed."
  )
}

in_c <- function(columns) {
  texts <- vapply(columns, column_text, "")
  if (length(texts) == 1) texts else sprintf("c(%s)", paste(texts, collapse = ", "))
}

leak_note <- function(leaks, target) {
  columns <- sub(" [(]missing[)]$", "", leaks)
  by_missing <- columns != leaks
  told <- ifelse(by_missing, sprintf("whether %s is missing", columns), columns)
  new_note(
    "gives_target_away",
    if (length(leaks) == 1 && by_missing) {
      what <- "Whether %s is missing gives %s away, in all rows or some. Is it known before %s is?"
      sprintf(what, columns, target, target)
    } else if (length(leaks) == 1) {
      sprintf("%s alone gives %s away in nearly every row. Is it known before %s is?", told, target, target)
    } else {
      what <- "Each of these alone gives %s away in nearly every row: %s. Are they known before %s is?"
      sprintf(what, target, enumerate(told), target)
    },
    sprintf("If not, drop %s: set_columns(drop = %s).", if (length(leaks) == 1) "it" else "them", in_c(columns))
  )
}

# Inputs whose values look like names of rows.
id_inputs <- function(a) {
  likely <- input_columns(a)[a$kinds %in% c("category", "count")]
  as.character(Filter(function(column) guess_kind(a$table[[column]]) == "id", likely))
}

# Inputs that alone tell the target, on at most 5,000 of the rows.
leaking_inputs <- function(a, rows) {
  rows <- drawn_rows(rows, 5000, a$hold_out$seed, "leaks")
  y <- a$table[[a$target$columns[1]]][rows]
  columns <- lapply(columns_of(a$table, input_columns(a)), `[`, rows)
  as.character(giving_columns(columns, y, a$kinds))
}

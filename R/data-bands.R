# Columns as a few groups of rows.

most_subgroups <- 12

# The subgroup of each row, a factor.
subgroups <- function(x, column) {
  if (is_moment(x) || (is.numeric(x) && length(unique(x)) > most_subgroups)) return(bands_of(x, 4))
  label <- as_label(x)
  label[is.na(label)] <- "(missing)"
  counts <- sort(table(label), decreasing = TRUE)
  if (length(counts) < 2) {
    value <- describe(label[1])
    fail(sprintf("Column %s has the value %s in all evaluated rows, so there are no subgroups.", quoted(column), value))
  }
  if (length(counts) > most_subgroups) {
    kept <- names(counts)[seq_len(most_subgroups - 1)]
    label[!label %in% kept] <- "(others)"
    return(factor(label, c(kept, "(others)")))
  }
  in_order <- if (has_own_order(x)) {
    intersect(c(levels(x), "(missing)"), names(counts))
  } else {
    natural_order(names(counts))
  }
  factor(label, in_order)
}

# Bands of about equal counts, named by their ends.
bands_of <- function(x, bands) {
  number <- as.numeric(x)
  shares <- seq(0, 1, length.out = bands + 1)
  ends <- unique(stats::quantile(number, shares, na.rm = TRUE, names = FALSE, type = 1))
  name <- function(value) if (is_moment(x)) moments_apart(as_moment_like(value, x)) else format_apart(value)
  if (length(ends) < 2) return(factor(ifelse(is.na(number), "(missing)", name(ends))))
  labels <- band_labels(name(ends))
  place <- findInterval(number, ends, rightmost.closed = TRUE, left.open = TRUE, all.inside = TRUE)
  band <- factor(labels[place], labels)
  if (anyNA(number)) {
    levels(band) <- c(levels(band), "(missing)")
    band[is.na(band)] <- "(missing)"
  }
  band
}

# Days, or times where days don't tell them apart.
moments_apart <- function(x) {
  day <- format(x, "%Y-%m-%d")
  if (anyDuplicated(day)) format(x, "%Y-%m-%d %H:%M:%S") else day
}

# "1 to 2", "above 2 to 3", ...
band_labels <- function(ends) {
  last <- length(ends)
  if (last == 2) return(paste(ends[1], "to", ends[2]))
  inner <- paste("above", ends[-c(1, last)])
  paste(c(ends[1], inner), "to", ends[-1])
}

# Numbers as dates or times of the kind of `x`.
as_moment_like <- function(value, x) structure(value, class = class(x), tzone = attr(x, "tzone"))

# Thirds of a number, named by their limits.
band_of <- function(y) {
  ends <- unique(stats::quantile(y, 0:3 / 3, na.rm = TRUE, names = FALSE))
  if (length(ends) < 2) return(factor(ifelse(is.na(y), NA, format_apart(ends))))
  labels <- sprintf("%s to %s", format_apart(ends[-length(ends)]), format_apart(ends[-1]))
  cut(y, ends, labels = labels, include.lowest = TRUE)
}

# So many bands of equal counts of rows by their ranks, as numbers from 1.
rank_bands <- function(y, bands) as.integer(ceiling(bands * rank(y, ties.method = "first") / length(y)))

# ---- a column of a table ---------------------------------------------------------------------------------------------

# A column that is named in a call.

# One column of a table, named bare, as text or not at all.
chosen_column <- function(quosure, data, argument) {
  if (rlang::quo_is_null(quosure) || rlang::quo_is_missing(quosure)) return(NULL)
  column <- named_column(quosure, names(data))
  if (is.null(column)) return(NULL)
  if (is.null(data)) {
    fail(
      sprintf("`%s` names a column, but there is no table.", argument),
      "Give the table as `data`; with `rows = \"test\"` the one that the model was trained on."
    )
  }
  if (!is_text(column, 1)) fail(sprintf("`%s` must name one column.", argument), suggestion("", names(data)))
  check_is_column(data, column, sprintf("column of `%s`", argument))
  column
}

# A bare name that is a column stands for itself; anything else is evaluated, or taken as it is written.
named_column <- function(quosure, known) {
  expression <- rlang::quo_get_expr(quosure)
  if (rlang::is_symbol(expression) && (is.null(known) || rlang::as_string(expression) %in% known)) {
    return(rlang::as_string(expression))
  }
  tryCatch(rlang::eval_tidy(quosure), error = function(e) rlang::as_label(expression))
}

# Which rows are for training, validation, calibration and test.

part_names <- c("training", "validation", "calibration", "test")

# A character vector along the table's rows: a part's name, or NA for rows that are set aside (see set_aside()).
split_rows <- function(b, table) {
  y <- table[[b$target[1]]]
  usable <- is.na(set_aside(b, table))
  part <- if (!is.null(b$hold_out$parts)) {
    ifelse(usable, given_parts(table[[b$hold_out$parts]], b$hold_out$parts), NA)
  } else {
    drawn_parts(b, table, usable)
  }
  check_parts(b, part, y)
  part
}

# Why a row belongs to no part: "filtered", "no target", "gap", or NA for rows that do belong to one.
set_aside <- function(b, table) {
  why <- rep(NA_character_, nrow(table))
  dropping <- Filter(function(column) settings_for(b, column)$gaps == "drop", brief_inputs(b))
  for (column in dropping) why[is.na(table[[column]])] <- "gap"
  for (target in b$target) why[is.na(table[[target]])] <- "no target"
  if (!is.null(b$keep_rows)) why[!rows_where(b$keep_rows, table, "keep_rows")] <- "filtered"
  why
}

given_parts <- function(x, column) {
  label <- as_label(x)
  strange <- setdiff(label[!is.na(label)], part_names)
  if (length(strange)) {
    fail(sprintf("The column %s, which gives the parts, holds %s.", quoted(column), describe(strange[1])), sprintf("Its values are %s, or missing.", enumerate(part_names, "or")))
  }
  label
}

# Conditions first; the other rows are dealt out by the shares of the parts that have no condition.
drawn_parts <- function(b, table, usable) {
  part <- rep(NA_character_, nrow(table))
  how <- b$hold_out
  shares <- c(test = how$test, calibration = how$calibration, validation = how$validation)
  for (name in names(shares)) {
    condition <- how[[paste0(name, "_where")]]
    if (is.null(condition)) next
    chosen <- usable & is.na(part) & rows_where(condition, table, sprintf("`hold_out.%s_where`", name))
    part[chosen] <- name
    shares[[name]] <- 0
  }
  if (length(grep("_where$", names(how)))) keep_groups_whole(b, table, part, usable)
  rest <- which(usable & is.na(part))
  part[rest] <- if (sum(shares) == 0) {
    "training"
  } else if (how$by == "ordered") {
    split_ordered(table[[b$columns$order]][rest], rest, b$columns$order, shares)
  } else if (how$by == "key") {
    split_by_key(as_label(table[[b$columns$group %||% b$columns$id]][rest]), shares, how$seed)
  } else if (!is.null(b$columns$group)) {
    strata <- if (how$by == "stratified") strata_of(b, table[[b$target[1]]][rest]) else rep(1L, length(rest))
    split_groups(as_label(table[[b$columns$group]][rest]), strata, shares, how$seed)
  } else {
    strata <- if (how$by == "stratified") strata_of(b, table[[b$target[1]]][rest]) else rep(1L, length(rest))
    split_strata(strata, shares, how$seed)
  }
  part
}

keep_groups_whole <- function(b, table, part, usable) {
  if (is.null(b$columns$group)) return()
  group <- as_label(table[[b$columns$group]])
  of <- tapply(ifelse(is.na(part), "rest", part)[usable], group[usable], function(p) length(unique(p)))
  torn <- names(of)[of > 1]
  if (length(torn)) {
    fail(sprintf("The conditions of `hold_out` part the rows of the group %s.", describe(torn[1])), "Rows that belong together must be in one part: condition on something that the group shares, or leave the group out.")
  }
}

# Classes, or tenths of the ranks of a number; fewer, wider bands where a tenth would be too few rows to deal from.
strata_of <- function(b, y) {
  if (b$task == "classification") {
    seen <- levels_of(y)
    return(match(seen$levels, b$classes)[seen$codes])
  }
  shares <- c(b$hold_out$validation, b$hold_out$test, b$hold_out$calibration)
  bands <- min(10, max(1, floor(length(y) * min(shares[shares > 0], 1))))
  as.integer(ceiling(bands * rank(y, ties.method = "first") / length(y)))
}

# Within each stratum the rows are shuffled and dealt out, so that every part holds its share of it to within one row.
split_strata <- function(strata, shares, seed) {
  part <- rep("training", length(strata))
  for (s in sort(unique(strata))) {
    rows <- which(strata == s)
    rows <- rows[core_shuffle(length(rows), seed, s)]
    n <- allot(length(rows), shares)
    part[rows[seq_len(sum(n))]] <- rep(names(n), n)
  }
  part
}

# How many of n rows the held-out parts get; a part that is asked for gets one where there are enough rows.
allot <- function(n, shares) {
  counts <- round(n * shares)
  if (n > sum(shares > 0)) counts[shares > 0] <- pmax(counts[shares > 0], 1)
  counts
}

# Whole groups, the large ones first: each goes to the part that is furthest below what it should hold of the group's
# strata. Groups of one size go in random order. A row without a group is a group of its own.
split_groups <- function(group, strata, shares, seed) {
  group[is.na(group)] <- paste0("\r", which(is.na(group)))
  keys <- unique(group)
  held <- table(factor(group, keys), strata)
  order <- core_shuffle(length(keys), seed, 0)
  order <- order[order(-rowSums(held)[order], method = "radix")]
  parts <- c(shares[shares > 0], training = 1 - sum(shares))
  wanted <- outer(parts, colSums(held))
  got <- wanted * 0
  part_of <- character(length(keys))
  for (i in order) {
    rows <- held[i, ]
    # the gain of putting it there: how much nearer the sum of squared relative distances comes to zero
    before <- rowSums(((wanted - got)^2 / wanted^2))
    after <- rowSums(((wanted - got - rep(rows, each = length(parts)))^2 / wanted^2))
    to <- which.max(before - after)
    got[to, ] <- got[to, ] + rows
    part_of[i] <- names(parts)[to]
  }
  part_of[match(group, keys)]
}

# The hash of seed and key as a place between 0 and 1: no other row has a say in it.
split_by_key <- function(key, shares, seed) {
  if (anyNA(key)) fail("`hold_out.by` is \"key\", but some rows have no key.", "Fill the id or group column.")
  place <- core_hash(paste0(format_number(seed), ":", key)) / 2^32
  ends <- cumsum(shares)
  c(names(shares), "training")[findInterval(place, ends) + 1]
}

# The last rows in time are for the test, those before them for calibration and validation; equal times are never parted.
split_ordered <- function(when, rows, column, shares) {
  if (anyNA(when)) fail(sprintf("The order column %s is missing in %s.", quoted(column), rows_text(rows[is.na(when)])))
  from_end <- rank(-xtfrm(when), ties.method = "min") / length(when)
  ends <- cumsum(shares)
  c(names(shares), "training")[findInterval(from_end, ends, left.open = TRUE) + 1]
}

check_parts <- function(b, part, y) {
  how <- b$hold_out
  wanted <- "training"
  for (name in part_names[-1]) {
    asked <- if (is.null(how$parts)) how[[name]] > 0 || !is.null(how[[paste0(name, "_where")]]) else name %in% part
    if (asked) wanted <- c(wanted, name)
  }
  n <- tabulate(match(part, wanted), length(wanted))
  if (any(n == 0)) {
    fail(
      sprintf("The %s part would have no rows: there are %s with a target.", wanted[which(n == 0)[1]], counted(sum(!is.na(y)), "row")),
      "Change the shares or conditions of `hold_out`, or get more rows."
    )
  }
  if (b$task == "classification") check_part_classes(b, part, y, wanted)
}

check_part_classes <- function(b, part, y, wanted) {
  seen <- levels_of(y)
  class <- match(seen$levels, b$classes)[seen$codes]
  counts <- tabulate(class[!is.na(part)], length(b$classes))
  few <- which(counts < length(wanted))
  if (length(few)) {
    fail(
      sprintf("The class %s has %s for %s (%s).", describe(b$classes[few[1]]), counted(counts[few[1]], "row"), counted(length(wanted), "part"), enumerate(wanted)),
      "Put rare classes together, leave its rows out, or hold out fewer parts."
    )
  }
  without <- b$classes[tabulate(class[part %in% "training"], length(b$classes)) == 0]
  if (length(without)) {
    fail(
      sprintf("No training row is of the class %s.", describe(without[1])),
      "Hold out fewer rows, or try another `hold_out.by` or seed."
    )
  }
}

#' The parts of a table
#'
#' @param x A brief with its table, or a model.
#' @param ... Not used.
#' @return A data frame with a row for each part that has rows: `part`, `rows`, `share` of the rows in parts, and for
#'   classification a column for each class with its share of the part. Rows that belong to no part are counted as
#'   `set aside: filtered`, `set aside: no target` and `set aside: gap`.
#' @examples
#' parts_of(brief(kilns, target = "outcome"))
#' @export
parts_of <- function(x, ...) UseMethod("parts_of")

#' @export
parts_of.hylomath_brief <- function(x, ...) {
  if (is.null(x$table)) fail("This brief has no table to be parted.")
  table <- brief_table(x)
  check_brief(x, table)
  count_parts(x, table, split_rows(x, table))
}

#' @export
parts_of.hylomath_model <- function(x, ...) x$parts

count_parts <- function(b, table, part) {
  why <- set_aside(b, table)
  part[!is.na(why)] <- paste("set aside:", why[!is.na(why)])
  rows <- table(factor(part, c(part_names, "set aside: filtered", "set aside: no target", "set aside: gap")))
  counted <- data.frame(part = names(rows), rows = as.integer(rows), share = as.numeric(rows) / sum(rows[part_names]))
  counted$share[!counted$part %in% part_names] <- NA
  if (b$task == "classification") {
    shares <- prop.table(table(factor(part, names(rows)), factor(as_label(table[[b$target]]), b$classes)), 1)
    for (class in b$classes) counted[[class]] <- ifelse(is.na(counted$share), NA, as.numeric(shares[, class]))
  }
  counted <- counted[counted$rows > 0, ]
  rownames(counted) <- NULL
  counted
}

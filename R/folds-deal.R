# Which rows are judged in which fold.

# One row for each of `rows` (places in the table), one column a repeat: the number of the fold that judges the row, NA where
# none does (the first stretch of ordered rows). Stratified by class or tenths of a number, by whole groups where rows belong to
# one, in order of time, or a group at a time.
deal_folds <- function(b, table, rows, k, repeats, by, seed) {
  if (by == "ordered") return(matrix(rolling_origin(table[[b$columns$order]][rows], rows, b$columns$order, k), ncol = 1))
  group <- if (!is.null(b$columns$group)) as_label(table[[b$columns$group]][rows])
  if (by == "group") return(matrix(match(group, unique(group)), ncol = 1))
  strata <- if (by == "random") rep(1L, length(rows)) else fold_strata(b, table[[b$target[1]]][rows], k)
  vapply(seq_len(repeats), function(r) {
    if (is.null(group)) deal_rows(strata, k, seed + r - 1) else deal_groups(group, strata, k, seed + r - 1)
  }, integer(length(rows)))
}

fold_strata <- function(b, y, k) {
  if (b$task == "classification") return(match(as_label(y), b$classes))
  bands <- max(1, min(10, length(y) %/% k))
  as.integer(ceiling(bands * rank(y, ties.method = "first") / length(y)))
}

# Each stratum is shuffled and dealt out in turn, going on with the fold after the one where the last stratum ended: no two folds
# differ by more than one row in a class, nor in all.
deal_rows <- function(strata, k, seed) {
  fold <- integer(length(strata))
  next_fold <- 0L
  for (s in sort(unique(strata))) {
    rows <- which(strata == s)
    rows <- rows[core_shuffle(length(rows), seed, s)]
    fold[rows] <- as.integer((next_fold + seq_along(rows) - 1L) %% k + 1L)
    next_fold <- (next_fold + length(rows)) %% k
  }
  fold
}

# Whole groups, dealt like parts of equal shares.
deal_groups <- function(group, strata, k, seed) {
  shares <- stats::setNames(rep(1 / k, k - 1), seq_len(k - 1))
  part <- split_groups(group, strata, shares, seed)
  part[part == "training"] <- k
  as.integer(part)
}

# Rows in order of time in k + 1 stretches of equal length: each but the first is judged by what was learned from all before it
# (rolling origin: Tashman 2000). Equal times stay together.
rolling_origin <- function(when, rows, column, k) {
  if (anyNA(when)) fail(sprintf("The order column %s is missing in %s.", quoted(column), rows_text(rows[is.na(when)])))
  place <- rank(xtfrm(when), ties.method = "min") - 1
  stretch <- as.integer(floor(place / length(when) * (k + 1)))
  ifelse(stretch == 0L, NA_integer_, stretch)
}

# The parts of the table for one fold: rows that it judges, and training and validation rows among the others, of which the
# validation share is taken in the same way as the brief takes it.
fold_parts <- function(b, table, rows, fold, f, by, share, seed) {
  part <- rep(NA_character_, nrow(table))
  judged <- fold %in% f
  others <- if (by == "ordered") is.na(fold) | fold < f else !judged
  part[rows[judged]] <- "judged"
  learned <- rows[others]
  part[learned] <- if (share == 0) "training" else {
    shares <- c(validation = share)
    if (by == "ordered") split_ordered(table[[b$columns$order]][learned], learned, b$columns$order, shares)
    else {
      strata <- if (by == "random") rep(1L, length(learned)) else fold_strata(b, table[[b$target[1]]][learned], 2)
      if (is.null(b$columns$group)) split_strata(strata, shares, seed) else split_groups(as_label(table[[b$columns$group]][learned]), strata, shares, seed)
    }
  }
  part
}

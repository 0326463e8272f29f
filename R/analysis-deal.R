# How rows are dealt out to parts and folds.

# The parts of these rows: a share of them for each part by name, the others for training.
dealt_out <- function(a, rows, shares, by, seed, bands) {
  if (sum(shares) == 0) return("training")
  roles <- a$roles
  if (by == "ordered") return(split_ordered(times_of(a, rows), shares))
  if (by == "key") return(split_by_key(as_label(a$table[[roles$group %||% roles$id]][rows]), shares, seed))
  strata <- if (by == "random") rep(1L, length(rows)) else strata_of(a, rows, bands)
  if (is.null(a$group)) return(split_strata(strata, shares, seed))
  split_test_groups(a$group[rows], strata, shares[shares > 0], seed)
}

# Within each stratum the rows are shuffled and dealt out, so that every part holds its share of it to within one row.
split_strata <- function(strata, shares, seed) {
  part <- rep("training", length(strata))
  for (s in sort(unique(strata))) {
    rows <- which(strata == s)
    rows <- rows[shuffled(length(rows), seed, "strata", s)]
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

# Groups for the test first, then the other parts of what is left: the test rows don't hang on the other shares.
split_test_groups <- function(group, strata, shares, seed) {
  if (length(shares) < 2 || !"test" %in% names(shares)) return(split_groups(group, strata, shares, seed))
  part <- split_groups(group, strata, shares["test"], seed)
  left <- part != "test"
  others <- shares[names(shares) != "test"] / (1 - shares[["test"]])
  part[left] <- split_groups(group[left], strata[left], others, seed)
  part
}

# Whole groups, the large ones first: each goes to the part that is furthest below what it should hold of the group's
# strata. Groups of one size go in random order. A row without a group is a group of its own.
split_groups <- function(group, strata, shares, seed) {
  group <- units_of_groups(group)
  keys <- unique(group)
  held <- table(factor(group, keys), strata)
  order <- shuffled(length(keys), seed, "groups")
  order <- order[order(-rowSums(held)[order], method = "radix")]
  parts <- c(shares[shares > 0], training = 1 - sum(shares))
  wanted <- outer(parts, colSums(held))
  got <- wanted * 0
  to <- integer(length(keys))
  per_square <- 1 / wanted^2
  held_by_key <- t(matrix(held, nrow(held)))
  for (i in order) {
    rows <- held_by_key[, i]
    # the gain of putting it there: how much nearer the sum of squared relative distances comes to zero
    to[i] <- which.max((2 * (wanted - got) * per_square) %*% rows - per_square %*% rows^2)
    got[to[i], ] <- got[to[i], ] + rows
  }
  names(parts)[to][match(group, keys)]
}

# A row without a group is one of its own.
units_of_groups <- function(group) ifelse(is.na(group), paste0("\r", seq_along(group)), group)

# The hash of seed and key as a place between 0 and 1: no other row has a say in it.
split_by_key <- function(key, shares, seed) {
  if (anyNA(key)) fail("`hold_out.by` is \"key\", but some rows have no key.", "Fill the id or group column.")
  place <- core_hash(paste0(format_number(seed), ":", key)) / 2^32
  ends <- cumsum(shares)
  c(names(shares), "training")[findInterval(place, ends) + 1]
}

# When rows come, as numbers; all rows of a group when its last one comes, so that no group is torn and nothing is
# learned from rows that come after the evaluated ones.
times_of <- function(a, rows) {
  when <- a$table[[a$roles$order]][rows]
  check_order(when, rows, a$roles$order)
  when <- xtfrm(when)
  if (is.null(a$group)) return(when)
  group <- units_of_groups(a$group[rows])
  stats::ave(when, group, FUN = max)
}

# The last rows in time are for the test, those before them for calibration and validation; equal times are never
# parted.
split_ordered <- function(when, shares) {
  from_end <- rank(-when, ties.method = "min") / length(when)
  ends <- cumsum(shares)
  c(names(shares), "training")[findInterval(from_end, ends, left.open = TRUE) + 1]
}

check_order <- function(when, rows, column) {
  if (!anyNA(when)) return()
  fail(sprintf("The order column %s is missing in %s.", quoted(column), rows_text(rows[is.na(when)])))
}

# ---- folds --------------------------------------------------------------------------------------------------------

# One row for each of `rows` (places in the table), one column a repeat: the number of the fold that the row is in,
# NA where none does (the first stretch of ordered rows). Stratified by class or tenths of a number, by whole groups
# where rows belong to one, in order of time, or a group at a time.
deal_folds <- function(a, rows, k, repeats, by, seed) {
  if (by == "ordered") {
    return(matrix(rolling_origin(times_of(a, rows), k), ncol = 1))
  }
  group <- a$group[rows]
  if (by == "group") return(matrix(match(group, unique(group)), ncol = 1))
  strata <- fold_strata(a, rows, by, k)
  vapply(seq_len(repeats), function(r) {
    if (is.null(group)) deal_rows(strata, k, seed + r - 1) else deal_groups(group, strata, k, seed + r - 1)
  }, integer(length(rows)))
}

fold_strata <- function(a, rows, by, k) {
  if (by == "random") return(rep(1L, length(rows)))
  strata_of(a, rows, bands = max(1, min(10, length(rows) %/% k)))
}

# Each stratum is shuffled and dealt out in turn, going on with the fold after the one where the last stratum ended: no
# two folds differ by more than one row in a class, nor in all.
deal_rows <- function(strata, k, seed) {
  fold <- integer(length(strata))
  next_fold <- 0L
  for (s in sort(unique(strata))) {
    rows <- which(strata == s)
    rows <- rows[shuffled(length(rows), seed, "strata", s)]
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

# Rows in order of time in k + 1 stretches of equal length: each but the first is predicted from what was learned of all
# before it (rolling origin: Tashman 2000). Equal times stay together.
rolling_origin <- function(when, k) {
  stretch <- stretches(when, k + 1)
  ifelse(stretch == 0L, NA_integer_, stretch)
}

# The number of each row's stretch of `n`, from 0.
stretches <- function(when, n) as.integer(floor((rank(when, ties.method = "min") - 1) / length(when) * n))

# The parts of the table for fold `f` of those in `fold`: its evaluated rows, and training and validation rows among
# the others, of which the validation share is taken in the same way as the brief takes it.
fold_parts <- function(a, rows, fold, f, by, share, seed) {
  part <- rep(NA_character_, nrow(a$table))
  evaluated <- fold %in% f
  others <- if (by == "ordered") is.na(fold) | fold < f else !evaluated
  part[rows[evaluated]] <- "evaluated"
  learned <- rows[others]
  bands <- max(1, min(10, length(learned) %/% 2))
  part[learned] <- dealt_out(a, learned, c(validation = share), by, seed, bands)
  part
}

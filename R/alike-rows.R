# Rows that are alike in what tells some columns: the leaves of a tree that predicts these columns by the others (the
# cut points of Strobl et al. 2008, of one tree for each column; Breiman, Friedman, Olshen and Stone 1984). Within them
# a column can be shuffled without making rows that never occur.

# So few rows make no leaf, and so many cuts lead to one at most.
fewest_alike <- 20
most_cuts <- 10

# For each row the number of the rows that it is alike. `told` and `by` are lists of columns of a table.
alike_rows <- function(told, by) {
  outcome <- do.call(cbind, unname(lapply(told, told_numbers)))
  by <- lapply(by, telling_codes)
  leaf <- rep(1L, nrow(outcome))
  open <- list(list(rows = seq_len(nrow(outcome)), cuts = 0))
  leaves <- 1L
  while (length(open)) {
    node <- open[[1]]
    open <- open[-1]
    left <- if (node$cuts < most_cuts) best_cut(outcome[node$rows, , drop = FALSE], lapply(by, `[`, node$rows))
    if (is.null(left)) next
    leaves <- leaves + 1L
    leaf[node$rows[left]] <- leaves
    open <- c(open, lapply(list(node$rows[left], node$rows[!left]), function(rows) {
      list(rows = rows, cuts = node$cuts + 1)
    }))
  }
  leaf
}

# A column as numbers of like size: the ranks of its values, or for each level whether it is there.
told_numbers <- function(x) {
  numbers <- if (is.numeric(x) || is.logical(x) || is_moment(x)) {
    x <- as.numeric(x)
    cbind(ifelse(is.na(x), 0, rank(x, na.last = "keep")), if (anyNA(x)) is.na(x))
  } else {
    label <- as_label(x)
    label[is.na(label)] <- ""
    commonest <- utils::head(names(sort(table(label), decreasing = TRUE)), 20)
    outer(label, commonest, `==`) * 1
  }
  spread <- sqrt(colMeans(sweep(numbers, 2, colMeans(numbers))^2))
  sweep(numbers[, spread > 0, drop = FALSE], 2, spread[spread > 0], `/`)
}

# Numbers by which rows can be cut, below all others where missing; the levels of categories as a factor.
telling_codes <- function(x) {
  if (is.numeric(x) || is.logical(x) || is_moment(x)) {
    x <- as.numeric(x)
    x[is.na(x)] <- -Inf
    return(x)
  }
  addNA(factor(as_label(x)))
}

# Which of the rows stand on the left of the cut that tells most of the outcome, NULL where none tells more than chance
# would among so many.
best_cut <- function(outcome, by) {
  n <- nrow(outcome)
  if (n < 2 * fewest_alike || ncol(outcome) == 0) return(NULL)
  outcome <- sweep(outcome, 2, colMeans(outcome))
  all <- sum(outcome^2)
  best <- 2 * log(n * length(by)) / n * all
  left <- NULL
  for (x in by) {
    if (is.factor(x)) x <- ordered_levels(x, outcome)
    order <- order(x)
    sorted <- x[order]
    at <- which(sorted[-1] != sorted[-n])
    at <- at[at >= fewest_alike & at <= n - fewest_alike]
    if (length(at) == 0) next
    sums <- rowSums(apply(outcome[order, , drop = FALSE], 2, cumsum)[at, , drop = FALSE]^2)
    gain <- sums / at + sums / (n - at)
    if (max(gain) > best) {
      best <- max(gain)
      left <- x <= sorted[at[which.max(gain)]]
    }
  }
  left
}

# Levels by the mean of what they tell apart most, which holds the best cut of them where one number is told.
ordered_levels <- function(x, outcome) {
  counts <- tabulate(x, nlevels(x))
  means <- rowsum(outcome, as.integer(x), reorder = TRUE) / counts[counts > 0]
  most <- which.max(colSums(means^2 * counts[counts > 0]))
  place <- integer(nlevels(x))
  place[counts > 0] <- rank(means[, most], ties.method = "first")
  as.numeric(place[as.integer(x)])
}

# An order of the rows in which each receives the values of one that it is alike, given one of all rows.
order_within <- function(order, alike) {
  order[order(alike)] <- order[order(alike[order])]
  order
}

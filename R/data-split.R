# Which rows are for training, validation and test. Rows without a target belong to none of them.

# A character vector along the table's rows: "training", "validation", "test", or NA.
split_rows <- function(b) {
  y <- b$table[[b$target]]
  usable <- which(!is.na(y))
  shares <- c(validation = b$hold_out$validation, test = b$hold_out$test)
  part <- rep(NA_character_, length(y))
  part[usable] <- if (b$hold_out$by == "ordered") {
    split_ordered(b, usable, shares)
  } else if (!is.null(b$columns$group)) {
    split_groups(b$table[[b$columns$group]][usable], shares, b$hold_out$seed)
  } else {
    strata <- if (b$hold_out$by == "stratified") strata_of(b, y[usable]) else rep(1L, length(usable))
    split_strata(strata, shares, b$hold_out$seed)
  }
  check_parts(b, part, y, shares)
  part
}

# Classes, or tenths of the ranks of a number; fewer, wider bands where a tenth would be too few rows to deal from.
strata_of <- function(b, y) {
  if (b$task == "classification") return(match(as_label(y), b$classes))
  shares <- c(b$hold_out$validation, b$hold_out$test)
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
    part[rows[seq_len(n[["test"]])]] <- "test"
    part[rows[n[["test"]] + seq_len(n[["validation"]])]] <- "validation"
  }
  part
}

# How many of n rows the held-out parts get; a part that is asked for gets one where there are enough rows.
allot <- function(n, shares) {
  counts <- round(n * shares)
  if (n > sum(shares > 0)) counts[shares > 0] <- pmax(counts[shares > 0], 1)
  counts
}

# Whole groups in random order: the test part is filled first, then validation. A group stands where it brings the
# part nearer to its share.
split_groups <- function(group, shares, seed) {
  group <- as_label(group)
  group[is.na(group)] <- paste0("\r", which(is.na(group)))  # a row without a group is a group of its own
  size <- table(factor(group, unique(group)))
  keys <- names(size)[core_shuffle(length(size), seed, 0)]
  room <- length(group) * shares
  part_of <- rep("training", length(keys))
  for (i in seq_along(keys)) {
    n <- size[[keys[i]]]
    for (to in c("test", "validation")) {
      if (room[[to]] >= n / 2) {
        part_of[i] <- to
        room[[to]] <- room[[to]] - n
        break
      }
    }
  }
  part_of[match(group, keys)]
}

# The last rows in time are for the test, those before them for validation; equal times are never parted.
split_ordered <- function(b, usable, shares) {
  when <- b$table[[b$columns$order]][usable]
  if (anyNA(when)) fail(sprintf("The order column %s is missing in %s.", quoted(b$columns$order), rows_text(usable[is.na(when)])))
  from_end <- rank(-xtfrm(when), ties.method = "min") / length(when)
  ifelse(from_end <= shares[["test"]], "test", ifelse(from_end <= sum(shares), "validation", "training"))
}

check_parts <- function(b, part, y, shares) {
  wanted <- c("training", names(shares)[shares > 0])
  n <- table(factor(part, wanted))
  if (any(n == 0)) {
    fail(
      sprintf("The %s part would have no rows: there are %s with a target.", wanted[which(n == 0)[1]], counted(sum(!is.na(y)), "row")),
      "Change the shares of `hold_out`, or get more rows."
    )
  }
  if (b$task != "classification") return()
  counts <- table(factor(as_label(y), b$classes))
  few <- which(counts < length(wanted))
  if (length(few)) {
    fail(
      sprintf("The class %s has %s for %s (%s).", describe(names(counts)[few[1]]), counted(counts[[few[1]]], "row"), counted(length(wanted), "part"), enumerate(wanted)),
      "Put rare classes together, leave its rows out, or hold out fewer parts."
    )
  }
  without <- setdiff(b$classes, as_label(y[part %in% "training"]))
  if (length(without)) {
    fail(
      sprintf("No training row is of the class %s.", describe(without[1])),
      "Hold out fewer rows, or try another `hold_out.by` or seed."
    )
  }
}

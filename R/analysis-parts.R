# Which rows are for training, validation, calibration and test.

# A character vector along the table's rows: a part's name, or NA for rows that are set aside.
split_rows <- function(a) {
  usable <- is.na(a$aside)
  how <- a$hold_out
  given <- how$parts
  part <- if (is.null(given)) drawn_parts(a, how, usable) else ifelse(usable, given_parts(a$table[[given]], given), NA)
  if (!is.null(given)) keep_groups_whole(a$group, part, usable & !is.na(part), sprintf("The column %s", quoted(given)))
  part <- without_gap(a, part)
  check_parts(a, how, part)
  part
}

# Why a row belongs to no part: "weight 0", "filtered", "no target", "missing value", or NA for rows that do belong to
# one.
set_aside <- function(a) {
  why <- rep(NA_character_, nrow(a$table))
  dropping <- input_columns(a)[vapply(a$prepare[input_columns(a)], function(how) how$missing == "drop", NA)]
  for (column in dropping) why[is.na(a$table[[column]])] <- "missing value"
  for (column in a$target$columns) why[is.na(a$table[[column]])] <- "no target"
  condition <- a$brief[["keep_rows"]]
  if (!is.null(condition)) why[!rows_where(condition, a$table, "keep_rows")] <- "filtered"
  if (!is.null(a$weight)) why[a$weight == 0] <- "weight 0"
  why
}

given_parts <- function(x, column) {
  label <- as_label(x)
  unknown <- setdiff(label[!is.na(label)], part_names)
  if (length(unknown)) {
    what <- sprintf("The column %s, which gives the parts, holds %s.", quoted(column), describe(unknown[1]))
    fail(what, sprintf("Its values are %s, or missing.", enumerate(part_names, "or")))
  }
  label
}

# Conditions first; the other rows are dealt out by the shares of the parts that have no condition.
drawn_parts <- function(a, how, usable) {
  part <- rep(NA_character_, nrow(a$table))
  shares <- c(test = how$test, calibration = how$calibration, validation = how$validation)
  conditions <- drop_nulls(lapply(stats::setNames(nm = names(shares)), function(name) how[[paste0(name, "_where")]]))
  for (name in names(conditions)) {
    holds <- rows_where(conditions[[name]], a$table, sprintf("`hold_out.%s_where`", name))
    part[usable & is.na(part) & holds] <- name
    shares[[name]] <- 0
  }
  if (length(conditions)) keep_groups_whole(a$group, part, usable, "The conditions of `hold_out`")
  rest <- which(usable & is.na(part))
  part[rest] <- dealt_out(a, rest, shares, how$by, how$seed, bands_for(how, length(rest)))
  part
}

keep_groups_whole <- function(group, part, usable, what) {
  if (is.null(group)) return()
  parts <- ifelse(is.na(part), "rest", part)
  of <- tapply(parts[usable], group[usable], function(p) length(unique(p)))
  torn <- names(of)[of > 1]
  if (length(torn) == 0) return()
  verb <- if (startsWith(what, "The column")) "parts" else "part"
  more <- if (length(torn) > 1) sprintf(" and those of %s more", counted(length(torn) - 1, "group")) else ""
  fail(
    sprintf("%s %s the rows of the group %s%s.", what, verb, describe(torn[1]), more),
    paste(
      "Rows that belong together must be in one part:",
      "part them by something that the group shares, or leave the group out."
    )
  )
}

# Tenths of the ranks; fewer, wider bands where a tenth would be too few rows to deal from. Test rows are drawn in the
# same way whatever other parts there are.
bands_for <- function(how, rows) {
  shares <- if (how$test > 0) how$test else c(how$validation, how$calibration)
  min(10, max(1, floor(rows * min(shares[shares > 0], 1))))
}

check_parts <- function(a, how, part) {
  y <- a$table[[a$target$columns[1]]]
  asked <- function(name) {
    if (!is.null(how$parts)) return(name %in% part)
    how[[name]] > 0 || !is.null(how[[paste0(name, "_where")]])
  }
  wanted <- c("training", Filter(asked, part_names[-1]))
  n <- tabulate(match(part, wanted), length(wanted))
  if (any(n == 0)) {
    rows <- counted(sum(!is.na(y)), "row")
    fail(
      sprintf("The %s part would have no rows: there are %s with a target.", wanted[which(n == 0)[1]], rows),
      "Change the shares or conditions of `hold_out`, or get more rows."
    )
  }
  if (has_classes(a$target)) check_part_classes(class_places(y, a$target$classes), a$target$classes, part, wanted)
}

# `class` is each row's place among the classes.
check_part_classes <- function(class, classes, part, wanted) {
  counts <- tabulate(class[!is.na(part)], length(classes))
  few <- which(counts < length(wanted))
  if (length(few)) {
    has <- counted(counts[few[1]], "row")
    needs <- sprintf("%s (%s)", counted(length(wanted), "part"), enumerate(wanted))
    fail(
      sprintf("The class %s has %s for %s.", describe(classes[few[1]]), has, needs),
      "Put rare classes together, leave its rows out, or hold out fewer parts."
    )
  }
  without <- classes[tabulate(class[part %in% "training"], length(classes)) == 0]
  if (length(without)) {
    fail(
      sprintf("No training row is of the class %s.", describe(without[1])),
      "Hold out fewer rows, or try another `hold_out.by` or seed."
    )
  }
}

# ---- dealing rows ----------------------------------------------------------------------------------------------------

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

# ---- gaps in time ----------------------------------------------------------------------------------------------------

# Whether a brief's `hold_out` says a gap.
has_gap <- function(hold_out) !identical(hold_out$gap %||% 0, 0)

# The gap in the unit of times_of().
gap_of <- function(a) {
  if (!has_gap(a$hold_out)) return(0)
  duration_in(a$hold_out$gap, a$table[[a$roles$order]], a$roles$order, "hold_out.gap")
}

duration_in <- function(duration, when, column, key) {
  dated <- inherits(when, c("Date", "POSIXct"))
  counts <- is.numeric(when) && !dated
  if (!dated && !counts) {
    fail(sprintf("%s needs times or numbers, and the order column %s has neither.", quoted(key), quoted(column)))
  }
  if (is.numeric(duration) && (counts || inherits(when, "Date"))) return(duration)
  if (is.numeric(duration)) {
    fail(
      sprintf("%s is %s without a unit, and %s holds times.", quoted(key), format_number(duration), quoted(column)),
      "Say which: 12 hours, or 30 days."
    )
  }
  if (counts) {
    fail(
      sprintf("%s is %s, and the order column %s holds numbers.", quoted(key), duration, quoted(column)),
      "Give a number in its unit."
    )
  }
  parts <- strsplit(duration, " ")[[1]]
  seconds <- as.numeric(parts[1]) * duration_units[[sub("s$", "", parts[2])]]
  if (inherits(when, "Date")) seconds / 86400 else seconds
}

# The parts as they follow each other in time; those of a fold are evaluated, or predicted out of fold.
parts_in_time <- c("training", "validation", "calibration", "evaluated", "test")

# Without the rows of a part whose outcome was not known when the first row of a later part came: those within the gap
# before it are in no part. Where rows are not dealt in order of time, this is about the test rows alone.
without_gap <- function(a, part, by = a$hold_out$by) {
  if (!has_gap(a$hold_out)) return(part)
  rows <- which(!is.na(part))
  when <- times_of(a, rows)
  gap <- gap_of(a)
  start <- Inf
  for (name in if (by == "ordered") rev(parts_in_time) else c("test", "other")) {
    own <- if (name == "other") part[rows] != "test" else part[rows] == name
    late <- own & when > start - gap
    part[rows[which(late)]] <- NA
    start <- min(start, when[which(own & !late)])
  }
  part
}

# Which of `rows` the fold `f` may learn from: those of the other folds; in order of time those before it, its gap and
# within a window, if there is one.
learned_places <- function(a, rows, fold, f, by, window = NULL) {
  if (by != "ordered") return(!fold %in% f)
  earlier <- is.na(fold) | fold < f
  if (!has_gap(a$hold_out) && is.null(window)) return(earlier)
  when <- times_of(a, rows)
  last <- min(when[fold %in% f]) - gap_of(a)
  first <- if (is.null(window)) -Inf else last - duration_in(window, a$table[[a$roles$order]], a$roles$order, "window")
  earlier & when <= last & when >= first
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
fold_parts <- function(a, rows, fold, f, by, share, seed, window = NULL) {
  part <- rep(NA_character_, nrow(a$table))
  part[rows[fold %in% f]] <- "evaluated"
  learned <- rows[learned_places(a, rows, fold, f, by, window)]
  bands <- max(1, min(10, length(learned) %/% 2))
  part[learned] <- dealt_out(a, learned, c(validation = share), by, seed, bands)
  without_gap(a, part, by)
}

# ---- rows of an analysis ---------------------------------------------------------------------------------------------

# What is asked of an analysis: its inputs, its rows by part, their targets and strata.

part_names <- c("training", "validation", "calibration", "test")

# The same analysis over other parts of its rows, trained by another seed: a fold.
with_parts <- function(a, part, seed) {
  a$part <- part
  a["fold"] <- list(NULL)
  a$regimen$seed <- seed
  a
}

input_columns <- function(a) names(a$kinds)

rows_in <- function(a, part) core_places_of(a$part, part)

# The target's columns at some rows.
target_values <- function(a, rows) a$table[rows, a$target$columns, drop = FALSE]

# Strata of some rows, for dealing them out: classes, or bands of a number's ranks.
strata_of <- function(a, rows, bands) {
  y <- a$table[[a$target$columns[1]]][rows]
  task_of(a$target)$strata(y, a$target$classes, bands)
}

# The weights of some rows of an analysis, by which everything is learned from them: counts as they are, importance with
# a mean of 1, so that its sum is the number of rows.
weights_in <- function(a, rows) {
  if (is.null(a$weight)) return(rep(1, length(rows)))
  if (a$counts) a$weight[rows] else scaled_importance(a$weight[rows])
}

# How many rows the training rows count for, and some rows.
cases_in <- function(a, part) sum(weights_in(a, rows_in(a, part)))

case_count <- function(a, rows) as.integer(min(round(sum(weights_in(a, rows))), .Machine$integer.max))

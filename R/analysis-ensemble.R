# How rows are dealt into the folds of a cross-validation ensemble. Network i of k predicts fold i, is stopped by the
# next one, and learns from the others, so that every row is learned from and every row has a prediction of a network
# that saw nothing of it.

# By the rule so many parts.
usual_ensemble_folds <- 8

# The shares in force: what is open is settled. An ensemble is trained unless something else says what training is
# stopped by, or there is nothing to stop.
hold_out_in_force <- function(b) {
  how <- b[["hold_out"]]
  if (identical(how$folds, "auto")) how$folds <- if (is.null(stops_otherwise(b))) usual_ensemble_folds else 0
  # of the test rows the same share whatever trains on the others, so that all are evaluated on the same rows
  usual <- list(validation = if (how$folds > 0) 0 else 0.15, test = 0.2)
  for (part in names(usual)) if (identical(how[[part]], "auto")) how[[part]] <- usual[[part]]
  how
}

# The analysis's brief with its shares settled, and the wiring of one network.
settled_brief <- function(a) {
  b <- a$brief
  if (!is_ensemble(a)) b$wiring <- format_wiring(a$wiring)
  b[["hold_out"]] <- in_schema_order(a$hold_out, brief_schema$hold_out)
  b
}

# Why one network is trained where the brief doesn't say how many, or NULL.
stops_otherwise <- function(b) {
  how <- b[["hold_out"]]
  own <- !identical(how$validation, "auto") || !is.null(how$validation_where) || !is.null(how$parts)
  if (own) return("there are validation rows")
  if (b$wiring == "linear") return("`linear` has one minimum")
  if (b[["regimen"]]$restarts > 1) return("there are several starts")
}

# The analysis with its rows dealt into parts, and into folds where an ensemble is trained. By the rule rows that are
# too few, or whose groups leave some network without a class, do not.
dealt_analysis <- function(a) {
  if (a$hold_out$folds == 0) {
    a$single <- if (identical(a$brief[["hold_out"]]$folds, "auto")) stops_otherwise(a$brief) else "so says the brief"
    a$part <- split_rows(a)
    return(a)
  }
  open <- identical(a$brief[["hold_out"]]$folds, "auto")
  a$part <- split_rows(a)
  a$fold <- ensemble_parts(a)
  why <- ensemble_obstacle(a)
  if (is.null(why)) return(a)
  what <- "The rows can't be dealt into %d folds: %s."
  if (!open) fail(sprintf(what, as.integer(a$hold_out$folds), why), ensemble_hint)
  a["fold"] <- list(NULL)
  a$single <- why
  a$hold_out <- hold_out_in_force(set_section(a$brief, "hold_out", list(folds = 0)))
  a$part <- split_rows(a)
  a
}

ensemble_hint <- "Deal fewer folds, or hold out validation rows instead: hold_out(validation = 0.15)."

# The part of each training row, from 1 to `hold_out.folds`; NA for others. In order of time the earlier half is part 0,
# which every network learns from, and the later half as many and one stretches, of which nobody predicts the first.
ensemble_parts <- function(a) {
  k <- a$hold_out$folds
  rows <- rows_in(a, "training")
  fold <- rep(NA_integer_, length(a$part))
  by <- a$hold_out$by
  seed <- a$hold_out$seed
  fold[rows] <- if (by == "ordered") {
    as.integer(pmax(stretches(times_of(a, rows), 2 * (k + 1)) - k, 0))
  } else if (by == "key") {
    key <- as_label(a$table[[a$roles$group %||% a$roles$id]][rows])
    shares <- stats::setNames(rep(1 / k, k - 1), seq_len(k - 1))
    # by another hash than that of the test rows
    match(split_by_key(key, shares, seed + 1), c(names(shares), "training"))
  } else {
    strata <- fold_strata(a, rows, by, k)
    if (is.null(a$group)) deal_rows(strata, k, seed) else deal_groups(a$group[rows], strata, k, seed)
  }
  fold
}

# Why the networks of such folds would lack something, or NULL.
ensemble_obstacle <- function(a) {
  rows <- rows_in(a, "training")
  if (length(rows) < 2 * a$hold_out$folds) return("they are too few")
  if (length(unique(a$fold[rows])) < a$hold_out$folds) return("their groups are too few")
  folds <- sort(unique(a$fold[rows]))
  classes <- a$target$classes
  label <- if (is.null(classes)) rep(1L, length(rows)) else match(as_label(a$table[[a$target$columns]][rows]), classes)
  # which classes there are in which fold
  there <- table(factor(label, seq_len(max(1, length(classes)))), factor(a$fold[rows], folds)) > 0
  for (i in seq_len(a$hold_out$folds)) {
    # a gap can take some rows of a fold, or all
    gapped <- has_gap(a$hold_out)
    part <- if (gapped) member_parts(a, i)[rows] else part_of_folds(a, i, folds)
    if (!all(c("training", "validation", "evaluated") %in% part)) {
      return(sprintf("network %d has nothing to learn from", i))
    }
    learned <- part %in% "training"
    seen <- if (gapped) seq_along(classes) %in% label[learned] else rowSums(there[, learned, drop = FALSE]) > 0
    lacking <- classes[!seen]
    if (length(lacking)) return(sprintf("network %d would see no row of the class %s", i, describe(lacking[1])))
  }
  NULL
}

# The part of every row for network i.
member_parts <- function(a, i) {
  folds <- seq(0, a$hold_out$folds + 1)
  without_gap(a, part_of_folds(a, i, folds)[a$fold + 1])
}

# What network i does with the rows of each fold.
part_of_folds <- function(a, i, folds) {
  part <- rep(NA_character_, length(folds))
  if (a$hold_out$by == "ordered") {
    part[folds < i] <- "training"
    part[folds == i] <- "validation"
    part[folds == i + 1] <- "evaluated"
    return(part)
  }
  part[] <- "training"
  part[folds == i] <- "evaluated"
  part[folds == i %% a$hold_out$folds + 1] <- "validation"
  part
}

# The rows that have an out-of-fold prediction: by a network that has not learned from them.
predicted_by_fold <- function(a) which(a$fold > if (a$hold_out$by == "ordered") 1 else 0)

is_ensemble <- function(a) !is.null(a$fold)

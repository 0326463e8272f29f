# Which rows rotate: how they are dealt into parts that take turns. Network i of k predicts part i, is stopped by the
# next one, and learns from the others, so that every row is learned from and every row has a prediction of a network
# that saw nothing of it.

# By the rule so many parts.
usual_turns <- 8

# The shares in force: what is open is settled. Rows rotate unless something else says what training is stopped by, or
# there is nothing to stop.
hold_out_in_force <- function(b) {
  how <- b[["hold_out"]]
  if (identical(how$rotate, "auto")) how$rotate <- if (is.null(stops_otherwise(b))) usual_turns else 0
  # of the test rows the same share whatever trains on the others, so that all are evaluated on the same rows
  usual <- list(validation = if (how$rotate > 0) 0 else 0.15, test = if (b$rule > 1) 0.2 else 0.15)
  for (part in names(usual)) if (identical(how[[part]], "auto")) how[[part]] <- usual[[part]]
  how
}

# The analysis's brief with its shares settled, and the wiring of one network.
settled_brief <- function(a) {
  b <- a$brief
  if (!rotates(a)) b$wiring <- format_wiring(a$wiring)
  b[["hold_out"]] <- in_schema_order(a$hold_out, hold_out_schema())
  b
}

# Why one network is trained where the brief doesn't say how many, or NULL.
stops_otherwise <- function(b) {
  how <- b[["hold_out"]]
  own <- !identical(how$validation, "auto") || !is.null(how$validation_where) || !is.null(how$parts)
  if (own) return("there are validation rows")
  if (b$wiring == "linear") return("`linear` has one minimum")
  if (b[["regimen"]]$restarts > 1) return("there are several starts")
  if (b$rule < 2) return("so says rule 1")
}

# The analysis with its rows dealt into parts, and into turns where they rotate. By the rule rows that are too few, or
# whose groups leave some network without a class, do not.
dealt_analysis <- function(a) {
  if (a$hold_out$rotate == 0) {
    a$single <- if (identical(a$brief[["hold_out"]]$rotate, "auto")) stops_otherwise(a$brief) else "so says the brief"
    a$part <- split_rows(a)
    return(a)
  }
  open <- identical(a$brief[["hold_out"]]$rotate, "auto")
  a$part <- split_rows(a)
  a$turn <- dealt_turns(a)
  why <- turns_obstacle(a)
  if (is.null(why)) return(a)
  if (!open) fail(sprintf("The rows can't rotate in %d parts: %s.", as.integer(a$hold_out$rotate), why), turns_hint)
  a["turn"] <- list(NULL)
  a$single <- why
  a$hold_out <- hold_out_in_force(set_section(a$brief, "hold_out", list(rotate = 0)))
  a$part <- split_rows(a)
  a
}

turns_hint <- "Rotate in more parts, or hold out validation rows instead: hold_out(validation = 0.15)."

# The part of each row that rotates, from 1 to `rotate`; NA for others. In order of time the earlier half is part 0,
# which every network learns from, and the later half `rotate` + 1 stretches, of which nobody predicts the first.
dealt_turns <- function(a) {
  k <- a$hold_out$rotate
  rows <- rows_in(a, "training")
  turn <- rep(NA_integer_, length(a$part))
  by <- a$hold_out$by
  seed <- a$hold_out$seed
  turn[rows] <- if (by == "ordered") {
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
  turn
}

# Why the networks of such turns would lack something, or NULL.
turns_obstacle <- function(a) {
  rows <- rows_in(a, "training")
  if (length(rows) < 2 * a$hold_out$rotate) return("they are too few")
  if (length(unique(a$turn[rows])) < a$hold_out$rotate) return("their groups are too few")
  turns <- sort(unique(a$turn[rows]))
  classes <- a$target$classes
  label <- if (is.null(classes)) rep(1L, length(rows)) else match(as_label(a$table[[a$target$columns]][rows]), classes)
  # which classes there are in which turn
  there <- table(factor(label, seq_len(max(1, length(classes)))), factor(a$turn[rows], turns)) > 0
  for (i in seq_len(a$hold_out$rotate)) {
    part <- part_of_turns(a, i, turns)
    if (!all(c("training", "validation", "judged") %in% part)) {
      return(sprintf("network %d has nothing to learn from", i))
    }
    lacking <- classes[!rowSums(there[, part %in% "training", drop = FALSE])]
    if (length(lacking)) return(sprintf("network %d would see no row of the class %s", i, describe(lacking[1])))
  }
  NULL
}

# The part of every row for network i.
turn_parts <- function(a, i) {
  turns <- seq(0, a$hold_out$rotate + 1)
  part_of_turns(a, i, turns)[a$turn + 1]
}

# What network i does with the rows of each turn.
part_of_turns <- function(a, i, turns) {
  part <- rep(NA_character_, length(turns))
  if (a$hold_out$by == "ordered") {
    part[turns < i] <- "training"
    part[turns == i] <- "validation"
    part[turns == i + 1] <- "judged"
    return(part)
  }
  part[] <- "training"
  part[turns == i] <- "judged"
  part[turns == i %% a$hold_out$rotate + 1] <- "validation"
  part
}

# The rows that rotate and have a prediction by somebody who has not seen them.
predicted_turns <- function(a) which(a$turn > if (a$hold_out$by == "ordered") 1 else 0)

rotates <- function(a) !is.null(a$turn)

# How a brief is evaluated on rows that its networks don't learn from: a plan, which is plain data, is laid out over a
# table.
#
# A plan is list(brief, k, repeats, by, most, window): `k` folds dealt `repeats` times by a rule, or where `k` is NULL
# the brief's own validation rows or the folds of its ensemble; `most` is the number of training rows of each fold, all
# of them when it is NULL; `window` is how far back folds in order of time learn from. It has no table, so it travels
# light.

fold_plan <- function(b, k, repeats, by, most = NULL, window = NULL) {
  plan <- list(brief = without_table(b), k = NULL, repeats = 1L, by = "validation", most = most, window = window)
  if (is.null(k)) return(plan)
  type_folds()(k, "k")
  type_repeats()(repeats, "repeats")
  plan$k <- as.integer(k)
  plan$repeats <- as.integer(repeats)
  plan$by <- fold_rule(b, by, repeats)
  check_window(window, plan$by)
  plan
}

fold_rule <- function(b, by, repeats) {
  by <- by %||% switch(b[["hold_out"]]$by, key = "random", b[["hold_out"]]$by)
  type_choice(dealing_ways)(by, "by")
  if (by == "ordered" && is.null(b$columns$order)) {
    fail("Folds by \"ordered\" need a column that orders the rows.", "Name one with set_columns(order = ...).")
  }
  if (by == "group" && is.null(b$columns$group)) {
    fail("Folds by \"group\" need a group column.", "Name one with set_columns(group = ...).")
  }
  if (repeats > 1 && by %in% c("ordered", "group")) {
    fail(sprintf("Folds by %s can be dealt in one way only, so there is nothing to repeat.", quoted(by)))
  }
  by
}

check_window <- function(window, by) {
  if (is.null(window) || by == "ordered") return()
  fail(sprintf("A `window` is for folds in order of time, and these are by %s.", quoted(by)), "Add by = \"ordered\".")
}

# A plan over a table: list(plan, analysis, rows, dealt, each, parts). `rows` are those that are dealt, `dealt` has a
# column a repeat, `each` a row for each fold with its repeat, and `parts` is a function that gives for the i-th of them
# the part of every row: training, validation or evaluated. Where an ensemble is trained, `all` gives the same with all
# training rows of the ensemble as training rows.
lay_folds <- function(plan, table) {
  a <- settle(check_rule(plan$brief), table)
  laid <- list(plan = plan, analysis = a)
  if (isTRUE(plan$nested)) return(lay_ensemble_folds(laid))
  if (!is.null(plan$k)) return(lay_dealt(laid, a))
  if (is_ensemble(a)) lay_ensemble(laid, a) else lay_validation(laid, a)
}

# Training rows are predicted by the networks that have not learned from them.
lay_ensemble <- function(laid, a) {
  laid$rows <- predicted_by_fold(a)
  laid$each <- data.frame(fold = seq_len(a$hold_out$folds), "repeat" = 1L, check.names = FALSE)
  laid$parts <- function(i) as_planned(laid$plan, a, member_parts(a, i))
  laid$all <- function(i) a$part
  laid
}

lay_validation <- function(laid, a) {
  laid$rows <- rows_in(a, "validation")
  if (length(laid$rows) == 0) {
    fail(
      "The brief has no validation rows to evaluate on.",
      "Hold some out: hold_out(validation = 0.15), or evaluate by folds."
    )
  }
  laid$each <- data.frame(fold = 1L, "repeat" = 1L, check.names = FALSE)
  laid$parts <- function(i) as_planned(laid$plan, a, a$part)
  laid
}

lay_dealt <- function(laid, a) {
  plan <- laid$plan
  rows <- rows_in(a, c("training", "validation"))
  seed <- a$hold_out$seed
  dealt <- deal_folds(a, rows, plan$k, plan$repeats, plan$by, seed)
  laid$rows <- rows
  laid$dealt <- dealt
  numbers <- sort(unique(dealt[!is.na(dealt[, 1]), 1]))
  each <- expand.grid(fold = numbers, "repeat" = seq_len(ncol(dealt)))
  laid$each <- each
  share <- if (is_ensemble(a)) 1 / a$hold_out$folds else length(rows_in(a, "validation")) / length(rows)
  laid$parts <- function(i) {
    fold <- dealt[, each[["repeat"]][i]]
    as_planned(plan, a, fold_parts(a, rows, fold, each$fold[i], plan$by, share, seed, plan$window))
  }
  laid
}

# Folds in which an ensemble is trained on the other rows: a fit
# for each fold and each fold within it. The rows that a network predicts within are the part "out_of_fold".
lay_ensemble_folds <- function(laid) {
  a <- laid$analysis
  laid <- lay_dealt(laid, a)
  whole <- laid$each
  inner <- a$hold_out$folds
  laid$each <- whole[rep(seq_len(nrow(whole)), each = inner), , drop = FALSE]
  laid$each$inner <- rep(seq_len(inner), nrow(whole))
  dealt <- lapply(seq_len(nrow(whole)), function(i) {
    ensemble_fold(a, laid$rows, laid$dealt[, whole[["repeat"]][i]], whole$fold[i], laid$plan$by, laid$plan$window)
  })
  laid$parts <- function(i) {
    own <- dealt[[(i - 1) %/% inner + 1]]
    part <- member_parts(own$analysis, laid$each$inner[i])
    part[part %in% "evaluated"] <- "out_of_fold"
    replace(part, own$evaluated, "evaluated")
  }
  laid$all <- function(i) {
    own <- dealt[[(i - 1) %/% inner + 1]]
    replace(own$analysis$part, own$evaluated, "evaluated")
  }
  laid
}

# The evaluated rows of fold `f`, and the analysis of the others, dealt into folds of their own.
ensemble_fold <- function(a, rows, fold, f, by, window = NULL) {
  learned <- learned_places(a, rows, fold, f, by, window)
  a$part <- replace(rep(NA_character_, length(a$part)), rows[learned], "training")
  a$fold <- ensemble_parts(a)
  why <- ensemble_obstacle(a)
  what <- "Without the rows of fold %d the others can't be dealt into folds: %s."
  if (!is.null(why)) fail(sprintf(what, f, why), nested_hint)
  list(analysis = a, evaluated = rows[fold %in% f])
}

nested_hint <- "Evaluate one network instead: quick(b); or ask for fewer folds."

as_planned <- function(plan, a, part) if (is.null(plan$most)) part else fewer_rows(a, part, plan$most)

# So many of the training rows, and as large a share of the validation rows.
fewer_rows <- function(a, part, most) {
  training <- which(part %in% "training")
  if (most > length(training)) {
    rows <- counted(length(training), "row")
    fail(sprintf("A fold learns from %s, which is less than %s.", rows, format_count(most)), "Ask for fewer rows.")
  }
  validation <- which(part %in% "validation")
  part[setdiff(training, nested_rows(a, training, most))] <- NA
  kept <- ceiling(length(validation) * most / length(training))
  part[setdiff(validation, nested_rows(a, validation, kept))] <- NA
  part
}

# The first of some rows in a fixed order in which the strata (classes, bands of a number) alternate by their shares,
# each beginning with one row: fewer rows are always some of more. Of groups whole ones, as long as they have no more.
nested_rows <- function(a, rows, most) {
  if (most >= length(rows)) return(rows)
  places <- shuffled(length(a$part), a$hold_out$seed, "fewer rows")
  rows <- rows[order(places[rows])]
  if (!is.null(a$group)) {
    group <- units_of_groups(a$group[rows])
    group <- match(group, unique(group))
    return(rows[group <= max(1, sum(cumsum(tabulate(group)) <= most))])
  }
  strata <- fold_strata(a, rows, "stratified", 2)
  turn <- stats::ave(seq_along(rows), strata, FUN = function(x) (seq_along(x) - 1) / length(x))
  rows[order(turn)][seq_len(most)]
}

# ---- before any training ------------------------------------------------------------------------------------------

# Plans as they are laid out over a table, looked through; what is wrong with the brief itself was found when it was
# settled.
checked_folds <- function(b, k, repeats, by, most = NULL, window = NULL) {
  laid <- lay_folds(fold_plan(b, k, repeats, by, most, window), b$table)
  if (!is.null(laid$dealt)) check_dealt(laid)
  check_fold_classes(laid)
  laid
}

check_dealt <- function(laid) {
  plan <- laid$plan
  a <- laid$analysis
  found <- apply(laid$dealt, 2, function(fold) length(unique(fold[!is.na(fold)])))
  if (plan$by != "group" && any(found < plan$k)) {
    rows <- laid$rows
    there <- if (is.null(a$group)) counted(length(rows), "row") else counted(length(unique(a$group[rows])), "group")
    fail(sprintf("%d folds can't be dealt: there are %s.", plan$k, there), "Take fewer folds.")
  }
  if (plan$by == "group" && max(laid$dealt) > 1000) {
    fail(
      sprintf("There are %s groups, and each would be a fold.", format_count(max(laid$dealt))),
      "Take k folds of whole groups: leave `by` out."
    )
  }
}

# Every fold learns from rows of every class.
check_fold_classes <- function(laid) {
  a <- laid$analysis
  classes <- a$target$classes
  if (is.null(classes) && is.null(laid$plan$most)) return()
  label <- if (!is.null(classes)) as_label(a$table[[a$target$columns]])
  for (i in seq_len(nrow(laid$each))) {
    training <- laid$parts(i) %in% "training"
    lacking <- setdiff(classes, label[training])
    if (length(lacking)) {
      what <- "The rows that fold %d learns from have none of the class %s."
      fail(
        sprintf(what, laid$each$fold[i], describe(lacking[1])),
        "Take more folds or more rows, put rare classes together, or leave its rows out."
      )
    }
  }
}

# From a brief to the fits of its folds: a plan, which is plain data, is laid out over a table and becomes jobs.

# How a brief is judged: by `k` folds dealt `repeats` times by a rule, or by its own validation rows where `k` is NULL. `most` is the
# number of training rows of each fold, all of them when it is NULL. The plan has no table, so it travels light.
fold_plan <- function(b, k, repeats, by, most = NULL) {
  if (is.null(b$table)) fail("This brief has no table to train on.", "Give it one first: see brief().")
  plan <- list(brief = new_brief(brief_settings(b)), k = NULL, repeats = 1L, by = "validation", most = most)
  if (is.null(k)) return(plan)
  type_number(2, 1000, whole = TRUE)(k, "k")
  type_number(1, 1000, whole = TRUE)(repeats, "repeats")
  plan$k <- as.integer(k)
  plan$repeats <- as.integer(repeats)
  plan$by <- fold_rule(b, by, repeats)
  plan
}

fold_rule <- function(b, by, repeats) {
  by <- by %||% switch(b$hold_out$by, key = "random", b$hold_out$by)
  type_choice(c("stratified", "random", "ordered", "group"))(by, "by")
  if (by == "ordered" && is.null(b$columns$order)) fail("Folds by \"ordered\" need a column that orders the rows.", "Name one with set_columns(order = ...).")
  if (by == "group" && is.null(b$columns$group)) fail("Folds by \"group\" need a group column.", "Name one with set_columns(group = ...).")
  if (repeats > 1 && by %in% c("ordered", "group")) fail(sprintf("Folds by %s can be dealt in one way only, so there is nothing to repeat.", quoted(by)))
  by
}

# A plan over a table: the working `table`, the `rows` that are dealt, `each` fold with its repeat, and `parts`, a function that gives
# for the i-th of them the part of every row: training, validation or judged.
lay_folds <- function(plan, table) {
  b <- plan$brief
  table <- table_of(b, table)
  part <- split_rows(b, table)
  laid <- list(plan = plan, table = table)
  if (is.null(plan$k)) {
    laid$rows <- which(part %in% "validation")
    laid$each <- data.frame(fold = 1L, "repeat" = 1L, check.names = FALSE)
    laid$parts <- function(i) as_planned(plan, table, part)
    return(laid)
  }
  rows <- which(part %in% c("training", "validation"))
  seed <- b$hold_out$seed
  laid$rows <- rows
  laid$dealt <- deal_folds(b, table, rows, plan$k, plan$repeats, plan$by, seed)
  laid$each <- expand.grid(fold = sort(unique(laid$dealt[!is.na(laid$dealt[, 1]), 1])), "repeat" = seq_len(ncol(laid$dealt)))
  share <- sum(part %in% "validation") / length(rows)
  laid$parts <- function(i) {
    as_planned(plan, table, fold_parts(b, table, rows, laid$dealt[, laid$each[["repeat"]][i]], laid$each$fold[i], plan$by, share, seed))
  }
  laid
}

as_planned <- function(plan, table, part) if (is.null(plan$most)) part else fewer_rows(plan$brief, table, part, plan$most)

# So many of the training rows, in a fixed order in which the strata (classes, bands of a number) take turns by their shares, each
# beginning with one row: fewer rows are always some of more.
fewer_rows <- function(b, table, part, most) {
  training <- which(part %in% "training")
  if (most > length(training)) fail(sprintf("A fold learns from %s, which is less than %s.", counted(length(training), "row"), format_count(most)), "Ask for fewer rows.")
  training <- training[order(core_shuffle(length(part), b$hold_out$seed, 6L)[training])]
  strata <- fold_strata(b, table[[b$target[1]]][training], 2)
  turn <- stats::ave(seq_along(training), strata, FUN = function(x) (seq_along(x) - 1) / length(x))
  part[training[order(turn)][-seq_len(most)]] <- NA
  part
}

# ---- before any training ------------------------------------------------------------------------------------------

check_plan <- function(laid) {
  plan <- laid$plan
  b <- plan$brief
  check_brief(b, laid$table)
  if (is.null(plan$k)) {
    if (length(laid$rows) == 0) fail("The brief has no validation rows to judge by.", "Hold some out: hold_out(validation = 0.15), or judge by folds.")
  } else {
    check_dealt(laid)
  }
  check_fold_classes(laid)
}

check_dealt <- function(laid) {
  b <- laid$plan$brief
  found <- apply(laid$dealt, 2, function(fold) length(unique(fold[!is.na(fold)])))
  if (laid$plan$by != "group" && any(found < laid$plan$k)) {
    fail(sprintf("%d folds can't be dealt: there are %s.", laid$plan$k, if (is.null(b$columns$group)) counted(length(laid$rows), "row") else counted(length(unique(laid$table[[b$columns$group]][laid$rows])), "group")), "Take fewer folds.")
  }
  if (laid$plan$by == "group" && max(laid$dealt) > 1000) fail(sprintf("There are %s groups, and each would be a fold.", format_count(max(laid$dealt))), "Take k folds of whole groups: leave `by` out.")
}

# Every fold learns from rows of every class.
check_fold_classes <- function(laid) {
  b <- laid$plan$brief
  if (b$task != "classification" && is.null(laid$plan$most)) return()
  label <- as_label(laid$table[[b$target[1]]])
  for (i in seq_len(nrow(laid$each))) {
    learned <- laid$parts(i) %in% "training"
    lacking <- if (b$task == "classification") setdiff(b$classes, label[learned])
    if (length(lacking)) {
      fail(sprintf("The rows that fold %d learns from have none of the class %s.", laid$each$fold[i], describe(lacking[1])), "Take more folds or more rows, put rare classes together, or leave its rows out.")
    }
  }
}

# ---- jobs ---------------------------------------------------------------------------------------------------------

# The jobs of a plan's folds; `want` is what is made of each fit, see job_results().
fold_jobs <- function(laid, want) lapply(seq_len(nrow(laid$each)), function(i) list(plan = laid$plan, fold = i, want = want))

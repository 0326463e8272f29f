#' Which columns matter
#'
#' How much worse a network gets when a column's values are shuffled among the rows, so that they carry no information
#' (Breiman 2001; Fisher, Rudin and Dominici 2019). The columns are those of the table, before [add_columns()]: what is
#' derived from a column is shuffled with it.
#'
#' This estimates a column's importance to this network on rows like these; not what its importance would be to one
#' that was trained without it. Columns that carry the same information share their importance: name them in
#' `groups` to see what they have together. Shuffling makes rows that never occur, unless `among_alike` is `TRUE`: then
#' values are given only to rows that are alike in the other columns as far as these tell the column (Strobl et al.
#' 2008), and what is left is what a column tells beside them. The intervals are about the luck of the rows, which
#' receive values and give them.
#'
#' @param model A model.
#' @param data A table with the inputs and the target. Of the one that the model was trained on, the held-out rows are
#'   taken (test, else validation or out-of-fold), unless `rows` says otherwise; of another one all rows; of more than
#'   10,000 so many, at random. Out-of-fold rows are predicted by the networks that have not learned from them; in order
#'   of time, where these have all learned from all rows at last, by all.
#' @param rows A part: `"test"`, `"validation"`, `"calibration"` or `"training"`.
#' @param repeats How often each column is shuffled.
#' @param groups A named list of columns that are shuffled together, as in `list(firing = c("peak_c", "soak_min"))`;
#'   other columns stand alone.
#' @param among_alike Whether values are given only to rows that are alike in the other columns. Rows are alike that
#'   stand in the same leaf, of at least 20 rows, of a tree that predicts the column by the others.
#' @param level The level of the intervals, which are about which rows were drawn (groups, where rows belong to them).
#' @param ... Not used.
#' @return An object of class `hylomath_importance`; `columns` is a data frame in falling order: (`target`,) `column`
#'   (or the name of a group), `importance` (how much the measure that the network is trained for rises), `low` and
#'   `high`, and `share`, the rise as a share of the measure itself; `measure`, `value` (as it is without shuffling),
#'   `rows` and `n` say what was looked at, `groups` and `among_alike` how. [as.data.frame()] gives `columns`.
#' @section Errors: A table without the target or without a column that the network needs; `rows` of a part that the
#'   model does not have; a group of columns that the network does not take in, or of one that is in another.
#' @references Breiman (2001) \doi{10.1023/A:1010933404324}; Strobl, Boulesteix, Kneib, Augustin and Zeileis (2008)
#'   \doi{10.1186/1471-2105-9-307}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' importance(model, kilns)
#' importance(model, kilns, groups = list(firing = c("peak_c", "soak_min")), among_alike = TRUE)
#' @export
importance <- function(model, data, rows = NULL, repeats = 10, level = 0.95, groups = NULL, among_alike = FALSE, ...) {
  UseMethod("importance")
}

#' @export
importance.hylomath_model <- function(model, data, rows = NULL, repeats = 10, level = 0.95, groups = NULL,
                                      among_alike = FALSE, ...) {
  check_others(...)
  check_flag(among_alike, "among_alike")
  check_table_given(!missing(data))
  type_repeats()(repeats, "repeats")
  type_level()(level, "level")
  looked_at <- rows_to_explain(model, data, rows)
  evaluated <- looked_at$evaluated
  predictor <- model$predictor
  target <- predictor$target
  seed <- training_seed(model)
  sets <- shuffled_sets(needed_columns(predictor), groups)
  parts <- explained_parts(without_idle_inputs(predictor), looked_at$table, evaluated)
  as_is <- losses_of_parts(parts, lapply(parts, function(part) predictions_now(part$predictor, part$as_is)), evaluated)
  primary <- primary_measure(target)
  resampling <- resampling_of(evaluated$weight, evaluated$group, seed, level, 1000)
  alike <- if (among_alike) alike_in_others(looked_at$table, sets)
  shuffled <- shuffled_losses(parts, looked_at$table, evaluated, as_is, sets, alike, repeats, seed, resampling$unit)
  each <- lapply(seq_along(target$columns), function(i) {
    each <- matrix(unlist(lapply(shuffled, function(s) s[, i])), nrow(as_is))
    losses <- cbind(1, as_is[, i], each) * evaluated$weight
    sums <- unit_sums(losses, resampling$unit, max(resampling$unit))
    risen <- importance_table(names(sets), sums, loss_measure(primary), resampling)
    if (length(target$columns) > 1) cbind(target = target$columns[i], risen) else risen
  })
  new_result(
    list(
      columns = do.call(rbind, each), target = target$columns, measure = primary,
      value = loss_measure(primary)(colSums(as_is * evaluated$weight) / sum(evaluated$weight)), rows = looked_at$rows,
      n = nrow(looked_at$table), level = level, groups = groups, among_alike = among_alike
    ),
    "importance"
  )
}

#' @export
importance.default <- function(model, ...) wrong_object("importance", "a model", model)

# The columns that are shuffled together, by the name that they have in print.
shuffled_sets <- function(columns, groups) {
  groups <- as.list(groups)
  if (length(groups) && (is.null(names(groups)) || any(names(groups) == "") || anyDuplicated(names(groups)))) {
    fail(
      "Each of the `groups` needs a name of its own.", "Write them as in list(firing = c(\"peak_c\", \"soak_min\"))."
    )
  }
  grouped <- unlist(groups, use.names = FALSE)
  unknown <- setdiff(grouped, columns)
  if (length(unknown)) {
    what <- "`groups` names the column %s, which the network does not take in."
    fail(sprintf(what, quoted(unknown[1])), suggestion(unknown[1], columns))
  }
  twice <- grouped[duplicated(grouped)]
  if (length(twice)) fail(sprintf("Column %s is in `groups` twice.", quoted(twice[1])))
  alone <- setdiff(columns, grouped)
  clash <- intersect(names(groups), alone)
  if (length(clash)) {
    fail(sprintf("A group can't have the name of the column %s, which is not in it.", quoted(clash[1])))
  }
  c(groups, stats::setNames(as.list(alone), alone))
}

# For each set of columns which rows are alike in the others.
alike_in_others <- function(table, sets) {
  columns <- unlist(sets)
  lapply(sets, function(set) alike_rows(table[set], table[setdiff(columns, set)]))
}

# Which networks predict which of the rows: a list of list(predictor, rows, as_is, takes), `as_is` what they predict for
# them, `takes` by network the columns that it needs. What a network had predicted out of fold it predicts again, where
# it is still there; else all networks predict all rows.
explained_parts <- function(predictor, table, evaluated) {
  part_of <- function(predictor, rows) {
    own <- rows_to_predict(predictor, table[rows, , drop = FALSE])
    list(
      predictor = predictor, rows = rows, as_is = predictions_of(predictor, own),
      takes = lapply(predicting_members(predictor), needed_columns)
    )
  }
  all <- list(part_of(predictor, seq_len(nrow(table))))
  if (is.null(evaluated$fold) || !all(evaluated$fold %in% predictor$folds)) return(all)
  by_fold <- lapply(unique(evaluated$fold), function(fold) {
    part_of(of_fold(predictor, fold), which(evaluated$fold == fold))
  })
  same <- vapply(by_fold, function(part) {
    given <- evaluated$predictions[part$rows, , drop = FALSE]
    isTRUE(all.equal(part$as_is, given, check.attributes = FALSE))
  }, NA)
  if (all(same)) by_fold else all
}

# The networks that predict a fold.
of_fold <- function(predictor, fold) {
  own <- predictor$folds == fold
  shares <- fold_shares(predictor$shares[own])
  predictor$members <- predictor$members[own]
  predictor$shares <- shares / sum(shares)
  predictor$folds <- predictor$folds[own]
  predictor
}

# The losses of all rows by what each part predicts, in the order of the rows.
losses_of_parts <- function(parts, predictions, evaluated) {
  losses <- Map(function(part, predictions) {
    as.matrix(own_losses(part$predictor$target, rows_of_each(evaluated, part$rows), predictions))
  }, parts, predictions)
  together <- do.call(rbind, losses)
  together[order(unlist(lapply(parts, `[[`, "rows"))), , drop = FALSE]
}

# The mean losses of the rows with each set of columns shuffled, among rows that are `alike` where that is given; and
# added to each what its own value does to the rows that it is given to: who is drawn brings both.
shuffled_losses <- function(parts, table, evaluated, as_is, sets, alike, repeats, seed, unit) {
  tell <- reporter("auto")
  on.exit(tell(list(event = "done")))
  columns <- unlist(sets)
  looked_at <- intersect(columns, unlist(lapply(parts, function(part) needed_columns(part$predictor))))
  table <- table[setdiff(names(table), setdiff(columns, looked_at))]
  # checked and read once, unless columns are made of those that are shuffled
  whole <- parts[[1]]$predictor
  derives <- length(whole$preparation$rules$derived) > 0
  if (!derives) table <- rows_to_predict(whole, table)
  ready <- function(predictor, rows) if (derives) rows_to_predict(predictor, rows) else rows
  lapply(seq_along(sets), function(j) {
    # shuffling changes nothing of what no network looks at
    set <- intersect(sets[[j]], looked_at)
    if (length(set) == 0) return(as_is)
    tell(list(event = "doing", what = "explaining", share = (j - 1) / length(sets)))
    received <- given <- squares <- as_is * 0
    orders <- lapply(seq_len(repeats), function(r) {
      order <- shuffled(nrow(table), seed, "importance", 1000L * j + r)
      if (is.null(alike)) order else order_within(order, alike[[j]])
    })
    predictions <- lapply(parts, shuffled_predictions, table, set, orders, ready)
    for (r in seq_len(repeats)) {
      order <- orders[[r]]
      rise <- losses_of_parts(parts, lapply(predictions, `[[`, r), evaluated) - as_is
      received <- received + rise / repeats
      given[order, ] <- given[order, ] + rise / repeats
      squares <- squares + rise^2 / repeats
    }
    for (i in seq_len(ncol(as_is))) {
      share <- donor_share(received[, i], given[, i], squares[, i], repeats, evaluated$weight, unit)
      received[, i] <- received[, i] + share * (given[, i] - mean(given[, i]))
    }
    as_is + received
  })
}

# What a part's networks predict for its rows with the columns of the table in each of these orders. Several at a time:
# a call costs more than its rows. Where networks take some columns each, only those that take one of these are asked
# again. `ready` makes of rows of the table what is predicted.
shuffled_predictions <- function(part, table, columns, orders, ready) {
  predictor <- part$predictor
  n <- length(part$rows)
  taking <- vapply(part$takes, function(own) any(columns %in% own), NA)
  if (!any(taking)) return(rep(list(predictions_now(predictor, part$as_is)), length(orders)))
  asked <- networks_among(predictor, taking)
  share <- if (all(taking)) 1 else sum(predictor$shares[taking])
  values <- table[columns]
  table <- table[part$rows, intersect(names(table), unlist(part$takes[taking])), drop = FALSE]
  at_once <- split(orders, (seq_along(orders) - 1) %/% max(1, 1e5 %/% n))
  own <- if (!all(taking)) predictions_of(asked, ready(asked, table))
  unlist(lapply(unname(at_once), function(some) {
    # by columns: rows that are taken several times would be named anew, which takes longer than predicting
    again <- rep(seq_len(n), length(some))
    other <- as_plain_frame(lapply(table, function(x) x[again]))
    from <- unlist(lapply(some, `[`, part$rows))
    for (column in intersect(columns, names(other))) other[[column]] <- values[[column]][from]
    predictions <- predictions_of(asked, ready(asked, other))
    if (!is.null(own)) {
      several <- list(part$as_is[again, , drop = FALSE], predictions, own[again, , drop = FALSE])
      predictions <- mean_predictions(predictor, several, c(1, share, -share))
    }
    unname(split(predictions_now(predictor, predictions), rep(seq_along(some), each = n)))
  }), recursive = FALSE)
}

# Some of the networks as one predictor.
networks_among <- function(predictor, some) {
  if (all(some)) return(predictor)
  members <- predictor$members[some]
  taken <- unlist(lapply(members, function(member) prepared_columns(member$preparation)))
  preparation <- of_columns(predictor$preparation, prepared_columns(predictor$preparation) %in% taken)
  joint_predictor(predictor$target, preparation, members, predictor$shares[some], predictor$folds[some])
}

# A rise is o_i + d_j + e_ij of the row that receives, the row that gives and both together, which an analysis of
# variance by two ways takes apart. The mean of all has the variance of o + d and e / repeats; the means by row of few
# repeats have the noise of the others in them. So much of the givers' means is added to the receivers' that the sums of
# the units that are drawn, rows or groups, vary as they should.
donor_share <- function(received, given, squares, repeats, weight, unit) {
  if (repeats < 2) return(1)
  all <- mean(squares) - mean(received)^2
  of <- function(means) max((repeats * stats::var(means) - all) / (repeats - 1), 0)
  receiving <- of(received)
  giving <- of(given)
  rest <- max(all - receiving - giving, 0)
  sums <- unit_sums(cbind(received - mean(received), given - mean(given)) * weight, unit, max(unit))
  if (nrow(sums) < 2) return(0)  # one unit has no spread
  spread <- stats::var(sums)
  together <- spread[1, 2]
  per_unit <- sum(weight^2) / nrow(sums) / repeats
  own <- max(spread[1, 1] - per_unit * (giving + rest), 0)
  others <- max(spread[2, 2] - per_unit * (receiving + rest), 0)
  wanted <- max(own + others + 2 * together, 0) + per_unit * rest
  missing <- wanted - spread[1, 1]
  if (!(spread[2, 2] > 0) || missing <= 0) return(0)
  (sqrt(together^2 + spread[2, 2] * missing) - together) / spread[2, 2]
}

# `sums` by unit: the weight, the losses as they are, and those with each column shuffled.
importance_table <- function(columns, sums, measure, resampling) {
  rise <- function(t) measure(t[, -(1:2), drop = FALSE] / t[, 1]) - measure(t[, 2] / t[, 1])
  total <- total_sums(sums)
  value <- rise(total)[1, ]
  drawn <- rise(drawn_sums(resampling$counts, sums))
  ends <- bca_interval(value, drawn, rise(all_but_one(sums)), resampling$level)
  risen <- data.frame(
    column = columns, importance = value, low = ends[, "low"], high = ends[, "high"],
    share = value / measure(total[, 2] / total[, 1])
  )
  risen <- risen[order(-risen$importance), ]
  rownames(risen) <- NULL
  risen
}

#' @export
as.data.frame.hylomath_importance <- function(x, ...) x$columns

# The columns, the one that matters most first.
by_importance <- function(importance) unique(importance$columns$column[order(-importance$columns$share)])

# ---- the rows that explain -------------------------------------------------------------------------------------------

# The rows that a network is explained on.

most_explained <- 10000

check_table_given <- function(given) {
  if (!given) {
    fail(
      "`data` is missing: a model keeps no inputs, so give a table that has them, such as the one it was trained on."
    )
  }
}

# The table's held-out rows where it is the one that the model was trained on, else all rows with a target; at most
# `most_explained`, drawn by the training's seed. A list of `table` (raw columns) and `evaluated`, and which rows they
# are.
rows_to_explain <- function(model, data, rows) {
  data <- as_table(data)
  check_keys_tell(model, data)
  part <- rows %||% if (is_training_table(model, data)) part_to_evaluate(model, NULL)
  if (is.null(part)) {
    evaluated <- evaluated_in(model, data)
    found <- evaluated$row
  } else {
    part <- part_to_evaluate(model, part)
    found <- rows_of_part(model, data, part)
    evaluated <- evaluated_in_part(model, part)
  }
  places <- seq_along(found)
  keep <- drawn_rows(places, most_explained, training_seed(model), "importance rows")
  if (length(places) > most_explained) keep <- sort(keep)
  list(table = data[found[keep], , drop = FALSE], evaluated = rows_of_each(evaluated, keep), rows = part %||% "new")
}

# A table that may be the one that was trained on, but whose ids don't tell which rows were held out, is no table to
# fall back on.
check_keys_tell <- function(model, data) {
  id <- roles_of(model)$id
  part <- evaluated_in_part(model, evaluated_part(model))
  if (is.null(id) || !id %in% names(data) || is_own_table(model, data)) return()
  if (all(part$key %in% as_label(data[[id]]))) places_by_key(part$key, id, data)
  invisible()
}

is_training_table <- function(model, data) {
  if (length(model$evaluated) == 0) return(FALSE)
  tryCatch(
    length(rows_of_part(model, data, part_to_evaluate(model, NULL))) > 0,
    hylomath_error = function(e) FALSE
  )
}

# What the network predicts for rows, one column each: the probability of every class, or the prediction for every
# target.
plain_predictions <- function(predictor, table) {
  target <- predictor$target
  predictions <- given_predictions(predictor, table)
  if (!has_classes(target)) return(stats::setNames(predictions[seq_along(target$columns)], target$columns))
  stats::setNames(predictions[paste0("probability_", target$classes)], target$classes)
}

# Which of these are looked at: the positive class of two, all classes, all targets, or those that are asked for.
predictions_to_explain <- function(target, of) {
  known <- if (has_classes(target)) target$classes else target$columns
  if (is.null(of)) return(target$positive %||% known)
  unknown <- setdiff(of, known)
  if (length(unknown)) {
    what <- if (has_classes(target)) "class" else "target"
    fail(sprintf("There is no %s %s.", what, describe(unknown[1])), suggestion(unknown[1], known))
  }
  of
}

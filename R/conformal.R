# Split-conformal prediction (Vovk, Gammerman and Shafer 2005; Lei et al. 2018): intervals and sets that hold the
# observed value in a chosen share of new rows, whatever the network is like, as long as new rows come as the
# calibration rows did. The calibration rows have served for nothing else: not for training, stopping, a threshold or
# recalibration (sets are made from the network's own probabilities).

# The smallest score that covers: counted as if the new row, of average weight, had the largest score of all. Infinite
# where there are too few rows.
#
# Where rows belong to groups the promise is for a row of a new group: each group counts as one, its rows as shares of
# it (Dunn, Wasserman and Ramdas 2023), and the new row's group had the largest score of all.
conformal_bound <- function(scores, weight, level, group = NULL) {
  new <- mean(weight)
  if (!is.null(group)) {
    group <- units_of_groups(group)
    weight <- weight / stats::ave(weight, group, FUN = sum)
    new <- 1
  }
  order <- order(scores)
  reached <- which(cumsum(weight[order]) >= level * (sum(weight) + new) - 1e-9)
  if (length(reached)) scores[order][reached[1]] else Inf
}

check_conformal <- function(model, level) {
  type_share()(level, "level")
  why <- conformal_obstacle(model, level)
  if (!is.null(why)) fail(why$what, why$try)
}

# Why there are no intervals or sets, or NULL.
conformal_obstacle <- function(model, level) {
  if (in_time(model)) {
    why <- adaptive_obstacle(model)
    if (!is.null(why)) return(why)
  }
  rows <- conformal_rows(model)
  if (is.null(rows)) {
    what <- "The model has no calibration rows, from which intervals are made."
    try <- "Hold some out and train again: hold_out(calibration = 0.15), or hold_out(folds = 8)."
    return(list(what = what, try = try))
  }
  needed <- calibration_needed(level)
  # with too few groups intervals are infinite, which is said
  if (is.null(rows$group) && !has_classes(target_in(model)) && length(rows$key) < needed) {
    what <- sprintf(
      "At the level %s at least %s are needed; there are %s.", format_number(level), counted(needed, "calibration row"),
      format_count(length(rows$key))
    )
    return(list(what = what, try = "Hold out more calibration rows, or take a lower level."))
  }
  NULL
}

# The rows whose scores decide: those held out for it, else out-of-fold rows.
conformal_rows <- function(model) evaluated_in_part(model, "calibration") %||% evaluated_in_part(model, "out_of_fold")

conformal_scale <- function(model) {
  unit <- task_of(target_in(model))$error_scale(target_in(model))
  list(unit = unit, dispersion = if (identical(unit, "count")) count_dispersion(model))
}

# By moments. The rows are those of validation, where there are any: they have no part in the bound, so that the promise
# holds as it stands.
count_dispersion <- function(model) {
  rows <- evaluated_in_part(model, "validation") %||% conformal_rows(model)
  prediction <- rows$predictions[[1]]
  excess <- weighted_mean((observed_of(rows, 1) - prediction)^2 - prediction, rows$weight)
  max(excess, 0) / weighted_mean(pmax(prediction, 1e-6)^2, rows$weight)
}

# Whether each new row is measured by the networks of every fold.
predicts_by_fold <- function(model) {
  !in_time(model) && is.null(evaluated_in_part(model, "calibration")) &&
    !is.null(evaluated_in_part(model, "out_of_fold")) && is.null(conformal_obstacle(model, coverage_level))
}

# Why sets and intervals hold everything, NULL where they don't.
too_few_groups <- function(model, level) {
  rows <- conformal_rows(model)
  if (in_time(model) || is.null(rows$group)) return(NULL)
  groups <- length(unique(units_of_groups(rows$group)))
  if (groups >= calibration_needed(level)) return(NULL)
  what <- paste(
    "There are %s, and a promise at %s for rows of a new group needs %s:",
    "intervals without end and sets of all classes are all that can be promised."
  )
  there <- counted(groups, "calibration group")
  sprintf(what, there, format_percent_short(level), format_count(calibration_needed(level)))
}

# ---- numbers ------------------------------------------------------------------------------------------------------

# `low` and `high` of each target, a list by target.
conformal_intervals <- function(model, predictions, level) {
  scale <- conformal_scale(model)
  bounds <- conformal_bounds(model, level, scale)
  lapply(seq_along(bounds), function(i) conformal_ends(scale, predictions, i, bounds[i]))
}

# By target how far off a prediction may be, in the unit of the scores.
conformal_bounds <- function(model, level, scale = conformal_scale(model)) {
  if (in_time(model)) return(adaptive_bounds_now(model, level, scale))
  rows <- conformal_rows(model)
  vapply(seq_along(target_in(model)$columns), function(i) {
    conformal_bound(conformal_scores(scale, observed_of(rows, i), rows$predictions, i), rows$weight, level, rows$group)
  }, 0)
}

interval_predictions <- function(target, ends, predictions) {
  columns <- lapply(seq_along(ends), function(i) {
    names <- c("prediction", "low", "high")
    if (length(ends) > 1) names <- paste0(names, "_", target$columns[i])
    stats::setNames(data.frame(predictions[[i]], ends[[i]]$low, ends[[i]]$high), names)
  })
  do.call(cbind, columns)
}

# ---- classes ------------------------------------------------------------------------------------------------------

# The classes whose probability is not lower than is usual for rows of that class: each class's own rows decide, so
# that rare classes are held as often as common ones (label-conditional: Vovk 2013; Sadinle, Lei and Wasserman 2019). A
# logical matrix. A class with too few calibration rows is in every set.
conformal_sets <- function(model, predictions, level) {
  classes <- target_in(model)$classes
  bounds <- if (in_time(model)) adaptive_class_bounds(model, level) else class_bounds(model, level)
  inside <- 1 - as.matrix(predictions[-1]) <= rep(bounds, each = nrow(predictions))
  dimnames(inside) <- list(NULL, classes)
  inside
}

class_bounds <- function(model, level) {
  rows <- conformal_rows(model)
  vapply(target_in(model)$classes, function(class) {
    own <- rows$observed == class
    if (!any(own)) return(Inf)
    scores <- 1 - rows$predictions[own, paste0("probability_", class)]
    conformal_bound(scores, rows$weight[own], level, rows$group[own])
  }, 0)
}

set_predictions <- function(classes, inside, predictions) {
  text <- apply(inside, 1, function(row) if (anyNA(row)) NA_character_ else paste(classes[row], collapse = " | "))
  flags <- stats::setNames(as.data.frame(inside), paste0("in_", classes))
  cbind(predictions["prediction"], data.frame(set = text), flags)
}

# ---- in order of time -----------------------------------------------------------------------------------------------

# Whether a model's intervals go by time, and why they can't.
in_time <- function(model) identical(model$brief[["hold_out"]]$by, "ordered") || !is.null(model$brief$columns$order)

adaptive_obstacle <- function(model) {
  if (order_kind(model$brief) %in% c("date", "time", "number", "count")) return(NULL)
  list(
    what = sprintf(
      "The order column %s is of the kind `%s`, which does not say how far apart rows are in time.",
      quoted(model$brief$columns$order), order_kind(model$brief)
    ),
    try = "Order the rows by a date, a time or a number."
  )
}

# The gap in the unit of `when`.
adaptive_gap <- function(b) {
  gap <- b[["hold_out"]]$gap
  if (!has_gap(b[["hold_out"]])) return(0)
  like <- switch(order_kind(b), date = as.Date(0, "1970-01-01"), time = as.POSIXct(0, "UTC", "1970-01-01"), 0)
  duration_in(gap, like, b$columns$order, "hold_out.gap")
}

# The history of a model is what its bounds rest on: list(when, observed, predictions, weight) of rows that no network
# learned from and whose outcome is known, the earliest first: calibration rows, or out-of-fold rows of an ensemble;
# test rows; and later ones, which adapt() brings in.
#
# Of very many the latest do, since scores of long ago say nothing of now. The part `without` is left out.
history_of <- function(model, without = NULL) {
  parts <- setdiff(c("test", "later"), without)
  each <- drop_nulls(c(list(conformal_rows(model)), lapply(parts, evaluated_in_part, model = model)))
  if (length(each) == 0) return(NULL)
  rows <- bind_evaluated(lapply(each, `[`, history_fields), 1)
  rows_of_each(rows, utils::tail(order(rows$when), most_history))
}

history_fields <- c("when", "key", "observed", "predictions", "weight")

most_history <- 20000

# By what a row is known again: its time, key, outcome and prediction, as far as every processor gives it. Keys that are
# row numbers of a table say nothing.
facts_of_rows <- function(rows) {
  observed <- if (is.data.frame(rows$observed)) do.call(paste, rows$observed) else rows$observed
  key <- ifelse(grepl("^[0-9]+$", rows$key), "", rows$key)
  paste(rows$when, key, observed, signif(as.numeric(as.matrix(rows$predictions[, ncol(rows$predictions)])), 5))
}

# By target the bound in the unit of the scores for rows that come now.
adaptive_bounds_now <- function(model, level, scale) {
  rows <- history_of(model)
  gap <- adaptive_gap(model$brief)
  vapply(seq_along(target_in(model)$columns), function(i) {
    score <- conformal_scores(scale, observed_of(rows, i), rows$predictions, i)
    adaptive_bounds(score, rows$when, level, gap)$now
  }, 0)
}

# The score of each row of a class; NA for those of others, since each class goes by its own rows as in
# conformal_sets().
class_scores <- function(rows, class) {
  ifelse(rows$observed == class, 1 - rows$predictions[[paste0("probability_", class)]], NA)
}

adaptive_class_bounds <- function(model, level) {
  gap <- adaptive_gap(model$brief)
  rows <- history_of(model)
  vapply(target_in(model)$classes, function(class) {
    own <- rows$observed == class
    adaptive_bounds(class_scores(rows, class)[own], rows$when[own], level, gap)$now
  }, 0)
}

# ---- new rows -----------------------------------------------------------------------------------------------------

# `low` and `high` by target of rows of a working table; `predictions` are those that are given out.
intervals_at <- function(model, table, predictions, level) {
  target <- target_in(model)
  if (!predicts_by_fold(model)) return(conformal_intervals(model, predictions, level))
  by_fold <- predictions_by_fold(model$predictor, table)
  scale <- conformal_scale(model)
  lapply(seq_along(target$columns), function(i) {
    fold_interval(scale, evaluated_in_part(model, "out_of_fold"), by_fold, i, level)
  })
}

# The classes inside; `plain` are the network's own predictions.
sets_at <- function(model, table, plain, level) {
  classes <- target_in(model)$classes
  if (!predicts_by_fold(model)) return(conformal_sets(model, plain, level))
  by_fold <- predictions_by_fold(model$predictor, table)
  inside <- fold_sets(classes, evaluated_in_part(model, "out_of_fold"), by_fold, level)
  inside[is.na(plain$prediction), ] <- NA
  inside
}

# What evaluated rows keep of them: a data frame along the rows.
fold_ends <- function(model, table, level) {
  if (has_classes(target_in(model))) {
    return(as.data.frame(sets_at(model, table, predictions_of(model$predictor, table), level), optional = TRUE))
  }
  ends <- intervals_at(model, table, NULL, level)
  named <- function(i) stats::setNames(as.data.frame(ends[[i]]), paste0(c("low_", "high_"), i))
  do.call(cbind, lapply(seq_along(ends), named))
}

ends_by_target <- function(ends) {
  lapply(seq_len(ncol(ends) / 2), function(i) list(low = ends[[2 * i - 1]], high = ends[[2 * i]]))
}

# ---- evaluated rows --------------------------------------------------------------------------------------------------

# Rows as a model evaluates them, with the ends or sets of an ensemble's folds, which can't be had from predictions
# alone.

evaluated_by_model <- function(model, table, rows) {
  evaluated <- evaluated_rows(model$predictor, roles_of(model), table, rows, model$linear)
  if (predicts_by_fold(model)) evaluated$fold_ends <- fold_ends(model, table, coverage_level)
  evaluated
}

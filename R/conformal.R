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
  b <- model$brief
  if (identical(b[["hold_out"]]$by, "ordered") || !is.null(b$columns$order)) {
    what <- "The rows are ordered in time (by %s), so intervals from earlier rows promise nothing about later ones."
    hint <- "Where time plays no part, leave the order out of the brief: set_columns(order = NULL)."
    return(list(what = sprintf(what, quoted(b$columns$order)), try = hint))
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
  is.null(evaluated_in_part(model, "calibration")) && !is.null(evaluated_in_part(model, "out_of_fold")) &&
    is.null(conformal_obstacle(model, coverage_level))
}

# So many rows or groups are the fewest of which one can be the outermost by chance often enough.
calibration_needed <- function(level) ceiling(level / (1 - level) - 1e-9)  # 0.9 / 0.1 is a little more than 9

# Why sets and intervals hold everything, NULL where they don't.
too_few_groups <- function(rows, level) {
  if (is.null(rows$group)) return(NULL)
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
conformal_sets <- function(classes, rows, predictions, level) {
  bounds <- vapply(classes, function(class) {
    own <- rows$observed == class
    if (!any(own)) return(Inf)
    scores <- 1 - rows$predictions[own, paste0("probability_", class)]
    conformal_bound(scores, rows$weight[own], level, rows$group[own])
  }, 0)
  inside <- 1 - as.matrix(predictions[-1]) <= rep(bounds, each = nrow(predictions))
  dimnames(inside) <- list(NULL, classes)
  inside
}

set_predictions <- function(classes, inside, predictions) {
  text <- apply(inside, 1, function(row) if (anyNA(row)) NA_character_ else paste(classes[row], collapse = " | "))
  flags <- stats::setNames(as.data.frame(inside), paste0("in_", classes))
  cbind(predictions["prediction"], data.frame(set = text), flags)
}

# ---- whether the promise holds ------------------------------------------------------------------------------------

coverage_level <- 0.9

# How often intervals or sets at 90 % hold what was observed, for each target or class; NULL where there are none.
covered <- function(model, evaluated, resampling) {
  if (!is.null(conformal_obstacle(model, coverage_level))) return(NULL)
  rows <- conformal_rows(model)
  if (!is.null(too_few_groups(rows, coverage_level))) return(NULL)
  folds <- predicts_by_fold(model)
  if (folds && is.null(evaluated$fold_ends)) return(NULL)
  target <- target_in(model)
  coverage <- if (has_classes(target)) {
    inside <- if (folds) as.matrix(evaluated$fold_ends) else {
      conformal_sets(target$classes, rows, evaluated$network, coverage_level)
    }
    covered_classes(target, unname(inside), evaluated, resampling)
  } else {
    ends <- if (folds) ends_by_target(evaluated$fold_ends) else {
      conformal_intervals(model, evaluated$predictions, coverage_level)
    }
    covered_numbers(target, ends, evaluated, resampling)
  }
  coverage$proven <- NA
  if (folds && has_theorem(model)) {
    coverage$proven <- proven_coverage(coverage_level, fewest_units(rows, target), length(unique(rows$fold)))
  }
  coverage
}

# Whether what is proven of cross-validation ensembles is proven of this model: where the labels chose how much each
# wiring counts, where the unit of a count's errors is learned of the same rows, where rows belong to groups or have
# weights, and after refit() no theorem says so.
has_theorem <- function(model) {
  b <- model$brief
  unit <- task_of(target_in(model))$error_scale(target_in(model))
  !identical(unit, "count") && b$wiring != "auto" && is.null(model$refitted) && is.null(b$columns$group) &&
    is.null(b$columns$weight)
}

covered_numbers <- function(target, ends, evaluated, resampling) {
  each <- lapply(seq_along(ends), function(i) {
    y <- observed_of(evaluated, i)
    low <- ends[[i]]$low
    high <- ends[[i]]$high
    width <- weighted_mean(high - low, evaluated$weight)
    coverage_row(target$columns[i], y >= low & y <= high, evaluated$weight, width, resampling)
  })
  do.call(rbind, each)
}

# How many rows, or groups, the promise rests on: for sets those of the rarest class.
fewest_units <- function(rows, target) {
  unit <- if (is.null(rows$group)) rows$key else units_of_groups(rows$group)
  if (!has_classes(target)) return(length(unique(unit)))
  min(vapply(target$classes, function(class) length(unique(unit[rows$observed == class])), 0L))
}

covered_classes <- function(target, inside, evaluated, resampling) {
  classes <- target$classes
  hit <- inside[cbind(seq_along(evaluated$observed), match(evaluated$observed, classes))]
  size <- rowSums(inside)
  each <- lapply(intersect(classes, evaluated$observed), function(class) {
    own <- evaluated$observed == class
    own_size <- weighted_mean(size[own], evaluated$weight[own])
    coverage_row(class, hit, evaluated$weight * own, own_size, resampling)
  })
  all <- coverage_row("all", hit, evaluated$weight, weighted_mean(size, evaluated$weight), resampling)
  do.call(rbind, c(list(all), each))
}

coverage_row <- function(of, hit, weight, size, resampling) {
  sums <- unit_sums(cbind(hit * weight, weight), resampling$unit, max(resampling$unit))
  ends <- share_interval(sums[, 1, drop = FALSE], sums[, 2, drop = FALSE], resampling$level, resampling$plain)[1, ]
  data.frame(
    of = of, wanted = coverage_level, held = weighted_mean(hit, weight), low = ends[["low"]], high = ends[["high"]],
    size = size
  )
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
  if (!predicts_by_fold(model)) return(conformal_sets(classes, conformal_rows(model), plain, level))
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

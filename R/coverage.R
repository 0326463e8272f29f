# Whether intervals and sets hold what they promise, measured on evaluated rows.

# How often intervals or sets at 90 % hold what was observed, for each target or class; NULL where there are none.
covered <- function(model, evaluated, part, resampling) {
  if (!is.null(conformal_obstacle(model, coverage_level))) return(NULL)
  if (in_time(model)) return(covered_in_time(model, evaluated, part, resampling))
  rows <- conformal_rows(model)
  if (!is.null(too_few_groups(model, coverage_level))) return(NULL)
  folds <- predicts_by_fold(model)
  if (folds && is.null(evaluated$fold_ends)) return(NULL)
  target <- target_in(model)
  coverage <- if (has_classes(target)) {
    inside <- if (folds) as.matrix(evaluated$fold_ends) else {
      conformal_sets(model, evaluated$network, coverage_level)
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
  held <- held_by(ends, evaluated)
  each <- lapply(seq_along(ends), function(i) {
    width <- ends[[i]]$high - ends[[i]]$low
    # of rows that are promised something
    finite <- is.finite(width)
    mean <- if (any(finite)) weighted_mean(width[finite], evaluated$weight[finite]) else Inf
    coverage_row(target$columns[i], held[, i], evaluated$weight, mean, resampling)
  })
  do.call(rbind, each)
}

# By row and target whether the interval holds what was observed.
held_by <- function(ends, evaluated) {
  held <- vapply(seq_along(ends), function(i) {
    y <- observed_of(evaluated, i)
    y >= ends[[i]]$low & y <= ends[[i]]$high
  }, logical(length(evaluated$weight)))
  matrix(held, length(evaluated$weight))
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

# ---- in order of time -----------------------------------------------------------------------------------------------

# How often intervals or sets hold where rows are in order of time: of the evaluated rows as they would have been
# predicted one after another, each with the outcomes known by then.
covered_in_time <- function(model, evaluated, part, resampling) {
  if (is.null(evaluated$when)) return(NULL)
  target <- target_in(model)
  replayed <- replayed_rows(model, evaluated, part)
  if (has_classes(target)) {
    inside <- sets_in_time(model, replayed)
    coverage <- covered_classes(target, inside, evaluated, resampling)
    held <- cbind(inside[cbind(seq_along(evaluated$observed), match(evaluated$observed, target$classes))])
  } else {
    ends <- ends_in_time(model, replayed)
    coverage <- covered_numbers(target, ends, evaluated, resampling)
    held <- held_by(ends, evaluated)
  }
  coverage$proven <- NA
  structure(coverage, held = held)
}

# The history of a model and the rows that are evaluated as one series: list(rows, at), the rows in order of time and
# where the evaluated ones stand in it. Scores are made of the network's own predictions, not of recalibrated ones.
replayed_rows <- function(model, evaluated, part) {
  own <- evaluated[history_fields]
  if (!is.null(evaluated$network)) own$predictions <- evaluated$network
  history <- history_of(model, without = part)
  if (is.null(history)) return(list(rows = rows_of_each(own, order(own$when)), at = order(order(own$when))))
  both <- bind_evaluated(list(rows_of_each(history, !facts_of_rows(history) %in% facts_of_rows(own)), own), 1)
  order <- order(both$when)
  list(rows = rows_of_each(both, order), at = utils::tail(order(order), length(own$when)))
}

# `low` and `high` of the evaluated rows by target.
ends_in_time <- function(model, replayed) {
  rows <- replayed$rows
  scale <- conformal_scale(model)
  lapply(seq_along(target_in(model)$columns), function(i) {
    score <- conformal_scores(scale, observed_of(rows, i), rows$predictions, i)
    bound <- adaptive_bounds(score, rows$when, coverage_level, adaptive_gap(model$brief))$bound
    lapply(conformal_ends(scale, rows$predictions, i, bound), `[`, replayed$at)
  })
}

# Which classes are in each evaluated row's set.
sets_in_time <- function(model, replayed) {
  rows <- replayed$rows
  inside <- vapply(target_in(model)$classes, function(class) {
    bound <- adaptive_bounds(class_scores(rows, class), rows$when, coverage_level, adaptive_gap(model$brief))$bound
    (1 - rows$predictions[[paste0("probability_", class)]] <= bound)[replayed$at]
  }, logical(length(replayed$at)))
  matrix(inside, length(replayed$at))
}

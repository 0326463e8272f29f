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

# ---- in order of time -----------------------------------------------------------------------------------------------

# The evaluated rows as they would have been predicted one after another, each with the outcomes known by then: whether
# their interval held, and how wide it was, by target. Rows before them are the history.
held_in_time <- function(model, evaluated, before, level) {
  target <- target_in(model)
  gap <- adaptive_gap(model$brief)
  history <- if (length(before)) sorted_history(before)
  order <- order(evaluated$when)
  own <- rows_of_each(evaluated[c("when", "observed", "predictions", "weight")], order)
  n <- length(order)
  # predictions of an appraisal may be recalibrated; scores are made of the network's own
  if (!is.null(evaluated$network)) own$predictions <- evaluated$network[order, , drop = FALSE]
  both <- if (is.null(history)) own else bind_evaluated(list(history, own), 1)
  last <- length(both$when) - n + seq_len(n)
  if (has_classes(target)) return(sets_in_time(target, both, last, level, gap, order))
  scale <- conformal_scale(model)
  lapply(seq_along(target$columns), function(i) {
    score <- conformal_scores(scale, observed_of(both, i), both$predictions, i)
    path <- adaptive_bounds(score, both$when, level, gap)
    ends <- conformal_ends(scale, own$predictions, i, path$bound[last])
    y <- observed_of(own, i)
    back <- order(order)
    list(held = (y >= ends$low & y <= ends$high)[back], size = (ends$high - ends$low)[back])
  })
}

# Which classes are in each row's set.
sets_in_time <- function(target, both, last, level, gap, order) {
  inside <- vapply(target$classes, function(class) {
    bound <- adaptive_bounds(class_scores(both, class), both$when, level, gap)$bound[last]
    1 - both$predictions[[paste0("probability_", class)]][last] <= bound
  }, logical(length(last)))
  list(matrix(inside, length(last))[order(order), , drop = FALSE])
}

# How often intervals or sets at 90 % hold, as covered() says it of rows without an order.
covered_in_time <- function(model, evaluated, rows, resampling) {
  if (is.null(evaluated$when)) return(NULL)
  held <- conformal_rows(model)
  before <- drop_nulls(list(held, if (rows == "new") evaluated_in_part(model, "test"), if (rows == "new") {
    evaluated_in_part(model, "later")
  }))
  before <- lapply(before, function(part) {
    earlier <- part$when < min(evaluated$when)
    if (any(earlier)) rows_of_each(part, earlier)
  })
  before <- drop_nulls(before)
  path <- held_in_time(model, evaluated, before, coverage_level)
  target <- target_in(model)
  coverage <- if (has_classes(target)) {
    covered_classes(target, path[[1]], evaluated, resampling)
  } else {
    each <- lapply(seq_along(path), function(i) {
      finite <- is.finite(path[[i]]$size)
      width <- if (any(finite)) weighted_mean(path[[i]]$size[finite], evaluated$weight[finite]) else Inf
      coverage_row(target$columns[i], path[[i]]$held, evaluated$weight, width, resampling)
    })
    do.call(rbind, each)
  }
  coverage$proven <- NA
  structure(coverage, held = if (has_classes(target)) {
    path[[1]][cbind(seq_along(evaluated$observed), match(evaluated$observed, target$classes))]
  } else {
    path[[1]]$held
  })
}

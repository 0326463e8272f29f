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
  type_number(0, 1, open_low = TRUE, open_high = TRUE)(level, "level")
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
  rows <- judged_in_part(model, "calibration")
  if (is.null(rows)) {
    what <- "The model has no calibration rows, from which intervals are made."
    return(list(what = what, try = "Hold some out and train again: hold_out(calibration = 0.15)."))
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

# How far off an answer is, in a unit in which all rows are alike (the task's `error_scale`): the error itself; its
# logarithm's for answers above 0 whose error grows with them; the error over the standard deviation of a count.
# Quantiles: how far outside of the outer two (Romano, Patterson and Candes 2019).
conformal_scores <- function(scale, observed, answers, i) {
  answer <- answers[[i]]
  switch(scale,
    quantiles = pmax(answers[[2]] - observed, observed - answers[[ncol(answers)]]),
    log = abs(log(observed) - log(answer)),
    count = abs(observed - answer) / count_spread(answer),
    plain = abs(observed - answer)
  )
}

count_spread <- function(answer) sqrt(pmax(answer, 0.1))

conformal_ends <- function(scale, answers, i, bound) {
  answer <- answers[[i]]
  switch(scale,
    # a bound below 0 draws them together, at most to the point where they meet
    quantiles = uncrossed(answers[[2]] - bound, answers[[ncol(answers)]] + bound),
    log = list(low = answer * exp(-bound), high = answer * exp(bound)),
    count = whole_numbers_within(answer, bound * count_spread(answer)),
    plain = list(low = answer - bound, high = answer + bound)
  )
}

whole_numbers_within <- function(answer, reach) {
  low <- pmax(ceiling(answer - reach), 0)
  high <- pmax(floor(answer + reach), 0)
  # where no whole number is as near, the nearest one
  none <- low > high
  list(low = ifelse(none, round(answer), low), high = ifelse(none, round(answer), high))
}

uncrossed <- function(low, high) list(low = pmin(low, high), high = pmax(low, high))

# `low` and `high` of each target, a list by target; `rows` are the calibration rows.
conformal_intervals <- function(target, rows, answers, level) {
  scale <- task_of(target)$error_scale(target)
  lapply(seq_along(target$columns), function(i) {
    scores <- conformal_scores(scale, observed_of(rows, i), rows$answers, i)
    conformal_ends(scale, answers, i, conformal_bound(scores, rows$weight, level, rows$group))
  })
}

interval_answers <- function(target, rows, answers, level) {
  ends <- conformal_intervals(target, rows, answers, level)
  columns <- lapply(seq_along(ends), function(i) {
    names <- c("answer", "low", "high")
    if (length(ends) > 1) names <- paste0(names, "_", target$columns[i])
    stats::setNames(data.frame(answers[[i]], ends[[i]]$low, ends[[i]]$high), names)
  })
  do.call(cbind, columns)
}

# ---- classes ------------------------------------------------------------------------------------------------------

# The classes whose probability is not lower than is usual for rows of that class: each class's own rows decide, so
# that rare classes are held as often as common ones (label-conditional: Vovk 2013; Sadinle, Lei and Wasserman 2019). A
# logical matrix. A class with too few calibration rows is in every set.
conformal_sets <- function(classes, rows, answers, level) {
  bounds <- vapply(classes, function(class) {
    own <- rows$observed == class
    if (!any(own)) return(Inf)
    scores <- 1 - rows$answers[own, paste0("probability_", class)]
    conformal_bound(scores, rows$weight[own], level, rows$group[own])
  }, 0)
  inside <- 1 - as.matrix(answers[-1]) <= rep(bounds, each = nrow(answers))
  dimnames(inside) <- list(NULL, classes)
  inside
}

# `plain` are the network's own answers, `answers` those that are given out.
set_answers <- function(classes, rows, plain, answers, level) {
  inside <- conformal_sets(classes, rows, plain, level)
  text <- apply(inside, 1, function(row) if (anyNA(row)) NA_character_ else paste(classes[row], collapse = " | "))
  flags <- stats::setNames(as.data.frame(inside), paste0("in_", classes))
  cbind(answers["answer"], data.frame(set = text), flags)
}

# ---- whether the promise holds ------------------------------------------------------------------------------------

coverage_level <- 0.9

# How often intervals or sets at 90 % hold what was observed, for each target or class; NULL where there are none.
covered <- function(model, judged, resampling) {
  if (!is.null(conformal_obstacle(model, coverage_level))) return(NULL)
  if (!is.null(too_few_groups(judged_in_part(model, "calibration"), coverage_level))) return(NULL)
  target <- target_in(model)
  cover <- if (has_classes(target)) covered_classes else covered_numbers
  cover(target, judged_in_part(model, "calibration"), judged, resampling)
}

covered_numbers <- function(target, rows, judged, resampling) {
  ends <- conformal_intervals(target, rows, judged$answers, coverage_level)
  each <- lapply(seq_along(ends), function(i) {
    y <- observed_of(judged, i)
    low <- ends[[i]]$low
    high <- ends[[i]]$high
    width <- weighted_mean(high - low, judged$weight)
    coverage_row(target$columns[i], y >= low & y <= high, judged$weight, width, resampling)
  })
  do.call(rbind, each)
}

covered_classes <- function(target, rows, judged, resampling) {
  classes <- target$classes
  inside <- conformal_sets(classes, rows, judged$network, coverage_level)
  hit <- inside[cbind(seq_along(judged$observed), match(judged$observed, classes))]
  size <- rowSums(inside)
  each <- lapply(intersect(classes, judged$observed), function(class) {
    own <- judged$observed == class
    own_size <- weighted_mean(size[own], judged$weight[own])
    coverage_row(class, hit, judged$weight * own, own_size, resampling)
  })
  all <- coverage_row("all", hit, judged$weight, weighted_mean(size, judged$weight), resampling)
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

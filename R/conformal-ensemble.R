# Conformal intervals and sets of a cross-validation ensemble: each out-of-fold row has its score from the network that
# had not seen it, and that network's prediction for a new row is what the score is put about. Of numbers the interval
# holds with a probability of at least 1 - 2 (1 - level), less a little for each part (CV+: Barber, Candes, Ramdas and
# Tibshirani 2021, Theorem 4), of classes the set by the same bound (cross-conformal: Vovk 2015; Vovk, Nouretdinov,
# Manokhin and Gammerman 2018); in practice about `level`.

# The level at which an appraisal measures how often intervals and sets hold.
coverage_level <- 0.9

# So many rows or groups are the fewest of which one can be the outermost by chance often enough.
calibration_needed <- function(level) ceiling(level / (1 - level) - 1e-9)  # 0.9 / 0.1 is a little more than 9

# What share of new rows is proven to be held, of `folds` parts of `n` rows in all.
proven_coverage <- function(level, n, folds) {
  alpha <- 1 - level
  slack <- min(2 * (1 - 1 / folds) / (n / folds + 1), (1 - folds / n) / (folds + 1))
  max(0, 1 - 2 * alpha - slack)
}

# Scores of the out-of-fold rows, by fold: sorted, with the weight that is at or above each. Where rows belong to
# groups each group counts as one.
fold_scores <- function(score, fold, weight, group) {
  new <- mean(weight)
  if (!is.null(group)) {
    weight <- weight / stats::ave(weight, units_of_groups(group), FUN = sum)
    new <- 1
  }
  by_fold <- lapply(split(seq_along(score), fold), function(rows) {
    rows <- rows[order(score[rows])]
    list(score = score[rows], above = c(rev(cumsum(rev(weight[rows]))), 0))
  })
  list(folds = by_fold, total = sum(weight), new = new)
}

# The weight of the scores that are at least `bound`, a number for each of many rows and a list by fold.
weight_above <- function(scores, bounds) {
  above <- function(own, bound) own$above[findInterval(bound, own$score, left.open = TRUE) + 1]
  Reduce(`+`, Map(above, scores$folds, bounds))
}

# ---- numbers ------------------------------------------------------------------------------------------------------

# `low` and `high` of the i-th target at new rows, which each fold's networks predict in `by_fold`.
fold_interval <- function(scale, rows, by_fold, i, level) {
  scores <- fold_scores(
    conformal_scores(scale, observed_of(rows, i), rows$predictions, i), rows$fold, rows$weight, rows$group
  )
  n <- nrow(by_fold[[1]])
  if (level * (scores$total + scores$new) > scores$total + 1e-9) {
    return(list(low = rep(if (scale$unit %in% c("log", "count")) 0 else -Inf, n), high = rep(Inf, n)))
  }
  widest <- max(vapply(scores$folds, function(own) max(own$score), 0))
  ends <- lapply(by_fold, function(predictions) smooth_ends(scale, predictions, i, widest))
  outer_low <- do.call(pmin, lapply(ends, `[[`, "low"))
  outer_high <- do.call(pmax, lapply(ends, `[[`, "high"))
  # the end at which the scores that reach as far have no more weight than may lie beyond
  allowed <- scores$total - (level * (scores$total + scores$new) - 1e-9)
  beyond <- function(side) function(end) {
    bounds <- lapply(by_fold, function(predictions) score_of_end(scale, predictions, i, end, side))
    weight_above(scores, bounds) > allowed
  }
  low <- bisected(beyond("low"), outer_low, outer_high)
  whole_ends(list(low = low, high = bisected(beyond("high"), outer_high, outer_low)), scale)
}

# As conformal_ends(), but not yet rounded to counts.
smooth_ends <- function(scale, predictions, i, bound) {
  if (scale$unit != "count") return(conformal_ends(scale, predictions, i, bound))
  reach <- bound * count_spread(predictions[[i]], scale$dispersion)
  list(low = predictions[[i]] - reach, high = predictions[[i]] + reach)
}

# The score of an observation at this end.
score_of_end <- function(scale, predictions, i, end, side) {
  sign <- if (side == "low") -1 else 1
  prediction <- predictions[[i]]
  switch(scale$unit,
    quantiles = if (side == "low") predictions[[2]] - end else end - predictions[[ncol(predictions)]],
    log = sign * (log(pmax(end, 1e-300)) - log(prediction)),
    count = sign * (end - prediction) / count_spread(prediction, scale$dispersion),
    plain = sign * (end - prediction)
  )
}

whole_ends <- function(ends, scale) {
  if (scale$unit == "quantiles") return(uncrossed(ends$low, ends$high))
  if (scale$unit != "count") return(ends)
  list(low = pmax(ceiling(ends$low - 1e-9), 0), high = pmax(floor(ends$high + 1e-9), 0))
}

# Between `inside`, where it holds, and `outside`, where it doesn't, for many rows at once; the last place on the outer
# side, to 1e-12 of the distance.
bisected <- function(holds, outside, inside) {
  for (step in 1:40) {
    middle <- (outside + inside) / 2
    within <- holds(middle)
    inside[which(within)] <- middle[which(within)]
    outside[which(!within)] <- middle[which(!within)]
  }
  outside
}

# ---- classes ------------------------------------------------------------------------------------------------------

# The classes at whose rows as low a probability is not unusual, each by its own rows: a logical matrix.
fold_sets <- function(classes, rows, by_fold, level) {
  n <- nrow(by_fold[[1]])
  inside <- vapply(classes, function(class) {
    own <- rows$observed == class
    if (!any(own)) return(rep(TRUE, n))
    name <- paste0("probability_", class)
    fold <- factor(rows$fold[own], names(by_fold))
    scores <- fold_scores(1 - rows$predictions[[name]][own], rows$fold[own], rows$weight[own], rows$group[own])
    known <- by_fold[levels(droplevels(fold))]
    as_high <- weight_above(scores, lapply(known, function(predictions) 1 - predictions[[name]]))
    (as_high + scores$new) / (scores$total + scores$new) > 1 - level + 1e-12
  }, logical(n))
  matrix(inside, n, dimnames = list(NULL, classes))
}

# ---- of a predictor -----------------------------------------------------------------------------------------------

# What the networks of each fold predict for rows of a working table, blended as they are.
predictions_by_fold <- function(predictor, table) {
  folds <- split(seq_along(predictor$members), predictor$folds)
  lapply(folds, function(own) {
    joint_predictions(predictor, predictor$members[own], fold_shares(predictor$shares[own]), table)
  })
}

# ---- scores ----------------------------------------------------------------------------------------------------------

# Conformal scores of numbers, and the ends that a bound on them gives.
#
# A *scale* is list(unit, dispersion): in what unit the errors of all rows are alike (the task's `error_scale`), and of
# counts how much more their variance is than their mean's, see count_spread().

# How far off a prediction is, in a unit in which all rows are alike: the error itself; its logarithm's for predictions
# above 0 whose error grows with them; the error over the standard deviation of a count.
# Quantiles: how far outside of the outer two (Romano, Patterson and Candes 2019).
conformal_scores <- function(scale, observed, predictions, i) {
  prediction <- predictions[[i]]
  switch(scale$unit,
    quantiles = pmax(predictions[[2]] - observed, observed - predictions[[ncol(predictions)]]),
    log = abs(log(observed) - log(prediction)),
    count = abs(observed - prediction) / count_spread(prediction, scale$dispersion),
    plain = abs(observed - prediction)
  )
}

# A count's standard deviation about its mean: by Poisson where the dispersion is 0; where zeros abound or rows differ
# by what no column tells, the variance grows with the mean's square (the negative binomial's: Cameron and Trivedi
# 2013).
count_spread <- function(prediction, dispersion) sqrt(pmax(prediction, 0.1) + dispersion * prediction^2)

conformal_ends <- function(scale, predictions, i, bound) {
  prediction <- predictions[[i]]
  switch(scale$unit,
    # a bound below 0 draws them together, at most to the point where they meet
    quantiles = uncrossed(predictions[[2]] - bound, predictions[[ncol(predictions)]] + bound),
    log = list(low = prediction * exp(-bound), high = prediction * exp(bound)),
    count = whole_numbers_within(prediction, bound * count_spread(prediction, scale$dispersion)),
    plain = list(low = prediction - bound, high = prediction + bound)
  )
}

whole_numbers_within <- function(prediction, reach) {
  low <- pmax(ceiling(prediction - reach), 0)
  high <- pmax(floor(prediction + reach), 0)
  # where no whole number is as near, the nearest one
  none <- low > high
  list(low = ifelse(none, round(prediction), low), high = ifelse(none, round(prediction), high))
}

uncrossed <- function(low, high) list(low = pmin(low, high), high = pmax(low, high))

# Split-conformal prediction (Vovk, Gammerman and Shafer 2005; Lei et al. 2018): intervals and sets that hold the observed
# value in a chosen share of new rows, whatever the network is like, as long as new rows come as the calibration rows did. The
# calibration rows have served for nothing else: not for training, stopping, a threshold or recalibration (sets are made from
# the network's own probabilities).

# The smallest score that covers: counted as if the new row, of average weight, had the largest score of all. Infinite where
# there are too few rows.
conformal_bound <- function(scores, weight, level) {
  order <- order(scores)
  reached <- which(cumsum(weight[order]) >= level * (sum(weight) + mean(weight)) - 1e-9)
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
  if (identical(b$hold_out$by, "ordered") || !is.null(b$columns$order)) {
    return(list(what = sprintf("The rows are ordered in time (by %s), so intervals from earlier rows promise nothing about later ones.", quoted(b$columns$order)), try = "Where time plays no part, leave the order out of the brief: set_columns(order = NULL)."))
  }
  rows <- model$judged$calibration
  if (is.null(rows)) return(list(what = "The model has no calibration rows, from which intervals are made.", try = "Hold some out and train again: hold_out(calibration = 0.15)."))
  needed <- ceiling(level / (1 - level))
  if (b$task != "classification" && length(rows$key) < needed) {
    return(list(what = sprintf("At the level %s at least %s are needed; there are %s.", format_number(level), counted(needed, "calibration row"), format_count(length(rows$key))), try = "Hold out more calibration rows, or take a lower level."))
  }
  NULL
}

# ---- numbers ------------------------------------------------------------------------------------------------------

# How far off an answer is, in a unit in which all rows are alike: the error itself; its logarithm's for answers above 0 whose
# error grows with them; the error over the standard deviation of a count. Quantiles: how far outside of the outer two (Romano,
# Patterson and Candes 2019).
conformal_scale <- function(b) {
  loss <- settled_loss(b)
  if (loss$kind == "quantile" && length(loss$at) > 1) return("quantiles")
  if (b$prepare$target %in% c("log", "log_median") || loss$kind == "gamma") return("log")
  if (b$task == "count") "count" else "plain"
}

conformal_scores <- function(scale, observed, answers, i) {
  answer <- answers[[i]]
  switch(scale,
    quantiles = pmax(answers[[2]] - observed, observed - answers[[ncol(answers)]]), log = abs(log(observed) - log(answer)),
    count = abs(observed - answer) / count_spread(answer), plain = abs(observed - answer)
  )
}

count_spread <- function(answer) sqrt(pmax(answer, 0.1))

conformal_ends <- function(scale, answers, i, bound) {
  answer <- answers[[i]]
  switch(scale,
    quantiles = list(low = answers[[2]] - bound, high = answers[[ncol(answers)]] + bound),
    log = list(low = answer * exp(-bound), high = answer * exp(bound)),
    # the whole numbers within
    count = list(low = pmax(ceiling(answer - bound * count_spread(answer)), 0), high = pmax(floor(answer + bound * count_spread(answer)), 0)),
    plain = list(low = answer - bound, high = answer + bound)
  )
}

# `low` and `high` of each target, a list by target.
conformal_intervals <- function(model, answers, level) {
  b <- model$brief
  rows <- model$judged$calibration
  scale <- conformal_scale(b)
  lapply(seq_along(b$target), function(i) {
    bound <- conformal_bound(conformal_scores(scale, observed_of(rows, i), rows$answers, i), rows$weight, level)
    conformal_ends(scale, answers, i, bound)
  })
}

interval_answers <- function(model, answers, level) {
  ends <- conformal_intervals(model, answers, level)
  several <- length(ends) > 1
  columns <- lapply(seq_along(ends), function(i) {
    names <- c("answer", "low", "high")
    stats::setNames(data.frame(answers[[i]], ends[[i]]$low, ends[[i]]$high), if (several) paste0(names, "_", model$brief$target[i]) else names)
  })
  do.call(cbind, columns)
}

# ---- classes ------------------------------------------------------------------------------------------------------

# The classes whose probability is not lower than is usual for rows of that class: each class's own rows decide, so that rare
# classes are held as often as common ones (label-conditional: Vovk 2013; Sadinle, Lei and Wasserman 2019). A logical matrix.
# A class with too few calibration rows is in every set.
conformal_sets <- function(model, answers, level) {
  rows <- model$judged$calibration
  classes <- model$brief$classes
  bounds <- vapply(classes, function(class) {
    own <- rows$observed == class
    if (!any(own)) return(Inf)
    conformal_bound(1 - rows$answers[own, paste0("probability_", class)], rows$weight[own], level)
  }, 0)
  inside <- 1 - as.matrix(answers[-1]) <= rep(bounds, each = nrow(answers))
  dimnames(inside) <- list(NULL, classes)
  inside
}

# `plain` are the network's own answers, `answers` those that are given out.
set_answers <- function(model, plain, answers, level) {
  inside <- conformal_sets(model, plain, level)
  classes <- colnames(inside)
  text <- apply(inside, 1, function(row) if (anyNA(row)) NA_character_ else paste(classes[row], collapse = " | "))
  names <- paste0("in_", classes)
  cbind(answers["answer"], data.frame(set = text), stats::setNames(as.data.frame(inside), names))
}

# ---- whether the promise holds ------------------------------------------------------------------------------------

coverage_level <- 0.9

# How often intervals or sets at 90 % hold what was observed, for each target or class; NULL where there are none.
covered <- function(model, judged, level, plain, unit) {
  if (!is.null(conformal_obstacle(model, coverage_level))) return(NULL)
  b <- model$brief
  share <- function(hit, weight) {
    sums <- unit_sums(cbind(hit * weight, weight), unit, max(unit))
    share_interval(sums[, 1, drop = FALSE], sums[, 2, drop = FALSE], level, plain)[1, ]
  }
  row <- function(of, hit, weight, size) {
    ends <- share(hit, weight)
    data.frame(of = of, wanted = coverage_level, held = weighted_mean(hit, weight), low = ends[["low"]], high = ends[["high"]], size = size)
  }
  if (b$task != "classification") {
    ends <- conformal_intervals(model, judged$answers, coverage_level)
    each <- lapply(seq_along(ends), function(i) {
      y <- observed_of(judged, i)
      row(b$target[i], y >= ends[[i]]$low & y <= ends[[i]]$high, judged$weight, weighted_mean(ends[[i]]$high - ends[[i]]$low, judged$weight))
    })
    return(do.call(rbind, each))
  }
  inside <- conformal_sets(model, judged$network, coverage_level)
  hit <- inside[cbind(seq_along(judged$observed), match(judged$observed, b$classes))]
  size <- rowSums(inside)
  each <- lapply(intersect(b$classes, judged$observed), function(class) {
    own <- judged$observed == class
    row(class, hit, judged$weight * own, weighted_mean(size[own], judged$weight[own]))
  })
  do.call(rbind, c(list(row("all", hit, judged$weight, weighted_mean(size, judged$weight))), each))
}

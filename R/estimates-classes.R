# Estimates of classes.

# How classes are evaluated: their names, the places that curves and calibration are about (the positive one of two; at
# most 20 of the commonest ones), whether they are ordered, and what wrong predictions cost.
how_classes <- function(classes, positive, share, ordered = FALSE, costs = NULL) {
  looked_at <- if (length(classes) == 2) match(positive, classes) else sort(utils::head(order(-share[classes]), 20))
  list(classes = classes, looked_at = looked_at, ordered = ordered, costs = costs)
}

area_measures <- function(how) {
  if (length(how$classes) == 2) return(c(roc = "AUC", precision = "average precision"))
  c(roc = "mean AUC", precision = "mean average precision")
}

class_estimates <- function(how, evaluated, predictions, unit, resampling = NULL) {
  probability <- as.matrix(predictions[-1])
  dimnames(probability) <- NULL
  prediction <- match(predictions$prediction, how$classes)
  observed <- match(evaluated$observed, how$classes)
  bins <- bins_of(probability, how$looked_at)
  tallies <- class_tallies(observed, prediction, probability, evaluated$weight, unit, bins, how$ordered, how$costs)
  areas <- class_areas(observed, probability, evaluated$weight, how$looked_at, unit)
  measures <- function(t) class_measures(t, how$ordered)
  named <- unname(area_measures(how))
  k <- length(how$classes)
  line <- if (k == 2) estimated_line(how, observed, probability, evaluated$weight, unit, resampling)
  list(
    values = c(measures(total_sums(tallies))[1, ], stats::setNames(areas$mean, named), line$values), tallies = tallies,
    measures = measures, influence = cbind(structure(areas$influence, dimnames = list(NULL, named)), line$influence),
    ends = if (!is.null(resampling)) {
      c(class_ends(
        how, tallies, areas, evaluated$weight, cells_of(list(observed, prediction), evaluated$weight, k), resampling
      ), line$ends)
    } else {
      list()
    },
    prediction = prediction,
    apart = function(other, resampling) {
      if (k > most_joint) return(list())
      joint <- cells_of(list(observed, prediction, other$prediction), evaluated$weight, k)
      if (!at_an_end(tallies) && !at_an_end(other$tallies) && tells_apart(joint)) return(list())
      drawn_differences(joint, tallies, other, resampling)
    },
    areas = areas
  )
}

# The calibration line of the positive class of two.
estimated_line <- function(how, observed, probability, weight, unit, resampling) {
  is_class <- observed == how$looked_at
  line <- calibration_line(probability[, how$looked_at], is_class, weight)
  line$influence <- unit_sums(line$influence, unit, max(unit))
  if (!is.null(resampling)) {
    smaller <- min(sum(is_class), sum(!is_class))
    half <- student_half(line$influence, resampling$level, smaller, 2)
    line$ends <- Map(function(value, half) c(low = value - half, high = value + half), line$values, half)
  }
  line
}

class_ends <- function(how, tallies, areas, weight, confusion, resampling) {
  own <- colSums(tallies$observed)[how$looked_at]
  sides <- c(own, sum(weight) - own)
  smaller <- if (any(sides > 0)) min(sides[sides > 0]) else 0
  kinds <- area_measures(how)
  ends <- lapply(names(kinds), function(kind) {
    area_interval(areas$mean[[kind]], influence_error(areas$influence[, kind]), resampling$level, smaller)
  })
  names(ends) <- kinds
  right <- matrix(rowSums(tallies$hit))
  ends$accuracy <- share_interval(right, tallies$weight, resampling$level, resampling$plain)[1, ]
  ends[["balanced accuracy"]] <- mean_recall_interval(tallies, resampling)
  if (length(how$classes) > most_joint) return(utils::modifyList(ends, centred_ends(tallies, resampling)))
  if (at_an_end(tallies)) ends <- utils::modifyList(ends, drawn_shares_ends(tallies, confusion, resampling))
  ends
}

# Of many classes with few rows each every draw of the rows leaves some out, so that measures over the classes are lower
# in nearly all of them: the spread of the draws is put about the value.
centred_ends <- function(tallies, resampling) {
  value <- measures_of_predictions(total_sums(tallies))[1, shares_over_classes]
  drawn <- measures_of_predictions(drawn_sums(resampling$counts, tallies))[, shares_over_classes]
  tail <- (1 - resampling$level) / 2
  lapply(stats::setNames(nm = shares_over_classes), function(m) {
    ends <- value[[m]] + stats::quantile(drawn[, m] - mean(drawn[, m]), c(tail, 1 - tail), names = FALSE, na.rm = TRUE)
    c(low = max(ends[1], -1), high = min(ends[2], 1))
  })
}

# The mean of the classes' recalls, from their own Wilson limits (Zou and Donner 2008): the classes' rows are apart, and
# a recall of 0 or 1 has an uncertainty that no draw of the rows shows.
mean_recall_interval <- function(tallies, resampling) {
  recall <- drop(class_recall(total_sums(tallies)))
  ends <- share_interval(tallies$hit, tallies$observed, resampling$level, resampling$plain)
  there <- !is.na(recall)
  k <- sum(there)
  middle <- mean(recall[there])
  below <- sqrt(sum((recall - ends[, "low"])[there]^2)) / k
  above <- sqrt(sum((ends[, "high"] - recall)[there]^2)) / k
  c(low = max(middle - below, 0), high = min(middle + above, 1))
}

# Whether a class is found always or never: draws of the rows then all say the same of it.
at_an_end <- function(tallies) {
  t <- total_sums(tallies)
  any(t$observed > 0 & (t$hit == 0 | t$hit == t$observed))
}

# The weight of the rows by their places in several lists of classes.
cells_of <- function(places, weight, k) {
  cells <- tapply(weight, lapply(places, factor, seq_len(k)), sum, default = 0)
  dimnames(cells) <- NULL
  cells
}

# Shares of the cells of a confusion matrix, or of two at once, a row a draw: a Dirichlet distribution with the counts
# of the rows, or of as many independent ones as tell as much, and as much besides for every cell as makes one row a
# class (Perks 1947).
drawn_cells <- function(cells, tallies, resampling) {
  right <- matrix(rowSums(tallies$hit))
  rows <- if (resampling$plain) sum(cells) else effective_rows(right, tallies$weight)
  alpha <- as.vector(cells) / sum(cells) * rows + nrow(cells) / length(cells)
  draws <- ncol(resampling$counts)
  place <- matrix(uniform(draws * length(cells), resampling$seed, "cells"), draws)
  drawn <- stats::qgamma(pmin(pmax(place, 1e-9), 1 - 1e-9), rep(alpha, each = draws))
  drawn / rowSums(drawn)
}

# Tallies of draws: `observed` and `prediction` are the places of each cell.
tallies_of_cells <- function(drawn, observed, prediction, k) {
  sums <- function(of) vapply(seq_len(k), function(i) rowSums(drawn[, of == i, drop = FALSE]), numeric(nrow(drawn)))
  list(
    weight = matrix(1, nrow(drawn)), hit = sums(ifelse(observed == prediction, observed, 0)), observed = sums(observed),
    predicted = sums(prediction)
  )
}

# The middle of draws, stretched to hold the value itself.
ends_of_draws <- function(drawn, value, level) {
  tail <- (1 - level) / 2
  ends <- stats::quantile(drawn, c(tail, 1 - tail), names = FALSE)
  c(low = min(ends[1], value), high = max(ends[2], value))
}

# Kappa, the correlation and F1, where a class is found always or never.
drawn_shares_ends <- function(tallies, confusion, resampling) {
  k <- nrow(confusion)
  drawn <- drawn_cells(confusion, tallies, resampling)
  measures <- measures_of_predictions(tallies_of_cells(drawn, as.vector(row(confusion)), as.vector(col(confusion)), k))
  value <- measures_of_predictions(total_sums(tallies))[1, ]
  lapply(stats::setNames(nm = shares_over_classes), function(m) {
    ends_of_draws(measures[, m], value[[m]], resampling$level)
  })
}

# Of so many classes what two networks predict is drawn together.
most_joint <- 6

# Whether each class has rows enough that one of two networks finds and the other doesn't: draws of the rows show no
# spread of a difference that hangs on none.
tells_apart <- function(joint) {
  at <- arrayInd(seq_along(joint), dim(joint))
  one_only <- (at[, 1] == at[, 2]) != (at[, 1] == at[, 3])
  found <- vapply(seq_len(dim(joint)[1]), function(i) sum(joint[one_only & at[, 1] == i]), 0)
  there <- vapply(seq_len(dim(joint)[1]), function(i) sum(joint[at[, 1] == i]), 0) > 0
  all(found[there] >= 5)
}

# Differences of what is had of the predictions; `joint` has the observed class, the own and the other's prediction.
drawn_differences <- function(joint, tallies, other, resampling) {
  k <- dim(joint)[1]
  at <- arrayInd(seq_along(joint), dim(joint))
  drawn <- drawn_cells(joint, tallies, resampling)
  of <- function(prediction) measures_of_predictions(tallies_of_cells(drawn, at[, 1], at[, prediction], k))
  apart <- of(2) - of(3)
  value <- measures_of_predictions(total_sums(tallies))[1, ] - measures_of_predictions(total_sums(other$tallies))[1, ]
  lapply(stats::setNames(nm = names(value)), function(m) ends_of_draws(apart[, m], value[[m]], resampling$level))
}

# What one prediction and one set of probabilities for all rows come to.
constant_class_measures <- function(how, evaluated, prediction, share) {
  n <- length(evaluated$weight)
  probability <- matrix(share[how$classes], n, length(how$classes), byrow = TRUE)
  observed <- match(evaluated$observed, how$classes)
  always <- rep(match(prediction, how$classes), n)
  one_bin <- list(place = how$looked_at, of = matrix(1L, n, length(how$looked_at)))
  t <- class_tallies(observed, always, probability, evaluated$weight, rep(1L, n), one_bin, how$ordered, how$costs)
  occurring <- drop(t$observed)[how$looked_at] / drop(t$weight)
  # every row has the same score, so all of them are taken or none
  areas <- c(0.5, mean(occurring[occurring > 0 & occurring < 1]))
  measures <- class_measures(t, how$ordered)[1, ]
  if (!is.null(how$costs)) measures[["mean cost"]] <- cheapest_cost(how, share, observed, evaluated$weight)
  c(measures, stats::setNames(areas, unname(area_measures(how))), if (length(how$classes) == 2) {
    calibration_line(probability[, how$looked_at], observed == how$looked_at, evaluated$weight)$values
  })
}

# The mean cost of always predicting the class that is cheapest where classes come in these shares.
cheapest_cost <- function(how, share, observed, weight) {
  cheapest <- which.min(drop(share[how$classes] %*% how$costs))
  weighted_mean(how$costs[cbind(observed, cheapest)], weight)
}

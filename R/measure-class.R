# Measures of classification. They are functions of tallies: a list of matrices with one row for each set of rows that
# is evaluated (all of them, a bootstrap draw, all but one unit), so that one formula serves the value and its interval.
# weight    total weight of the rows hit       weight of the rows of each class (column) that are predicted with it
# observed, predicted weight of the rows that are, and are predicted, each class loss, brier, cost, steps, squared_steps
# weighted sums over the rows excess    weighted sums of (observed - probability) by class and bin of its probability

# `observed` and `prediction` are places among the classes, `probability` has one column a class; `unit` is the row of
# the tallies that a row counts in; `bin` its bin by each class's probability, see bins_of().
class_tallies <- function(observed, prediction, probability, weight, unit, bin = NULL, ordered = FALSE, costs = NULL) {
  k <- ncol(probability)
  units <- max(unit)
  hit <- observed == prediction
  sums <- unit_sums(cbind(
    weight = weight, loss = weight * row_cross_entropy(observed, probability),
    brier = weight * row_brier(observed, probability),
    cost = if (!is.null(costs)) weight * costs[cbind(observed, prediction)],
    steps = if (ordered) weight * abs(observed - prediction),
    squared_steps = if (ordered) weight * (observed - prediction)^2
  ), unit, units)
  tallies <- lapply(stats::setNames(nm = colnames(sums)), function(what) sums[, what, drop = FALSE])
  tallies$hit <- code_sums(observed, weight * hit, unit, units, k)
  tallies$observed <- code_sums(observed, weight, unit, units, k)
  tallies$predicted <- code_sums(prediction, weight, unit, units, k)
  if (!is.null(bin)) {
    tallies$excess <- do.call(cbind, lapply(seq_along(bin$place), function(j) {
      place <- bin$place[j]
      code_sums(bin$of[, j], weight * ((observed == place) - probability[, place]), unit, units, calibration_bins)
    }))
  }
  tallies
}

confusion_matrix <- function(observed, prediction, weight, classes) {
  counts <- tapply(weight, list(factor(observed, classes), factor(prediction, classes)), sum, default = 0)
  dimnames(counts) <- list(observed = classes, prediction = classes)
  counts
}

accuracy <- function(t) rowSums(t$hit) / drop(t$weight)

class_recall <- function(t) share_of(t$hit, t$observed)
class_precision <- function(t) share_of(t$hit, t$predicted)

# The share of the other classes' rows that are not predicted with this one.
class_specificity <- function(t) {
  total <- drop(t$weight)
  share_of(total - t$observed - t$predicted + t$hit, total - t$observed)
}

# The harmonic mean of precision and recall.
class_f1 <- function(t) share_of(2 * t$hit, t$observed + t$predicted)

# The mean recall of the classes that occur: 1 / (number of classes) for whoever always says the same.
balanced_accuracy <- function(t) rowMeans(class_recall(t), na.rm = TRUE)

# The mean F1 of the classes that occur, each alike or by its rows.
macro_f1 <- function(t) {
  f1 <- class_f1(t)
  f1[t$observed <= 0] <- NA
  rowMeans(f1, na.rm = TRUE)
}

weighted_f1 <- function(t) rowSums(class_f1(t) * t$observed, na.rm = TRUE) / drop(t$weight)

# Agreement beyond chance (Cohen 1960); with `ordered` disagreements weigh by the squared distance of the classes (Cohen
# 1968). 0 where only chance can agree.
cohen_kappa <- function(t, ordered = FALSE) {
  total <- drop(t$weight)
  place <- seq_len(ncol(t$observed))
  if (ordered) {
    wrong <- drop(t$squared_steps)
    # the sum of observed_i predicted_j (i - j)^2
    squares <- drop(t$observed %*% place^2 + t$predicted %*% place^2)
    by_chance <- squares - 2 * drop(t$observed %*% place) * drop(t$predicted %*% place) / total
  } else {
    wrong <- total - rowSums(t$hit)
    by_chance <- total - rowSums(t$observed * t$predicted) / total
  }
  ifelse(by_chance <= 1e-12 * total, 0, 1 - wrong / by_chance)
}

# Correlation of observed and predicted classes (Matthews 1975; for several classes Gorodkin 2004); 0 where one of them
# does not vary.
matthews <- function(t) {
  n <- drop(t$weight)
  spread <- sqrt(pmax(n^2 - rowSums(t$observed^2), 0)) * sqrt(pmax(n^2 - rowSums(t$predicted^2), 0))
  ifelse(spread <= 1e-12 * n^2, 0, (n * rowSums(t$hit) - rowSums(t$observed * t$predicted)) / spread)
}

# Mean distance of the predicted from the observed class, in steps of their order.
mean_rank_error <- function(t) drop(t$steps / t$weight)

# Mean of -log(probability of the observed class), in natural units. A probability of 0 counts as the smallest that
# single precision can hold apart from it, so that one such row doesn't make the mean infinite.
row_cross_entropy <- function(observed, probability) {
  -log(pmax(probability[cbind(seq_along(observed), observed)], 2^-126))
}

# Squared distance of the probabilities from what was observed, over all classes (Brier 1950): from 0 to 2.
row_brier <- function(observed, probability) {
  own <- probability[cbind(seq_along(observed), observed)]
  rowSums(probability^2) - 2 * own + 1
}

# How far the share of a class lies from its mean probability, over bins that hold a tenth of the rows each (Naeini,
# Cooper and Hauskrecht 2015, with equal counts); the mean over the classes that are looked at.
calibration_error <- function(t) rowSums(abs(t$excess)) / as.numeric(t$weight) / (ncol(t$excess) / calibration_bins)

# The measures of the predictions and the probabilities, a matrix with one row for each of the tallies.
class_measures <- function(t, ordered = FALSE) {
  cbind(
    accuracy = accuracy(t), "balanced accuracy" = balanced_accuracy(t), "Cohen's kappa" = cohen_kappa(t),
    "Matthews correlation" = matthews(t), "macro F1" = macro_f1(t), "weighted F1" = weighted_f1(t),
    "weighted kappa" = if (ordered) cohen_kappa(t, ordered = TRUE), "mean rank error" = if (ordered) mean_rank_error(t),
    "mean cost" = if (!is.null(t$cost)) drop(t$cost / t$weight), "cross-entropy" = drop(t$loss / t$weight),
    "Brier score" = drop(t$brier / t$weight), "calibration error" = calibration_error(t)
  )
}

# ---- bins of a probability ----------------------------------------------------------------------------------------

calibration_bins <- 10

# Each row's bin among tenths of the rows by a class's probability, one column of `of` for each place among the classes
# that is looked at; equal probabilities are in one bin.
bins_of <- function(probability, place) {
  bins <- vapply(place, function(j) tenth_of(probability[, j]), integer(nrow(probability)))
  list(place = place, of = matrix(bins, nrow(probability)))
}

# Of very many rows the ends of the tenths are those of an even choice of them.
tenth_of <- function(p) {
  seen <- if (length(p) > 1e5) p[round(seq(1, length(p), length.out = 1e5))] else p
  ends <- unique(stats::quantile(seen, seq_len(calibration_bins - 1) / calibration_bins, names = FALSE, type = 1))
  findInterval(p, ends, left.open = TRUE) + 1L
}

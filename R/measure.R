# Areas below the curves over all thresholds of a class's probability, each with its influence function: how much every
# row moves it. The variance of an area is the sum over units of the squared influence of their rows, and two areas
# over the same rows are compared by the difference of theirs.

# The rows in falling order of their score, those of one score taken together: `last` are the ends of these ties in
# that order, `of` and `others` the weights at or above each, `tied_of` and `tied_others` those of the tie itself,
# `tie` the place of each row's tie.
ranked_scores <- function(score, is_class, weight) {
  order <- order(score, decreasing = TRUE, method = "radix")
  n <- length(order)
  of <- cumsum((weight * is_class)[order])
  others <- cumsum((weight * !is_class)[order])
  if (n == 0 || of[n] == 0 || others[n] == 0) return(NULL)
  sorted <- score[order]
  last <- which(c(sorted[-1] != sorted[-n], TRUE))
  tie <- integer(n)
  tie[order] <- rep(seq_along(last), diff(c(0L, last)))
  list(
    score = sorted[last], of = of[last], others = others[last], tied_of = diff(c(0, of[last])),
    tied_others = diff(c(0, others[last])), tie = tie
  )
}

# The chance that a row of the class has a higher score than one that is not of it, ties counting half (Hanley and
# McNeil 1982), with the placements of DeLong, DeLong and Clarke-Pearson (1988) as influence. NULL without rows of
# both.
roc_area <- function(ranked, is_class, weight) {
  of <- ranked$of[length(ranked$of)]
  others <- ranked$others[length(ranked$others)]
  beaten <- 1 - (ranked$others - ranked$tied_others / 2) / others   # share of the others below each score
  beating <- (ranked$of - ranked$tied_of / 2) / of                  # share of the class above each score
  area <- sum(ranked$tied_of * beaten) / of
  small <- function(rows) sqrt(rows / max(rows - 1, 1))                    # their variances divide by m - 1
  m <- sum(is_class)
  for_class <- (beaten - area) / of * small(m)
  for_others <- (beating - area) / others * small(length(is_class) - m)
  list(value = area, influence = weight * chosen(is_class, for_class, for_others, ranked$tie))
}

# For each row the value of its tie, among those for rows of the class or those for others.
chosen <- function(is_class, of, others, tie) c(others, of)[tie + is_class * length(others)]

# Average precision: the mean over the rows of the class of the precision among the rows at or above them, which is the
# area below the curve of precision against recall without interpolation (Boyd, Eng and Page 2013).
precision_area <- function(ranked, is_class, weight) {
  of <- ranked$of[length(ranked$of)]
  taken <- ranked$of + ranked$others
  precision <- ifelse(taken > 0, ranked$of / taken, 0)
  taken <- pmax(taken, .Machine$double.xmin)  # the highest scores may have no weight
  area <- sum(ranked$tied_of * precision) / of
  from_here <- function(x) rev(cumsum(rev(x)))
  gain <- precision + from_here(ranked$tied_of * ranked$others / taken^2) - area
  loss <- -from_here(ranked$tied_of * ranked$of / taken^2)
  list(value = area, influence = weight * chosen(is_class, gain / of, loss / of, ranked$tie))
}

# Both areas for the chosen classes against the rest, NA for those without rows of both kinds; `mean` is over the
# classes that have one. Errors are standard errors; influences are summed by unit.
class_areas <- function(observed, probability, weight, place, unit) {
  units <- max(unit)
  zero <- numeric(length(observed))
  total <- list(roc = zero, precision = zero)
  value <- matrix(NA_real_, length(place), 2, dimnames = list(NULL, c("roc", "precision")))
  error <- value
  for (i in seq_along(place)) {
    is_class <- observed == place[i]
    ranked <- ranked_scores(probability[, place[i]], is_class, weight)
    if (is.null(ranked)) next
    areas <- list(roc = roc_area(ranked, is_class, weight), precision = precision_area(ranked, is_class, weight))
    for (kind in names(areas)) {
      value[i, kind] <- areas[[kind]]$value
      error[i, kind] <- influence_error(unit_sums(cbind(areas[[kind]]$influence), unit, units))
      total[[kind]] <- total[[kind]] + areas[[kind]]$influence
    }
  }
  known <- sum(!is.na(value[, "roc"]))
  influence <- unit_sums(cbind(roc = total$roc, precision = total$precision) / max(known, 1), unit, units)
  list(
    by_class = value, error = error,
    mean = colMeans(value, na.rm = TRUE), influence = influence
  )
}

# ---- which way is better ---------------------------------------------------------------------------------------------

# Which way measures are better, and which of them people evaluate by.

#' @include loss.R
NULL

# What is better when it is larger, and when it is smaller.
measures_that_rise <- c(
  "accuracy", "balanced accuracy", "Cohen's kappa", "Matthews correlation", "macro F1", "weighted F1", "weighted kappa",
  "AUC", "mean AUC", "average precision", "mean average precision", "R\u00b2", "explained variance"
)
measures_that_fall <- c(
  "cross-entropy", "Brier score", "calibration error", "mean cost", "mean rank error", "RMSE", "MAE",
  "median absolute error", deviance_measures
)

# Those by which people evaluate a network, whatever it was trained for.
telling_measures <- c(
  "accuracy", "balanced accuracy", "AUC", "mean AUC", "cross-entropy", deviance_measures, "RMSE", "MAE"
)

# ---- classes ---------------------------------------------------------------------------------------------------------

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

# The share of the rows predicted otherwise that are of other classes.
class_negative_predictive_value <- function(t) {
  total <- drop(t$weight)
  share_of(total - t$observed - t$predicted + t$hit, total - t$predicted)
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

# Those that follow from the predicted classes alone.
measures_of_predictions <- function(t) {
  cbind(
    accuracy = accuracy(t), "balanced accuracy" = balanced_accuracy(t), "Cohen's kappa" = cohen_kappa(t),
    "Matthews correlation" = matthews(t), "macro F1" = macro_f1(t), "weighted F1" = weighted_f1(t)
  )
}

# Of these, what is not a plain share of rows: its interval comes from draws of the confusion matrix's cells.
shares_over_classes <- c("Cohen's kappa", "Matthews correlation", "macro F1", "weighted F1")

# The measures of the predictions and the probabilities, a matrix with one row for each of the tallies.
class_measures <- function(t, ordered = FALSE) {
  cbind(
    measures_of_predictions(t), "weighted kappa" = if (ordered) cohen_kappa(t, ordered = TRUE),
    "mean rank error" = if (ordered) mean_rank_error(t),
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

# ---- the calibration line --------------------------------------------------------------------------------------------

calibration_line_measures <- c("calibration intercept", "calibration slope")

# How the log-odds of a class depend on those that its probabilities name (Cox 1958). The intercept is that of a line of
# slope 1: 0 where the probabilities are right in the mean, above it where they are too low (Van Calster et al. 2019).
# The slope is below 1 where they are too extreme. Each with its influence by row, that of the estimating equations.
# NA where rows of one kind only, or whose order the probabilities know exactly, leave a line without an end.
calibration_line <- function(p, is_class, weight) {
  x <- log_odds(p)
  moved <- newton_logistic(matrix(1, length(x)), is_class, weight, offset = x)
  line <- if (any(x != x[1])) newton_logistic(cbind(1, x), is_class, weight)
  none <- list(values = NA_real_, influence = matrix(NA_real_, length(x)))
  moved <- moved %||% none
  line <- if (is.null(line)) none else list(values = line$values[2], influence = line$influence[, 2, drop = FALSE])
  list(
    values = stats::setNames(c(moved$values, line$values), calibration_line_measures),
    influence = structure(
      cbind(moved$influence, line$influence), dimnames = list(NULL, calibration_line_measures)
    )
  )
}

log_odds <- function(p) stats::qlogis(pmin(pmax(p, 1e-12), 1 - 1e-12))

# Logistic regression on the few columns of x by Newton's method: the coefficients and their influence by row. NULL
# where it has no end.
newton_logistic <- function(x, y, weight, offset = 0) {
  coefficients <- numeric(ncol(x))
  if (sum(weight[y]) <= 0 || sum(weight[!y]) <= 0) return(NULL)
  for (step in 1:60) {
    p <- stats::plogis(drop(x %*% coefficients) + offset)
    residuals <- weight * (y - p)
    information <- crossprod(x, x * (weight * p * (1 - p)))
    bread <- tryCatch(chol2inv(chol(information)), error = function(e) NULL)
    if (is.null(bread)) return(NULL)
    move <- drop(bread %*% crossprod(x, residuals))
    # log-odds move by 5 at most; where no line ends they go on moving
    along <- max(abs(x %*% move))
    coefficients <- coefficients + move / max(1, along / 5)
    if (along < 1e-10) return(list(values = coefficients, influence = (x * residuals) %*% bread))
  }
  NULL
}

# ---- numbers ---------------------------------------------------------------------------------------------------------

# Measures of regression and counts. Like those of classes they are functions of tallies: a matrix of weighted sums
# with one row for each set of rows that is evaluated.

# `centre` is taken off the observed values, so that their spread keeps its digits; `quantiles` are predicted quantiles
# with one column for each of the shares `at`; `deviance` is list(measure, row), its name and what it is of a row.
number_tallies <- function(observed, prediction, weight, unit, centre, quantiles = NULL, at = NULL,
                           deviance = NULL) {
  error <- prediction - observed
  y <- observed - centre
  columns <- cbind(
    weight = 1, y = y, yy = y^2, error = error, squared = error^2, absolute = abs(error), observed = abs(observed),
    relative = abs(error) / abs(observed), deviance = if (!is.null(deviance)) deviance$row(observed, prediction)
  )
  if (!is.null(quantiles)) {
    of_quantiles <- cbind(pinball(observed, quantiles, at), observed <= quantiles)
    colnames(of_quantiles) <- c(paste0("pinball_", seq_along(at)), paste0("below_", seq_along(at)))
    columns <- cbind(columns, of_quantiles)
  }
  unit_sums(columns * weight, unit, max(unit))
}

mean_of <- function(t, what) t[, what] / t[, "weight"]

# The mean squared distance of the observed values from their own mean.
variance_of <- function(t) pmax(mean_of(t, "yy") - mean_of(t, "y")^2, 0)

# 1 - squared error over the squared distance from the evaluated rows' own mean.
r_squared <- function(t) 1 - share_of(mean_of(t, "squared"), variance_of(t))

# 1 - variance of the error over that of the observed values: R2 for whoever takes the bias off.
explained_variance <- function(t) 1 - share_of(mean_of(t, "squared") - mean_of(t, "error")^2, variance_of(t))

# Mean of |error| / |observed|; NA where an observed value is 0, because it then has no meaning.
mean_relative_error <- function(t) ifelse(is.finite(t[, "relative"]), mean_of(t, "relative"), NA_real_)

# Sum of |error| over the sum of |observed|, which stays sane near zero.
relative_mean_error <- function(t) share_of(t[, "absolute"], t[, "observed"])

# The measures, a matrix with one row for each of the tallies.
number_measures <- function(t, deviance = NULL, at = NULL) {
  mse <- mean_of(t, "squared")
  measures <- cbind(
    RMSE = sqrt(mse), MAE = mean_of(t, "absolute"), "R\u00b2" = r_squared(t),
    "mean relative error" = mean_relative_error(t),
    "relative mean error" = relative_mean_error(t), "mean bias" = mean_of(t, "error"),
    "explained variance" = explained_variance(t), MSE = mse
  )
  if (!is.null(deviance)) {
    measures <- cbind(measures, mean_of(t, "deviance"))
    colnames(measures)[ncol(measures)] <- deviance$measure
  }
  if (length(at) == 0) return(measures)
  of_quantiles <- lapply(seq_along(at), function(i) {
    cbind(mean_of(t, paste0("pinball_", i)), mean_of(t, paste0("below_", i)))
  })
  of_quantiles <- do.call(cbind, of_quantiles)
  colnames(of_quantiles) <- quantile_measures(at)
  cbind(measures, of_quantiles)
}

quantile_measures <- function(at) {
  shares <- format_each(at)
  as.vector(rbind(paste("quantile loss", shares), paste("share below quantile", shares)))
}

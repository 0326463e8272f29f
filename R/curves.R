#' What share of rows belongs to a class where a probability is named
#'
#' The rows are put into tenths by the class's probability; in each, the mean probability stands beside the share of
#' rows that are of the class. Where the two agree, the probabilities are right.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes; of two the positive one, else all, one after another.
#' @param smooth `TRUE` for a smooth curve in place of the tenths: a logistic regression of the class on a natural cubic
#'   spline of the log-odds (Austin and Steyerberg 2014), with three knots where the class and the others have at least
#'   20 rows each, up to seven for 500, and none (the line of the calibration slope) below 20.
#' @return A data frame of `class`, `bin`, `rows`, `probability` (their mean), `observed` (the share that is of the
#'   class) and its Wilson interval `low` to `high` at the appraisal's level. Rows of one probability are in one bin.
#'   Case weights count. With `smooth`, of `class`, `probability` (100 between the first and last hundredth of the
#'   rows), `observed`, and the band `low` to `high`, which is for each probability by itself; where rows belong to
#'   groups, it is about groups. A class whose rows the curve has no end for is left out.
#' @references Austin and Steyerberg (2014) \doi{10.1002/sim.5941}.
#' @section Errors: An appraisal of numbers; a class that is not there.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' calibration_curve(appraise(model))
#' @export
calibration_curve <- function(appraisal, class = NULL, smooth = FALSE) {
  check_flag(smooth, "smooth")
  chosen <- classes_to_draw(appraisal, class, "A calibration curve")
  evaluated <- appraisal$evaluated
  of <- if (smooth) smooth_calibration_of else calibration_bins_of
  curves <- lapply(chosen, function(one) {
    found <- of(appraisal, evaluated[[paste0("probability_", one)]], evaluated$observed == one)
    if (!is.null(found)) cbind(class = one, found)
  })
  do.call(rbind, curves)
}

# NULL where the curve has no end.
smooth_calibration_of <- function(appraisal, p, is_class) {
  x <- log_odds(p)
  weight <- appraisal$weight
  smaller <- min(sum(is_class), sum(!is_class))
  knots <- calibration_knots(x, weight, smaller)
  fit <- newton_logistic(spline_columns(x, knots), is_class, weight)
  if (is.null(fit)) return(NULL)
  ends <- ordered_quantiles(x, weight, c(0.01, 0.99))
  at <- stats::qlogis(seq(stats::plogis(ends[1]), stats::plogis(ends[2]), length.out = 100))
  columns <- spline_columns(at, knots)
  influence <- unit_sums(fit$influence, appraisal$unit, max(appraisal$unit))
  middle <- drop(columns %*% fit$values)
  half <- student_half(influence %*% t(columns), appraisal$level, smaller, ncol(columns))
  data.frame(
    probability = stats::plogis(at), observed = stats::plogis(middle), low = stats::plogis(middle - half),
    high = stats::plogis(middle + half)
  )
}

calibration_knots <- function(x, weight, smaller) {
  # so many as the class and the others have 20, 50, 150 and 500 rows each, where Harrell (2015) puts them
  count <- c(0, 3, 4, 5, 7)[findInterval(smaller, c(20, 50, 150, 500)) + 1]
  edge <- if (count == 3) 0.1 else if (count < 7) 0.05 else 0.025
  knots <- if (count > 0) unique(ordered_quantiles(x, weight, seq(edge, 1 - edge, length.out = count)))
  if (length(knots) >= 3) knots
}

# A natural cubic spline, straight beyond its outer knots (Harrell 2015, 2.4.5); a line without knots.
spline_columns <- function(x, knots) {
  k <- length(knots)
  if (k == 0) return(cbind(1, x))
  cubed <- function(knot) pmax(x - knot, 0)^3
  bent <- vapply(seq_len(k - 2), function(j) {
    far <- knots[k] - knots[k - 1]
    (cubed(knots[j]) - cubed(knots[k - 1]) * (knots[k] - knots[j]) / far +
       cubed(knots[k]) * (knots[k - 1] - knots[j]) / far) / (knots[k] - knots[1])^2
  }, numeric(length(x)))
  cbind(1, x, matrix(bent, length(x)))
}

# Mean probability and observed share by tenth of the rows, without empty tenths.
calibration_bins_of <- function(appraisal, p, is_class) {
  weight <- appraisal$weight
  bin <- tenth_of(p)
  rows <- tabulate(bin, calibration_bins)
  bin <- cumsum(rows > 0)[bin]
  bins <- sum(rows > 0)
  sums <- function(value, unit = appraisal$unit) code_sums(bin, value, unit, max(unit), bins)
  whole <- sums(weight)
  part <- sums(weight * is_class)
  plain <- all(weight == 1) && appraisal$units == "rows"
  ends <- share_interval(part, whole, appraisal$level, plain)
  data.frame(
    bin = seq_len(bins), rows = rows[rows > 0],
    probability = drop(sums(weight * p, rep(1L, length(p)))) / colSums(whole),
    observed = colSums(part) / colSums(whole), low = ends[, "low"], high = ends[, "high"]
  )
}

#' A confusion matrix with its shares
#'
#' @param appraisal An appraisal of a classification.
#' @return A data frame with a row for each pair of classes: `observed`, `prediction`, `rows` (counted one by one),
#'   `weight` (case weights added up), and as shares of the weight `of_observed` (of the rows of that class),
#'   `of_predicted` (of those that got the prediction) and `of_all`.
#' @section Errors: An appraisal of numbers.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' confusion_table(appraise(model))
#' @export
confusion_table <- function(appraisal) {
  classes <- classes_to_draw(appraisal, rownames(appraisal$confusion), "A confusion matrix")
  weight <- appraisal$confusion
  evaluated <- appraisal$evaluated
  rows <- confusion_matrix(evaluated$observed, evaluated$prediction, rep(1, nrow(evaluated)), classes)
  data.frame(
    observed = rep(classes, length(classes)), prediction = rep(classes, each = length(classes)),
    rows = as.numeric(rows),
    weight = as.numeric(weight), of_observed = as.numeric(share_of(weight, rowSums(weight)[row(weight)])),
    of_predicted = as.numeric(share_of(weight, colSums(weight)[col(weight)])), of_all = as.numeric(weight / sum(weight))
  )
}

# ---- errors ----------------------------------------------------------------------------------------------------------

#' Errors by size of the target
#'
#' @param appraisal An appraisal of numbers.
#' @param bands How many bands of about equal counts the observed values are cut into.
#' @return A data frame with a row for each band (and `target`, with several): `band`, `rows`, `observed` and
#'   `prediction` (their means), `bias` (prediction less observed), `MAE` and `RMSE`. Case weights count. Among the rows
#'   with the highest observed values a good network predicts too low on average, and too high among the lowest: it
#'   can't know their luck.
#' @section Errors: An appraisal of classes.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> quick() |> train(progress = "none")
#' error_bands(appraise(model))
#' @export
error_bands <- function(appraisal, bands = 5) {
  type_number(2, 100, whole = TRUE)(bands, "bands")
  pairs <- number_pairs(appraisal)
  if (bands == 5) return(appraisal$bands)
  of <- function(part) lapply(pairs, `[[`, part)
  evaluated <- list(
    observed = as.data.frame(of("observed")), predictions = as.data.frame(of("prediction")), weight = appraisal$weight
  )
  bands_by_size(evaluated, appraisal$target, bands)
}

# Observed and predicted values, target by target.
number_pairs <- function(appraisal) {
  if (!inherits(appraisal, "hylomath_appraisal") || predicts_classes(appraisal$task)) {
    fail("Errors are those of an appraisal of numbers.", "For classes see confusion_table().")
  }
  evaluated <- appraisal$evaluated
  several <- length(appraisal$target) > 1
  lapply(appraisal$target, function(target) {
    column <- function(what) evaluated[[if (several) paste0(what, "_", target) else what]]
    list(target = target, observed = column("observed"), prediction = column("prediction"))
  })
}

# ---- thresholds ------------------------------------------------------------------------------------------------------

#' What each threshold of a class's probability finds
#'
#' For each threshold of a class's probability, the rows at or above it: their share of all rows, the share of the class
#' that they find, the share of the other rows among them, and how many of them belong to the class. The curves
#' of receiver operating characteristic (Fawcett 2006), of precision against recall, of gain and of lift are all drawn
#' from these.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes; of two the positive one, else all, one after another.
#' @return A data frame of `class`, `threshold` (falling; infinite in the first row), `taken` (share of all rows),
#'   `recall` (true positive rate), `false_positive_rate`, `precision` and `lift` (precision over the class's share of
#'   all rows; `NA`, both, where no row is taken). Case weights count.
#' @section Errors: An appraisal of numbers; a class that is not there or has no rows.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' head(threshold_curve(appraise(model)))
#' @export
threshold_curve <- function(appraisal, class = NULL) {
  chosen <- classes_to_draw(appraisal, class, "A curve over thresholds")
  evaluated <- appraisal$evaluated
  curves <- lapply(chosen, function(one) {
    probability <- evaluated[[paste0("probability_", one)]]
    points <- threshold_points(ranked_scores(probability, evaluated$observed == one, appraisal$weight))
    if (is.null(points)) {
      if (is.null(class)) return(NULL)
      fail(sprintf("The evaluated rows are all or none of the class %s, so it has no curve.", describe(one)))
    }
    cbind(class = one, points)
  })
  do.call(rbind, curves)
}

classes_to_draw <- function(appraisal, class, what) {
  if (!inherits(appraisal, "hylomath_appraisal") || !predicts_classes(appraisal$task)) {
    fail(sprintf("%s is that of a classification's appraisal.", what), "Give what appraise() returns for one.")
  }
  classes <- rownames(appraisal$confusion)
  chosen <- class %||% if (length(classes) == 2) appraisal$positive else classes
  unknown <- setdiff(chosen, classes)
  if (length(unknown)) fail(sprintf("There is no class %s.", describe(unknown[1])), suggestion(unknown[1], classes))
  chosen
}

threshold_points <- function(ranked) {
  if (is.null(ranked)) return(NULL)
  n <- length(ranked$score)
  of <- c(0, ranked$of)
  others <- c(0, ranked$others)
  all <- of[n + 1] + others[n + 1]
  precision <- c(NA, ranked$of / (ranked$of + ranked$others))
  data.frame(
    threshold = c(Inf, ranked$score), taken = (of + others) / all, recall = of / of[n + 1],
    false_positive_rate = others / others[n + 1], precision = precision, lift = precision / (of[n + 1] / all)
  )
}

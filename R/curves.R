#' What share of rows belongs to a class where a probability is named
#'
#' The rows are put into tenths by the class's probability; in each, the mean probability stands beside the share of
#' rows that are of the class. Where the two agree, the probabilities are right.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The classes; of two the positive one, else all, one after another.
#' @return A data frame of `class`, `bin`, `rows`, `probability` (their mean), `observed` (the share that is of the
#'   class) and its Wilson interval `low` to `high` at the appraisal's level. Rows of one probability are in one bin.
#'   Case weights count.
#' @section Errors: An appraisal of numbers; a class that is not there.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' calibration_curve(appraise(model))
#' @export
calibration_curve <- function(appraisal, class = NULL) {
  chosen <- classes_to_draw(appraisal, class, "A calibration curve")
  evaluated <- appraisal$evaluated
  curves <- lapply(chosen, function(one) {
    cbind(
      class = one, calibration_bins_of(appraisal, evaluated[[paste0("probability_", one)]], evaluated$observed == one)
    )
  })
  do.call(rbind, curves)
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

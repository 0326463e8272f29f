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

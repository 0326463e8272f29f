#' What each threshold of a class's probability finds
#'
#' For each threshold of a class's probability, the rows at or above it: how many of all they are, what share of the
#' class they find, what share of the other rows they take with them, and how many of them are of the class. The curves
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

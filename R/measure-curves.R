# Curves over all thresholds of a class's probability.

#' The ROC curve of an appraisal
#'
#' For each threshold of a class's probability, what share of its rows and of the other rows lie at or above it (Fawcett 2006,
#' "An introduction to ROC analysis"), and how many of those at or above it are of the class.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The class; for two classes the positive one, else all, one after another.
#' @return A data frame of `class`, `threshold` (falling; infinite in the first row), `recall` (true positive rate),
#'   `false_positive_rate` and `precision` (`NA` where no row is taken). Case weights count.
#' @section Errors: An appraisal of numbers; a class that is not there or has no rows.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> train(progress = "none")
#' head(roc_curve(appraise(model)))
#' @export
roc_curve <- function(appraisal, class = NULL) {
  if (!inherits(appraisal, "hylomath_appraisal") || appraisal$task != "classification") {
    fail("An ROC curve is that of a classification's appraisal.", "Give what appraise() returns for one.")
  }
  classes <- rownames(appraisal$confusion)
  chosen <- class %||% if (length(classes) == 2) appraisal$positive else classes
  unknown <- setdiff(chosen, classes)
  if (length(unknown)) fail(sprintf("There is no class %s.", describe(unknown[1])), suggestion(unknown[1], classes))
  judged <- appraisal$judged
  curves <- lapply(chosen, function(one) {
    points <- roc_points(judged[[paste0("probability_", one)]], judged$observed == one, appraisal$weight)
    if (is.null(points)) {
      if (is.null(class)) return(NULL)
      fail(sprintf("The judged rows are all or none of the class %s, so it has no ROC curve.", describe(one)))
    }
    cbind(class = one, points)
  })
  do.call(rbind, curves)
}

# NULL where there are not both rows of the class and others.
roc_points <- function(score, is_class, weight) {
  order <- order(score, decreasing = TRUE)
  of <- cumsum((weight * is_class)[order])
  others <- cumsum((weight * !is_class)[order])
  n <- length(order)
  if (n == 0 || of[n] == 0 || others[n] == 0) return(NULL)
  last <- c(score[order][-1] != score[order][-n], TRUE)  # rows of one score are taken together
  data.frame(
    threshold = c(Inf, score[order][last]), recall = c(0, of[last] / of[n]), false_positive_rate = c(0, others[last] / others[n]),
    precision = c(NA, (of / (of + others))[last])
  )
}

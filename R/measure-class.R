# Measures of classification. `observed` and `answer` are class labels, `probability` is a matrix with one column a
# class, `weight` counts a row as that many rows.

confusion_matrix <- function(observed, answer, weight, classes) {
  counts <- tapply(weight, list(factor(observed, classes), factor(answer, classes)), sum, default = 0)
  dimnames(counts) <- list(observed = classes, answer = classes)
  counts
}

accuracy <- function(confusion) sum(diag(confusion)) / sum(confusion)

# One row a class; a share of nothing is NA. F1 is the harmonic mean of precision and recall.
class_measures <- function(confusion) {
  hit <- diag(confusion)
  recall <- share_of(hit, rowSums(confusion))
  precision <- share_of(hit, colSums(confusion))
  data.frame(
    class = rownames(confusion), support = unname(rowSums(confusion)), recall = recall, precision = precision,
    f1 = unname(share_of(2 * hit, rowSums(confusion) + colSums(confusion))), row.names = NULL
  )
}

share_of <- function(part, whole) unname(ifelse(whole > 0, part / whole, NA_real_))

# The mean recall of the classes that occur: 1 / (number of classes) for whoever always says the same.
balanced_accuracy <- function(confusion) mean(class_measures(confusion)$recall, na.rm = TRUE)

# Mean of -log(probability of the observed class), in natural units. A probability of 0 counts as the smallest that
# single precision can hold apart from it, so that one such row doesn't make the mean infinite.
cross_entropy <- function(observed, probability, weight, classes) {
  p <- probability[cbind(seq_along(observed), match(observed, classes))]
  sum(weight * -log(pmax(p, 2^-126))) / sum(weight)
}

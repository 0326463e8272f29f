# Measures of classification. `observed` and `answer` are class labels, `probability` is a matrix with one column a
# class, `weight` counts a row as that many rows.

confusion_matrix <- function(observed, answer, weight, classes) {
  counts <- tapply(weight, list(factor(observed, classes), factor(answer, classes)), sum, default = 0)
  dimnames(counts) <- list(observed = classes, answer = classes)
  counts
}

accuracy <- function(confusion) sum(diag(confusion)) / sum(confusion)

# One row a class; a share of nothing is NA. F1 is the harmonic mean of precision and recall, specificity the share of the
# other classes' rows that are not answered with this one.
class_measures <- function(confusion) {
  hit <- diag(confusion)
  recall <- share_of(hit, rowSums(confusion))
  precision <- share_of(hit, colSums(confusion))
  data.frame(
    class = rownames(confusion), support = unname(rowSums(confusion)), recall = recall, precision = precision,
    specificity = share_of(sum(confusion) - rowSums(confusion) - colSums(confusion) + hit, sum(confusion) - rowSums(confusion)),
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

# The mean F1 of the classes that occur, each alike or by its rows.
macro_f1 <- function(confusion) mean(class_measures(confusion)$f1[rowSums(confusion) > 0])

weighted_f1 <- function(confusion) {
  m <- class_measures(confusion)
  sum(m$f1 * m$support, na.rm = TRUE) / sum(m$support)
}

# Agreement beyond chance (Cohen 1960); with `ordered` disagreements weigh by the squared distance of the classes (Cohen
# 1968). 0 where only chance can agree.
cohen_kappa <- function(confusion, ordered = FALSE) {
  k <- nrow(confusion)
  cost <- if (ordered) outer(seq_len(k), seq_len(k), function(i, j) (i - j)^2) else 1 - diag(k)
  by_chance <- sum(cost * outer(rowSums(confusion), colSums(confusion))) / sum(confusion)
  if (by_chance == 0) return(0)
  1 - sum(cost * confusion) / by_chance
}

# Correlation of observed and answered classes (Matthews 1975; for several classes Gorodkin 2004); 0 where one of them does
# not vary.
matthews <- function(confusion) {
  n <- sum(confusion)
  observed <- rowSums(confusion)
  answered <- colSums(confusion)
  spread <- sqrt(n^2 - sum(observed^2)) * sqrt(n^2 - sum(answered^2))
  if (spread == 0) return(0)
  (n * sum(diag(confusion)) - sum(observed * answered)) / spread
}

# Mean squared distance of the probabilities from what was observed, over all classes (Brier 1950): from 0 to 2.
brier_score <- function(observed, probability, weight, classes) {
  hit <- outer(observed, classes, `==`) + 0
  sum(weight * rowSums((probability - hit)^2)) / sum(weight)
}

# The chance that a row of the class has a higher score than one that is not of it, ties counting half: the area under the
# ROC curve (Hanley and McNeil 1982). NA where one of them has no rows.
area_under_roc <- function(score, is_class, weight) {
  distinct <- sort(unique(score))
  at <- match(score, distinct)
  total <- function(rows) {
    sums <- numeric(length(distinct))
    found <- rowsum(weight[rows], at[rows])
    sums[as.integer(rownames(found))] <- found
    sums
  }
  of <- total(is_class)
  others <- total(!is_class)
  if (sum(of) == 0 || sum(others) == 0) return(NA_real_)
  sum(of * (cumsum(others) - others / 2)) / (sum(of) * sum(others))
}

# The area for each class against the rest.
areas_by_class <- function(observed, probability, weight, classes) {
  vapply(seq_along(classes), function(j) area_under_roc(probability[, j], observed == classes[j], weight), 0)
}

# Mean distance of the answered from the observed class, in steps of their order.
mean_rank_error <- function(confusion) {
  distance <- abs(row(confusion) - col(confusion))
  sum(distance * confusion) / sum(confusion)
}

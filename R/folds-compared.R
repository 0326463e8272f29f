# Folds side by side: the same rows dealt in the same way, compared fold by fold.

# Student's interval of the mean difference over folds, its standard error corrected for the overlap.
fold_differences <- function(name, folds, first, level) {
  shown <- intersect(c("target", "measure", "value", "low", "high"), names(folds$measures))
  own <- cbind(model = name, folds$measures[shown])
  own[c("difference", "difference_low", "difference_high")] <- NA_real_
  if (identical(folds, first)) return(own)
  label <- measure_labels(own)
  apart <- as.matrix(folds$each[label]) - as.matrix(first$each[label])
  more_learned <- mean(folds$each$training) > mean(first$each$training)
  overlap <- overlap_factor(if (more_learned) folds$each else first$each)
  half <- stats::qt((1 + level) / 2, nrow(apart) - 1) * apply(apart, 2, stats::sd) * overlap
  own$difference <- unname(colMeans(apart))
  own$difference_low <- unname(own$difference - half)
  own$difference_high <- unname(own$difference + half)
  own
}

# Whether two sets of folds judged the same rows, dealt in the same way.
same_folds <- function(a, b) {
  dealt <- c("key", "repeat", "fold")
  identical(a$predictions[dealt], b$predictions[dealt]) &&
    identical(a$pooled$judged$observed, b$pooled$judged$observed)
}

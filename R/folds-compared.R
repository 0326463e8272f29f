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

# What choosing the best of several comes to on folds that had no say in it: each fold is judged by what was best on the
# others, and the mean of these losses is what the chosen one may be expected to have (Tibshirani and Tibshirani 2009;
# Tsamardinos, Greasidou and Borboudakis 2018). `losses` has a row for each choice and a column a fold, `against` is the
# row that the gain is over; folds of one `dealing` share no rows. list(loss, gain), NULL with fewer than three folds.
chosen_by_others <- function(losses, against, dealing = rep(1, ncol(losses))) {
  losses <- losses[rowSums(!is.finite(losses)) == 0, , drop = FALSE]
  if (nrow(losses) < 2 || min(table(dealing)) < 3 || !against %in% rownames(losses)) return(NULL)
  each <- vapply(seq_len(ncol(losses)), function(f) {
    others <- setdiff(which(dealing == dealing[f]), f)
    chosen <- which.min(rowMeans(losses[, others, drop = FALSE]))
    c(loss = losses[chosen, f], gain = losses[against, f] - losses[chosen, f])
  }, numeric(2))
  list(loss = mean(each[1, ]), gain = mean(each[2, ]))
}

# The same in words.
chosen_text <- function(honest, primary, against) {
  if (is.null(honest)) return(NULL)
  what <- if (honest$gain > 0) {
    "Chosen by the other folds each time, the best has a %s of %s on the fold that had no say, %s less than %s"
  } else {
    "Chosen by the other folds each time, the best has a %s of %s on the fold that had no say, %s more than %s"
  }
  sprintf(paste0(what, ": that is what the choice may be expected to gain."), primary, format_measure(honest$loss),
    format_measure(abs(honest$gain)), against
  )
}

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

# Whether two sets of folds have the same evaluated rows, dealt in the same way.
same_folds <- function(a, b) {
  dealt <- c("key", "repeat", "fold")
  identical(a$predictions[dealt], b$predictions[dealt]) &&
    identical(a$pooled$evaluated$observed, b$pooled$evaluated$observed)
}

# What the best of several choices may be expected to gain over one of them that was there from the start. The best is
# the best partly by luck, and the more so the more were tried, be it together, one proposed by the other, or stopped
# early. So its mean difference is drawn to that of all choices, as far as chance alone sets them apart (empirical
# Bayes, which heeds no choosing: Efron 2011, "Tweedie's formula and selection bias"). `losses` has a row a choice and a
# column a fold, NA where a choice was stopped; `overlap` is the ratio of a fold's evaluated rows to those that it
# learns from, by which the means' variance is larger than that of folds apart (Nadeau and Bengio 2003). list(value,
# gain), NULL where the first is the best, and with fewer than three folds.
gain_of_best <- function(losses, against, overlap) {
  means <- rowMeans(losses)
  best <- which.min(means)
  if (ncol(losses) < 3 || !is.finite(means[against]) || best == against) return(NULL)
  apart <- sweep(losses, 2, losses[against, ])[-against, , drop = FALSE]
  folds <- rowSums(is.finite(apart))
  apart <- apart[folds > 0, , drop = FALSE]
  folds <- folds[folds > 0]
  difference <- rowMeans(apart, na.rm = TRUE)
  spread <- sum((apart - difference)^2, na.rm = TRUE) / max(sum(folds - 1), 1)
  likely <- drawn_to_their_middle(difference, spread * (1 / folds + overlap))
  gain <- -likely[match(rownames(losses)[best], rownames(apart))]
  list(value = unname(means[against] - gain), gain = unname(gain))
}

# Estimates with known variances, drawn to their mean as far as their spread is no larger than these make it (restricted
# maximum likelihood of a normal distribution of what they estimate).
drawn_to_their_middle <- function(x, variance) {
  if (!any(variance > 0)) return(x)
  variance <- pmax(variance, 1e-12 * max(variance))
  middle <- function(own) sum(x / (own + variance)) / sum(1 / (own + variance))
  misfit <- function(own) {
    sum(log(own + variance)) + log(sum(1 / (own + variance))) + sum((x - middle(own))^2 / (own + variance))
  }
  most <- 4 * (stats::var(c(x, mean(x))) + max(variance))
  own <- stats::optimize(function(root) misfit(root^2), c(0, sqrt(most)))$minimum^2
  if (misfit(0) <= misfit(own)) own <- 0
  middle(own) + own / (own + variance) * (x - middle(own))
}

# The same in words.
expected_text <- function(expected, primary, against) {
  if (is.null(expected)) return(NULL)
  sprintf(
    "The lowest %s is partly luck. Without it expect about %s, which is %s %s than %s.", primary,
    format_measure(expected$value), format_measure(abs(expected$gain)), if (expected$gain > 0) "lower" else "higher",
    against
  )
}

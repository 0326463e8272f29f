# Areas below the curves over all thresholds of a class's probability, each with its influence function: how much every
# row moves it. The variance of an area is the sum over units of the squared influence of their rows, and two areas
# over the same rows are compared by the difference of theirs.

# The rows in falling order of their score, those of one score taken together: `last` are the ends of these ties in
# that order, `of` and `others` the weights at or above each, `tied_of` and `tied_others` those of the tie itself,
# `tie` the place of each row's tie.
ranked_scores <- function(score, is_class, weight) {
  order <- order(score, decreasing = TRUE, method = "radix")
  n <- length(order)
  of <- cumsum((weight * is_class)[order])
  others <- cumsum((weight * !is_class)[order])
  if (n == 0 || of[n] == 0 || others[n] == 0) return(NULL)
  sorted <- score[order]
  last <- which(c(sorted[-1] != sorted[-n], TRUE))
  tie <- integer(n)
  tie[order] <- rep(seq_along(last), diff(c(0L, last)))
  list(
    score = sorted[last], of = of[last], others = others[last], tied_of = diff(c(0, of[last])),
    tied_others = diff(c(0, others[last])), tie = tie
  )
}

# The chance that a row of the class has a higher score than one that is not of it, ties counting half (Hanley and
# McNeil 1982), with the placements of DeLong, DeLong and Clarke-Pearson (1988) as influence. NULL without rows of
# both.
roc_area <- function(ranked, is_class, weight) {
  of <- ranked$of[length(ranked$of)]
  others <- ranked$others[length(ranked$others)]
  beaten <- 1 - (ranked$others - ranked$tied_others / 2) / others   # share of the others below each score
  beating <- (ranked$of - ranked$tied_of / 2) / of                  # share of the class above each score
  area <- sum(ranked$tied_of * beaten) / of
  small <- function(rows) sqrt(rows / max(rows - 1, 1))                    # their variances divide by m - 1
  m <- sum(is_class)
  for_class <- (beaten - area) / of * small(m)
  for_others <- (beating - area) / others * small(length(is_class) - m)
  list(value = area, influence = weight * chosen(is_class, for_class, for_others, ranked$tie))
}

# For each row the value of its tie, among those for rows of the class or those for others.
chosen <- function(is_class, of, others, tie) c(others, of)[tie + is_class * length(others)]

# Average precision: the mean over the rows of the class of the precision among the rows at or above them, which is the
# area below the curve of precision against recall without interpolation (Boyd, Eng and Page 2013).
precision_area <- function(ranked, is_class, weight) {
  of <- ranked$of[length(ranked$of)]
  taken <- ranked$of + ranked$others
  precision <- ifelse(taken > 0, ranked$of / taken, 0)
  taken <- pmax(taken, .Machine$double.xmin)  # the highest scores may have no weight
  area <- sum(ranked$tied_of * precision) / of
  from_here <- function(x) rev(cumsum(rev(x)))
  gain <- precision + from_here(ranked$tied_of * ranked$others / taken^2) - area
  loss <- -from_here(ranked$tied_of * ranked$of / taken^2)
  list(value = area, influence = weight * chosen(is_class, gain / of, loss / of, ranked$tie))
}

# Both areas for the chosen classes against the rest, NA for those without rows of both kinds; `mean` is over the
# classes that have one. Errors are standard errors; influences are summed by unit.
class_areas <- function(observed, probability, weight, place, unit) {
  units <- max(unit)
  zero <- numeric(length(observed))
  total <- list(roc = zero, precision = zero)
  value <- matrix(NA_real_, length(place), 2, dimnames = list(NULL, c("roc", "precision")))
  error <- value
  for (i in seq_along(place)) {
    is_class <- observed == place[i]
    ranked <- ranked_scores(probability[, place[i]], is_class, weight)
    if (is.null(ranked)) next
    areas <- list(roc = roc_area(ranked, is_class, weight), precision = precision_area(ranked, is_class, weight))
    for (kind in names(areas)) {
      value[i, kind] <- areas[[kind]]$value
      error[i, kind] <- influence_error(unit_sums(cbind(areas[[kind]]$influence), unit, units))
      total[[kind]] <- total[[kind]] + areas[[kind]]$influence
    }
  }
  known <- sum(!is.na(value[, "roc"]))
  influence <- unit_sums(cbind(roc = total$roc, precision = total$precision) / max(known, 1), unit, units)
  list(
    by_class = value, error = error,
    mean = colMeans(value, na.rm = TRUE), influence = influence
  )
}

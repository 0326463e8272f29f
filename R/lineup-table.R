# What line-ups of models and of folds share.

new_lineup <- function(parts) structure(parts, class = "hylomath_lineup")

# The row of the measure that tells most for each of those that are lined up.
main_rows <- function(measures, primary, names) {
  main <- measures[measures$measure == primary, ]
  main <- main[!duplicated(main$model), ]
  data.frame(model = names, main[c("value", "low", "high", "difference", "difference_low", "difference_high")])
}

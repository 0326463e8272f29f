# Measures by subgroup of the evaluated rows.

# For every subgroup the measures of the network with their intervals, beside those of the baseline.
measures_by <- function(context, evaluated, resampling, group) {
  target <- context$target
  context$beside <- list()
  evaluated$linear <- NULL
  each <- lapply(levels(group), function(one) {
    rows <- which(group == one)
    within <- resampling_within(resampling, rows, context$seed)
    found <- task_of(target)$evaluate(context, rows_of_each(evaluated, rows), within)
    shown <- intersect(c("target", "measure", "value", "low", "high", "baseline"), names(found$measures))
    measures <- found$measures[shown]
    if (!is.null(target$positive)) measures <- rbind(measures, positive_measures(target$positive, found$classes))
    cbind(group = one, rows = length(rows), measures)
  })
  do.call(rbind, each)
}

# Recall and precision of the positive class, which accuracy hides.
positive_measures <- function(positive, classes) {
  own <- classes[classes$class == positive, ]
  data.frame(
    measure = sprintf(c("recall of %s", "precision of %s"), positive), value = c(own$recall, own$precision),
    low = c(own$recall_low, own$precision_low), high = c(own$recall_high, own$precision_high), baseline = NA_real_
  )
}

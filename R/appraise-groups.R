# Measures by subgroup of the judged rows.

# For every subgroup the measures of the network with their intervals, beside those of the baseline.
measures_by <- function(model, judged, unit, level, draws, plain, group, by) {
  judge <- if (model$brief$task == "classification") appraise_classes else appraise_numbers
  alone <- model
  alone$judged <- list()
  each <- lapply(levels(group), function(one) {
    rows <- which(group == one)
    part <- lapply(judged[names(judged) != "direct"], function(x) if (is.data.frame(x)) x[rows, , drop = FALSE] else x[rows])
    own <- match(unit[rows], unique(unit[rows]))
    of <- judge(alone, part, own, bootstrap_counts(own, draws, model$brief$regimen$seed), level, plain)
    measures <- of$measures[intersect(c("target", "measure", "value", "low", "high", "baseline"), names(of$measures))]
    if (!is.null(of$classes)) measures <- rbind(measures, positive_measures(model$brief, of$classes))
    cbind(group = one, rows = length(rows), measures)
  })
  do.call(rbind, each)
}

# Recall and precision of the positive class, which accuracy hides.
positive_measures <- function(b, classes) {
  if (is.null(b$positive)) return(NULL)
  own <- classes[classes$class == b$positive, ]
  data.frame(
    measure = sprintf(c("recall of %s", "precision of %s"), b$positive), value = c(own$recall, own$precision), low = c(own$recall_low, own$precision_low),
    high = c(own$recall_high, own$precision_high), baseline = NA_real_
  )
}

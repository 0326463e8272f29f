# Evaluated rows: rows whose target is known, with what an appraisal needs of them. They are a list along the rows:
#   key       the row's id as text, or its number in the table
#   group     its group as text; NULL without groups
#   observed  what was observed: texts, numbers, or a data frame with a column a target
#   weight    its case weight
#   when      the place of its row in time, where a column orders the rows
#   exposure  for counts with one
#   predictions   the network's own predictions, see predictions_of(); judged_now() makes of them those that are given
#   linear    the same of the network without hidden layers; NULL without one
# and, where the table matters, `row`, its number there.

# `table` holds the rows of a working table whose numbers are `rows`; `roles` are the brief's columns by role.
judged_rows <- function(predictor, roles, table, rows, linear = NULL) {
  target <- predictor$target
  role <- function(name) if (!is.null(roles[[name]])) table[[roles[[name]]]]
  id <- role("id")
  group <- role("group")
  weight <- role("weight")
  drop_nulls(list(
    key = if (is.null(id)) as.character(rows) else as_label(id),
    group = if (!is.null(group)) as_label(group),
    observed = task_of(target)$observe(table[target$columns], target),
    weight = if (is.null(weight)) rep(1, nrow(table)) else if (weights_count(roles)) as.numeric(weight) else {
      scaled_importance(as.numeric(weight))
    },
    when = if (!is.null(role("order"))) as.numeric(xtfrm(role("order"))),
    exposure = if (!is.null(target$exposure)) as.numeric(table[[target$exposure]]),
    predictions = predictions_of(predictor, table),
    linear = if (!is.null(linear)) predictions_of(linear, table)
  ))
}

# Evaluated rows with the predictions as they are given out: recalibrated, and by the stored decision.
judged_now <- function(predictor, judged, linear = NULL) {
  judged$network <- judged$predictions
  judged$predictions <- predictions_now(predictor, judged$predictions)
  if (!is.null(judged$linear) && !is.null(linear)) judged$linear <- predictions_now(linear, judged$linear)
  judged
}

# Evaluated rows one by one where their weights count rows, so that whoever looks at them sees what stands in the table
# written out; `copy` numbers those of one row. Every way to evaluated rows leads through here: judged_in_part(),
# judged_in() and new_folds().
one_by_one <- function(judged, columns) {
  if (is.null(judged) || !weights_count(columns) || all(judged$weight == 1)) return(judged)
  places <- counted_places(judged$weight)
  judged <- rows_of_each(judged, places)
  judged$copy <- sequence(rle(places)$lengths)
  judged$weight <- rep(1, length(places))
  judged
}

# Mean losses over evaluated rows by the measure that the network is trained for, as one figure: of several targets the
# mean of their shares of the targets' variances.
mean_loss <- function(predictor, judged) {
  losses <- own_losses(predictor$target, judged, judged$predictions) * judged$weight
  one_loss(predictor, colSums(losses) / sum(judged$weight))
}

# What each row costs by that measure, a column a target.
own_losses <- function(target, judged, predictions) task_of(target)$row_losses(target, judged, predictions)

one_loss <- function(predictor, losses) {
  if (length(losses) == 1) return(loss_measure(primary_measure(predictor$target))(losses))
  mean(losses / predictor$preparation$target$scale^2)
}

# The measure that a network is trained for, by which it is compared with others.
primary_measure <- function(target) task_of(target)$primary(target)

# The measure that a mean of losses comes to.
loss_measure <- function(primary) if (primary == "RMSE") sqrt else identity

# What one_loss() is called.
loss_name <- function(target) {
  if (length(target$columns) > 1) "mean share of the targets' variances" else primary_measure(target)
}

# All evaluated rows as one; a row that is evaluated several times is one row.
bind_judged <- function(parts, repeats) {
  together <- lapply(stats::setNames(nm = names(parts[[1]])), function(name) {
    columns <- lapply(parts, `[[`, name)
    if (is.data.frame(columns[[1]])) do.call(rbind, columns) else unlist(columns)
  })
  together$weight <- together$weight / repeats
  if (repeats > 1 && is.null(together$group)) {
    together$group <- do.call(paste, drop_nulls(together[c("key", "copy")]))
  }
  together
}

# Evaluated rows: rows whose target is known, with what an appraisal needs of them. They are a list along the rows:
#   key       the row's id as text, or its number in the table
#   group     its group as text; NULL without groups
#   observed  what was observed: texts, numbers, or a data frame with a column a target
#   weight    its case weight
#   when      the place of its row in time, where a column orders the rows
#   exposure  for counts with one
#   predictions   the network's own predictions, see predictions_of(); evaluated_now() recalibrates and decides
#   linear    the same of the network without hidden layers; NULL without one
# and, where the table matters, `row`, its number there.

# `table` holds the rows of a working table whose numbers are `rows`; `roles` are the brief's columns by role.
evaluated_rows <- function(predictor, roles, table, rows, linear = NULL) {
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
evaluated_now <- function(predictor, evaluated, linear = NULL) {
  evaluated$network <- evaluated$predictions
  evaluated$predictions <- predictions_now(predictor, evaluated$predictions)
  if (!is.null(evaluated$linear) && !is.null(linear)) evaluated$linear <- predictions_now(linear, evaluated$linear)
  evaluated
}

# Evaluated rows one by one where their weights count rows, so that whoever looks at them sees what stands in the table
# written out; `copy` numbers those of one row. Every way to evaluated rows leads through here: evaluated_in_part(),
# evaluated_in() and new_folds().
one_by_one <- function(evaluated, columns) {
  if (is.null(evaluated) || !weights_count(columns) || all(evaluated$weight == 1)) return(evaluated)
  places <- counted_places(evaluated$weight)
  evaluated <- rows_of_each(evaluated, places)
  evaluated$copy <- sequence(rle(places)$lengths)
  evaluated$weight <- rep(1, length(places))
  evaluated
}

# Mean losses over evaluated rows by the measure that the network is trained for, as one figure: of several targets the
# mean of their shares of the targets' variances.
mean_loss <- function(predictor, evaluated) {
  losses <- own_losses(predictor$target, evaluated, evaluated$predictions) * evaluated$weight
  one_loss(predictor, colSums(losses) / sum(evaluated$weight))
}

# What each row costs by that measure, a column a target.
own_losses <- function(target, evaluated, predictions) task_of(target)$row_losses(target, evaluated, predictions)

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
bind_evaluated <- function(parts, repeats) {
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

#' Which columns matter
#'
#' How much worse a network gets when a column's values are shuffled among the rows, so that they tell it nothing (Breiman
#' 2001; Fisher, Rudin and Dominici 2019). The columns are those of the table, before [derive()]: what is derived from a
#' column is shuffled with it.
#'
#' Columns that tell the same thing share their importance, or hide each other's. Shuffling makes rows that never occur.
#'
#' @param model A model.
#' @param data A table with the inputs and the target. Of the one that the model was trained on, the held-out rows are taken
#'   (test, else validation), unless `rows` says otherwise; of another one all rows; of more than 10,000 so many, at random.
#' @param rows A part: `"test"`, `"validation"`, `"calibration"` or `"training"`.
#' @param repeats How often each column is shuffled.
#' @param level The level of the intervals, which are about which rows were drawn (groups, where rows belong to them).
#' @param ... Not used.
#' @return An object of class `hylomath_importance`; `columns` is a data frame in falling order: (`target`,) `column`,
#'   `importance` (how much the measure that the network is trained for rises), `low` and `high`, and `share`, the rise as a
#'   share of the measure itself; `measure`, `value` (as it is without shuffling), `rows` and `n` say what was looked at.
#'   [as.data.frame()] gives `columns`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' importance(model, kilns)
#' @export
importance <- function(model, ...) UseMethod("importance")

#' @rdname importance
#' @export
importance.hylomath_model <- function(model, data, rows = NULL, repeats = 10, level = 0.95, ...) {
  rlang::check_dots_empty()
  if (missing(data)) fail(table_needed)
  type_number(1, 1000, whole = TRUE)(repeats, "repeats")
  type_number(0.5, 1, open_high = TRUE)(level, "level")
  looked_at <- rows_to_explain(model, data, rows)
  judged <- looked_at$judged
  table <- looked_at$table
  columns <- raw_inputs(model)
  seed <- model$brief$regimen$seed
  as_is <- row_losses(model, judged, answers_now(model, judged$answers))
  shuffled <- lapply(seq_along(columns), function(j) {
    total <- 0
    for (r in seq_len(repeats)) {
      other <- table
      other[[columns[j]]] <- table[[columns[j]]][core_shuffle(nrow(table), seed, as.integer(1000L * j + r))]
      total <- total + row_losses(model, judged, answers_now(model, answers_of(model, rows_to_answer(model, other))))
    }
    total / repeats
  })
  primary <- primary_measure(model$brief)
  unit <- units_of(length(judged$key), judged$group, seed)
  counts <- bootstrap_counts(unit, 1000, seed)
  each <- lapply(seq_along(model$brief$target), function(i) {
    losses <- cbind(1, as_is[, i], vapply(shuffled, function(s) s[, i], numeric(nrow(table)))) * judged$weight
    risen <- importance_table(columns, unit_sums(losses, unit, max(unit)), loss_measure(primary), counts, level)
    if (length(model$brief$target) > 1) cbind(target = model$brief$target[i], risen) else risen
  })
  value <- loss_measure(primary)(colSums(as_is * judged$weight) / sum(judged$weight))
  structure(
    list(columns = do.call(rbind, each), target = model$brief$target, measure = primary, value = value, rows = looked_at$rows, n = nrow(table), level = level),
    class = "hylomath_importance"
  )
}

# `sums` by unit: the weight, the losses as they are, and those with each column shuffled.
importance_table <- function(columns, sums, measure, counts, level) {
  rise <- function(t) measure(t[, -(1:2), drop = FALSE] / t[, 1]) - measure(t[, 2] / t[, 1])
  total <- total_sums(sums)
  value <- rise(total)[1, ]
  ends <- bca_interval(value, rise(drawn_sums(counts, sums)), rise(all_but_one(sums)), level)
  risen <- data.frame(column = columns, importance = value, low = ends[, "low"], high = ends[, "high"], share = value / measure(total[, 2] / total[, 1]))
  risen <- risen[order(-risen$importance), ]
  rownames(risen) <- NULL
  risen
}

#' @export
as.data.frame.hylomath_importance <- function(x, ...) x$columns

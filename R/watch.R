#' Watch a network at work
#'
#' Has the world changed since training? Compares newer rows with those that the network learned from: its inputs,
#' column by column; its predictions; what is out of range or new; and, where the target is known, whether it still is
#' as good as it was. All of it together makes one evaluation: `keep`, `look` or `retrain`.
#'
#' @section Evaluation: Each comparison is a test of no change, with the luck of both sides in it, and with whole groups
#'   counting as they were drawn: of a number the mean of its places among the training rows (which outliers don't
#'   decide) and how far these spread; of a category the share of each level and of new ones; missing values; values
#'   outside the training range; mean predictions (of the test rows, as they were predicted at training, and of the
#'   newer ones); and the mean loss, without the highest hundredth. With all columns and periods taken together, less
#'   than 4 % of tables in which nothing has changed are called (Bonferroni's inequality, half of it for all rows
#'   together). What is called must also matter: a number must have moved by 0.05 of its deviation, a share by 0.01, the
#'   measure by 5 %; with a million rows smaller changes are sure, and no reason to act.
#'
#'   `retrain` is said where the loss has grown, `look` where anything else has moved: whether the predictions still
#'   hold then, only the target can show. Dates are not compared: they always move.
#' @param model A model.
#' @param newer A table of rows that came after training.
#' @param by An expression of its columns (see [expressions]) by whose values the rows are parted into periods, such as
#'   `month(fired_on)`; every period is evaluated, and all of them together.
#' @param ... Not used.
#' @return An object of class `hylomath_watch`: `verdict`, `sentence`, `movements` (a data frame of all comparisons:
#'   `period`, `what` has moved, of which `column` and `level`, `before` and `now`, `moved` and its 95 % interval `low`
#'   to `high` in `unit`, `p`, `large` and `called`), `periods` (`period`, `rows`, with a known target `known`, `loss`
#'   and `then`), `unusual` (see [unusual_rows()]), `loss` (its name) and `notes`.
#' @section Errors: Those of [predict()][predict.hylomath_model]. A model of a file that was written before models kept
#'   what their rows were like.
#' @examples
#' set.seed(1)
#' model <- brief(kilns[1:2000, ], target = "outcome") |> quick() |> regimen(epochs = 20) |> train(progress = "none")
#' watch_model(model, kilns[2001:4000, ])
#' newer <- kilns[2001:4000, ]
#' newer$peak_c <- newer$peak_c + 8
#' watch_model(model, newer)
#' @export
watch_model <- function(model, newer, by = NULL, ...) UseMethod("watch_model")

#' @export
watch_model.hylomath_model <- function(model, newer, by = NULL, ...) {
  check_others(...)
  quosure <- rlang::enquo(by)
  if (!rlang::quo_is_null(quosure)) by <- capture_expression(quosure, "`by`")
  watch_table(model, as_table(newer), by)
}

#' @export
watch_model.default <- function(model, ...) wrong_object("watch_model", "a model", model)

# In total so many tables without a change are called.
false_calls <- 0.04

watch_table <- function(model, newer, by = NULL) {
  if (is.null(model$profile)) {
    fail("The model doesn't hold the profile of its training rows.", "Train its brief again.")
  }
  parted <- watched_rows(model, newer[counted_rows(roles_of(model), newer), , drop = FALSE], by)
  if (all(is.na(parted$period)) || max(table(parted$period)) < least_watched_rows) {
    fail(sprintf("No period has %d rows or more, so nothing can be compared.", least_watched_rows))
  }
  periods <- unique(c(sort_periods(parted$period), "all"))
  each <- lapply(periods, function(period) {
    rows <- if (period == "all") seq_along(parted$period) else which(parted$period == period)
    if (length(rows) < least_watched_rows) return(NULL)
    cbind(period = period, period_movements(model, parted, rows))
  })
  movements <- do.call(rbind, each)
  movements$called <- movements$p < false_calls * call_shares(movements) & movements$large &
    (movements$what != "measure" | movements$moved > 0)
  rownames(movements) <- NULL
  new_watch(model, parted, movements, periods)
}

# How much of the false calls each comparison may have, with a sum of 1 (Bonferroni's inequality with weights): half of
# them all rows together, the rest the periods; there every column, the predictions and the loss the same; and in a
# column what is most likely to move most.
call_shares <- function(movements) {
  together <- movements$period == "all"
  periods <- length(unique(movements$period[!together]))
  of_period <- if (periods == 0) 1 else ifelse(together, 0.5, 0.5 / periods)
  unit <- ifelse(movements$what %in% c("prediction", "measure"), movements$what, paste("column", movements$column))
  units <- stats::ave(match(unit, unique(unit)), movements$period, FUN = function(x) length(unique(x)))
  within <- call_weights[movements$what]
  # levels and predictions share what is theirs
  alike <- stats::ave(within, movements$period, unit, movements$what, FUN = length)
  kinds <- stats::ave(within / alike, movements$period, unit, FUN = sum)
  of_period / units * within / alike / kinds
}

call_weights <- c(
  place = 0.6, spread = 0.2, missing = 0.1, outside = 0.1, level = 0.7, new = 0.2, prediction = 1, measure = 1
)

# Numbers in their order, whatever they are written like.
sort_periods <- function(period) {
  found <- unique(period[!is.na(period)])
  number <- suppressWarnings(as.numeric(found))
  found[if (anyNA(number)) order_texts(found) else order(number)]
}

# list(table, period, group, predictions, losses, known): the working table's rows, and what they are predicted.
watched_rows <- function(model, newer, by) {
  predictor <- model$predictor
  target <- target_in(model)
  roles <- roles_of(model)
  table <- rows_to_predict(predictor, newer)
  rules <- table_rules(model$brief, newer)
  there <- all(target$columns %in% c(names(newer), names(rules$derived)))
  group <- if (!is.null(roles$group) && roles$group %in% names(newer)) {
    key <- as_label(newer[[roles$group]])
    match(key, unique(key))
  }
  period <- rep("all", nrow(newer))
  if (!is.null(by)) {
    value <- evaluate_expression(by, newer, "`by`")
    period <- if (is.numeric(value)) format_each(value) else as_label(value)
    period[is.na(value)] <- NA
  }
  predictions <- predictions_of(predictor, table)
  list(
    table = table, newer = newer, period = period, group = group, predictions = predictions,
    losses = if (there) newer_losses(model, newer, predictions), unusual = unusual_rows(model, newer)
  )
}

# What each row costs, NA where the target is missing or the row was learned from.
newer_losses <- function(model, newer, predictions) {
  target <- target_in(model)
  table <- evaluated_table(model, newer, target$columns)
  for (column in target$columns) check_new_target(target, table[[column]], column)
  known <- stats::complete.cases(table[target$columns]) & !is.na(predictions[[1]])
  known[known] <- !was_learned(model, table[known, , drop = FALSE])
  losses <- rep(NA_real_, nrow(newer))
  if (!any(known)) return(losses)
  evaluated <- evaluated_rows(
    model$predictor, roles_of(model)[c("id", "weight")], table[known, , drop = FALSE], which(known)
  )
  losses[known] <- if (identical(reference_part(model), "out_of_fold")) {
    # what was known at training are losses of the networks of one fold
    by_fold <- predictions_by_fold(model$predictor, table[known, , drop = FALSE])
    rowMeans(vapply(by_fold, function(predictions) {
      watched_loss(model, utils::modifyList(evaluated, list(predictions = predictions)))
    }, numeric(sum(known))))
  } else {
    watched_loss(model, evaluated)
  }
  losses
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_watch <- function(x, ...) {
  title <- sprintf(
    "%s newer rows against the %s of its training", format_count(x$rows), format_count(x$rows_then)
  )
  c(
    cli::style_bold(title), "", paragraphs(c(x$sentence, x$rule)), "", periods_text(x), moved_text(x),
    format_notes(x$notes)
  )
}

periods_text <- function(x) {
  if (nrow(x$periods) == 1 && !x$known) return(NULL)
  cells <- periods_cells(x)
  c(text_table(cells, right = seq_along(cells)[-1]), "")
}

periods_cells <- function(x) {
  d <- x$periods
  calls <- vapply(d$period, function(p) sum(x$movements$called[x$movements$period == p]), 0)
  cells <- list(period = d$period, rows = format_each_count(d$rows), moved = format_each_count(calls))
  if (x$known) {
    cells[[x$loss]] <- ifelse(is.na(d$loss), "-", format_measure(d$loss))
    cells[["at training"]] <- ifelse(is.na(d$then), "-", format_measure(d$then))
  }
  cells
}

most_movements_shown <- 12

# What was called, or else what has moved most.
moved_text <- function(x) {
  shown <- moved_shown(x)
  if (nrow(shown) == 0) return(NULL)
  any <- any(shown$called)
  head <- if (any) "What has moved, and matters" else "What has moved most, none of it more than chance"
  left <- if (any) sum(x$movements$called) - nrow(shown) else 0
  c(head, text_table(moved_cells(shown)), if (left > 0) sprintf("  and %s more", format_count(left)))
}

moved_shown <- function(x) {
  m <- x$movements[x$movements$period == "all" | x$movements$called, ]
  m <- m[order(!m$called, m$p), ]
  if (any(m$called)) utils::head(m[m$called, ], most_movements_shown) else utils::head(m, 5)
}

moved_cells <- function(shown) {
  share <- shown$unit == "share"
  number <- function(value) ifelse(share, format_percent_short(value), format_each(signif(value, 4)))
  moved <- ifelse(share, paste(format_each(signif(100 * shown$moved, 2)), "points"), paste(
    format_each(signif(shown$moved, 2)), ifelse(shown$unit == "deviations", "deviations", "of the measure")
  ))
  cells <- list(
    "what" = paste0(shown$column, ifelse(shown$level == "", "", paste0(" = ", shown$level))),
    "measured" = movement_words[shown$what], period = shown$period, then = number(shown$before),
    now = number(shown$now), moved = moved
  )
  if (all(shown$period == "all")) cells$period <- NULL
  cells
}

movement_words <- c(
  place = "mean", spread = "deviation", missing = "missing", level = "share", new = "new levels",
  outside = "out of range",
  prediction = "mean prediction", measure = "loss"
)

#' Which inputs moved the prediction for a row, or for each of many
#'
#' The difference between a network's prediction for a row and its mean prediction for other rows, shared out among the
#' columns: the Shapley (1953) value of each column. Up to ten columns every set of columns that takes the row's values
#' in place of another row's is looked at, so that the values are exact for the rows drawn; of more columns orders are
#' drawn in which they do so (Strumbelj and Kononenko 2014), in whole passes over the drawn rows, each order walked
#' there and back, and the passes give the error.
#'
#' @param model A model.
#' @param row A data frame of one row, the id of a row of `data` as text, or its number. Or several of them, or `"all"`:
#'   then orders are drawn however few columns there are, the same for all rows, over as many other rows, 10 to 100, as
#'   take about half a minute in all.
#' @param data A table with the inputs, from which the other rows are drawn. Of the one that the model was trained on
#'   these are the held-out rows.
#' @param of A class or target; the default is the positive class of two, else the class that is predicted, else the
#'   first target.
#' @param passes For one row and more than ten columns, how often the other rows are gone through.
#' @param ... Not used.
#' @return An object of class `hylomath_contributions`; `columns` is a data frame of `column`, `value` (the row's, as
#'   text), `contribution` (in units of the prediction; a class's probability), and its standard `error` from the orders
#'   that were drawn (0 where none had to be), in falling order of size; `rows` is how many other rows were drawn. The
#'   contributions add up to `prediction` less `mean` exactly, `mean` being that of the drawn rows. [as.data.frame()]
#'   gives `columns`.
#'
#'   For several rows it is of class `hylomath_contributions_of_rows`: `rows` has `row` (its id, else its number), `of`
#'   and `prediction`; `contributions` and `errors` are matrices with a line for each row and a column for each column
#'   of the table. A line adds up to the prediction less the `mean` for its `of`. Rows without a prediction are left
#'   out, `without` counts them. [as.data.frame()] gives one table, in which the contributions have `by_` before their
#'   names.
#' @section Errors: A row that is not there, or of which there are several; a row that lacks a value that the brief
#'   drops rows for; a table without a column that the network needs.
#' @references Shapley (1953) \doi{10.1515/9781400881970-018}; Strumbelj and Kononenko (2014)
#'   \doi{10.1007/s10115-013-0679-x}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' contributions(model, kilns, 5)
#' contributions(model, kilns, 1:20, of = "crazed")
#' @export
contributions <- function(model, data, row, of = NULL, passes = 20, ...) UseMethod("contributions")

#' @export
contributions.hylomath_model <- function(model, data, row, of = NULL, passes = 20, ...) {
  check_others(...)
  check_table_given(!missing(data))
  check_row_given(!missing(row))
  type_count(1e4, from = 2)(passes, "passes")
  data <- as_table(data)
  predictor <- model$predictor
  target <- predictor$target
  if (is_several(row)) return(contributions_of_rows(model, data, row, of))
  row <- one_row(row, data, roles_of(model)$id)
  new_rows(predictor$preparation, data)
  prediction <- plain_predictions(predictor, row)
  check_is_predicted(prediction)
  of <- predictions_to_explain(target, of %||% explained_prediction(target, prediction))[1]
  columns <- needed_columns(predictor)
  exact <- length(columns) <= most_exact_columns
  evaluations <- affordable_predictions(predictor)
  most <- if (exact) evaluations %/% 2^length(columns) else evaluations %/% (2 * passes * (length(columns) + 1))
  background <- explained_table(model, data, min(max(most, fewest_background), most_background))
  predict_rows <- function(table) {
    predictions <- plain_predictions(predictor, table)[[of]]
    if (anyNA(predictions)) {
      fail(
        "Some of the other rows have no prediction: they lack values that the brief drops rows for.",
        "Leave them out of `data`."
      )
    }
    predictions
  }
  shared <- if (exact) {
    shapley_exact(predict_rows, row, background, columns)
  } else {
    shapley_walks(predict_rows, row, background, columns, passes, training_seed(model))
  }
  found <- data.frame(
    column = columns, value = vapply(columns, function(column) format_value(row[[column]]), ""),
    contribution = shared$contribution, error = shared$error, row.names = NULL
  )
  new_result(
    list(
      columns = found[order(-abs(found$contribution)), ], of = of, prediction = prediction[[of]], mean = shared$mean,
      target = target$columns, task = target$task, rows = nrow(background), passes = if (!exact) passes
    ),
    "contributions"
  )
}

# Up to so many columns all sets of them are looked at.
most_exact_columns <- 10

# From at least and at most so many other rows.
fewest_background <- 20
most_background <- 1000

# As many predictions as come within about a second: each takes time for its parameters, and for each network that has
# to encode the row anew.
affordable_predictions <- function(predictor) min(max(0.9 / seconds_of_prediction(predictor), 4.5e4), 1e6)

seconds_of_prediction <- function(predictor) all_parameters(predictor) / 4.5e9 + network_count(predictor) * 7e-7

#' @export
contributions.default <- function(model, ...) wrong_object("contributions", "a model", model)

# Of each row the one that is explained: the positive class of two, the likeliest class, or the first target.
explained_prediction <- function(target, predictions) {
  if (!is.null(target$positive) || !has_classes(target)) {
    return(rep(target$positive %||% target$columns[1], nrow(predictions)))
  }
  names(predictions)[max.col(as.matrix(predictions), "first")]
}

check_row_given <- function(given) {
  if (given) return(invisible())
  fail("`row` is missing: which row is it about?", "Give its number in `data`, or a data frame of one row.")
}

check_is_predicted <- function(prediction) {
  if (!anyNA(prediction)) return(invisible())
  fail("The network has no prediction for this row: it lacks a value that the brief drops rows for.")
}

# A row is a data frame of one, a number, or the id of a row.
one_row <- function(row, data, id = NULL) {
  if (is.data.frame(row)) {
    if (nrow(row) != 1) fail(sprintf("`row` must be one row, not %d.", nrow(row)))
    return(as_table(row))
  }
  data[row_place(row, data, id), , drop = FALSE]
}

# The place of the row with an id or a number.
row_place <- function(row, data, id) {
  if (!is.null(id) && id %in% names(data) && is_text(row, 1)) {
    found <- which(as_label(data[[id]]) == as.character(row))
    if (length(found) > 1) fail(sprintf("%s rows have the %s %s.", format_count(length(found)), id, describe(row)))
    if (length(found) == 1) return(found)
    if (is.na(as_one_number(as.character(row)))) {
      fail(sprintf("No row has the %s %s.", id, describe(row)), "Give the id of a row, or its number in the table.")
    }
  }
  if (is_text(row, 1)) row <- as_one_number(as.character(row))
  type_count(nrow(data))(row, "row")
  as.integer(row)
}

format_value <- function(x) if (is.na(x)) "missing" else if (is.numeric(x)) format_short(x) else as.character(x)

# The value of every set of columns that the row has given, a mean over the other rows; a column's share is what it adds
# to the sets without it, each size of set counting alike.
shapley_exact <- function(predict_rows, row, data, columns) {
  p <- length(columns)
  n <- nrow(data)
  sets <- 2^p
  other <- rep(seq_len(n), sets)
  given <- vapply(seq_len(p), function(j) bitwAnd(seq_len(sets) - 1L, bitwShiftL(1L, j - 1L)) > 0, logical(sets))
  given <- matrix(given, sets)
  mixed <- lapply(stats::setNames(seq_len(p), columns), function(j) {
    replaced(data[[columns[j]]][other], rep(given[, j], each = n), row[[columns[j]]])
  })
  value <- colMeans(matrix(predict_rows(as.data.frame(mixed, optional = TRUE)), n))
  size <- rowSums(given)
  contribution <- vapply(seq_len(p), function(j) {
    without <- which(!given[, j])
    sum((value[without + bitwShiftL(1L, j - 1L)] - value[without]) / (p * base::choose(p - 1, size[without])))
  }, 0)
  list(contribution = contribution, error = numeric(p), mean = value[1])
}

# In each pass every other row is walked from once, there and back along an order of its own.
shapley_walks <- function(predict_rows, row, data, columns, passes, seed) {
  walks <- walks_from(rep(seq_len(nrow(data)), passes), length(columns), seed)
  steps <- lapply(stats::setNames(seq_along(columns), columns), function(j) {
    replaced(data[[columns[j]]][walks$from], walks$moved[, j], row[[columns[j]]])
  })
  predictions <- matrix(predict_rows(as.data.frame(steps, optional = TRUE)), nrow(walks$place))
  of_pass <- rowsum(walked_moves(predictions, walks$place), rep(seq_len(passes), each = nrow(data))) / nrow(data)
  list(
    contribution = colMeans(of_pass), error = apply(of_pass, 2, stats::sd) / sqrt(passes), mean = mean(predictions[, 1])
  )
}

# From each of the rows `from` there and back along an order of its own: for each step of each walk, all walks of a step
# together, the row that it is `from` and which of the p columns have `moved`; `place` holds the orders, a walk a row.
walks_from <- function(from, p, seed) {
  place <- walk_places(p, length(from), seed)
  place <- rbind(place, p + 1L - place)
  step <- rep(0:p, each = nrow(place))
  walk <- rep(seq_len(nrow(place)), p + 1)
  list(from = rep(from, 2)[walk], moved = place[walk, , drop = FALSE] <= step, place = place)
}

# How far each column moved the prediction, a column each, there and back together a row; of predictions with a walk a
# row and a step a column.
walked_moves <- function(predictions, place) {
  p <- ncol(place)
  walks <- nrow(place)
  gains <- predictions[, -1, drop = FALSE] - predictions[, -(p + 1), drop = FALSE]
  own <- matrix(gains[cbind(rep(seq_len(walks), p), as.integer(place))], walks)
  there <- seq_len(walks / 2)
  (own[there, , drop = FALSE] + own[-there, , drop = FALSE]) / 2
}

# For each walk the place of every column in its order.
walk_places <- function(p, pairs, seed) {
  t(vapply(seq_len(pairs), function(k) order(shuffled(p, seed, "walk orders", k)), integer(p)))
}

# A factor's values by their text, since the row may come from another table.
replaced <- function(x, where, value) {
  if (has_own_order(x)) {
    x <- as.character(x)
    value <- as.character(value)
  }
  x[where] <- value
  x
}

#' @export
as.data.frame.hylomath_contributions <- function(x, ...) x$columns

# ---- many rows -------------------------------------------------------------------------------------------------------

# Many rows are compared with fewer other rows, the same for all and in the same orders: at least and at most so many,
# each walked from once; about how long all may take; what it takes to put a value in its place; how many predictions
# are made at a time; and how few other rows make no comparison.
fewest_walks <- 10
most_walks <- 100
seconds_of_walks <- 30
seconds_of_a_cell <- 6e-8
moves_block <- 2e5
fewest_compared <- 10

# row_moves() of all rows, block by block.
moves_of_rows <- function(predictor, given, background, walks, of, tell = function(share) NULL) {
  n <- nrow(given)
  each <- max(1, moves_block %/% length(walks$from))
  found <- lapply(split(seq_len(n), (seq_len(n) - 1) %/% each), function(some) {
    tell(some[1] / n)
    row_moves(predictor, given[some, , drop = FALSE], background, walks, of[some])
  })
  list(mean = do.call(cbind, lapply(found, `[[`, "mean")), error = do.call(cbind, lapply(found, `[[`, "error")))
}

# For each column (rows) and each row of `given` (columns) the mean move and its standard error.
row_moves <- function(predictor, given, background, walks, of) {
  n <- nrow(given)
  steps <- length(walks$from)
  mixed <- lapply(stats::setNames(seq_along(given), names(given)), function(j) {
    moved <- rep(walks$moved[, j], n)
    replaced(rep(background[[names(given)[j]]][walks$from], n), moved, rep(given[[j]], each = steps)[moved])
  })
  predictions <- plain_predictions(predictor, as.data.frame(mixed, optional = TRUE))
  wanted <- as.matrix(predictions)[cbind(seq_len(n * steps), rep(match(of, names(predictions)), each = steps))]
  values <- array(wanted, c(nrow(walks$place), length(given) + 1, n))
  found <- vapply(seq_len(n), function(k) {
    moves <- walked_moves(values[, , k], walks$place)
    cbind(colMeans(moves), apply(moves, 2, stats::sd) / sqrt(nrow(moves)))
  }, matrix(0, length(given), 2))
  list(mean = matrix(found[, 1, ], length(given)), error = matrix(found[, 2, ], length(given)))
}

check_compared <- function(others) {
  if (nrow(others) >= fewest_compared) return(invisible())
  what <- "A row is compared with at least %d others, and the table has %s with a prediction."
  fail(sprintf(what, fewest_compared, counted(nrow(others), "row")))
}

is_several <- function(row) if (is.data.frame(row)) nrow(row) > 1 else length(row) > 1 || identical(row, "all")

contributions_of_rows <- function(model, data, row, of) {
  predictor <- model$predictor
  target <- predictor$target
  columns <- needed_columns(predictor)
  id <- roles_of(model)$id
  new_rows(predictor$preparation, data)
  places <- if (!is.data.frame(row)) row_places(row, data, id)
  given <- if (is.data.frame(row)) as_table(row) else data[places, , drop = FALSE]
  names <- if (!is.null(id) && id %in% names(given)) as_label(given[[id]]) else places %||% seq_len(nrow(given))
  now <- plain_predictions(predictor, given)
  kept <- !is.na(now[[1]])
  if (!any(kept)) fail("The network has no prediction for any of the rows: they lack values that it drops rows for.")
  if (!is.null(of)) of <- predictions_to_explain(target, of)[1]
  of <- rep_len(of %||% explained_prediction(target, now[kept, , drop = FALSE]), sum(kept))
  prediction <- as.matrix(now)[cbind(which(kept), match(of, names(now)))]
  steps <- 2 * (length(columns) + 1)
  seconds <- (seconds_of_prediction(predictor) + seconds_of_a_cell * length(columns)) * steps * sum(kept)
  affordable <- seconds_of_walks / seconds
  walks <- floor(min(max(affordable, fewest_walks), most_walks))
  background <- predicted_rows(predictor, explained_table(model, data, walks)[columns])
  check_compared(background)
  tell <- reporter("auto")
  on.exit(tell(list(event = "done")))
  moves <- moves_of_rows(
    predictor, given[kept, columns, drop = FALSE], background,
    walks_from(seq_len(nrow(background)), length(columns), training_seed(model)), of,
    function(share) tell(list(event = "doing", what = "explaining", share = share))
  )
  matrix_of <- function(x) matrix(t(x), sum(kept), dimnames = list(NULL, columns))
  means <- colMeans(plain_predictions(predictor, background))
  new_result(
    list(
      rows = data.frame(row = names[kept], of = of, prediction = prediction),
      contributions = matrix_of(moves$mean), errors = matrix_of(moves$error), mean = means[unique(of)],
      target = target$columns, task = target$task, others = nrow(background), without = sum(!kept)
    ),
    "contributions_of_rows"
  )
}

row_places <- function(row, data, id) {
  if (identical(row, "all")) return(seq_len(nrow(data)))
  vapply(row, row_place, 0L, data, id, USE.NAMES = FALSE)
}

#' @export
as.data.frame.hylomath_contributions_of_rows <- function(x, ...) {
  moves <- x$contributions
  colnames(moves) <- paste0("by_", colnames(moves))
  data.frame(x$rows, mean = unname(x$mean[x$rows$of]), moves, check.names = FALSE)
}

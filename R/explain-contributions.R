#' Which inputs moved the answer to one row
#'
#' The difference between a network's answer to a row and its mean answer, shared out among the columns: the Shapley
#' (1953) value of each column, sampled over random orders in which the columns take the row's values in place of
#' another row's (Strumbelj and Kononenko 2014). Every order is also walked backwards, which makes the errors smaller.
#'
#' @param model A model.
#' @param row A data frame of one row, or the number of a row of `data`.
#' @param data A table with the inputs, from which the other rows are drawn. Of the one that the model was trained on
#'   these are the held-out rows.
#' @param of A class or target; the default is the positive class of two, else the class that is answered, else the
#'   first target.
#' @param samples The number of orders, backward ones counted.
#' @param ... Not used.
#' @return An object of class `hylomath_contributions`; `columns` is a data frame of `column`, `value` (the row's, as
#'   text), `contribution` (in units of the answer; a class's probability), and its standard `error` from sampling, in
#'   falling order of size. The contributions add up to `answer` less `mean` exactly, `mean` being that of the drawn
#'   rows. [as.data.frame()] gives `columns`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' contributions(model, 5, kilns)
#' @export
contributions <- function(model, row, data, of = NULL, samples = 400, ...) UseMethod("contributions")

#' @export
contributions.hylomath_model <- function(model, row, data, of = NULL, samples = 400, ...) {
  check_others(...)
  check_table_given(!missing(data))
  if (missing(row)) {
    fail("`row` is missing: which row is it about?", "Give its number in `data`, or a data frame of one row.")
  }
  type_number(10, 1e5, whole = TRUE)(samples, "samples")
  data <- as_table(data)
  row <- one_row(row, data)
  answerer <- model$answerer
  target <- answerer$target
  new_rows(answerer$preparation, data)
  answer <- plain_answers(answerer, row)
  if (anyNA(answer)) {
    fail("The network has no answer to this row: it lacks a value that the brief drops rows for.")
  }
  likeliest <- if (has_classes(target) && is.null(target$positive)) names(answer)[which.max(unlist(answer))]
  of <- answers_to_explain(target, of %||% likeliest)[1]
  pairs <- ceiling(samples / 2)
  columns <- needed_columns(answerer)
  background <- explained_table(model, data, most_explained)
  walks <- shapley_walks(answerer, row, background, columns, of, pairs, training_seed(model))
  found <- data.frame(
    column = columns, value = vapply(columns, function(column) format_value(row[[column]]), ""),
    contribution = colMeans(walks$moved), error = apply(walks$moved, 2, stats::sd) / sqrt(nrow(walks$moved)),
    row.names = NULL
  )
  structure(
    list(
      columns = found[order(-abs(found$contribution)), ], of = of, answer = answer[[of]], mean = walks$mean,
      target = target$columns, task = target$task, samples = 2 * pairs
    ),
    class = "hylomath_contributions"
  )
}

#' @export
contributions.default <- function(model, ...) wrong_object("contributions", "a model", model)

one_row <- function(row, data) {
  if (is.data.frame(row)) {
    if (nrow(row) != 1) fail(sprintf("`row` must be one row, not %d.", nrow(row)))
    return(as_table(row))
  }
  type_number(1, nrow(data), whole = TRUE)(row, "row")
  data[as.integer(row), , drop = FALSE]
}

format_value <- function(x) if (is.na(x)) "missing" else if (is.numeric(x)) format_short(x) else as.character(x)

# Each walk starts from a drawn row and ends at the row in question; `moved` has a row for each pair of walks, there and
# back along the same order of columns.
shapley_walks <- function(answerer, row, data, columns, of, pairs, seed) {
  p <- length(columns)
  from <- rep_len(shuffled(nrow(data), seed, "walks"), pairs)
  place <- walk_places(p, pairs, seed)
  both <- rbind(place, p + 1L - place)
  walks <- nrow(both)
  step <- rep(0:p, each = walks)
  walk <- rep(seq_len(walks), p + 1)
  start <- rep(from, 2)[walk]
  steps <- lapply(stats::setNames(nm = columns), function(column) {
    moved <- both[walk, match(column, columns)] <= step
    replaced(data[[column]][start], moved, row[[column]])
  })
  answers <- matrix(plain_answers(answerer, as.data.frame(steps, optional = TRUE))[[of]], walks)
  if (anyNA(answers)) {
    fail(
      "Some of the other rows have no answer: they lack values that the brief drops rows for.",
      "Leave them out of `data`."
    )
  }
  gains <- answers[, -1, drop = FALSE] - answers[, -(p + 1), drop = FALSE]
  own <- matrix(gains[cbind(rep(seq_len(walks), p), as.integer(both))], walks)
  there <- own[seq_len(pairs), , drop = FALSE]
  back <- own[pairs + seq_len(pairs), , drop = FALSE]
  list(moved = (there + back) / 2, mean = mean(answers[, 1]))
}

# For each walk the place of every column in its order.
walk_places <- function(p, pairs, seed) {
  if (p == 1) return(matrix(1L, pairs, 1))
  t(vapply(seq_len(pairs), function(k) order(shuffled(p, seed, "walk orders", k)), integer(p)))
}

# A factor's values by their text, since the row may come from another table.
replaced <- function(x, where, value) {
  if (is.factor(x)) {
    x <- as.character(x)
    value <- as.character(value)
  }
  x[where] <- value
  x
}

#' @export
as.data.frame.hylomath_contributions <- function(x, ...) x$columns

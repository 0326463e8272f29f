#' Which inputs moved the answer to one row
#'
#' The difference between a network's answer to a row and its mean answer, shared out among the columns: the Shapley (1953)
#' value of each column, sampled over random orders in which the columns take the row's values in place of another row's
#' (Strumbelj and Kononenko 2014). Every order is also walked backwards, which makes the errors smaller.
#'
#' @param model A model.
#' @param row A data frame of one row, or the number of a row of `data`.
#' @param data A table with the inputs, from which the other rows are drawn. Of the one that the model was trained on these are
#'   the held-out rows.
#' @param of A class or target; the default is the positive class of two, else the class that is answered, else the first target.
#' @param samples The number of orders, backward ones counted.
#' @param ... Not used.
#' @return An object of class `hylomath_contributions`; `columns` is a data frame of `column`, `value` (the row's, as text),
#'   `contribution` (in units of the answer; a class's probability), and its standard `error` from sampling, in falling order of
#'   size. The contributions add up to `answer` less `mean` exactly, `mean` being that of the drawn rows. [as.data.frame()]
#'   gives `columns`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' contributions(model, 5, kilns)
#' @export
contributions <- function(model, ...) UseMethod("contributions")

#' @rdname contributions
#' @export
contributions.hylomath_model <- function(model, row, data, of = NULL, samples = 400, ...) {
  rlang::check_dots_empty()
  if (missing(data)) fail(table_needed)
  if (missing(row)) fail("`row` is missing: which row is it about?", "Give its number in `data`, or a data frame of one row.")
  type_number(10, 1e5, whole = TRUE)(samples, "samples")
  data <- as_table(data)
  row <- one_row(row, data)
  columns <- raw_inputs(model)
  new_rows(model$preparation, row)
  new_rows(model$preparation, data)
  answer <- plain_answers(model, row)
  if (anyNA(answer)) fail("The network has no answer to this row: it lacks a value that the brief drops rows for.")
  if (is.null(of) && model$brief$task == "classification" && is.null(model$brief$positive)) of <- names(answer)[which.max(unlist(answer))]
  of <- answers_to_explain(model, of)[1]
  data <- explained_table(model, data, most_explained)
  walks <- shapley_walks(model, row, data, columns, of, ceiling(samples / 2))
  moved <- colMeans(walks$moved)
  found <- data.frame(
    column = columns, value = vapply(columns, function(column) format_value(row[[column]]), ""), contribution = moved,
    error = apply(walks$moved, 2, stats::sd) / sqrt(nrow(walks$moved)), row.names = NULL
  )
  structure(
    list(columns = found[order(-abs(found$contribution)), ], of = of, answer = answer[[of]], mean = walks$mean, target = model$brief$target, task = model$brief$task, samples = 2 * ceiling(samples / 2)),
    class = "hylomath_contributions"
  )
}

one_row <- function(row, data) {
  if (is.data.frame(row)) {
    if (nrow(row) != 1) fail(sprintf("`row` must be one row, not %d.", nrow(row)))
    return(as_table(row))
  }
  type_number(1, nrow(data), whole = TRUE)(row, "row")
  data[as.integer(row), , drop = FALSE]
}

format_value <- function(x) if (is.na(x)) "missing" else if (is.numeric(x)) format_short(x) else as.character(x)

# Each walk starts from a drawn row and ends at the row in question; `moved` has a row for each pair of walks, there and back
# along the same order of columns.
shapley_walks <- function(model, row, data, columns, of, pairs) {
  p <- length(columns)
  seed <- model$brief$regimen$seed
  from <- rep_len(core_shuffle(nrow(data), seed, 5L), pairs)
  place <- t(vapply(seq_len(pairs), function(k) order(core_shuffle(p, seed, 10L + k)), integer(p)))
  if (p == 1) place <- matrix(1L, pairs, 1)
  both <- rbind(place, p + 1L - place)
  walks <- nrow(both)
  step <- rep(0:p, each = walks)
  walk <- rep(seq_len(walks), p + 1)
  start <- rep(from, 2)[walk]
  steps <- lapply(stats::setNames(nm = columns), function(column) {
    x <- data[[column]][start]
    own <- row[[column]]
    if (is.factor(x)) {
      x <- as.character(x)
      own <- as.character(own)
    }
    x[both[walk, match(column, columns)] <= step] <- own
    x
  })
  answers <- matrix(plain_answers(model, as.data.frame(steps, optional = TRUE))[[of]], walks)
  if (anyNA(answers)) fail("Some of the other rows have no answer: they lack values that the brief drops rows for.", "Leave them out of `data`.")
  gains <- answers[, -1, drop = FALSE] - answers[, -(p + 1), drop = FALSE]
  own <- matrix(gains[cbind(rep(seq_len(walks), p), as.integer(both))], walks)
  list(moved = (own[seq_len(pairs), , drop = FALSE] + own[pairs + seq_len(pairs), , drop = FALSE]) / 2, mean = mean(answers[, 1]))
}

#' @export
as.data.frame.hylomath_contributions <- function(x, ...) x$columns

#' Which columns act together
#'
#' How far the mean effect of each pair of columns is from the sum of their own (Friedman and Popescu 2008). Where it is
#' 0 the prediction is one curve of the first column plus one of the second, as far as these two go.
#'
#' @inheritParams effect_of
#' @param columns The columns whose pairs are looked at; the default is the ten that move the mean prediction most.
#' @param level The level of the intervals, which are about which rows were drawn (groups, where rows belong to them).
#'   Of fewer than about 50 groups they are too narrow.
#' @return An object of class `hylomath_interactions`; `pairs` is a data frame in falling order: `of` (class or target),
#'   `first`, `second`, `size` (the deviation over the rows of what the pair does together, in units of the prediction),
#'   `low`, `high`, and `share`, what part its variance is of the sum of those of the two columns' own effects and of
#'   what they do together; `left_out` counts columns that were not looked at, `n` the rows. [as.data.frame()] gives
#'   `pairs`.
#' @section Errors: Fewer than two columns; one that the network does not take in.
#' @references Friedman and Popescu (2008) \doi{10.1214/07-AOAS148}.
#' @seealso [effect_of()] with `with`, which shows what a pair does.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' interactions(model, kilns, columns = c("peak_c", "soak_min", "glaze"), of = "crazed")
#' @export
interactions <- function(model, data, columns = NULL, of = NULL, level = 0.95, ...) UseMethod("interactions")

#' @export
interactions.hylomath_model <- function(model, data, columns = NULL, of = NULL, level = 0.95, ...) {
  check_others(...)
  check_table_given(!missing(data))
  type_level()(level, "level")
  predictor <- model$predictor
  known <- needed_columns(predictor)
  check_paired_columns(columns, known)
  of <- predictions_to_explain(predictor$target, of)
  data <- as_table(data)
  new_rows(predictor$preparation, data)
  affordable <- 10 * affordable_predictions(predictor)
  pairs <- base::choose(min(length(columns %||% known), most_crossed_columns), 2)
  n <- floor(sqrt(affordable / (pairs + length(columns %||% known))))
  table <- explained_table(model, data, min(max(n, fewest_crossed), most_crossed))
  table <- predicted_rows(predictor, table)
  check_compared(table)
  tell <- reporter("auto")
  on.exit(tell(list(event = "done")))
  resampling <- resampling_of(rep(1, nrow(table)), groups_in(model, table), training_seed(model), level, 1000)
  alone <- lapply(stats::setNames(nm = columns %||% known), function(column) crossed(predictor, table, column, of))
  looked_at <- columns %||% utils::head(most_moving(alone), most_crossed_columns)
  # in the order of the table
  looked_at <- names(alone)[names(alone) %in% looked_at]
  both <- utils::combn(looked_at, 2, simplify = FALSE)
  found <- do.call(rbind, lapply(seq_along(both), function(k) {
    tell(list(event = "doing", what = "explaining", share = (k - 1) / length(both)))
    pair <- both[[k]]
    together <- crossed(predictor, table, pair, of)
    do.call(rbind, lapply(of, function(one) {
      sizes <- pair_sizes(together[[one]], alone[[pair[1]]][[one]], alone[[pair[2]]][[one]], resampling)
      data.frame(of = one, first = pair[1], second = pair[2], sizes)
    }))
  }))
  found <- found[order(match(found$of, of), -found$size), ]
  new_result(
    list(
      pairs = data.frame(found, row.names = NULL), target = predictor$target$columns, task = predictor$target$task,
      n = nrow(table), level = level, left_out = length(alone) - length(looked_at)
    ),
    "interactions"
  )
}

#' @export
interactions.default <- function(model, ...) wrong_object("interactions", "a model", model)

# Of so many columns all pairs are looked at, with so many rows crossed with each other.
most_crossed_columns <- 10
fewest_crossed <- 60
most_crossed <- 150

check_paired_columns <- function(columns, known) {
  if (is.null(columns)) {
    if (length(known) < 2) fail("The network takes in one column alone, so there are no pairs.")
    return(invisible())
  }
  type_texts()(columns, "columns")
  check_effect_inputs(columns, known)
  if (length(columns) < 2) fail("`columns` must name at least two columns.")
}

# For each prediction a matrix: row i has the values of row i in these columns, and column j all else of row j.
crossed <- function(predictor, table, columns, of) {
  n <- nrow(table)
  own <- rep(seq_len(n), n)
  other <- rep(seq_len(n), each = n)
  # by columns: rows that are taken several times would be named anew, which takes longer than predicting
  mixed <- lapply(stats::setNames(nm = needed_columns(predictor)), function(column) {
    table[[column]][if (column %in% columns) own else other]
  })
  predictions <- plain_predictions(predictor, as_plain_frame(mixed))[of]
  lapply(predictions, matrix, n)
}

# The columns whose mean effects vary most, of the prediction in which they do.
most_moving <- function(alone) {
  spread_of <- function(each) vapply(each, function(m) stats::sd(rowMeans(m)), 0)
  spread <- vapply(alone, spread_of, numeric(length(alone[[1]])))
  spread <- matrix(spread, ncol = length(alone))
  names(alone)[order(-apply(spread / pmax(apply(spread, 1, max), 1e-300), 2, max))]
}

# The deviation of what two columns do together, its interval, and its share of the variance of their parts. All are of
# rows drawn anew, both those whose values are looked at and those that these are put into. A row is not put into those
# of its own unit, where it is as it was and nothing would be seen: with the prediction of the row that it is put into
# what is left is 0 for parts that add up, whichever rows these are.
pair_sizes <- function(together, first, second, resampling) {
  unit <- resampling$unit
  units <- max(unit)
  apart <- together - first - second + rep(diag(together), each = nrow(together))
  other <- outer(unit, unit, `!=`) * 1
  sizes <- function(counts) {
    counts <- counts[unit, , drop = FALSE]
    total <- colSums(counts)
    # a draw of one unit alone has no others
    put_into <- pmax(other %*% counts, 1e-12)
    variance <- function(m) {
      means <- (m * other) %*% counts / put_into
      centre <- colSums(means * counts) / total
      colSums(counts * (means - rep(centre, each = nrow(counts)))^2) / total
    }
    own <- variance(apart)
    cbind(size = sqrt(own), share = own / pmax(own + variance(first) + variance(second), 1e-300))
  }
  value <- sizes(matrix(1, units, 1))
  drawn <- sizes(resampling$counts)[, "size", drop = FALSE]
  without <- sizes(1 - diag(units))[, "size", drop = FALSE]
  ends <- bca_interval(value[, "size"], drawn, without, resampling$level)
  data.frame(size = value[, "size"], ends, share = value[, "share"])
}

#' @export
as.data.frame.hylomath_interactions <- function(x, ...) x$pairs

#' How the prediction changes with an input
#'
#' What the network predicts on average when a column is set to each of several values in all rows, everything else as
#' it is (partial dependence: Friedman 2001), with the lines of single rows beside it (Goldstein, Kapelner, Bleich and
#' Pitkin 2015). The column is one of the table, in its own units; what is derived from it follows. Lines that cross
#' show interactions.
#'
#' @param model A model.
#' @param input A column that the network takes in, bare or as text.
#' @param data A table with the inputs. Of the one that the model was trained on, the held-out rows are taken, else
#'   all; at most 500 of them (200 for a pair), at random.
#' @param with A second column, for the effect of the pair.
#' @param of Classes or targets to look at; the default is the positive class of two, else all.
#' @param points How many values of a number are looked at, at equal shares of its rows between the 2nd and 98th
#'   percentile. Of categories it is every level (the 20 commonest).
#' @param ... Not used.
#' @return An object of class `hylomath_effect`; `curve` is a data frame of `of` (class or target), the columns'
#'   values, `prediction` (the mean probability or number), `low` and `high` (between which nine of ten rows lie), and
#'   of a pair `near`, whether any row of `data` is near: where none is, the network is only guessing; `lines` has
#'   `row`, `of`, value and `prediction` for at most 50 single rows (none for a pair). [as.data.frame()] gives `curve`.
#' @section Errors: A column that the network doesn't take in, or that is always the same.
#' @references Friedman (2001) \doi{10.1214/aos/1013203451}; Goldstein, Kapelner, Bleich and Pitkin (2015)
#'   \doi{10.1080/10618600.2014.907095}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' effect_of(model, kilns, peak_c, of = "crazed")
#' effect_of(model, kilns, peak_c, with = glaze, of = "crazed")
#' @export
effect_of <- function(model, data, input, with = NULL, of = NULL, points = 25, ...) UseMethod("effect_of")

#' @export
effect_of.hylomath_model <- function(model, data, input, with = NULL, of = NULL, points = 25, ...) {
  check_others(...)
  check_table_given(!missing(data))
  type_number(2, 1000, whole = TRUE)(points, "points")
  data <- as_table(data)
  inputs <- c(chosen_column(rlang::enquo(input), data, "input"), chosen_column(rlang::enquo(with), data, "with"))
  predictor <- model$predictor
  check_effect_inputs(inputs, needed_columns(predictor))
  of <- predictions_to_explain(predictor$target, of)
  pair <- length(inputs) == 2
  table <- explained_table(model, data, if (pair) 200 else 500)
  counted <- data[counted_rows(roles_of(model), data), , drop = FALSE]
  grid <- lapply(stats::setNames(inputs, inputs), function(column) {
    effect_values(counted[[column]], column, if (pair) min(points, 15) else points)
  })
  predictions <- grid_predictions(predictor, table, grid, of)
  curve <- effect_curve(predictions, grid, of)
  if (pair) curve$near <- rep(has_rows_near(data, grid), length(of))
  new_result(
    list(
      curve = curve, lines = if (!pair) effect_lines_of(predictions, grid, of), input = inputs,
      target = predictor$target$columns, task = predictor$target$task, n = nrow(table),
      seen = lapply(data[inputs], shown_values),
      left_out = vapply(inputs, function(column) levels_left_out(data[[column]], grid[[column]]), 0L)
    ),
    "effect"
  )
}

#' @export
effect_of.default <- function(model, ...) wrong_object("effect_of", "a model", model)

check_effect_inputs <- function(inputs, known) {
  if (length(inputs) == 0) fail("`input` is missing: which column is it about?", suggestion("", known))
  unknown <- setdiff(inputs, known)
  if (length(unknown)) {
    fail(sprintf("The network doesn't take in the column %s.", quoted(unknown[1])), suggestion(unknown[1], known))
  }
  if (anyDuplicated(inputs)) fail("`with` must be another column than `input`.")
}

# How many levels have no place in the grid.
levels_left_out <- function(x, values) {
  if (!is.character(x) && !is.factor(x)) return(0L)
  max(0L, length(labels_in(x)) - length(values))
}

# Whether any row lies at or beside each cell of a grid of two columns: for numbers at most one step away, for
# categories at the same level.
has_rows_near <- function(data, grid) {
  places <- lapply(names(grid), function(column) {
    x <- data[[column]]
    if (!is.numeric(x) && !is_moment(x)) return(match(as_label(x), as_label(grid[[column]])))
    values <- as.numeric(grid[[column]])
    findInterval(as.numeric(x), c(-Inf, (values[-1] + values[-length(values)]) / 2)) |> pmin(length(values))
  })
  steps <- vapply(names(grid), function(column) is.numeric(data[[column]]) || is_moment(data[[column]]), NA)
  there <- table(factor(places[[1]], seq_along(grid[[1]])), factor(places[[2]], seq_along(grid[[2]]))) > 0
  beside <- function(there, along) {
    if (!steps[along]) return(there)
    if (along == 2) return(t(beside_rows(t(there))))
    beside_rows(there)
  }
  as.vector(beside(beside(there, 1), 2))
}

beside_rows <- function(there) {
  n <- nrow(there)
  there | rbind(there[-1, , drop = FALSE], FALSE) | rbind(FALSE, there[-n, , drop = FALSE])
}

grid_places <- function(grid) expand.grid(lapply(grid, seq_along))

# The predictions for all rows at each point of the grid, a matrix with a row a row and a column a prediction.
grid_predictions <- function(predictor, table, grid, of) {
  at <- grid_places(grid)
  lapply(seq_len(nrow(at)), function(k) {
    here <- table
    for (column in names(grid)) here[[column]] <- rep(grid[[column]][at[[column]][k]], nrow(table))
    as.matrix(plain_predictions(predictor, here)[of])
  })
}

# Mean predictions, and the band that holds nine rows in ten.
effect_curve <- function(predictions, grid, of) {
  at <- as.data.frame(Map(`[`, grid, grid_places(grid)), optional = TRUE)
  do.call(rbind, lapply(of, function(one) {
    values <- lapply(predictions, function(a) a[, one])
    share <- function(p) vapply(values, stats::quantile, 0, p, na.rm = TRUE, names = FALSE)
    mean <- vapply(values, base::mean, 0, na.rm = TRUE)
    data.frame(of = one, at, prediction = mean, low = share(0.05), high = share(0.95), check.names = FALSE)
  }))
}

# Single rows' predictions along one column.
effect_lines_of <- function(predictions, grid, of) {
  shown <- seq_len(min(50, nrow(predictions[[1]])))
  do.call(rbind, lapply(of, function(one) {
    rows <- lapply(shown, function(i) {
      data.frame(row = i, of = one, value = grid[[1]], prediction = vapply(predictions, function(a) a[i, one], 0))
    })
    lines <- do.call(rbind, rows)
    names(lines)[3] <- names(grid)
    lines
  }))
}

explained_table <- function(model, data, most) {
  own <- is_training_table(model, data)
  rows <- if (own) rows_of_part(model, data, part_to_evaluate(model, NULL)) else counted_rows(roles_of(model), data)
  data[drawn_rows(rows, most, training_seed(model), "effect rows"), , drop = FALSE]
}

# The values at which a column is looked at, in its own type.
effect_values <- function(x, column, points) {
  known <- x[!is.na(x)]
  if (is_moment(x) || (is.numeric(x) && length(unique(known)) > points)) {
    shares <- seq(0.02, 0.98, length.out = points)
    ends <- unique(stats::quantile(as.numeric(known), shares, names = FALSE, type = 1))
    values <- if (is_moment(x)) as_moment_like(ends, x) else ends
  } else if (is.numeric(x) || is.logical(x)) {
    values <- sort(unique(known))
  } else {
    counts <- sort(table(as_label(known)), decreasing = TRUE)
    values <- natural_order(utils::head(names(counts), 20), x)
  }
  if (length(values) < 2) {
    fail(sprintf("Column %s is always the same, so there is no effect to show.", quoted(column)))
  }
  values
}

# Values that were seen, for the marks at the edge of a figure.
shown_values <- function(x) {
  x <- x[!is.na(x)]
  if (length(x) > 200) x[unique(round(seq(1, length(x), length.out = 200)))] else x
}

#' @export
as.data.frame.hylomath_effect <- function(x, ...) x$curve

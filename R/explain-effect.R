#' How the prediction changes with an input
#'
#' What the network predicts on average when a column is set to each of several values in all rows, everything else as
#' it is (partial dependence: Friedman 2001), with the lines of single rows beside it (Goldstein, Kapelner, Bleich and
#' Pitkin 2015). The column is one of the table, in its own units; what is derived from it follows. Lines that cross
#' show interactions.
#'
#' Where columns go together, all rows at one value are partly rows that never occur. A `local` effect looks at each row
#' only where it is: how much its prediction changes from one end to the other of the step between two values in which
#' it lies, or from its own level to the neighbouring ones; the means of the steps, added up, are the accumulated local
#' effect (Apley and Zhu 2020). Levels without an order of their own stand in that of their likeness in the other
#' columns. The curve has the mean prediction as its mean.
#'
#' @param model A model.
#' @param input A column that the network takes in, bare or as text.
#' @param data A table with the inputs. Of the one that the model was trained on, the held-out rows are taken, else
#'   all; at most 500 of them (200 for a pair, 10,000 for a local effect), at random.
#' @param with A second column, for the effect of the pair.
#' @param of Classes or targets to look at; the default is the positive class of two, else all.
#' @param points How many values of a number are looked at, at equal shares of its rows between the 2nd and 98th
#'   percentile. Of categories it is every level (the 20 commonest).
#' @param local Whether rows stay where they are, for one column.
#' @param level The level of a local effect's intervals, for each value by itself. They are about which rows were drawn
#'   (groups, where rows belong to them), not about the network.
#' @param ... Not used.
#' @return An object of class `hylomath_effect`; `curve` is a data frame of `of` (class or target), the columns'
#'   values, `prediction` (the mean probability or number), `low` and `high` (between which nine of ten rows lie; of a
#'   local effect the ends of its interval, which may pass 0 and 1), and of a pair `near`, whether any row of `data` is
#'   near: where none is, the network is only guessing; `lines` has `row`, `of`, value and `prediction` for at most 50
#'   single rows (none for a pair, nor locally). [as.data.frame()] gives `curve`.
#' @section Errors: A column that the network doesn't take in, or that is always the same; a pair that is to be local.
#' @references Apley and Zhu (2020) \doi{10.1111/rssb.12377}; Friedman (2001) \doi{10.1214/aos/1013203451};
#'   Goldstein, Kapelner, Bleich and Pitkin (2015) \doi{10.1080/10618600.2014.907095}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' effect_of(model, kilns, peak_c, of = "crazed")
#' effect_of(model, kilns, peak_c, with = glaze, of = "crazed")
#' effect_of(model, kilns, peak_c, of = "crazed", local = TRUE)
#' @export
effect_of <- function(model, data, input, with = NULL, of = NULL, points = 25, local = FALSE, level = 0.95, ...) {
  UseMethod("effect_of")
}

#' @export
effect_of.hylomath_model <- function(model, data, input, with = NULL, of = NULL, points = 25, local = FALSE,
                                     level = 0.95, ...) {
  check_others(...)
  check_table_given(!missing(data))
  type_number(2, 1000, whole = TRUE)(points, "points")
  check_flag(local, "local")
  type_level()(level, "level")
  data <- as_table(data)
  inputs <- c(chosen_column(rlang::enquo(input), data, "input"), chosen_column(rlang::enquo(with), data, "with"))
  predictor <- model$predictor
  check_effect_inputs(inputs, needed_columns(predictor))
  of <- predictions_to_explain(predictor$target, of)
  pair <- length(inputs) == 2
  if (local && pair) {
    fail("A local effect is one column's: leave out `with`.", "interactions() says how much a pair does together.")
  }
  table <- explained_table(model, data, if (local) most_explained else if (pair) 200 else 500)
  counted <- data[counted_rows(roles_of(model), data), , drop = FALSE]
  grid <- lapply(stats::setNames(inputs, inputs), function(column) {
    effect_values(counted[[column]], column, if (pair) min(points, 15) else points)
  })
  if (local) {
    table <- rows_on_grid(predictor, table, grid)
    curve <- local_effect(model, table, grid, of, level)
  } else {
    predictions <- grid_predictions(predictor, table, grid, of)
    curve <- effect_curve(predictions, grid, of)
  }
  if (pair) curve$near <- rep(has_rows_near(data, grid), length(of))
  new_result(
    list(
      curve = curve, lines = if (!pair && !local) effect_lines_of(predictions, grid, of), input = inputs,
      local = local, level = if (local) level,
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

# ---- local -----------------------------------------------------------------------------------------------------------

# The rows that a network has a prediction for.
predicted_rows <- function(predictor, table) {
  table[stats::complete.cases(plain_predictions(predictor, table)), , drop = FALSE]
}

# The groups that rows of a table belong to, where it says so.
groups_in <- function(model, table) {
  group <- roles_of(model)$group
  if (!is.null(group) && group %in% names(table)) table[[group]]
}

# The rows that have a place on the grid and a prediction.
rows_on_grid <- function(predictor, table, grid) {
  column <- names(grid)
  x <- table[[column]]
  on <- if (is.numeric(x) || is_moment(x)) !is.na(x) else as_label(x) %in% as_label(grid[[1]])
  table <- predicted_rows(predictor, table[on, , drop = FALSE])
  if (nrow(table) == 0) fail(sprintf("No row that is looked at has a value of %s and a prediction.", quoted(column)))
  table
}

# The accumulated local effect along a grid of one column, with its intervals, over rows that have a place on it.
local_effect <- function(model, table, grid, of, level) {
  predictor <- model$predictor
  column <- names(grid)
  values <- grid[[1]]
  stepped <- is.numeric(values) || is_moment(values)
  if (!stepped && !is.logical(values) && !has_own_order(table[[column]])) {
    values <- values[by_likeness(table[setdiff(needed_columns(predictor), column)], table[[column]], values)]
  }
  steps <- length(values) - 1
  place <- if (stepped) {
    pmin(pmax(findInterval(as.numeric(table[[column]]), as.numeric(values), left.open = TRUE), 0), steps + 1)
  } else {
    match(as_label(table[[column]]), as_label(values))
  }
  moved_to <- function(rows, k) {
    here <- table[rows, , drop = FALSE]
    here[[column]] <- rep(values[k], length(rows))
    as.matrix(plain_predictions(predictor, here)[of])
  }
  moves <- lapply(seq_len(steps), function(k) {
    rows <- which(if (stepped) place == k else place %in% c(k, k + 1))
    list(rows = rows, by = if (length(rows)) moved_to(rows, k + 1) - moved_to(rows, k))
  })
  at <- local_places(place, steps, stepped)
  now <- as.matrix(plain_predictions(predictor, table)[of])
  resampling <- resampling_of(rep(1, nrow(table)), groups_in(model, table), training_seed(model), level, 1000)
  do.call(rbind, lapply(of, function(one) {
    sums <- unit_sums(local_terms(moves, at, now[, one], one), resampling$unit, max(resampling$unit))
    curve_of <- function(t) accumulated(t, steps)
    value <- curve_of(total_sums(sums))[1, ]
    ends <- bca_interval(
      value, curve_of(drawn_sums(resampling$counts, sums)), curve_of(all_but_one(sums)), level
    )
    curve <- data.frame(of = one, value = values, prediction = value, ends)
    names(curve)[2] <- column
    curve
  }))
}

# How much each row counts for the mean at each value: at its level, or half at both ends of its step.
local_places <- function(place, steps, stepped) {
  at <- matrix(0, length(place), steps + 1)
  if (!stepped) {
    at[cbind(seq_along(place), place)] <- 1
    return(at)
  }
  for (end in list(pmax(place, 1), pmin(place + 1, steps + 1))) {
    cells <- cbind(seq_along(place), end)
    at[cells] <- at[cells] + 0.5
  }
  at
}

# A row's terms: 1, its prediction, how much each step moves it, whether it is in each, and its places.
local_terms <- function(moves, at, now, of) {
  steps <- length(moves)
  moved <- within <- matrix(0, nrow(at), steps)
  for (k in seq_len(steps)) {
    rows <- moves[[k]]$rows
    if (length(rows) == 0) next
    moved[rows, k] <- moves[[k]]$by[, of]
    within[rows, k] <- 1
  }
  cbind(1, now, moved, within, at)
}

# The curve of sums of such terms, a row each; a step in which no row is moves nothing.
accumulated <- function(t, steps) {
  moved <- t[, 2 + seq_len(steps), drop = FALSE]
  within <- t[, 2 + steps + seq_len(steps), drop = FALSE]
  places <- t[, 2 + 2 * steps + seq_len(steps + 1), drop = FALSE]
  mean_moves <- ifelse(within > 0, moved / pmax(within, 1e-12), 0)
  risen <- matrix(0, nrow(t), steps + 1)
  for (k in seq_len(steps)) risen[, k + 1] <- risen[, k] + mean_moves[, k]
  risen + t[, 2] / t[, 1] - rowSums(risen * places) / rowSums(places)
}

# The order of levels along the line on which their distances show best: how unlike their rows are in each of the other
# columns, by the largest distance of their distributions or half the sum of differences of shares (Apley and Zhu 2020).
by_likeness <- function(others, x, levels) {
  if (length(levels) < 3) return(seq_along(levels))
  rows <- lapply(as_label(levels), function(level) which(as_label(x) == level))
  apart <- Reduce(`+`, lapply(others, function(other) {
    stepped <- is.numeric(other) || is_moment(other)
    bins <- if (stepped) {
      rank <- rank(as.numeric(other), na.last = "keep", ties.method = "max")
      ceiling(20 * rank / max(1, sum(!is.na(rank))))
    } else {
      match(as_label(other), as_label(unique(other)))
    }
    most <- max(1, bins, na.rm = TRUE)
    shares <- do.call(rbind, lapply(rows, function(own) tabulate(bins[own], most) / max(1, length(own))))
    if (!stepped) return(as.matrix(stats::dist(shares, "manhattan")) / 2)
    as.matrix(stats::dist(do.call(rbind, apply(shares, 1, cumsum, simplify = FALSE)), "maximum"))
  }))
  if (is.null(apart) || all(apart == 0)) return(seq_along(levels))
  order(stats::cmdscale(apart, k = 1)[, 1])
}

#' @export
as.data.frame.hylomath_effect <- function(x, ...) x$curve

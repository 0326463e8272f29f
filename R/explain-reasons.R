# The columns that moved the prediction of each of many rows most, in short: what contributions() says of one row, from
# fewer drawn rows, which are the same for all.

# So many other rows are drawn, each walked from there and back; and so few make no comparison.
reason_walks <- 25
fewest_compared <- 10

# Rows are gone through so many predictions at a time.
reason_block <- 2e5

# For `rows` of `data` the columns `reason_1` to `reason_<count>` as text: a column, its value, and by how much it moved
# the prediction from that for the other rows. Those that the draw can't tell from nothing, by two standard errors, are
# left out.
reasons_of <- function(model, data, rows, count) {
  said <- matrix(NA_character_, nrow(data), count, dimnames = list(NULL, paste0("reason_", seq_len(count))))
  predictor <- model$predictor
  columns <- needed_columns(predictor)
  data <- as_table(data)
  background <- explained_table(model, data, reason_walks)[columns]
  if (nrow(background) < fewest_compared) {
    what <- "There are no reasons: they compare a row with at least %d others, and the table has %s."
    rlang::inform(
      sprintf(what, fewest_compared, counted(nrow(data), "row")), class = "hylomath_message_without_reasons"
    )
    return(as.data.frame(said))
  }
  data <- data[columns]
  now <- plain_predictions(predictor, data[rows, , drop = FALSE])
  rows <- rows[!is.na(now[[1]])]
  of <- explained_prediction(predictor$target, now[!is.na(now[[1]]), , drop = FALSE])
  walks <- walks_from(seq_len(nrow(background)), length(columns), training_seed(model))
  each <- max(1, reason_block %/% length(walks$from))
  for (some in split(seq_along(rows), (seq_along(rows) - 1) %/% each)) {
    moves <- row_moves(predictor, data[rows[some], , drop = FALSE], background, walks, of[some])
    for (k in seq_along(some)) {
      row <- rows[some[k]]
      most <- order(-abs(moves$mean[, k]))
      most <- utils::head(most[abs(moves$mean[most, k]) > 2 * moves$error[most, k]], count)
      value <- vapply(columns[most], function(column) format_value(data[[column]][row]), "")
      said[row, seq_along(most)] <- sprintf("%s %s (%s)", columns[most], value, format_signed(moves$mean[most, k]))
    }
  }
  as.data.frame(said)
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

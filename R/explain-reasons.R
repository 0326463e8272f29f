# What moved the predictions of many rows most, in short.

# So many other rows are drawn, each walked from there and back.
reason_walks <- 25

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
  moves <- moves_of_rows(predictor, data[rows, , drop = FALSE], background, walks, of)
  for (k in seq_along(rows)) {
    row <- rows[k]
    most <- order(-abs(moves$mean[, k]))
    most <- utils::head(most[abs(moves$mean[most, k]) > 2 * moves$error[most, k]], count)
    value <- vapply(columns[most], function(column) format_value(data[[column]][row]), "")
    said[row, seq_along(most)] <- sprintf("%s %s (%s)", columns[most], value, format_signed(moves$mean[most, k]))
  }
  as.data.frame(said)
}

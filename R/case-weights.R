# Case weights: what they mean. Counts say how many rows a row stands for. Importance says how much a row matters beside
# the others: what is estimated is as for counts, but a common factor changes nothing, and what is uncertain goes by the
# number of rows. (weights_in() gives those of an analysis.)

# Whether the weights of a brief's `columns` are counts.
weights_count <- function(columns) identical(columns$weight_is, "counts")

# Of mean 1 over the rows that are meant.
scaled_importance <- function(weight, rows = weight > 0) {
  if (is.null(weight) || !any(rows)) return(weight)
  weight / mean(weight[rows])
}

# Counted rows one by one, as places among them: what is estimated from them is then what is estimated from the same
# rows written out. Of more than `most_counted_out` in all so many stand for them, in proportion.
most_counted_out <- 1e6

counted_places <- function(weight) {
  total <- sum(weight)
  if (total <= most_counted_out) return(rep(seq_along(weight), weight))
  findInterval((seq_len(most_counted_out) - 0.5) / most_counted_out * total, cumsum(weight), left.open = TRUE) + 1L
}

# The rows of a table one by one where the brief's weights count rows; of a table without that column as they are.
counted_rows <- function(columns, table) {
  column <- columns$weight
  if (!weights_count(columns) || !column %in% names(table)) return(seq_len(nrow(table)))
  check_case_weights(table[[column]], column, TRUE)
  counted_places(table[[column]])
}

check_case_weights <- function(w, column, counts) {
  if (!is.numeric(w)) fail(sprintf("The weight column %s must be numbers, not %s.", quoted(column), type_name(w)))
  bad <- which(is.na(w) | w < 0 | is.infinite(w))
  if (length(bad)) {
    what <- "The weight column %s is negative, infinite or missing in %s."
    fail(sprintf(what, quoted(column), rows_text(bad)))
  }
  broken <- which(counts & w != round(w))
  if (length(broken)) {
    fail(
      sprintf("The weight column %s counts rows, but is not whole in %s.", quoted(column), rows_text(broken)),
      "Weights that are not counts say how much a row matters: weight_is = \"importance\"."
    )
  }
  if (all(w == 0)) fail(sprintf("The weight column %s is 0 in every row.", quoted(column)))
}

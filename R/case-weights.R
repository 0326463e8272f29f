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

# Beyond this many, rows that are counted are not written out one by one.
most_counted_out <- 1e6

# Rows with a count each, one by one, as places among them: what uncertainty is reckoned over. NULL where they stay as
# they are.
counted_out <- function(weight) {
  if (all(weight == 1) || any(weight != round(weight)) || sum(weight) > most_counted_out) return(NULL)
  rep(seq_along(weight), weight)
}

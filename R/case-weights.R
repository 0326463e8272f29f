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

# ---- weighted sums ---------------------------------------------------------------------------------------------------

# Sums and shares of weighted rows, by unit of resampling.

# Sums of the columns by unit; where each row is a unit of its own there is nothing to add.
unit_sums <- function(columns, unit, units) {
  if (units == nrow(columns) && !is.unsorted(unit)) return(columns)
  sums <- core_sums(columns, unit, units)
  colnames(sums) <- colnames(columns)
  sums
}

# Sums of the values by unit (rows) and code (columns).
code_sums <- function(code, value, unit, units, codes) {
  matrix(core_sums(cbind(value), as.integer(unit + (code - 1L) * units), units * codes), units)
}

weighted_mean <- function(x, weight) sum(x * weight) / sum(weight)

# As of rows written out by their weights: divided by their number less one.
weighted_deviation <- function(x, weight) {
  sqrt(sum(weight * (x - weighted_mean(x, weight))^2) / max(sum(weight) - 1, 1e-300))
}

# What can be divided by: 1 for the spread of what doesn't vary.
above_zero <- function(deviation) ifelse(is.na(deviation) | deviation == 0, 1, deviation)

# The sums of weights by place, of `places` of them; a missing place counts nowhere.
weight_by_place <- function(place, weight, places) {
  if (all(weight == 1)) return(as.numeric(tabulate(place, places)))
  there <- !is.na(place)
  as.numeric(core_sums(cbind(weight[there]), as.integer(place[there]), as.integer(places)))
}

# A share of nothing is NA.
share_of <- function(part, whole) {
  share <- part / whole
  share[whole <= 0] <- NA
  share
}

# The standard error of what has this influence by unit.
influence_error <- function(influence) sqrt(sum(influence^2))

# ---- weighted quantiles ----------------------------------------------------------------------------------------------

# Quantiles of weighted values.

# The value below which a share of the weight lies; between two values where it is reached exactly.
weighted_quantile <- function(x, weight, share) {
  order <- order(x, method = "radix")
  upto <- cumsum(weight[order]) / sum(weight)
  at <- which(upto >= share - 1e-12)[1]
  next_at <- which(upto > upto[at])[1]  # what has no weight is no neighbour
  if (abs(upto[at] - share) < 1e-12 && !is.na(next_at)) mean(x[order][c(at, next_at)]) else x[order][at]
}

# Quantiles between neighbours (type 7 of Hyndman and Fan 1996), as of rows written out by their weights.
ordered_quantiles <- function(x, weight, shares) {
  if (all(weight == 1)) return(stats::quantile(x, shares, names = FALSE))
  order <- order(x, method = "radix")
  upto <- cumsum(weight[order])
  total <- upto[length(upto)]
  last <- max(total - 1, 0)
  place <- shares * last
  below <- floor(place + 1e-9)
  value_at <- function(k) x[order][pmin(findInterval(k + 1e-9, upto) + 1, length(x))]
  low <- value_at(below)
  above <- value_at(pmax(pmin(below + 1, last), below))
  # the place can lie a rounding below the whole number that it is taken for: quantiles rise all the same
  pmin(low + pmax(place - below, 0) * (above - low), above)
}

weighted_median <- function(x, weight) weighted_quantile(x, weight, 0.5)

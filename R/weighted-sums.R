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

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

# A share of nothing is NA.
share_of <- function(part, whole) {
  share <- part / whole
  share[whole <= 0] <- NA
  share
}

# The standard error of what has this influence by unit.
influence_error <- function(influence) sqrt(sum(influence^2))

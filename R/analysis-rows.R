# What is asked of an analysis: its inputs, its rows by part, their targets and strata.

part_names <- c("training", "validation", "calibration", "test")

# The same analysis over other parts of its rows, trained by another seed: a fold.
with_parts <- function(a, part, seed) {
  a$part <- part
  a["fold"] <- list(NULL)
  a$regimen$seed <- seed
  a
}

input_columns <- function(a) names(a$kinds)

rows_in <- function(a, part) core_places_of(a$part, part)

# The target's columns at some rows.
target_values <- function(a, rows) a$table[rows, a$target$columns, drop = FALSE]

# Strata of some rows, for dealing them out: classes, or bands of a number's ranks.
strata_of <- function(a, rows, bands) {
  y <- a$table[[a$target$columns[1]]][rows]
  task_of(a$target)$strata(y, a$target$classes, bands)
}

# The weights of some rows of an analysis, by which everything is learned from them: counts as they are, importance with
# a mean of 1, so that its sum is the number of rows.
weights_in <- function(a, rows) {
  if (is.null(a$weight)) return(rep(1, length(rows)))
  if (a$counts) a$weight[rows] else scaled_importance(a$weight[rows])
}

# How many rows the training rows count for, and some rows.
cases_in <- function(a, part) sum(weights_in(a, rows_in(a, part)))

case_count <- function(a, rows) as.integer(min(round(sum(weights_in(a, rows))), .Machine$integer.max))

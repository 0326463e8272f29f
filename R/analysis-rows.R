# What is asked of an analysis: its inputs, its rows by part, their targets and strata.

part_names <- c("training", "validation", "calibration", "test")

# The same analysis over other parts of its rows, trained by another seed: a fold.
with_parts <- function(a, part, seed) {
  a$part <- part
  a$regimen$seed <- seed
  a
}

input_columns <- function(a) names(a$kinds)

rows_in <- function(a, part) which(a$part %in% part)

# The target's columns at some rows.
target_values <- function(a, rows) a$table[rows, a$target$columns, drop = FALSE]

# Strata of some rows, for dealing them out: classes, or bands of a number's ranks.
strata_of <- function(a, rows, bands) {
  y <- a$table[[a$target$columns[1]]][rows]
  task_of(a$target)$strata(y, a$target$classes, bands)
}

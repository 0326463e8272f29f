# What arguments can be that verbs have in R and on the command line, so that both refuse the same.

# Counting numbers up to `most`.
type_count <- function(most = Inf, from = 1) type_number(from, most, whole = TRUE)

# The level of an interval of a measure, and the share of rows that an interval or set of predictions is to hold.
type_level <- function() type_number(0.5, 1, open_high = TRUE)
type_share <- function() type_number(0, 1, open_low = TRUE, open_high = TRUE)

# What bounds a resource.
type_limit <- function() type_number(0, 1e12, open_low = TRUE)

type_repeats <- function() type_count(1000)
type_folds <- function() type_count(1000, from = 2)
type_temperature <- function() type_number(0, 1000, open_low = TRUE)

evaluated_parts <- c("training", "validation", "calibration", "test", "out_of_fold")
dealing_ways <- c("stratified", "random", "ordered", "group")
search_evaluations <- c("out_of_fold", "folds", "validation")
sifting_directions <- c("backward", "forward", "ranking")
sifting_sets <- c("small", "best")
recalibration_methods <- c("platt", "isotonic", "temperature", "none")
prediction_types <- c("prediction", "probability", "both", "interval", "set")
ways_with_bad_cells <- c("refuse", "missing")

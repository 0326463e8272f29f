# The inputs that tell most of the target, where prepare(strongest = ) asks for so many only: they are chosen anew by
# each network's own training rows.

strongest_inputs <- function(a, rows, weight) {
  inputs <- input_columns(a)
  most <- most_inputs(a)
  if (length(inputs) <= most) return(inputs)
  told <- told_shares(a, inputs, rows, weight)
  inputs[sort(utils::head(order(-told), most))]
}

most_inputs <- function(a) {
  most <- a$brief$prepare$strongest
  if (is.numeric(most)) most else Inf
}

# So many bins a column of numbers is cut into; a category has one for each level, however little that counts.
bins_of_numbers <- 8
bins_of_levels <- 1e9

# What each column tells alone of what is observed, as a share of its variance: see core/screening.hpp.
told_shares <- function(a, inputs, rows, weight) {
  category <- a$kinds[inputs] == "category"
  columns <- Map(function(x, category) {
    as.numeric(if (category) levels_of(x)$codes[rows] else x[rows])
  }, columns_of(a$table, inputs), category)
  core_told_shares(
    unname(columns), t(responses(a, rows, weight)), as.numeric(weight),
    ifelse(category, bins_of_levels, bins_of_numbers), thread_count()
  )
}

# A column for each target, or for each class whether it is there, with weighted means of 0 and variances of 1.
responses <- function(a, rows, weight) {
  target <- a$target
  y <- target_values(a, rows)
  if (has_classes(target)) {
    y <- outer(as.character(y[[1]]), target$classes, `==`) + 0
  } else {
    y <- as.matrix(as.data.frame(lapply(y, as.numeric)))
    if (!is.null(target$exposure)) y <- y / a$table[[target$exposure]][rows]
    if (target$scaling %in% c("log", "log_median")) y <- log(y)
  }
  apply(y, 2, function(y) {
    apart <- y - weighted_mean(y, weight)
    deviation <- sqrt(weighted_mean(apart^2, weight))
    if (deviation > 0) apart / deviation else apart
  })
}

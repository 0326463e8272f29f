# Trials of a search: the first of them is the brief itself, and each goes up rungs of more and more fits.

# How many fill the space before anything is learned from them.
first_trials <- function(search) max(6, 2 * length(search$space))

# `search` holds the brief that the search began with, the `base` that trials change, and the `space`.
trial_brief <- function(search, rows, trial) {
  if (trial == 1) return(search$brief)
  changed_brief(search$base, row_values(search$space, rows[trial, , drop = FALSE]))
}

# The settings that trials start from as a row; what the space has no place for is as near as it gets.
own_row <- function(search, a) {
  in_force <- search$base
  in_force[["regimen"]] <- regimen_in_force(a, function() learn_preparation(a))
  values <- own_settings(with_usual_values(in_force), names(search$space))
  columns <- lapply(stats::setNames(nm = names(search$space)), function(name) {
    value <- values[[name]]
    numeric <- is_numeric_dimension(search$space[[name]])
    if (length(value) != 1 || is.list(value)) return(if (numeric) NA_real_ else NA_character_)
    if (numeric) suppressWarnings(as.numeric(value)) else value_text(value)
  })
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# Whether the search itself could have come upon the brief's own settings, so that they tell it something.
in_space <- function(search, own) {
  within <- vapply(search$space, function(dimension) {
    x <- own[[dimension$name]]
    if (is.na(x)) return(FALSE)
    if (dimension$kind == "bounds") return(x >= dimension$low && x <= dimension$high)
    as.character(x) %in% vapply(dimension$values, value_text, "")
  }, NA)
  if (!all(within)) return(FALSE)
  identical(changed_brief(search$base, row_values(search$space, own))$wiring, search$base$wiring)
}

# A row that says nothing.
no_place <- function(row) {
  row[] <- lapply(row, function(value) value[NA_integer_])
  row
}

# What a trial is evaluated on before it goes on: so many folds, or so much of its epochs.
search_rungs <- function(search) {
  if (search$evaluate == "validation") return(data.frame(folds = 1L, epochs = c(1 / 9, 1 / 3, 1)))
  once <- min(search$k, search$folds)  # an ensemble's folds are dealt once
  data.frame(folds = as.integer(unique(c(1, ceiling(once / 3), once, search$folds))), epochs = 1)
}

# Mean losses of those trials that have all fits of the rung, by trial.
rung_losses <- function(fits, rung) {
  own <- fits[fits$share == rung$epochs & fits$fold <= rung$folds, ]
  losses <- tapply(own$loss, own$trial, function(loss) if (length(loss) == rung$folds) mean(loss) else NA)
  losses[!is.na(losses)]
}

# Fits that are known: one row a trial, fold and share of the epochs.
no_fits <- function() {
  data.frame(
    trial = integer(), fold = integer(), share = numeric(), loss = numeric(), rows = integer(), training = integer(),
    parameters = integer(), epochs = integer(), seconds = numeric()
  )
}

fit_row <- function(trial, fold, share, result) {
  data.frame(
    trial = trial, fold = fold, share = share, loss = if (is.finite(result$loss)) result$loss else Inf,
    rows = as.integer(result$evaluating), training = as.integer(result$learned),
    parameters = as.integer(result$parameters), epochs = as.integer(result$epochs), seconds = result$seconds
  )
}

# Trials of a search: the first of them is the brief itself, and each goes up rungs of more and more fits.

# How many fill the space before anything is learned from them.
first_trials <- function(search) max(6, 2 * length(search$space))

trial_brief <- function(b, space, rows, trial) {
  if (trial == 1) b else changed_brief(b, row_values(space, rows[trial, , drop = FALSE]))
}

# The brief's own settings as a row; what the space has no place for is as near as it gets.
own_row <- function(search, a) {
  in_force <- search$brief
  in_force[["regimen"]] <- regimen_in_force(a, function() learn_preparation(a))
  values <- own_settings(in_force, names(search$space))
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
  identical(changed_brief(search$brief, row_values(search$space, own))$wiring, search$brief$wiring)
}

# What a trial is judged by before it goes on: so many folds, or so much of its epochs.
search_rungs <- function(k, folds) {
  if (is.null(k)) return(data.frame(folds = 1L, epochs = c(1 / 9, 1 / 3, 1)))
  once <- min(k, folds)
  data.frame(folds = as.integer(unique(c(1, ceiling(once / 3), once, folds))), epochs = 1)
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

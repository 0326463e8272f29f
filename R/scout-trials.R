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

# ---- out-of-fold -----------------------------------------------------------------------------------------------------

# A search over cross-validation ensembles: a trial is evaluated by what each network predicts out of fold, for rows
# that it has not seen, for as many fits as there are folds. Where the brief leaves the wiring open its own figures are
# those of the blend which train() makes of it, so that nothing is found better that does worse out of fold than the
# default.

# The brief that trials change: of an open one the rule's plainest wiring, trained and prepared as the rule does.
brief_to_change <- function(b, evaluate, a) {
  if (!blends(b, evaluate)) return(b)
  plainest <- Filter(function(one) is.null(one$said), auto_wirings(a))[[1]]
  changed <- with_network(a, plainest$wiring, plainest$regimen, plainest$prepare)$brief
  changed[["hold_out"]] <- b[["hold_out"]]
  new_brief(brief_settings(changed), b$table)
}

# Whether the brief's own predictions are a blend, which has no place among the settings.
blends <- function(b, evaluate) evaluate == "out_of_fold" && b$wiring == "auto"

# Puts the losses of the brief's own ensemble into the store, fold by fold, before anything else is tried. Whether an
# interrupt left some of them out.
evaluate_blend <- function(search, store, report) {
  known <- lapply(seq_len(search$folds), function(fold) store$find("own", fold, 1))
  if (!any(vapply(known, is.null, NA))) return(FALSE)
  trained <- train_members(settle(search$brief), function(event) report(c(event, list(within = "the brief's own"))))
  evaluated <- out_of_fold_rows(trained)
  for (i in seq_along(trained$whole)) {
    members <- lapply(trained$each, `[[`, i)
    of <- function(what) vapply(members, function(m) as.numeric(m[[what]]), 0)
    own <- rows_of_each(evaluated, which(evaluated$fold == trained$whole[i]))
    result <- list(
      loss = mean_loss(members[[1]]$predictor, own), evaluating = length(own$key), learned = members[[1]]$learned,
      parameters = sum(of("parameters")), epochs = max(of("epochs")), seconds = sum(of("seconds"))
    )
    store$add("own", fit_row(1L, trained$whole[i], 1, result))
  }
  length(trained$whole) < search$folds
}

# Made-up rows for a transcript to prove itself by: drawn within what training saw, with missing values, a new level,
# extremes.

most_made_up <- 50

made_up_rows <- function(model, program) {
  plans <- model$predictor$preparation$columns
  names(plans) <- prepared_columns(model$predictor$preparation)
  derived <- names(model$predictor$preparation$rules$derived)
  draw <- function(column) uniform(most_made_up, training_seed(model), "made-up rows", column)
  columns <- lapply(seq_along(program$columns), function(i) {
    column <- program$columns[[i]]
    u <- draw(2 * i)
    if (i == program$exposure) return(0.5 + u)
    plan <- if (!column$name %in% derived) plans[[column$name]]
    if (is.null(plan)) made_up_of_type(column$type, u) else made_up_column(plan, u, draw(2 * i + 1))
  })
  names(columns) <- raw_names(program)
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# Of a column of which no more is known.
made_up_of_type <- function(type, u) {
  switch(type,
    text = paste("made up", 1 + floor(3 * u)), date = as.Date("2020-01-01") + floor(u * 2000),
    time = as.POSIXct("2020-01-01", tz = "UTC") + floor(u * 2e8), flag = round(u), signif(10 * u, 4)
  )
}

# `u` draws values, `other` missing values and what is unusual. The first two rows are the ends of what was seen.
made_up_column <- function(plan, u, other) {
  x <- switch(plan$encoding,
    number = {
      inside <- plan$seen_low + u * (plan$seen_high - plan$seen_low)
      if (plan$kind == "flag") inside <- round(inside)
      c(plan$seen_low, plan$seen_high, signif(inside, 6)[-(1:2)])
    },
    date = made_up_of_type(plan_type(plan), u),
    {
      levels <- c(plan$levels, plan$rare, "never seen")
      levels[1 + floor(u * length(levels))]
    }
  )
  x[other < 0.06] <- NA
  x
}

# The rows as lists of cells, dates as texts, and the model's predictions for them.
checked_rows <- function(model, program) {
  rows <- rows_with_predictions(model, made_up_rows(model, program))
  predictions <- given_predictions(model$predictor, rows)
  bounds <- program$ends$bounds
  scale <- list(unit = if (isTRUE(program$ends$ratio)) "log" else "plain")
  for (i in seq_along(bounds)) {
    predictions <- cbind(predictions, as.data.frame(conformal_ends(scale, predictions, i, bounds[i])))
  }
  names(predictions) <- program$predictions
  dated <- vapply(rows, is_moment, NA)
  rows[dated] <- lapply(rows[dated], moment_text)
  list(rows = rows, predictions = predictions, spread = allowed_spread(model$predictor))
}

# Those of which every derived column is a number.
rows_with_predictions <- function(model, rows) {
  can <- function(rows) {
    tryCatch(is.data.frame(given_predictions(model$predictor, rows)), hylomath_error = function(e) FALSE)
  }
  if (can(rows)) return(rows)
  kept <- vapply(seq_len(nrow(rows)), function(i) can(rows[i, , drop = FALSE]), NA)
  if (!any(kept)) fail("No made-up row has a prediction: a derived column is not a number in any of them.")
  rows <- rows[kept, , drop = FALSE]
  rownames(rows) <- NULL
  rows
}

moment_text <- function(x) format(x, if (inherits(x, "Date")) "%Y-%m-%d" else "%Y-%m-%d %H:%M:%S")

# What a prediction may be off by is 1e-5 of it and of this: the target's deviation, of probabilities 1. The core's
# single precision is off by about 1e-7, which a steep curve of a recalibration makes more of.
allowed_spread <- function(predictor) {
  if (!has_classes(predictor$target)) return(max(predictor$preparation$target$scale))
  steepest <- vapply(predictor$recalibration$map$curves %||% list(), function(curve) {
    if (length(curve$score) < 2) 1 else max(diff(curve$level) / diff(curve$score), 1)
  }, 0)
  max(1, steepest / 100)
}

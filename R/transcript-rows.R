# Made-up rows for a transcript to prove itself by: drawn within what training saw, with gaps, a new level, extremes.

most_made_up <- 50

made_up_rows <- function(model, program) {
  plans <- model$answerer$preparation$columns
  draw <- function(column) uniform(most_made_up, training_seed(model), "made-up rows", column)
  columns <- lapply(seq_along(plans), function(i) made_up_column(plans[[i]], draw(2 * i), draw(2 * i + 1)))
  names(columns) <- prepared_columns(model$answerer$preparation)
  if (program$exposure > 0) columns[[program$columns[[program$exposure]]$name]] <- 0.5 + draw(1)
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# `u` draws values, `other` gaps and what is unusual. The first two rows are the ends of what was seen.
made_up_column <- function(plan, u, other) {
  n <- length(u)
  x <- switch(plan$encoding,
    number = {
      inside <- plan$seen_low + u * (plan$seen_high - plan$seen_low)
      if (plan$kind == "flag") inside <- round(inside)
      c(plan$seen_low, plan$seen_high, signif(inside, 6)[-(1:2)])
    },
    date = as.Date("2020-01-01") + floor(u * 2000),
    {
      levels <- c(plan$levels, plan$rare, "never seen")
      levels[1 + floor(u * length(levels))]
    }
  )
  x[other < 0.06] <- NA
  x
}

# The rows as lists of cells, dates as texts, and the model's answers to them.
checked_rows <- function(model, program) {
  rows <- made_up_rows(model, program)
  answers <- given_answers(model$answerer, rows)
  dated <- vapply(rows, inherits, NA, "Date")
  rows[dated] <- lapply(rows[dated], as.character)
  list(rows = rows, answers = answers, spread = allowed_spread(model$answerer))
}

# What an answer may be off by is 1e-5 of it and of this: the target's deviation, of probabilities 1. The core's single
# precision is off by about 1e-7, which a steep curve of a recalibration makes more of.
allowed_spread <- function(answerer) {
  if (!has_classes(answerer$target)) return(max(answerer$preparation$target$scale))
  steepest <- vapply(answerer$recalibration$map$curves %||% list(), function(curve) {
    if (length(curve$score) < 2) 1 else max(diff(curve$level) / diff(curve$score), 1)
  }, 0)
  max(1, steepest / 100)
}

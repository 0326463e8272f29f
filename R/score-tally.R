# What is told of all blocks of a scored table together, and how one of them is predicted.

# A tally counts rows and what is unusual about them.
new_tally <- function() list(rows = 0, unusual_rows = 0, columns = NULL, bad = numeric(), added = character())

tallied <- function(tally, scored) {
  tally$rows <- tally$rows + nrow(scored$predictions)
  tally$unusual_rows <- tally$unusual_rows + scored$unusual_rows
  tally$columns <- added_counts(tally$columns, scored$columns)
  for (column in names(scored$bad)) {
    before <- if (column %in% names(tally$bad)) tally$bad[[column]] else 0
    tally$bad[[column]] <- before + scored$bad[[column]]
  }
  tally$added <- names(scored$predictions)
  tally
}

added_counts <- function(before, now) {
  both <- rbind(before, now)
  if (is.null(both) || nrow(both) == 0) return(both)
  sums <- rowsum(as.matrix(both[c("unseen", "missing", "outside")]), both$column, reorder = FALSE)
  data.frame(
    column = rownames(sums), sums, trained_on = both$trained_on[match(rownames(sums), both$column)], row.names = NULL
  )
}

tally_facts <- function(tally) {
  list(
    rows = tally$rows, columns = tally$added, bad_cells = tally$bad,
    unusual = list(rows = tally$unusual_rows, columns = tally$columns)
  )
}

# A block of a table with its predictions: list(predictions, unusual_rows, columns, bad).
scored_block <- function(model, table, how) {
  preparation <- model$predictor$preparation
  bad <- numeric()
  if (how$bad_cells == "missing") {
    table <- cleaned_cells(preparation, table)
    bad <- attr(table, "bad")
    attr(table, "bad") <- NULL
  }
  own <- c("type", "level", "shares", "flags", "identity", "prefix")
  predictions <- do.call(augment, c(list(model, table), how[own]))[-seq_along(table)]
  unusual <- unusual_rows(model, table)
  if (how$flags) {
    column <- paste0(how$prefix, "unusual")
    predictions[[column]][predictions[[column]] == ""] <- NA  # an empty cell
  }
  # what is chance is another question for all blocks together
  columns <- unusual$columns[c("column", "unseen", "missing", "outside", "trained_on")]
  list(predictions = predictions, unusual_rows = sum(unusual$rows != ""), columns = columns, bad = bad)
}

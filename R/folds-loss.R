# What one fold says of a brief: the loss of the rows that it judges, and how much that of others rises when a column is shuffled.

fold_loss <- function(spec, fit) {
  c(list(loss = mean_losses(fold_model(spec, fit), spec$table, spec$judged)), fit_facts(spec, fit))
}

fold_rises <- function(spec, fit) {
  model <- fold_model(spec, fit)
  list(loss = mean_losses(model, spec$table, spec$judged), rise = shuffling_rise(model, spec))
}

# The measure that the network is trained for, over rows of the working table.
mean_losses <- function(model, table, rows) {
  judged <- judged_rows(model, table[rows, , drop = FALSE], rows)
  one_loss(model, colSums(row_losses(model, judged, judged$answers) * judged$weight) / sum(judged$weight))
}

# Mean losses by target as one figure: of several targets the mean of their shares of the targets' variances.
one_loss <- function(model, losses) {
  if (length(losses) == 1) return(loss_measure(primary_measure(model$brief))(losses))
  mean(losses / model$preparation$target$scale^2)
}

loss_name <- function(b) if (length(b$target) > 1) "mean share of the targets' variances" else primary_measure(b)

# So many rows tell well enough which column matters least.
most_rows_shuffled <- 2000

# How much the loss of rows that the fold has not learned from, judged and validation, rises when a column is shuffled: for each column
# and repeat a copy of the rows with that column shuffled, all answered in one go.
shuffling_rise <- function(model, spec, repeats = 3) {
  rows <- c(spec$judged, spec$core$rows[spec$core$validation])
  if (length(rows) > most_rows_shuffled) rows <- rows[core_shuffle(length(rows), spec$brief$regimen$seed, 19L)[seq_len(most_rows_shuffled)]]
  n <- length(rows)
  inputs <- brief_inputs(model$brief)
  here <- spec$table[rows, unique(c(inputs, model$brief$target, unlist(model$brief$columns[column_roles]))), drop = FALSE]
  copies <- expand.grid("repeat" = seq_len(repeats), column = inputs, stringsAsFactors = FALSE)
  many <- as.data.frame(lapply(here, rep, times = nrow(copies)), optional = TRUE)
  for (i in seq_len(nrow(copies))) {
    column <- copies$column[i]
    many[[column]][(i - 1) * n + seq_len(n)] <- here[[column]][core_shuffle(n, spec$brief$regimen$seed, 20L + copies[["repeat"]][i])]
  }
  judged <- judged_rows(model, many, seq_len(nrow(many)))
  sums <- unit_sums(row_losses(model, judged, judged$answers) * judged$weight, rep(seq_len(nrow(copies)), each = n), nrow(copies))
  weight <- sum(judged$weight[seq_len(n)])
  shuffled <- apply(sums / weight, 1, function(losses) one_loss(model, losses))
  colMeans(matrix(shuffled, repeats)) - mean_losses(model, spec$table, rows)
}


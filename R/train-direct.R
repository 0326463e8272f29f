# The network without hidden layers that stands beside every other one: what a linear, logistic, softmax or Poisson model of
# the same inputs makes of the same rows.

# Its few weights are settled by this many training rows; of more, so many are drawn.
most_direct_rows <- 100000

# NULL where the wiring is that already, or its training came to nothing.
fit_direct <- function(b, table, preparation, part) {
  if (b$wiring == "direct") return(NULL)
  b$wiring <- "direct"
  kept <- c("loss", "output", "class_weights", "seed")
  b[["regimen"]] <- utils::modifyList(brief_defaults()[["regimen"]], b[["regimen"]][intersect(kept, names(b[["regimen"]]))])
  for (name in c("training", "validation")) {
    rows <- which(part %in% name)
    if (length(rows) > most_direct_rows) part[rows[core_shuffle(length(rows), b[["regimen"]]$seed, 1L)[-seq_len(most_direct_rows)]]] <- NA
  }
  # smooth and convex, so the whole table at once is quickest; the others' corners want small steps
  if (!settled_loss(b)$kind %in% c("absolute", "quantile")) {
    b[["regimen"]]$method <- "lbfgs"
    b[["regimen"]]$stop <- list(patience = 20, gradient = 1e-6)
  }
  rows <- sum(part %in% "training")
  b[["regimen"]] <- settled_regimen(b, rows, function() parameter_count(network_of(b, preparation)))
  fit <- fit_network(fit_spec(b, table, preparation, part), function(event) NULL)
  if (fit$stopped == "interrupted" || fit$best == 0) return(NULL)
  list(network = fit$network, method = b[["regimen"]]$method, rows = rows)
}

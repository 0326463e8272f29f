# The network without hidden layers that stands beside every other one: what a linear, logistic, softmax or Poisson
# model of the same inputs makes of the same rows.

# Its few weights are settled by this many training rows; of more, so many are drawn.
most_direct_rows <- 100000

# Its answerer; NULL where the wiring is that already, or its training came to nothing. It shares the preparation and
# the encoder's columns of the network's own spec.
fit_direct <- function(spec) {
  a <- spec$analysis
  if (a$brief$wiring == "direct") return(NULL)
  thin <- a
  thin$wiring <- parse_wiring("direct")
  thin$regimen <- direct_regimen(a)
  thin$part <- fewer_parts(a)
  preparation <- spec$learned$preparation
  learned <- list(
    preparation = preparation, regimen = regimen_in_force(thin, function() preparation), wiring = thin$wiring
  )
  direct <- fit_spec(thin, learned, sources = spec$core$sources)
  direct$analysis <- a
  fit <- fit_network(direct, function(event) NULL)
  if (fit$stopped == "interrupted" || fit$best == 0) return(NULL)
  new_answerer(direct, fit)
}

direct_regimen <- function(a) {
  kept <- intersect(c("loss", "output", "class_weights", "seed"), names(a$regimen))
  regimen <- utils::modifyList(brief_defaults()[["regimen"]], a$regimen[kept])
  # smooth and convex, so the whole table at once is quickest; the others' corners want small steps
  if (!a$target$loss$kind %in% c("absolute", "quantile")) {
    regimen$method <- "lbfgs"
    regimen$stop <- list(patience = 20, gradient = 1e-6)
  }
  regimen
}

fewer_parts <- function(a) {
  part <- a$part
  for (name in c("training", "validation")) {
    rows <- rows_in(a, name)
    part[setdiff(rows, drawn_rows(rows, most_direct_rows, a$regimen$seed, "direct"))] <- NA
  }
  part
}

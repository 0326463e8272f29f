# The network without hidden layers that stands beside every other one: what a linear, logistic, softmax or Poisson
# model of the same inputs makes of the same rows.

# Its predictor; NULL where the wiring is that already, or its training came to nothing. It shares the preparation and
# the encoder's columns of the network's own spec, unless that has learned points for levels.
fit_linear <- function(spec) {
  a <- spec$analysis
  if (length(a$wiring$layers) == 0) return(NULL)
  thin <- a
  thin$wiring <- parse_wiring("linear")
  thin$regimen <- linear_regimen(a$regimen)
  thin$part <- fewer_parts(a)
  preparation <- spec$learned$preparation
  sources <- spec$core$sources
  if (any(vapply(preparation$columns, is_embedded, NA))) {
    thin$prepare <- lapply(a$prepare, function(how) within_settings(how, embedding = "auto"))
    # learned of the rows that the network has learned from
    preparation <- learn_preparation(with_parts(thin, a$part, a$regimen$seed))
    sources <- encoder_sources(preparation, a$table)
  }
  learned <- list(
    preparation = preparation, regimen = regimen_in_force(thin, function() preparation), wiring = thin$wiring
  )
  linear <- fit_spec(thin, learned, sources = sources)
  linear$analysis <- a
  fit <- fit_network(linear, function(event) NULL)
  if (fit$stopped == "interrupted" || fit$best == 0) return(NULL)
  new_predictor(linear, fit)
}

# Another encoding of categories in place of one.
within_settings <- function(how, embedding) {
  if (identical(how$categories, "embedding")) how$categories <- embedding
  how
}

fewer_parts <- function(a) {
  part <- a$part
  for (name in c("training", "validation")) {
    rows <- rows_in(a, name)
    if (length(rows) <= most_linear_rows) next
    part[rows] <- NA
    part[drawn_rows(rows, most_linear_rows, a$regimen$seed, "linear")] <- name
  }
  part
}

# A network with a skip connection starts from the linear model of its own rows and inputs.

# Specs of skip connections with what they start from; the others, and those that go on from somewhere, as they are.
with_linear_starts <- function(specs) {
  begins <- function(core) !is.null(core$network$skip) && !any(lengths(core[c("parameters", "states")]))
  skip <- which(vapply(specs, function(spec) begins(spec$core), NA))
  if (length(skip) == 0) return(specs)
  fits <- run_fits(lapply(specs[skip], linear_spec), NULL)
  # nothing is there yet that could be kept
  if (attr(fits, "interrupted")) rlang::interrupt()
  for (i in seq_along(skip)) {
    # a linear model that came to nothing starts nothing
    if (fits[[i]]$best > 0) specs[[skip[i]]]$core$linear <- fits[[i]]$parameters
  }
  specs
}

# The same network without its hidden layers, on the same rows (as many as settle it), by the rule of the `linear`
# wiring; with the skip connection's own l2, if it has one.
linear_spec <- function(spec) {
  thin <- spec$analysis
  own <- thin$wiring$skip$l2
  thin$wiring <- parse_wiring("linear")
  thin$regimen <- linear_regimen(thin$regimen)
  if (!is.null(own)) thin$regimen$l2 <- own
  # what a teacher says beside the labels has no second derivatives
  if (length(spec$core$soft)) thin$regimen$method <- "lbfgs"
  preparation <- spec$learned$preparation
  regimen <- regimen_in_force(thin, function() preparation)
  spec$learned <- list(preparation = preparation, regimen = regimen, wiring = thin$wiring)
  spec$watched <- NULL
  cases <- spec$core$regimen$cases
  spec$core$network <- network_of(thin$target, thin$wiring, regimen, preparation)
  spec$core$regimen <- c(core_regimen(regimen), list(cases = cases))
  spec$core$starts <- 1L
  spec$core$watched <- integer()
  spec$core$keeps <- FALSE
  with_fewer_rows(spec)
}

with_fewer_rows <- function(spec) {
  core <- spec$core
  drawn <- lapply(core[c("training", "validation")], drawn_rows, most_linear_rows, core$regimen$seed, "linear")
  kept <- sort(unlist(drawn, use.names = FALSE))
  if (length(kept) == length(core$rows)) return(spec)
  core[c("training", "validation")] <- lapply(drawn, function(rows) match(sort(rows), kept))
  core$rows <- core$rows[kept]
  core$target <- core$target[kept, , drop = FALSE]
  core$weight <- core$weight[kept]
  if (length(core$offset)) core$offset <- core$offset[kept]
  if (length(core$soft)) core$soft <- core$soft[, kept, drop = FALSE]
  spec$core <- core
  spec
}

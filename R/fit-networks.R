# From specs to fits.

# One fit; `report` is told of its start, its epochs and its end.
fit_network <- function(spec, report) {
  preparation <- spec$learned$preparation
  regimen <- spec$learned$regimen
  core <- spec$core$regimen
  about <- list(epochs = core$epochs, patience = core$stop$patience, starts = regimen$restarts)
  start <- list(
    event = "start", rows = spec$rows, inputs = length(preparation$columns),
    features = length(network_inputs(preparation)), method = regimen$method
  )
  report(c(start, about))
  fit <- fit_networks(list(spec), epoch_reporter(report, about))[[1]]
  end <- list(
    event = "end", stopped = fit$stopped, best = fit$best, epochs = nrow(fit$curves), curves = fit$curves,
    kept = fit$kept, restarts = fit$restarts
  )
  report(utils::modifyList(about, end))
  fit
}

# All at once, see run_fits().
fit_networks <- function(specs, epoch_done, ...) run_fits(with_linear_starts(specs), epoch_done, ...)

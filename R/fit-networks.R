# From specs to fits.

# One fit; `report` is told of its start, its epochs and its end; `checkpoint` keeps it, see open_checkpoint().
fit_network <- function(spec, report, checkpoint = no_checkpoint()) {
  preparation <- spec$learned$preparation
  regimen <- spec$learned$regimen
  core <- spec$core$regimen
  about <- list(epochs = core$epochs, patience = core$stop$patience, starts = regimen$restarts)
  start <- list(
    event = "start", rows = spec$rows, inputs = length(preparation$columns),
    features = length(network_inputs(preparation)), method = regimen$method
  )
  report(c(start, about))
  spec$core$states <- checkpoint$states(only_network, spec$core$starts) %||% spec$core$states
  keeper <- list(every = checkpoint$every, keep = function(fit, ...) checkpoint$keep_state(only_network, ...))
  fit <- fit_networks(list(spec), epoch_reporter(report, about), keeper = keeper)[[1]]
  end <- list(
    event = "end", stopped = fit$stopped, best = fit$best, epochs = nrow(fit$curves), curves = fit$curves,
    kept = fit$kept, restarts = fit$restarts
  )
  report(utils::modifyList(about, end))
  fit
}

# What a checkpoint knows it by.
only_network <- "network"

# All at once, see run_fits().
fit_networks <- function(specs, epoch_done, ...) run_fits(with_linear_starts(specs), epoch_done, ...)

# Fits as the core does them, and what comes back.

# All at once, as one list of jobs of the core; NULL for a fit that an interrupt left out. `each` makes of a fit's
# number and the fit, as soon as it has ended, what is kept of it. `keeper` is list(every, keep): each `every` seconds
# `keep` is given a fit's number, a start's and what that has come to. The attribute `interrupted` says whether somebody
# wanted to stop.
run_fits <- function(specs, epoch_done, each = function(i, fit) fit,
                     keeper = list(every = Inf, keep = function(...) NULL)) {
  fits <- vector("list", length(specs))
  states <- lapply(specs, function(spec) list())
  kernel <- core_kernel()
  keep <- function(i, start, state) {
    if (specs[[i]]$core$keeps) states[[i]][[start]] <<- state
    keeper$keep(i, start, state)
  }
  ended <- function(i, starts) {
    fit <- settled_fit(specs[[i]], starts, kernel)
    fit$states <- states[[i]]
    kept <- each(i, fit)
    if (!is.null(kept)) fits[[i]] <<- kept
    TRUE
  }
  fit_done <- function(...) unless_interrupted(ended(...))
  catch_term <- isTRUE(getOption("hylomath.catch_term"))
  # of the command, to its end: what was trained is written, whatever comes now
  if (catch_term) core_note_signals(TRUE)
  cores <- lapply(specs, `[[`, "core")
  make_room(max(0, lengths(lapply(cores, `[[`, "rows"))))
  interrupted <- unless_no_room(unless_other_state(
    core_train(cores, epoch_done, fit_done, keep, keeper$every, catch_term, thread_count())
  ))
  structure(fits, interrupted = interrupted)
}

# The best of the starts, or all of them as an ensemble.
settled_fit <- function(spec, starts, kernel) {
  regimen <- spec$learned$regimen
  scale <- spec$learned$preparation$target$scale[1]
  for (i in which(!vapply(starts, is.null, NA))) {
    if (is.null(spec$watched)) starts[[i]]$curves$test <- NULL
    starts[[i]]$curves <- measured_curves(starts[[i]]$curves, regimen$measures, scale)
  }
  restarts <- restarts_table(starts)
  kept <- restarts$start[which.min(ifelse(restarts$epochs == 0, Inf, restarts$loss))]
  fit <- starts[[if (length(kept)) kept else 1]]
  fit$network <- c(spec$core$network, list(parameters = fit$parameters))
  if (regimen$keep == "ensemble") {
    members <- Filter(function(f) !is.null(f) && nrow(f$curves) > 0, starts)
    if (length(members)) fit$network$members <- lapply(members, `[[`, "parameters")
  }
  fit$restarts <- restarts
  fit$starts <- lapply(starts, `[[`, "parameters")
  fit$kept <- kept
  fit$kernel <- kernel
  fit
}

# One row a start: how it ended, and the losses of its best epoch. `loss` is what the starts are compared by: the
# validation loss, or the training loss without validation rows.
restarts_table <- function(fits) {
  rows <- lapply(which(!vapply(fits, is.null, NA)), function(i) {
    f <- fits[[i]]
    best <- best_losses(f$curves, f$best)
    list(
      start = i, epochs = nrow(f$curves), best_epoch = f$best, stopped = f$stopped, training = best$training,
      validation = best$validation, loss = if (is.na(best$validation)) best$training else best$validation
    )
  })
  frame_of_rows(rows)
}

# The curves at the best epoch; missing where no epoch was done.
best_losses <- function(curves, best) {
  if (best > 0) curves[best, ] else data.frame(training = NA_real_, validation = NA_real_)
}

# The core's tallies as the measures that the regimen asks for, errors in the target's own unit (of its logarithm for
# log targets).
measured_curves <- function(curves, measures, scale) {
  tallies <- grep("_(hits|absolute|squared)$", names(curves))
  kept <- curves[-tallies]
  for (measure in measures) {
    for (part in c("training", "validation")) {
      of <- function(tally) curves[[paste0(part, "_", tally)]]
      value <- switch(measure,
        accuracy = of("hits"), mae = of("absolute") * scale, rmse = sqrt(of("squared")) * scale
      )
      kept[[paste0(part, "_", measure)]] <- if (all(is.na(kept[[part]]))) rep(NA_real_, nrow(kept)) else value
    }
  }
  kept
}

# What the core calls after each epoch.
epoch_reporter <- function(report, about) {
  function(fit, start, epoch, best, best_loss, rows, training, validation, gradient, updates, seconds) {
    unless_interrupted({
      event <- list(
        event = "epoch", fit = fit, start = start, epoch = epoch, best = best, best_loss = best_loss, rows = rows,
        training = training, validation = validation, gradient = gradient, updates = updates, seconds = seconds
      )
      report(c(event, about))
      TRUE
    })
  }
}

# An interrupt while R code runs must not unwind the core's loop, so it becomes the value "stop".
unless_interrupted <- function(code) tryCatch(code, interrupt = function(e) FALSE)

# ---- fits of several networks ----------------------------------------------------------------------------------------

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

# ---- skip connections ------------------------------------------------------------------------------------------------

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

# ---- networks that learn on ------------------------------------------------------------------------------------------

# A network that learns on from what another training came to, or anew what is known to be right.
#
# `on` is a list of what it goes on from: `preparation`, by which its rows are taken in; `states`, by start what its
# training had come to, from which it goes on as if it had never ended; or without them `parameters`, from which it
# starts; `epochs`, how many there may be, all in all where it goes on from a state; `keeps`, whether its own states are
# kept; `regimen`, the one in force; and `whole`, where it learns from `"all"` rows or those of the `"ensemble"`, to
# the last of its epochs.

learning_on <- function(spec, on) {
  if (is.null(on)) return(spec)
  spec$learns_on <- TRUE
  spec$core$parameters <- on$parameters %||% numeric()
  if (length(spec$core$parameters)) spec$core$starts <- 1L
  spec$core$states <- on$states %||% list()
  spec$core$further <- length(spec$core$states) > 0
  spec$core$keeps <- isTRUE(on$keeps)
  if (!is.null(on$epochs)) spec$learned$regimen$epochs <- spec$core$regimen$epochs <- on$epochs
  if (!is.null(on$whole)) spec$core$regimen$stop[] <- 0
  spec
}

# The parts of an analysis all of whose rows are learned from.
whole_parts <- function(a) ifelse(is.na(a$aside), "training", NA)

# ---- the linear model beside a network -------------------------------------------------------------------------------

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

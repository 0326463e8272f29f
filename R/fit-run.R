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
    data.frame(
      start = i, epochs = nrow(f$curves), best_epoch = f$best, stopped = f$stopped, training = best$training,
      validation = best$validation, loss = if (is.na(best$validation)) best$training else best$validation
    )
  })
  do.call(rbind, rows)
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
  function(fit, start, epoch, best, best_loss, rows, training, validation, seconds) {
    unless_interrupted({
      event <- list(
        event = "epoch", fit = fit, start = start, epoch = epoch, best = best, best_loss = best_loss, rows = rows,
        training = training, validation = validation, seconds = seconds
      )
      report(c(event, about))
      TRUE
    })
  }
}

# An interrupt while R code runs must not unwind the core's loop, so it becomes the value "stop".
unless_interrupted <- function(code) tryCatch(code, interrupt = function(e) FALSE)

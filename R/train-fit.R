# One brief's fits: what the core is given, and what comes back.

most_parameters_levenberg <- 1000

# A fit that is to be done: what the core is given, and what its result is read by. `watched` is a part whose loss is measured
# after each epoch and decides nothing.
fit_spec <- function(b, table, preparation, part, watched = NULL) {
  rows <- which(part %in% c("training", "validation", watched))
  part <- part[rows]
  network <- network_of(b, preparation)
  count <- parameter_count(network)
  if (b$regimen$method == "levenberg_marquardt" && count > most_parameters_levenberg) {
    fail(sprintf("The method `levenberg_marquardt` solves equations in all parameters at once; this network has %s of them.", format_count(count)), sprintf("Wire a smaller network (at most %s parameters), or choose the method `lbfgs`.", format_count(most_parameters_levenberg)))
  }
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]][rows])
  list(
    brief = brief_settings(b), preparation = preparation, watched = watched, rows = table(factor(part, c("training", "validation"))),
    core = list(
      network = network, regimen = core_regimen(b$regimen), plans = preparation$columns, sources = encoder_sources(preparation, table), rows = rows,
      target = encode_target(b, preparation, table[rows, b$target, drop = FALSE]), weight = row_weights(b, table, preparation, rows, part == "training"),
      offset = offset, training = which(part == "training"), validation = which(part == "validation"), watched = which(part %in% watched),
      output_bias = starting_answer(b, preparation, network, if (length(offset)) offset[part == "training"]), starts = as.integer(b$regimen$restarts),
      soft = matrix(0, 0, 0), temperature = 1
    )
  )
}

fit_network <- function(spec, report) {
  preparation <- spec$preparation
  b <- spec$brief
  settings <- spec$core$regimen
  about <- list(epochs = settings$epochs, patience = settings$stop$patience, starts = b$regimen$restarts)
  report(c(list(event = "start", rows = spec$rows, inputs = length(preparation$columns), features = length(network_inputs(preparation)), method = b$regimen$method), about))
  fit <- fit_networks(list(spec), epoch_reporter(report, about))[[1]]
  report(utils::modifyList(about, list(event = "end", stopped = fit$stopped, best = fit$best, epochs = nrow(fit$curves), curves = fit$curves, kept = fit$kept, restarts = fit$restarts)))
  fit
}

# All at once, as one list of jobs of the core; NULL for a fit that an interrupt left out. `each` makes of a fit's number and the fit,
# as soon as it has ended, what is kept of it. The attribute `interrupted` says whether somebody wanted to stop.
fit_networks <- function(specs, epoch_done, each = function(i, fit) fit) {
  fits <- vector("list", length(specs))
  kernel <- core_kernel()
  ended <- function(i, starts) {
    kept <- each(i, settled_fit(specs[[i]], starts, kernel))
    if (!is.null(kept)) fits[[i]] <<- kept
    TRUE
  }
  interrupted <- core_train(lapply(specs, `[[`, "core"), epoch_done, function(...) unless_interrupted(ended(...)), isTRUE(getOption("hylomath.catch_term")), thread_count())
  structure(fits, interrupted = interrupted)
}

# The best of the starts, or all of them as a committee.
settled_fit <- function(spec, starts, kernel) {
  for (i in which(!vapply(starts, is.null, NA))) {
    if (is.null(spec$watched)) starts[[i]]$curves$test <- NULL
    starts[[i]]$curves <- measured_curves(starts[[i]]$curves, spec$brief, spec$preparation)
  }
  restarts <- restarts_table(starts)
  kept <- restarts$start[which.min(ifelse(restarts$epochs == 0, Inf, restarts$loss))]
  fit <- starts[[if (length(kept)) kept else 1]]
  fit$network <- c(spec$core$network, list(parameters = fit$parameters))
  if (spec$brief$regimen$keep == "committee") {
    members <- Filter(function(f) !is.null(f) && nrow(f$curves) > 0, starts)
    if (length(members)) fit$network$members <- lapply(members, `[[`, "parameters")
  }
  fit$restarts <- restarts
  fit$starts <- lapply(starts, `[[`, "parameters")
  fit$kept <- kept
  fit$kernel <- kernel
  fit
}

# The regimen as the core takes it: numbers everywhere, 0 for what is not wanted.
core_regimen <- function(r) {
  schedule <- utils::modifyList(list(every = 1, factor = 1, floor = 0, warm_up = 0), kind_settings(r$schedule, schedule_kinds()))
  stop <- list(patience = 0, gradient = 0, loss = 0, seconds = 0)
  if (is.list(r$stop)) stop[names(r$stop)] <- r$stop
  list(
    method = r$method, learning_rate = number_or_zero(r$learning_rate), momentum = r$momentum %||% 0, weight_decay = r$weight_decay %||% 0,
    clip_norm = r$clip_norm, max_norm = r$max_norm, schedule = schedule, stop = stop, batch_size = max(1, number_or_zero(r$batch_size)),
    evidence = identical(r$l2, "evidence"), epochs = r$epochs, tally = length(r$measures) > 0, seed = r$seed
  )
}

number_or_zero <- function(x) if (is.numeric(x)) x else 0

# One row a start: how it ended, and the losses of its best epoch. `loss` is what the starts are compared by: the validation
# loss, or the training loss without validation rows.
restarts_table <- function(fits) {
  rows <- lapply(seq_along(fits), function(i) {
    f <- fits[[i]]
    if (is.null(f)) return(NULL)
    best <- if (f$best > 0) f$curves[f$best, ] else data.frame(training = NA_real_, validation = NA_real_)
    data.frame(
      start = i, epochs = nrow(f$curves), best_epoch = f$best, stopped = f$stopped, training = best$training,
      validation = best$validation, loss = if (is.na(best$validation)) best$training else best$validation
    )
  })
  do.call(rbind, rows)
}

# The core's tallies as the measures that the regimen asks for, errors in the target's own unit (of its logarithm for log
# targets).
measured_curves <- function(curves, b, preparation) {
  tallies <- grep("_(hits|absolute|squared)$", names(curves))
  kept <- curves[-tallies]
  for (measure in b$regimen$measures) {
    for (part in c("training", "validation")) {
      of <- function(tally) curves[[paste0(part, "_", tally)]]
      value <- switch(measure, accuracy = of("hits"), mae = of("absolute") * preparation$target$scale[1], rmse = sqrt(of("squared")) * preparation$target$scale[1])
      kept[[paste0(part, "_", measure)]] <- if (all(is.na(kept[[part]]))) NA_real_ else value
    }
  }
  kept
}

# What the core calls after each epoch.
epoch_reporter <- function(report, about) {
  function(fit, start, epoch, best, best_loss, rows, training, validation, seconds) {
    unless_interrupted({
      report(c(list(event = "epoch", fit = fit, start = start, epoch = epoch, best = best, best_loss = best_loss, rows = rows, training = training, validation = validation, seconds = seconds), about))
      TRUE
    })
  }
}

# An interrupt while R code runs must not unwind the core's loop, so it becomes the answer "stop".
unless_interrupted <- function(code) tryCatch(code, interrupt = function(e) FALSE)

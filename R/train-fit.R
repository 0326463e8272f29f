# One brief's fits: what the core is given, and what comes back.

most_parameters_levenberg <- 1000

# `watched` is a part whose loss is measured after each epoch and decides nothing.
fit_network <- function(b, table, preparation, part, report, watched = NULL) {
  rows <- which(part %in% c("training", "validation", watched))
  part <- part[rows]
  network <- network_of(b, preparation)
  count <- parameter_count(network)
  if (b$regimen$method == "levenberg_marquardt" && count > most_parameters_levenberg) {
    fail(sprintf("The method `levenberg_marquardt` solves equations in all parameters at once; this network has %s of them.", format_count(count)), sprintf("Wire a smaller network (at most %s parameters), or choose the method `lbfgs`.", format_count(most_parameters_levenberg)))
  }
  settings <- core_regimen(b$regimen)
  report(list(
    event = "start", rows = table(factor(part, c("training", "validation"))), inputs = length(preparation$columns),
    features = length(network_inputs(preparation)), epochs = settings$epochs, patience = settings$stop$patience, starts = b$regimen$restarts,
    method = b$regimen$method
  ))
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]][rows])
  done <- core_train(
    network, settings, preparation$columns, encoder_sources(preparation, table), rows,
    encode_target(b, preparation, table[rows, b$target, drop = FALSE]), row_weights(b, table, preparation, rows, part == "training"),
    offset, which(part == "training"), which(part == "validation"), which(part %in% watched), starting_answer(b, preparation, network, if (length(offset)) offset[part == "training"]),
    b$regimen$restarts, epoch_reporter(report, settings$epochs, b$regimen$restarts), isTRUE(getOption("hylomath.catch_term")), thread_count()
  )
  fits <- done$fits
  if (is.null(watched)) for (i in seq_along(fits)) if (!is.null(fits[[i]])) fits[[i]]$curves$test <- NULL
  for (i in seq_along(fits)) if (!is.null(fits[[i]])) fits[[i]]$curves <- measured_curves(fits[[i]]$curves, b, preparation)
  restarts <- restarts_table(fits)
  kept <- restarts$start[which.min(ifelse(restarts$epochs == 0, Inf, restarts$loss))]
  fit <- fits[[if (length(kept)) kept else 1]]
  fit$network <- c(network, list(parameters = fit$parameters))
  if (b$regimen$keep == "committee") {
    members <- Filter(function(f) !is.null(f) && nrow(f$curves) > 0, fits)
    if (length(members)) fit$network$members <- lapply(members, `[[`, "parameters")
  }
  fit$restarts <- restarts
  fit$kernel <- done$kernel
  report(list(
    event = "end", stopped = fit$stopped, best = fit$best, epochs = nrow(fit$curves), curves = fit$curves,
    patience = settings$stop$patience, starts = b$regimen$restarts, kept = kept, restarts = restarts
  ))
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

# What the core calls after each epoch. An interrupt while R code runs must not unwind the core's loop, so it becomes
# the answer "stop".
epoch_reporter <- function(report, epochs, starts) {
  function(start, epoch, best, best_loss, rows, training, validation, seconds) {
    tryCatch(
      {
        report(list(
          event = "epoch", start = start, starts = starts, epoch = epoch, epochs = epochs, best = best, best_loss = best_loss, rows = rows,
          training = training, validation = validation, seconds = seconds
        ))
        TRUE
      },
      interrupt = function(e) FALSE
    )
  }
}

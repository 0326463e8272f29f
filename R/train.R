#' Train the network of a brief
#'
#' Splits the rows, learns the preparation on the training rows, trains by the regimen, and keeps the weights of the
#' epoch with the lowest validation loss. The same brief, table and seeds give the same network bit for bit, whatever the
#' number of threads (the option `hylomath.threads`; all cores when it is not set).
#'
#' An interrupt (Ctrl-C) ends training after the current batch; the best network so far is returned, and says so.
#'
#' @param b A brief.
#' @param data A table to use in place of the one that the brief carries.
#' @param progress `"auto"` shows progress as suits the session (one updating line on a terminal, a line every so many
#'   epochs elsewhere), `"none"` says nothing. A function is called with each event, a list whose `event` is `"start"`,
#'   `"epoch"` or `"end"`.
#' @param ... Not used.
#' @return A model: an object of class `hylomath_model`, a plain list of `brief` (with everything settled that it left to the
#'   rule), `preparation`, `network` (layers and `parameters`), `curves`, `best_epoch`, `stopped` (`"epochs"`, `"patience"`,
#'   `"gradient"`, `"loss"`, `"seconds"`, `"converged"`, `"interrupted"` or `"diverged"`), `restarts` (one row a start),
#'   `held_out` (row, observed value and answers of the validation and test rows), `baseline`, `fingerprint` (of the
#'   table), `kernel`, `seconds` and `version`.
#' @section Errors: All that can be checked is checked before training: columns, kinds, infinite or missing values,
#'   class weights, and whether every part has rows of every class.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |>
#'   regimen(epochs = 20) |>
#'   train(progress = "none")
#' model
#' @export
train <- function(b, ...) UseMethod("train")

#' @rdname train
#' @export
train.hylomath_brief <- function(b, data = NULL, progress = "auto", ...) {
  rlang::check_dots_empty()
  report <- reporter(progress)
  if (!is.null(data)) b <- attach_table(b, as_table(data))
  if (is.null(b$table)) fail("This brief has no table to train on.", "Give one: train(b, data = ...).")
  b$regimen$seed <- b$regimen$seed %||% draw_seed()
  table <- brief_table(b)
  check_brief(b, table)
  part <- split_rows(b, table)
  preparation <- learn_preparation(b, table, part %in% "training")
  b$regimen <- settled_regimen(b, sum(part %in% "training"), function() parameter_count(network_of(b, preparation)))
  fit <- fit_network(b, table, preparation, part, report)
  new_model(b, table, preparation, part, fit)
}

# The regimen that a brief with a table comes to, before it is trained.
regimen_in_force <- function(b) {
  table <- brief_table(b)
  part <- split_rows(b, table)
  settled_regimen(b, sum(part %in% "training"), function() parameter_count(network_of(b, learn_preparation(b, table, part %in% "training"))))
}

most_parameters_levenberg <- 1000

fit_network <- function(b, table, preparation, part, report) {
  rows <- which(part %in% c("training", "validation"))
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
    offset, which(part == "training"), which(part == "validation"), starting_answer(b, preparation, network, if (length(offset)) offset[part == "training"]),
    b$regimen$restarts, epoch_reporter(report, settings$epochs, b$regimen$restarts), isTRUE(getOption("hylomath.catch_term")), thread_count()
  )
  fits <- done$fits
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

# ---- progress -----------------------------------------------------------------------------------------------------

reporter <- function(progress) {
  if (identical(progress, "auto")) progress <- getOption("hylomath.progress")
  if (is.null(progress) || identical(progress, "none")) return(function(event) NULL)
  if (!is.function(progress)) fail("`progress` is \"auto\", \"none\" or a function.")
  progress
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

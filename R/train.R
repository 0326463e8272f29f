#' Train the network of a brief
#'
#' Splits the rows, learns the preparation on the training rows, trains by the regimen, and keeps the weights of the
#' epoch with the lowest validation loss. The same brief, table and seeds give the same network bit for bit.
#'
#' An interrupt (Ctrl-C) ends training after the current batch; the best network so far is returned, and says so.
#'
#' @param b A brief.
#' @param data A table to use in place of the one that the brief carries.
#' @param progress `"auto"` shows progress as suits the session (one updating line on a terminal, a line every so many
#'   epochs elsewhere), `"none"` says nothing. A function is called with each event, a list whose `event` is `"start"`,
#'   `"epoch"` or `"end"`.
#' @param ... Not used.
#' @return A model: an object of class `hylomath_model`, a plain list of `brief`, `preparation`, `network` (layers and
#'   `parameters`), `curves`, `best_epoch`, `stopped` (`"epochs"`, `"patience"`, `"interrupted"` or `"diverged"`),
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
  b$regimen <- in_schema_order(b$regimen, brief_schema()$regimen)
  table <- brief_table(b)
  check_brief(b, table)
  part <- split_rows(b, table)
  preparation <- learn_preparation(b, table, part %in% "training")
  fit <- fit_network(b, table, preparation, part, report)
  new_model(b, table, preparation, part, fit)
}

fit_network <- function(b, table, preparation, part, report) {
  rows <- which(part %in% c("training", "validation"))
  part <- part[rows]
  network <- network_of(b, length(preparation$features))
  settings <- b$regimen
  settings$patience <- if (is.list(settings$stop)) settings$stop$patience else 0
  settings$momentum <- settings$momentum %||% 0
  report(list(
    event = "start", rows = table(factor(part, c("training", "validation"))), inputs = length(preparation$columns),
    features = length(preparation$features), epochs = settings$epochs, patience = settings$patience
  ))
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]][rows])
  fit <- core_train(
    network, settings, preparation$columns, encoder_sources(preparation, table), rows,
    encode_target(b, preparation, table[[b$target]][rows]), row_weights(b, table, preparation, rows, part == "training"),
    offset, which(part == "training"), which(part == "validation"), starting_answer(b, preparation, network, if (length(offset)) offset[part == "training"]),
    epoch_reporter(report, settings$epochs), isTRUE(getOption("hylomath.catch_term")), thread_count()
  )
  fit$network <- c(network, list(parameters = fit$parameters))
  report(list(
    event = "end", stopped = fit$stopped, best = fit$best, epochs = nrow(fit$curves), curves = fit$curves,
    patience = settings$patience
  ))
  fit
}

# The network as the core takes it: sizes, and penalties settled between the layers' own and the regimen's.
network_of <- function(b, inputs) {
  wiring <- parse_wiring(b$wiring)
  output <- switch(b$task, regression = "identity", count = "exponential",
    classification = if (length(b$classes) == 2) "logistic" else "softmax"
  )
  units <- if (output == "softmax") length(b$classes) else 1
  last <- list(units = units, activation = "identity", dropout = 0, l1 = NULL, l2 = NULL, rate = 1)
  layers <- lapply(c(wiring$layers, list(last)), function(layer) {
    layer$l1 <- layer$l1 %||% b$regimen$l1
    layer$l2 <- layer$l2 %||% b$regimen$l2
    layer[c("units", "activation", "dropout", "l1", "l2", "rate")]
  })
  list(inputs = inputs, input_dropout = wiring$input_dropout, output = output, layers = layers)
}

# The output bias before training: with it the network's first answer is the baseline's.
starting_answer <- function(b, preparation, network, offset) {
  if (b$task == "regression") return(if (preparation$target$scale == 1 && preparation$target$shift == 0) preparation$target$mean else 0)
  if (b$task == "count") return(log(max(preparation$target$mean, 1e-6)) - if (length(offset)) log(mean(exp(offset))) else 0)
  share <- unlist(preparation$target$counts) * class_weights_of(b, preparation)
  share <- share / sum(share)
  if (network$output == "logistic") return(stats::qlogis(share[[b$positive]]))
  log(unname(share))
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
epoch_reporter <- function(report, epochs) {
  function(epoch, best, best_loss, rows, training, validation, seconds) {
    tryCatch(
      {
        report(list(
          event = "epoch", epoch = epoch, epochs = epochs, best = best, best_loss = best_loss, rows = rows,
          training = training, validation = validation, seconds = seconds
        ))
        TRUE
      },
      interrupt = function(e) FALSE
    )
  }
}

#' @export
print.hylomath_model <- function(x, ...) print_lines(x)

#' @export
format.hylomath_model <- function(x, ...) {
  b <- x$brief
  predictor <- x$predictor
  preparation <- predictor$preparation
  inputs <- counted(length(preparation$columns), "column")
  features <- format_count(length(network_inputs(preparation)))
  parameters <- counted(all_parameters(predictor), "parameter")
  together <- network_count(predictor)
  networks <- if (is.null(x$members)) " > output" else sprintf("; %s", counted(together, "network"))
  title <- if (is.null(x$members)) "A network that predicts %s" else "A cross-validation ensemble that predicts %s"
  c(
    cli::style_bold(sprintf(title, enumerate(b$target))),
    indented("task", brief_task_text(b)),
    indented("rows", parts_text(x$parts)),
    indented("inputs", sprintf("%s, %s after preparation", inputs, features)),
    indented_weighed(predictor),
    indented("wiring", sprintf("%s%s; %s", wiring_text(x), networks, parameters)),
    indented("method", method_text(regimen_of(x), x$evidence_l2)),
    if (!is.null(x$members) && x$stopped != "set") {
      c(indented("ensemble", ensemble_text(x)), indented("loss", out_of_fold_loss_text(x)))
    } else {
      c(
        indented("training", stopped_text(training_run(x), x$seconds)),
        indented("loss", loss_text(training_run(x), taught = !is.null(x$distilled)))
      )
    },
    if (nrow(x$restarts) > 1) {
      c(indented("starts", restarts_text(x$restarts, predictor$network$members)), luck_text(x$restarts))
    },
    if (weighs_classes(predictor$target)) indented("classes", class_weights_text(predictor)),
    if (!is.null(predictor$decision)) indented("predictions", decision_line(predictor$decision)),
    if (!is.null(predictor$recalibration)) indented("calibrated", recalibration_line(predictor$recalibration)),
    if (!is.null(x$resumed)) indented("resumed", resumed_text(x$resumed)),
    indented("seeds", seeds_text(b)),
    if (!is.null(x$distilled)) distilled_text(x$distilled),
    format_notes(notes(x))
  )
}

weighs_classes <- function(target) has_classes(target) && !identical(target$class_weights, "none")

# What each class counts, and what that does to the predictions.
class_weights_text <- function(predictor) {
  target <- predictor$target
  weights <- class_weights_of(target, predictor$preparation$target)
  how <- if (identical(target$class_weights, "even")) "weighted evenly" else "weighted"
  favoured <- names(weights)[which.max(weights)]
  sprintf(
    "%s (%s): \"%s\" is predicted at lower probabilities", how,
    paste(names(weights), signif(weights, 3), collapse = ", "), favoured
  )
}

recalibration_line <- function(recalibration) {
  sprintf("by `%s` from %s", recalibration$method, counted(recalibration$rows, "row"))
}

stopped_text <- function(run, seconds) {
  epochs <- run$epochs
  best <- run$best
  if (run$stopped == "set") return("the weights were set by hand")
  why <- switch(run$stopped,
    epochs = sprintf("all %d epochs", epochs),
    patience = sprintf(
      "stopped after %d epochs, %d of them without a lower validation loss", epochs, epochs - best
    ),
    gradient = sprintf("stopped after %d epochs: the gradient is small enough", epochs),
    loss = sprintf("stopped after %d epochs: the training loss is low enough", epochs),
    seconds = sprintf("stopped after %d epochs by the time limit", epochs),
    converged = sprintf("converged after %d epochs: no step lowers the training loss", epochs),
    interrupted = sprintf("interrupted after %s", counted(epochs, "epoch")),
    diverged = sprintf("diverged in epoch %d", epochs + 1L),
    vanished = sprintf("ended in epoch %d, as the first layer's gradient vanished", epochs)
  )
  sprintf("%s; %s; best epoch %d", why, format_seconds(seconds), best)
}

# The columns that an l1 penalty has left, where it has left some out.
indented_weighed <- function(predictor) {
  left <- prepared_columns(without_idle_inputs(predictor)$preparation)
  if (length(left) == length(predictor$preparation$columns)) return(NULL)
  indented("weights", sprintf("of %s only: %s", counted(length(left), "column"), enumerate(left)))
}

# `penalty` is what the data chose; NA where the network is kept that the linear model began, before they had a say.
method_text <- function(r, penalty) {
  chosen <- function(by) paste(c(if (!is.na(penalty)) format_number(signif(penalty, 2)), by), collapse = " ")
  if (identical(r$l2, "evidence")) r$l2 <- chosen("by evidence")
  if (identical(r$l2, "noise")) r$l2 <- chosen("by the noise")
  if (identical(r$l1, "path")) r$l1 <- chosen("by the rows that stop it")
  of_method <- c(
    "batch_size", "learning_rate", "momentum", "weight_decay", "schedule", "l1", "l2", "gradient_clip",
    "max_norm",
    "input_noise"
  )
  is_off <- function(s) is.null(s) || identical(s, 0) || identical(s, "constant") || identical(s, "auto")
  shown <- Filter(Negate(is_off), r[of_method])
  paste(c(r$method, if (length(shown)) settings_text(shown)), collapse = ", ")
}

# On which rows starts are compared.
compared_on <- function(restarts) if (all(is.na(restarts$validation))) "training" else "validation"

restarts_text <- function(restarts, members) {
  done <- restarts[!is.na(restarts$loss), ]
  if (nrow(done) == 0) return(sprintf("%d, none of which ended an epoch", nrow(restarts)))
  lost <- nrow(restarts) - nrow(done)
  outcome <- if (is.null(members)) {
    sprintf("kept number %d", done$start[which.min(done$loss)])
  } else {
    sprintf("predictions are the average of %d", length(members))
  }
  sprintf(
    "%d%s, %s loss from %s to %s; %s", nrow(restarts), if (lost > 0) sprintf(" (%d diverged at once)", lost) else "",
    compared_on(restarts), signif(min(done$loss), 4), signif(max(done$loss), 4), outcome
  )
}

# How far apart the starts' measures are: the luck of training.
luck_text <- function(restarts) {
  shown <- utils::head(intersect(telling_measures, names(restarts)), 4)
  if (length(shown) == 0) return(NULL)
  spans <- vapply(shown, function(m) {
    ends <- format_measure(range(restarts[[m]], na.rm = TRUE))
    sprintf("%s %s to %s", m, ends[1], ends[2])
  }, "")
  where <- sprintf("over the starts, on %s rows", compared_on(restarts))
  indented("luck", sprintf("%s: %s", where, paste(spans, collapse = "; ")))
}

loss_text <- function(run, taught) {
  if (run$best == 0) return("no epoch was done")
  best <- best_losses(run$curves, run$best)
  validation <- if (is.na(best$validation)) "no validation rows" else paste("validation", signif(best$validation, 4))
  both <- if (taught) ", the teacher's part in both" else ""
  sprintf("training %s, %s at the best epoch%s", signif(best$training, 4), validation, both)
}

seeds_text <- function(b) {
  seeds <- format_each(c(b[["hold_out"]]$seed, b[["regimen"]]$seed))
  sprintf("split %s, training %s", seeds[1], seeds[2])
}

#' @export
summary.hylomath_model <- function(object, ...) {
  structure(list(model = object, layers = layers_of(object)), class = "hylomath_summary")
}

#' @export
format.hylomath_summary <- function(x, ...) {
  c(
    format(x$model), "", layers_text(x$layers), "", preparation_text(x$model), "", provenance_text(x$model), "",
    rows_held_text(x$model)
  )
}

#' @export
print.hylomath_summary <- function(x, ...) print_lines(x)

# What the model, and so its file, gives away of single rows.
rows_held_text <- function(model) {
  held <- rows_in_model(model)
  items <- function(held) sprintf("%s %s", format_each_count(held$rows), held$what)
  about <- function(held) indented("", sprintf("%s, for %s", items(held), held$without))
  c(
    indented("identity", identity_of(model)),
    paragraphs(
      if (nrow(held)) "It holds this about single rows of its table:" else "It holds nothing about single rows."
    ),
    unlist(lapply(seq_len(nrow(held)), function(i) about(held[i, ]))),
    if (!is.null(model$bare)) {
      paragraphs(sprintf("Left out when it was written: %s.", enumerate(items(model$bare))))
    }
  )
}

# The blocks of parameters, with their sum.
layers_text <- function(layers) {
  cells <- list(
    layer = layers$layer, kind = layers$kind,
    shape = sprintf("%s x %s", format_each_count(layers$rows), format_each_count(layers$columns)),
    trained = ifelse(layers$trained, "yes", "no"), parameters = format_each_count(layers$values)
  )
  all <- counted(sum(layers$values), "parameter")
  moving <- format_count(sum(layers$values[layers$trained]))
  c(text_table(cells, right = c(3, 5)), sprintf("  %s, %s of them trained", all, moving))
}

# What each network learned from, and for how long.
ensemble_text <- function(x) {
  own <- leading_members(x)
  asked <- x$brief[["hold_out"]]$folds
  done <- if (nrow(own) == asked) counted(as.integer(asked), "fold") else {
    sprintf("%d of %d folds, the others were interrupted", nrow(own), as.integer(asked))
  }
  if (!is.null(x$refitted)) {
    what <- "none; each of %s networks learned from all %s for epochs that were right before, %s; %s"
    rows <- counted(max(own$learned), "row")
    return(sprintf(what, nrow(own), rows, span_text(own$best_epoch), format_seconds(x$seconds)))
  }
  learned <- if (max(own$learned) == 1) "1 row" else paste(span_text(own$learned), "rows")
  what <- "%s; each network learned from %s and predicted %s others; best epochs %s; %s"
  sprintf(
    what, done, learned, span_text(own$predicted), span_text(own$best_epoch),
    format_seconds(x$seconds)
  )
}

resumed_text <- function(resumed) {
  on <- if (resumed$same) "on the same rows" else sprintf("on %s newer rows", format_count(resumed$rows))
  from <- if (resumed$state) "with the state of its training" else "from its weights"
  sprintf("from %s, %s, %s", resumed$of, on, from)
}

span_text <- function(x) {
  ends <- format_each_count(range(x))
  if (ends[1] == ends[2]) ends[1] else paste(ends, collapse = " to ")
}

# Of single networks: the ensemble of all does slightly better.
out_of_fold_loss_text <- function(x) {
  own <- leading_members(x)
  sprintf(
    "%s %s of single networks, out-of-fold (%s to %s)", loss_name(target_in(x)),
    format_measure(stats::weighted.mean(own$loss, own$predicted)), format_measure(min(own$loss)),
    format_measure(max(own$loss))
  )
}

# What was learned of each column that the network takes in; of an ensemble, of all their rows.
preparation_text <- function(model) {
  derived <- model$predictor$preparation$rules$derived
  made <- if (length(derived)) sprintf("  %s = %s", names(derived), unlist(derived))
  cells <- text_table(preparation_cells(model), right = 5)
  c("How columns are taken in", cells, if (length(made)) c("Derived", made))
}

preparation_cells <- function(model) {
  preparation <- model$predictor$preparation
  plans <- preparation$columns
  list(
    column = prepared_columns(preparation), kind = vapply(plans, `[[`, "", "kind"),
    "taken in" = vapply(plans, taken_in, ""), "trained on" = vapply(plans, trained_on, ""),
    missing = format_each_count(vapply(plans, function(plan) as.numeric(plan$seen_missing), 0))
  )
}

taken_in <- function(plan) {
  switch(plan$encoding,
    number = {
      number <- function(x) format_number(signif(x, 4))
      how <- if (!is.null(plan$edges)) sprintf("piecewise linear in %d parts", length(plan$edges) - 1L) else {
        sprintf("(x - %s) / %s", number(plan$shift), number(plan$scale))
      }
      if (length(plan$waves)) how <- paste0(how, sprintf(", and periodic at %d wavelengths", length(plan$waves)))
      if (plan$seen_missing > 0) how <- paste0(how, sprintf(", missing values %s", number(plan$fill)))
      if (plan$flag) paste0(how, ", flagged") else how
    },
    level = if (isTRUE(plan$hashed)) sprintf("%d places by hash", as.integer(plan$width)) else {
      sprintf("an indicator a level (%d)", as.integer(plan$width))
    },
    score = "a number a level", code = sprintf("a learned point a level, of %d", as.integer(plan$width)),
    date = paste(plan$parts, collapse = ", ")
  )
}

# Where it came from.
provenance_text <- function(model) {
  data <- model$brief$data
  from <- data$file %||% data$sqlite %||% data$postgres
  c(
    indented("table", paste0(if (!is.null(from)) paste0(from, ", "), "fingerprint ", model$fingerprint)),
    if (!is.null(data$query)) indented("query", data$query),
    indented("trained by", sprintf("hylomath %s, kernel `%s`", model$version, model$kernel)),
    if (!is.null(model$states)) indented("state", "the optimiser's state is kept: resume() goes on from it")
  )
}

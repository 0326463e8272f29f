#' @export
print.hylomath_model <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_model <- function(x, ...) {
  b <- x$brief
  c(
    cli::style_bold(sprintf("A network that predicts %s", enumerate(b$target))),
    indented("task", brief_task_text(b)),
    indented("rows", parts_text(x$parts)),
    indented("inputs", sprintf("%s, %s after preparation", counted(length(x$preparation$columns), "column"), format_count(length(network_inputs(x$preparation))))),
    indented("wiring", sprintf("%s > output; %s", b$wiring, counted(length(x$network$parameters), "parameter"))),
    indented("method", method_text(x)),
    indented("training", stopped_text(x)),
    indented("loss", loss_text(x)),
    if (nrow(x$restarts) > 1) c(indented("starts", restarts_text(x)), luck_text(x)),
    if (!is.null(x$decision)) indented("answers", decision_line(x$decision)),
    if (!is.null(x$recalibration)) indented("calibrated", sprintf("by `%s` from %s", x$recalibration$method, counted(x$recalibration$rows, "row"))),
    indented("seeds", seeds_text(b)),
    if (!is.null(x$distilled)) distilled_text(x$distilled),
    format_notes(notes(x))
  )
}

stopped_text <- function(model) {
  epochs <- nrow(model$curves)
  why <- switch(model$stopped,
    epochs = sprintf("all %d epochs", epochs),
    patience = sprintf("stopped after %d epochs, %d of them without a lower validation loss", epochs, epochs - model$best_epoch),
    gradient = sprintf("stopped after %d epochs by the gradient's bound", epochs),
    loss = sprintf("stopped after %d epochs by the loss that was wanted", epochs),
    seconds = sprintf("stopped after %d epochs by the time limit", epochs),
    converged = sprintf("converged after %d epochs: no step lowers the loss any more", epochs),
    interrupted = sprintf("interrupted after %s", counted(epochs, "epoch")),
    diverged = sprintf("diverged in epoch %d", epochs + 1L),
    set = return("the weights were set by hand")
  )
  sprintf("%s; %s; kept epoch %d", why, format_seconds(model$seconds), model$best_epoch)
}

method_text <- function(model) {
  r <- model$brief$regimen
  if (identical(r$l2, "evidence")) r$l2 <- sprintf("%s by evidence", format_number(signif(model$evidence_l2, 2)))
  settings <- r[c("batch_size", "learning_rate", "momentum", "weight_decay", "schedule", "l1", "l2", "clip_norm", "max_norm", "input_noise")]
  settings <- settings[!vapply(settings, function(s) is.null(s) || identical(s, 0) || identical(s, "constant") || identical(s, "auto"), NA)]
  paste(c(r$method, if (length(settings)) settings_text(settings)), collapse = ", ")
}

restarts_text <- function(model) {
  r <- model$restarts
  what <- if (all(is.na(r$validation))) "training" else "validation"
  done <- r[!is.na(r$loss), ]
  if (nrow(done) == 0) return(sprintf("%d, not one of which came to the end of an epoch", nrow(r)))
  kept <- done$start[which.min(done$loss)]
  sprintf(
    "%d%s, %s loss from %s to %s; %s", nrow(r), if (nrow(done) < nrow(r)) sprintf(" (%d diverged at once)", nrow(r) - nrow(done)) else "",
    what, signif(min(done$loss), 4), signif(max(done$loss), 4),
    if (is.null(model$network$members)) sprintf("kept number %d", kept) else sprintf("answers are the average of %d", length(model$network$members))
  )
}

# How far apart the starts' measures are: the luck of training.
luck_text <- function(model) {
  r <- model$restarts
  shown <- intersect(c("accuracy", "balanced accuracy", "cross-entropy", "AUC", "Poisson deviance", "gamma deviance", "RMSE", "MAE"), names(r))
  if (length(shown) == 0) return(NULL)
  spans <- vapply(utils::head(shown, 4), function(m) sprintf("%s %s to %s", m, format_measure(min(r[[m]], na.rm = TRUE)), format_measure(max(r[[m]], na.rm = TRUE))), "")
  indented("luck", sprintf("over the starts, on %s rows: %s", if (all(is.na(r$validation))) "training" else "validation", paste(spans, collapse = "; ")))
}

loss_text <- function(model) {
  if (model$best_epoch == 0) return("no epoch was done")
  best <- model$curves[model$best_epoch, ]
  validation <- if (is.na(best$validation)) "no validation rows" else paste("validation", signif(best$validation, 4))
  sprintf("training %s, %s at the kept epoch%s", signif(best$training, 4), validation, if (is.null(model$distilled)) "" else ", the teacher's part in both")
}

seeds_text <- function(b) sprintf("split %s, training %s", format_number(b$hold_out$seed), format_number(b$regimen$seed))

format_seconds <- function(s) {
  if (s < 1) return(sprintf("%.2f s", s))
  if (s < 90) return(sprintf("%.1f s", s))
  sprintf("%d min %02d s", as.integer(s) %/% 60L, as.integer(s) %% 60L)
}

#' @export
summary.hylomath_model <- function(object, ...) {
  structure(list(model = object, layers = layers_of(object)), class = "hylomath_summary")
}

#' @export
format.hylomath_summary <- function(x, ...) c(format(x$model), "", layers_text(x$layers))

#' @export
print.hylomath_summary <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

# The blocks of parameters, with their sum.
layers_text <- function(layers) {
  moving <- sum(layers$values[layers$trained])
  table <- text_table(list(
    layer = layers$layer, kind = layers$kind, shape = sprintf("%s x %s", format_each_count(layers$rows), format_each_count(layers$columns)),
    trained = ifelse(layers$trained, "yes", "no"), parameters = format_each_count(layers$values)
  ), right = c(3, 5))
  c(table, sprintf("  %s, %s of them trained", counted(sum(layers$values), "parameter"), format_count(moving)))
}

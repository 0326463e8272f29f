#' @export
print.hylomath_model <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_model <- function(x, ...) {
  b <- x$brief
  c(
    cli::style_bold(sprintf("A network that predicts %s", b$target)),
    indented("task", brief_task_text(b)),
    indented("rows", parts_text(x$parts)),
    indented("inputs", sprintf("%s, %s after preparation", counted(length(x$preparation$columns), "column"), format_count(length(x$preparation$features)))),
    indented("wiring", sprintf("%s > output; %s", b$wiring, counted(length(x$network$parameters), "parameter"))),
    indented("training", stopped_text(x)),
    indented("loss", loss_text(x)),
    indented("seeds", seeds_text(b)),
    format_notes(notes(x))
  )
}

stopped_text <- function(model) {
  epochs <- nrow(model$curves)
  why <- switch(model$stopped,
    epochs = sprintf("all %d epochs", epochs),
    patience = sprintf("stopped after %d epochs, %d of them without a lower validation loss", epochs, epochs - model$best_epoch),
    interrupted = sprintf("interrupted after %s", counted(epochs, "epoch")),
    diverged = sprintf("diverged in epoch %d", epochs + 1L)
  )
  sprintf("%s; %s; kept epoch %d", why, format_seconds(model$seconds), model$best_epoch)
}

loss_text <- function(model) {
  if (model$best_epoch == 0) return("no epoch was done")
  best <- model$curves[model$best_epoch, ]
  validation <- if (is.na(best$validation)) "no validation rows" else paste("validation", signif(best$validation, 4))
  sprintf("training %s, %s at the kept epoch", signif(best$training, 4), validation)
}

seeds_text <- function(b) sprintf("split %s, training %s", format_number(b$hold_out$seed), format_number(b$regimen$seed))

format_seconds <- function(s) {
  if (s < 1) return(sprintf("%.2f s", s))
  if (s < 90) return(sprintf("%.1f s", s))
  sprintf("%d min %02d s", as.integer(s) %/% 60L, as.integer(s) %% 60L)
}

#' @export
summary.hylomath_model <- function(object, ...) object

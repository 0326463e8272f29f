#' Draw the loss curves
#'
#' Training and validation loss by epoch, with the best epoch marked; of one target of numbers in the target's own unit
#' (its root mean squared or mean absolute error). The loss axis is logarithmic where the losses
#' span more than a factor of 2, so that the first epochs don't flatten the rest. Of an ensemble the mean
#' and the span are drawn, of those with the wiring that counts most, as long as half of them are in training.
#'
#' @param model A model; or a list of models, with names, whose validation losses (training losses without validation
#'   rows) are drawn in one figure.
#' @param what `"loss"`, `"gradient"` (the length of the gradient), `"rate"` (the learning rate), or one of the
#'   measures that [regimen()] asked for.
#' @return A ggplot.
#' @section Errors: A curve that the model doesn't have.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 30) |> quick() |> train(progress = "none")
#' plot_curves(model)
#' @export
plot_curves <- function(model, what = "loss") {
  need_ggplot()
  if (is.list(model) && !is_model(model)) return(plot_runs(model, what))
  if (!is.null(model$members)) return(plot_ensemble_curves(model, what))
  long <- drawn_curves(model, what)
  run <- training_run(model)
  best <- run$best
  b <- model$brief
  logarithmic <- spans_widely(long$loss)
  kept <- long[long$epoch == best & long$part == utils::tail(long$part, 1), ]
  said <- if (nrow(kept)) sprintf(" (%s %s)", kept$part, signif(kept$loss, 3)) else ""
  ggplot2::ggplot(long, ggplot2::aes(.data$epoch, .data$loss, colour = .data$part)) +
    ggplot2::geom_vline(xintercept = best, colour = hue("stone"), linetype = "dashed", linewidth = 0.4) +
    ggplot2::geom_line(linewidth = 0.8) +
    ggplot2::geom_point(data = kept, size = 2.6) +
    named_curves(long, logarithmic) +
    ggplot2::labs(
      title = sprintf("%s: %s", enumerate(b$target), stopped_title(run)),
      subtitle = sprintf("%s; best epoch %d%s", curve_name(model, what), best, said),
      x = "epoch", y = axis_name(if (what == "loss") loss_in_unit(model)$short else what, logarithmic)
    ) +
    figure_theme()
}

# One line a model, of its validation rows where it has them.
plot_runs <- function(models, what) {
  odd <- which(!vapply(models, is_model, NA))
  if (length(models) == 0 || length(odd)) fail("plot_curves() draws a model or a list of models.")
  check_lines(length(models), "Give fewer models.")
  names <- names(models) %||% paste("model", seq_along(models))
  long <- do.call(rbind, Map(function(model, name) {
    own <- drawn_curves(model, what)
    own <- ensemble_means(own[own$part == utils::tail(own$part, 1), ])
    data.frame(own, run = name, kept = own$epoch == model$best_epoch)
  }, models, names))
  long$run <- factor(long$run, names)
  logarithmic <- spans_widely(long$loss)
  b <- models[[1]]$brief
  rows <- utils::tail(long$part, 1)
  ggplot2::ggplot(long, ggplot2::aes(.data$epoch, .data$loss, colour = .data$run, linetype = .data$run)) +
    ggplot2::geom_line(linewidth = 0.8) +
    ggplot2::geom_point(data = long[long$kept, ], size = 2.6, show.legend = FALSE) +
    line_scales() +
    loss_axis(logarithmic) +
    ggplot2::labs(
      title = sprintf("%s: %s of %s runs by epoch", enumerate(b$target), what, length(models)),
      subtitle = sprintf("%s of the %s rows; points are the best epochs", curve_name(models[[1]], what), rows),
      x = "epoch", y = axis_name(what, logarithmic), colour = NULL, linetype = NULL
    ) +
    figure_theme() + legend_on_top() + wide_keys()
}

stopped_title <- function(run) {
  epochs <- run$epochs
  switch(run$stopped,
    epochs = sprintf("all %d epochs were done", epochs),
    patience = sprintf("validation stopped falling at epoch %d", run$best),
    gradient = sprintf("the gradient is small enough at epoch %d", epochs),
    loss = sprintf("the wanted loss is reached at epoch %d", epochs),
    seconds = sprintf("the time limit came at epoch %d", epochs),
    converged = sprintf("converged at epoch %d", epochs),
    interrupted = sprintf("interrupted after %s", counted(epochs, "epoch")),
    diverged = sprintf("diverged in epoch %d", epochs + 1L),
    vanished = sprintf("the first layer's gradient vanished in epoch %d", epochs)
  )
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_model <- function(object, ...) plot_curves(object)

#' @export
plot.hylomath_model <- function(x, ...) print(plot_curves(x))

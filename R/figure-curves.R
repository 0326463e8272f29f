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

# ---- an ensemble -----------------------------------------------------------------------------------------------------

# The loss curves of an ensemble's networks: their mean and span by epoch.

plot_ensemble_curves <- function(model, what) {
  long <- drawn_curves(model, what)
  means <- ensemble_means(long)
  own <- leading_members(model)
  part <- utils::tail(long$part, 1)
  kept <- merge(long[long$part == part, ], data.frame(member = own$fold, epoch = own$best_epoch))
  logarithmic <- spans_widely(means$loss)
  last <- max(means$epoch)
  ggplot2::ggplot(means, ggplot2::aes(.data$epoch, .data$loss, colour = .data$part)) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high, fill = .data$part), alpha = 0.16, colour = NA
    ) +
    ggplot2::geom_line(linewidth = 0.8) +
    ggplot2::geom_point(data = kept[kept$epoch <= last, ], size = 2.2) +
    ggplot2::scale_fill_manual(values = curve_colours(), guide = "none") +
    named_curves(means, logarithmic) +
    ggplot2::labs(
      title = sprintf(
        "%s: a cross-validation ensemble of %s", enumerate(model$brief$target), counted(nrow(own), "network")
      ),
      subtitle = sprintf(
        "%s of %s: mean and span, while half of them train; points are the best epochs", curve_name(model, what),
        own$network[1]
      ),
      x = "epoch", y = axis_name(if (what == "loss") loss_in_unit(model)$short else what, logarithmic)
    ) +
    figure_theme()
}

# ---- pieces ----------------------------------------------------------------------------------------------------------

# What figures of loss curves are made of.

curve_colours <- function() {
  c(
    training = hue("ochre"), validation = hue("ink"), test = hue("plum"), gradient = hue("ochre"), rate = hue("ochre")
  )
}

spans_widely <- function(loss) min(loss) > 0 && max(loss) / min(loss) > 2

loss_axis <- function(logarithmic) {
  if (logarithmic) ggplot2::scale_y_log10(breaks = few_log_breaks) else ggplot2::scale_y_continuous()
}

axis_name <- function(what, logarithmic) if (logarithmic) paste(what, "(logarithmic)") else what

# The curves' names at their ends, their colours and both axes.
named_curves <- function(long, logarithmic) {
  last <- max(long$epoch)
  list(
    ggplot2::geom_text(
      data = label_ends(long, logarithmic), ggplot2::aes(y = .data$at, label = .data$part), hjust = 0,
      nudge_x = last * 0.012, size = 4.2
    ),
    ggplot2::scale_colour_manual(values = curve_colours(), guide = "none"),
    ggplot2::scale_x_continuous(
      breaks = whole_breaks(c(0, last)), expand = ggplot2::expansion(mult = c(0.02, 0.14))
    ),
    loss_axis(logarithmic)
  )
}

# Where the lines' names stand: at their ends, pushed apart where the ends are close.
label_ends <- function(long, logarithmic) {
  ends <- do.call(rbind, lapply(split(long, long$part), function(d) d[nrow(d), ]))
  scale <- if (logarithmic) log else identity
  back <- if (logarithmic) exp else identity
  ends$at <- scale(ends$loss)
  need <- 0.06 * diff(range(scale(long$loss)))
  ends <- ends[order(ends$at), ]
  # from below, each at least as far from the one before as its text is high; then back to their middle
  wanted <- ends$at
  for (i in seq_along(wanted)[-1]) ends$at[i] <- max(ends$at[i], ends$at[i - 1] + need)
  ends$at <- ends$at - mean(ends$at - wanted)
  ends$at <- back(ends$at)
  ends
}

# One row an epoch and part; a curve without parts is one of its own.
drawn_curves <- function(model, what) {
  curves <- loss_curves(model)
  regimen <- regimen_of(model)
  if (nrow(curves) == 0) fail("The model was trained for not even one epoch, so there is nothing to draw.")
  type_choice(c("loss", "gradient", "rate", regimen$measures))(what, "what")
  one <- function(column, part) {
    values <- curves[[column]]
    if (!is.null(values) && !all(is.na(values))) {
      data.frame(epoch = curves$epoch, loss = values, part = part, member = curves$member %||% 1)
    }
  }
  in_unit <- loss_in_unit(model)
  of_part <- function(part) {
    if (what != "loss") return(one(paste0(part, "_", what), part))
    curve <- one(part, part)
    if (!is.null(curve)) curve$loss <- in_unit$convert(curve$loss)
    curve
  }
  long <- if (what %in% c("gradient", "rate")) {
    one(what, what)
  } else {
    rbind(of_part("training"), if (what == "loss") of_part("test"), of_part("validation"))
  }
  if (is.null(long)) fail(sprintf("The method %s has no %s to draw.", quoted(regimen$method), what))
  long
}

curve_name <- function(model, what) {
  switch(what,
    gradient = "Length of the gradient", rate = "Learning rate", accuracy = "Accuracy", mae = "Mean absolute error",
    rmse = "Root mean squared error", loss_in_unit(model)$name
  )
}

# What is drawn of the loss by epoch: list(convert, name, short), what it is converted by and called. Of one target of
# numbers it has the target's unit (of its logarithm, where that is learned).
loss_in_unit <- function(model) loss_unit(target_in(model), model$predictor$preparation$target$scale)

loss_unit <- function(target, scale) {
  curve <- loss_record(target$loss)$curve
  if (is.null(curve$in_unit) || length(target$columns) > 1) {
    return(list(convert = identity, name = curve$name, short = "loss"))
  }
  of <- if (is_logarithmic(target)) sprintf("log %s", target$columns) else target$columns
  own <- curve$in_unit
  list(convert = function(x) own$convert(x) * scale, name = sprintf(own$name, of), short = own$short)
}

whole_breaks <- function(limits) {
  breaks <- pretty(pmax(limits, 0), 6)
  breaks[breaks == round(breaks) & breaks > 0 & breaks <= limits[2]]
}

few_log_breaks <- function(limits) {
  for (digits in list(1, c(1, 3), c(1, 2, 5), c(1, 1.5, 2, 3, 5, 7), seq(1, 9.5, 0.5))) {
    powers <- 10^(floor(log10(limits[1])):ceiling(log10(limits[2])))
    breaks <- sort(as.numeric(outer(digits, powers)))
    breaks <- breaks[breaks >= limits[1] & breaks <= limits[2]]
    if (length(breaks) >= 4) break
  }
  breaks
}

# By part and epoch the mean and span of the networks, as long as half of them are in training.
ensemble_means <- function(long) {
  networks <- length(unique(long$member))
  cells <- split(long, list(factor(long$part, unique(long$part)), long$epoch), drop = TRUE)
  means <- do.call(rbind, lapply(cells, function(d) {
    data.frame(
      epoch = d$epoch[1], loss = mean(d$loss), low = min(d$loss), high = max(d$loss), part = d$part[1], n = nrow(d)
    )
  }))
  means <- means[means$n >= networks / 2, ]
  rownames(means) <- NULL
  means[order(match(means$part, unique(long$part)), means$epoch), ]
}

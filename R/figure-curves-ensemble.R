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

#' Draw a network
#'
#' A small network is drawn unit by unit: a line for each weight, the thicker the larger it is within its layer, ochre
#' for positive and dark for negative, the latter dashed. Up to 60 lines have their weights written on them, and the
#' units their biases in them; of more, the largest weights stand in a table to the side. A skip connection
#' (`+ skip`) is bent around the hidden layers. A large network is drawn as a row of layers with their sizes.
#'
#' @param model A model. Of an ensemble the best member is drawn.
#' @param units The largest number of units, inputs and outputs included, that is drawn unit by unit.
#' @return A ggplot.
#' @section Errors: An object that is not a model.
#' @examples
#' set.seed(1)
#' b <- brief(crossings, target = "passengers") |> wire("5 tanh") |> regimen(epochs = 20)
#' model <- train(b, progress = "none")
#' plot_network(model)
#' @export
plot_network <- function(model, units = 60) {
  need_ggplot()
  check_model(model)
  b <- model$brief
  drawn <- drawn_units(model)
  small <- nrow(drawn) <= units
  skip <- !is.null(leading_member(model$predictor)$network$skip)
  figure <- if (small) {
    drawn$bias <- drawn_biases(model, drawn)
    draw_units(drawn, drawn_weights(model, drawn))
  } else {
    draw_layers(drawn_layers(model), skip)
  }
  how <- if (small) {
    paste0(
      "thick lines are large weights of their layer\nOchre is positive, dark and dashed is negative",
      if (skip) "; bent lines are the skip connection, past the hidden layers"
    )
  } else {
    "layers from left to right"
  }
  parameters <- counted(network_parameters(model$predictor), "parameter")
  figure +
    ggplot2::labs(
      title = sprintf("%s: %s", enumerate(b$target), drawn_wiring(model)),
      subtitle = sprintf("%s; %s", parameters, how), x = NULL, y = NULL
    ) +
    figure_theme() +
    no_grid() +
    ggplot2::theme(axis.text = ggplot2::element_blank())
}

# Of an ensemble the network that counts most is drawn.
drawn_wiring <- function(model) {
  if (is.null(model$members)) return(sprintf("%s > output", wiring_text(model)))
  sprintf("one of %d: %s > output", network_count(model$predictor), leading_members(model)$network[1])
}

draw_units <- function(units, weights) {
  weights <- weights[order(weights$share), ]
  weights$sign <- ifelse(weights$weight < 0, "negative", "positive")
  ends <- units[units$layer %in% c(0, max(units$layer)), ]
  written <- nrow(weights) <= most_written
  ends$x <- ends$x + (if (written) 0.04 else 0.02) * ifelse(ends$layer == 0, -1, 1)
  ends$hjust <- ifelse(ends$layer == 0, 1, 0)
  text_size <- if (max(table(units$layer)) > 24) 2.6 else 3.6
  lines <- ggplot2::aes(
    .data$x, .data$y, xend = .data$to_x, yend = .data$to_y, colour = .data$sign, linetype = .data$sign,
    linewidth = .data$share, alpha = .data$share
  )
  ggplot2::ggplot(weights[!weights$skip, ]) +
    ggplot2::geom_segment(lines) +
    (if (any(weights$skip)) bent_lines(weights[weights$skip, ])) +
    ggplot2::geom_point(
      data = units, ggplot2::aes(.data$x, .data$y), size = if (written) 11 else 4.2, shape = 21, fill = figure_paper,
      colour = hue("ink"), stroke = 0.9
    ) +
    (if (written) written_weights(weights, units)) +
    (if (!written) table_of_weights(weights)) +
    ggplot2::geom_text(
      data = ends, ggplot2::aes(.data$x, .data$y, label = .data$label, hjust = .data$hjust), size = text_size,
      colour = figure_text
    ) +
    ggplot2::scale_colour_manual(values = c(positive = hue("ochre"), negative = hue("ink")), guide = "none") +
    ggplot2::scale_linetype_manual(values = c(positive = "solid", negative = "22"), guide = "none") +
    ggplot2::scale_linewidth(range = c(0.15, 2.2), guide = "none") +
    ggplot2::scale_alpha(range = c(0.15, 0.95), guide = "none") +
    ggplot2::scale_x_continuous(limits = c(-0.28, if (written) 1.22 else 1.62))
}

# A skip connection, point by point.
bent_lines <- function(weights) {
  points <- do.call(rbind, lapply(seq(0, 1, length.out = 40), function(along) {
    data.frame(weights[c("sign", "share")], line = seq_len(nrow(weights)), along_weight(weights, along))
  }))
  ggplot2::geom_path(
    data = points, ggplot2::aes(
      .data$x, .data$y, group = .data$line, colour = .data$sign, linetype = .data$sign, linewidth = .data$share,
      alpha = .data$share
    )
  )
}

most_written <- 60

short_weight <- function(w) formatC(w, digits = 2, format = "fg", flag = "#") |> sub(pattern = "[.]$", replacement = "")

# Weights along their lines, at a place that moves on with the unit they come from, so that they don't stand on each
# other; biases in the units.
written_weights <- function(weights, units) {
  from <- match(paste(weights$from_layer, weights$y), paste(units$layer, units$y))
  to <- match(paste(weights$layer, weights$to_y), paste(units$layer, units$y))
  along <- 0.18 + 0.14 * ((2 * units$unit[from] + units$unit[to]) %% 5)
  # on a skip connection between the hidden layers and the output
  along <- ifelse(weights$skip, 1 - 0.5 * along / max(units$layer), along)
  weights[c("at_x", "at_y")] <- along_weight(weights, along)
  list(
    ggplot2::geom_label(
      data = weights, ggplot2::aes(.data$at_x, .data$at_y, label = short_weight(.data$weight), colour = .data$sign),
      size = 2.9, fill = figure_paper, label.size = 0, label.padding = grid::unit(0.08, "lines")
    ),
    ggplot2::geom_text(
      data = units[!is.na(units$bias), ], ggplot2::aes(.data$x, .data$y, label = short_weight(.data$bias)), size = 2.7,
      colour = figure_text
    )
  )
}

# The largest weights of all layers.
table_of_weights <- function(weights) {
  top <- utils::head(weights[order(-weights$share, weights$layer), ], 16)
  top$y <- 1 - (seq_len(nrow(top)) - 0.5) / 18
  top$label <- sprintf("%s > %s  %s", shorten(top$from, 18), shorten(top$to, 12), short_weight(top$weight))
  ggplot2::geom_text(
    data = top, ggplot2::aes(1.3, .data$y, label = .data$label), hjust = 0, size = 3, colour = figure_text
  )
}

draw_layers <- function(layers, skip) {
  layers$height <- 0.25 + 0.75 * log(1 + layers$size) / log(1 + max(layers$size))
  arrows <- data.frame(x = layers$x[-nrow(layers)] + 0.33, to_x = layers$x[-1] - 0.33)
  ggplot2::ggplot(layers) +
    ggplot2::geom_segment(
      data = arrows, ggplot2::aes(.data$x, 0, xend = .data$to_x, yend = 0), colour = hue("stone"), linewidth = 0.9,
      arrow = ggplot2::arrow(length = grid::unit(9, "pt"), type = "closed")
    ) +
    (if (skip) skip_arrow(layers)) +
    ggplot2::geom_tile(
      ggplot2::aes(.data$x, 0, width = 0.6, height = .data$height), fill = "#E4EAF1", colour = hue("ink"),
      linewidth = 0.9
    ) +
    ggplot2::geom_text(
      ggplot2::aes(.data$x, 0.04, label = .data$title), fontface = "bold", size = 4.2, colour = hue("ink")
    ) +
    ggplot2::geom_text(
      ggplot2::aes(.data$x, -0.05, label = .data$detail), size = 3.6, colour = figure_text, lineheight = 0.95,
      vjust = 1
    ) +
    ggplot2::geom_text(
      ggplot2::aes(.data$x, -.data$height / 2 - 0.05, label = .data$parameters), size = 3.4, colour = figure_faint
    ) +
    ggplot2::coord_cartesian(ylim = c(-0.62, 0.6))
}

# From the inputs past the hidden layers to the output.
skip_arrow <- function(layers) {
  ends <- data.frame(x = layers$x[1], to_x = layers$x[nrow(layers)], y = 0.53)
  up_and_along <- data.frame(
    x = ends$x, to_x = c(ends$x, ends$to_x), y = c(layers$height[1] / 2, ends$y), to_y = ends$y
  )
  list(
    ggplot2::geom_segment(
      data = up_and_along,
      ggplot2::aes(.data$x, .data$y, xend = .data$to_x, yend = .data$to_y), colour = hue("stone"), linewidth = 0.9
    ),
    ggplot2::geom_segment(
      data = ends, ggplot2::aes(.data$to_x, .data$y, xend = .data$to_x, yend = layers$height[nrow(layers)] / 2 + 0.02),
      colour = hue("stone"), linewidth = 0.9, arrow = ggplot2::arrow(length = grid::unit(9, "pt"), type = "closed")
    ),
    ggplot2::annotate("text", mean(c(ends$x, ends$to_x)), 0.56, label = "skip", colour = figure_faint, size = 3.6)
  )
}

# ---- what is drawn ---------------------------------------------------------------------------------------------------

# Where the parts of a network stand when it is drawn: data frames that plot_network() shows.

# Units of the inputs, each layer and the outputs: `layer` (0 for the inputs), `unit`, `label`, and places `x` and `y`
# in 0 .. 1, the first unit on top.
drawn_units <- function(model) {
  predictor <- leading_member(model$predictor)
  network <- predictor$network
  inputs <- network_inputs(predictor$preparation)
  sizes <- c(length(inputs), vapply(network$layers, function(l) as.numeric(l$units), 0))
  last <- length(sizes) - 1
  do.call(rbind, lapply(0:last, function(l) {
    n <- sizes[l + 1]
    label <- if (l == 0) inputs else if (l == last) output_names(predictor) else as.character(seq_len(n))
    y <- if (n == 1) 0.5 else 1 - (seq_len(n) - 0.5) / n
    data.frame(layer = l, unit = seq_len(n), label = label, x = l / last, y = y)
  }))
}

# Connections between them: `weight`, its size as a share of the largest of its layer, its ends, and whether it is of a
# `skip` connection, which leads past the hidden layers in a `bend` of this height.
drawn_weights <- function(model, units = drawn_units(model)) {
  matrices <- coef(model)
  layers <- layer_matrices(matrices)
  of_layers <- lapply(seq_along(layers), function(l) drawn_between(layers[[l]], units, l - 1, l))
  skip <- if (!is.null(matrices$skip)) drawn_between(matrices$skip, units, 0, length(layers))
  drawn <- do.call(rbind, c(of_layers, list(skip)))
  drawn$skip <- seq_len(nrow(drawn)) > nrow(drawn) - NROW(skip)
  # above the middle around the hidden layers above, else below
  bend <- if (is.null(skip)) 0 else 0.14
  drawn$bend <- ifelse(drawn$skip, ifelse(drawn$y + drawn$to_y >= 1, bend, -bend), 0)
  drawn
}

# The places along a connection, `along` from 0 to 1.
along_weight <- function(weight, along) {
  list(
    x = weight$x + along * (weight$to_x - weight$x),
    y = weight$y + along * (weight$to_y - weight$y) + 4 * weight$bend * along * (1 - along)
  )
}

drawn_between <- function(matrix, units, from_layer, to_layer) {
  from <- units[units$layer == from_layer, ]
  to <- units[units$layer == to_layer, ]
  w <- matrix[seq_len(nrow(from)), , drop = FALSE]
  pairs <- expand.grid(i = seq_len(nrow(from)), j = seq_len(nrow(to)))
  data.frame(
    layer = to_layer, from_layer = from_layer, weight = as.numeric(w),
    share = as.numeric(abs(w) / max(abs(w), 1e-300)),
    from = from$label[pairs$i], to = to$label[pairs$j], x = from$x[pairs$i], y = from$y[pairs$i],
    to_x = to$x[pairs$j], to_y = to$y[pairs$j]
  )
}

# The weights between one layer and the next.
layer_matrices <- function(matrices) {
  matrices[!startsWith(names(matrices), "embedding_") & !names(matrices) %in% c("skip", "gaps")]
}

# The bias of each unit, missing for inputs.
drawn_biases <- function(model, units) {
  matrices <- layer_matrices(coef(model))
  biases <- lapply(seq_along(matrices), function(l) {
    place <- which(rownames(matrices[[l]]) == "(bias)")
    matrices[[l]][place[1], ]
  })
  unlist(c(list(rep(NA_real_, sum(units$layer == 0))), biases), use.names = FALSE)
}

# The layers as blocks, for networks that are too large to draw unit by unit: `title`, `detail`, `x`.
drawn_layers <- function(model) {
  predictor <- leading_member(model$predictor)
  network <- predictor$network
  preparation <- predictor$preparation
  layers <- network$layers
  blocks <- layers_of(model)
  hidden <- layers[-length(layers)]
  names <- c(as.list(if (length(hidden)) paste0("layer_", seq_along(hidden))), list(c("output", "skip")))
  counts <- vapply(names, function(name) sum(blocks$values[blocks$layer %in% name]), 0)
  extras <- function(l) c(if (l$norm) "norm", if (l$dropout > 0) paste("dropout", format_number(l$dropout)))
  detail <- c(
    sprintf("%s\nafter preparation", counted(length(preparation$columns), "column")),
    vapply(hidden, function(l) paste(c(l$activation, extras(l)), collapse = "\n"), ""), network$output
  )
  sizes <- c(length(network_inputs(preparation)), vapply(layers, function(l) as.numeric(l$units), 0))
  what <- c("inputs", rep("units", length(hidden)), if (sizes[length(sizes)] == 1) "output" else "outputs")
  data.frame(
    title = paste(format_each_count(sizes), what), detail = detail, size = sizes,
    parameters = c("", paste(format_each_count(counts), "parameters")), x = seq_along(sizes)
  )
}

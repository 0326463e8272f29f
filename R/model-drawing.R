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

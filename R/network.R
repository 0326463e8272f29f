# The network of an analysis as the core takes it, and what it consists of.

# Sizes, and penalties settled between the layers' own and the regimen's. A regimen that is not settled yet will do
# where only the sizes count.
network_of <- function(target, wiring, regimen, preparation) {
  loss <- target$loss
  last <- list(
    units = task_of(target)$units(target), activation = "identity", dropout = 0, l1 = NULL, l2 = NULL, rate = 1,
    norm = FALSE, init = "usual", init_scale = 0
  )
  l2 <- if (is.numeric(regimen$l2)) regimen$l2 else 0.01  # where evidence starts
  layers <- lapply(c(wiring$layers, list(last)), function(layer) {
    layer$l1 <- layer$l1 %||% regimen$l1
    layer$l2 <- layer$l2 %||% l2
    layer[c("units", "activation", "dropout", "l1", "l2", "rate", "norm", "init", "init_scale")]
  })
  network <- list(
    inputs = length(preparation$features),
    embeddings = lapply(Filter(is_embedded, preparation$columns), function(plan) {
      list(column = plan$column, levels = length(plan$levels) + plan$own, width = plan$width)
    }),
    embedding_l1 = regimen$l1, embedding_l2 = l2,
    input_dropout = wiring$input_dropout, input_noise = regimen$input_noise,
    output = loss$output, loss = if (loss$kind == "ordinal") "cross_entropy" else loss$kind,
    delta = loss$delta %||% 1, smoothing = loss$smoothing %||% 0, quantiles = loss$at %||% numeric(),
    classes = if (loss$output == "ordinal") length(target$classes) else 0, layers = layers
  )
  skip <- wiring$skip
  if (!is.null(skip)) {
    network$skip <- list(l1 = skip$l1 %||% regimen$l1, l2 = skip$l2 %||% l2, rate = skip$rate)
  }
  network
}

# The parts of a network as the core knows it, without what was learned.
network_shape <- function(network) network[setdiff(names(network), c("parameters", "members"))]

# Every block of parameters in the order in which the core lays them out, see ?layers_of. What training follows but
# does not move is not `trained`.
network_blocks <- function(network, inputs) {
  block <- function(layer, kind, rows, columns, trained) {
    data.frame(layer = layer, kind = kind, rows = rows, columns = columns, trained = trained)
  }
  embeddings <- lapply(network$embeddings, function(e) {
    block(paste0("embedding_", e$column), "embedding", e$levels + 1, e$width, TRUE)
  })
  units <- vapply(network$layers, function(layer) as.numeric(layer$units), 0)
  entering <- c(length(inputs), units[-length(units)])
  layers <- lapply(seq_along(network$layers), function(l) {
    layer <- network$layers[[l]]
    name <- if (l == length(units)) "output" else paste0("layer_", l)
    moving <- layer$rate > 0
    rbind(
      block(name, "weights", entering[l], units[l], moving), block(name, "bias", 1, units[l], moving),
      if (layer$norm) block(name, c("gain", "mean", "variance"), 1, units[l], c(moving, FALSE, FALSE))
    )
  })
  skip <- if (!is.null(network$skip)) {
    list(block("skip", "weights", length(inputs), units[length(units)], network$skip$rate > 0))
  }
  gaps <- if (network$classes > 2) list(block("output", "gaps", network$classes - 2, 1, TRUE))
  blocks <- do.call(rbind, c(embeddings, layers, skip, gaps))
  blocks$values <- blocks$rows * blocks$columns
  blocks
}

parameter_count <- function(network) {
  embedded <- sum(vapply(network$embeddings, function(e) e$width, 0))
  sum(network_blocks(network, seq_len(network$inputs + embedded))$values)
}

# The parameters of every network that predicts together: one, or an ensemble's.
members_of <- function(network) network$members %||% list(network$parameters)

# All parameters of all members.
total_parameters <- function(network) length(network$parameters) * max(1L, length(network$members))

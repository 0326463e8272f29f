# The network of a brief as the core takes it, and what it consists of.

# Sizes, and penalties settled between the layers' own and the regimen's. A regimen that is not settled yet will do where
# only the sizes count.
network_of <- function(b, preparation) {
  wiring <- parse_wiring(b$wiring)
  loss <- settled_loss(b)
  units <- if (loss$output == "softmax") length(b$classes) else if (loss$kind == "quantile") length(loss$at) else length(b$target)
  last <- list(units = units, activation = "identity", dropout = 0, l1 = NULL, l2 = NULL, rate = 1, norm = FALSE, start = "usual", spread = 0)
  l2 <- if (is.numeric(b$regimen$l2)) b$regimen$l2 else 0.01  # where evidence starts
  layers <- lapply(c(wiring$layers, list(last)), function(layer) {
    layer$l1 <- layer$l1 %||% b$regimen$l1
    layer$l2 <- layer$l2 %||% l2
    layer[c("units", "activation", "dropout", "l1", "l2", "rate", "norm", "start", "spread")]
  })
  embedded <- Filter(function(plan) plan$encoding == "code", preparation$columns)
  list(
    inputs = length(preparation$features),
    embeddings = lapply(embedded, function(plan) list(column = plan$column, levels = length(plan$levels) + plan$own, width = plan$width)),
    embedding_l1 = b$regimen$l1, embedding_l2 = l2,
    input_dropout = wiring$input_dropout, input_noise = b$regimen$input_noise,
    output = loss$output, loss = if (loss$kind == "ordinal") "cross_entropy" else loss$kind,
    knee = loss$knee %||% 1, smoothing = loss$smoothing %||% 0, quantiles = loss$at %||% numeric(),
    classes = if (loss$output == "ordinal") length(b$classes) else 0, layers = layers
  )
}

# The parts of a network as the core knows it, without what was learned.
network_shape <- function(network) network[setdiff(names(network), c("parameters", "members"))]

# Every block of parameters in the order in which the core lays them out, see ?layers_of. What training follows but does not
# move is not `trained`.
network_blocks <- function(network, inputs) {
  rows <- list()
  add <- function(layer, kind, rows_, columns, trained) {
    rows[[length(rows) + 1]] <<- data.frame(layer = layer, kind = kind, rows = rows_, columns = columns, trained = trained)
  }
  for (e in network$embeddings) add(paste0("embedding_", e$column), "embedding", e$levels + 1, e$width, TRUE)
  width <- length(inputs)
  for (l in seq_along(network$layers)) {
    layer <- network$layers[[l]]
    name <- if (l == length(network$layers)) "output" else paste0("layer_", l)
    moving <- layer$rate > 0
    add(name, "weights", width, layer$units, moving)
    add(name, "bias", 1, layer$units, moving)
    if (layer$norm) {
      add(name, "gain", 1, layer$units, moving)
      add(name, "mean", 1, layer$units, FALSE)
      add(name, "variance", 1, layer$units, FALSE)
    }
    width <- layer$units
  }
  if (network$classes > 2) add("output", "gaps", network$classes - 2, 1, TRUE)
  blocks <- do.call(rbind, rows)
  blocks$values <- blocks$rows * blocks$columns
  blocks
}

parameter_count <- function(network) {
  embedded <- sum(vapply(network$embeddings, function(e) e$width, 0))
  sum(network_blocks(network, seq_len(network$inputs + embedded))$values)
}

# The output biases before training, and the gaps between ordered classes: with them the network's first answer is the
# baseline's.
starting_answer <- function(b, preparation, network, offset) {
  target <- preparation$target
  if (b$task == "classification") {
    share <- unlist(target$counts) * class_weights_of(b, preparation)
    share <- share / sum(share)
    return(switch(network$output,
      logistic = stats::qlogis(share[[b$positive]]), softmax = log(unname(share)), ordinal = ordinal_start(unname(share))
    ))
  }
  level <- pmax(target$mean, 1e-6) / target$scale
  switch(network$output,
    exponential = log(level) - if (length(offset)) log(mean(exp(offset))) else 0,
    softplus = log(expm1(level)),
    identity = if (network$loss == "quantile") rep(0, length(network$quantiles)) else (if (target$log) 0 else target$mean - target$shift) / target$scale
  )
}

# Cumulative shares as thresholds t_k - bias, the first of which is 0: see src/core/loss.hpp.
ordinal_start <- function(share) {
  upto <- stats::qlogis(pmin(pmax(cumsum(share[-length(share)]), 1e-6), 1 - 1e-6))
  c(-upto[1], log(pmax(diff(upto), 1e-3)))
}

# Warm starts: from a fold's network to the start of one on the same rows with other inputs.

# What is carried of a fit.
carried_of <- function(spec, fit) list(parameters = fit$parameters, inputs = network_inputs(spec$preparation), blocks = network_blocks(spec$core$network, network_inputs(spec$preparation)))

# The parameters that the network of `spec` starts with: those that it shares with the one that is carried; weights of inputs that
# are new start at 0. Empty, so that the starting rules hold, where there are new embeddings, which could not move from there.
carried_start <- function(from, spec) {
  inputs <- network_inputs(spec$preparation)
  blocks <- network_blocks(spec$core$network, inputs)
  name <- function(blocks) paste(blocks$layer, blocks$kind)
  if (any(!name(blocks) %in% name(from$blocks))) return(numeric())
  values <- split(from$parameters, factor(rep(seq_len(nrow(from$blocks)), from$blocks$values), seq_len(nrow(from$blocks))))
  first <- match("weights", blocks$kind)
  unlist(lapply(seq_len(nrow(blocks)), function(i) {
    own <- values[[match(name(blocks)[i], name(from$blocks))]]
    if (i != first) return(own)
    weights <- matrix(own, length(from$inputs), byrow = TRUE)[match(inputs, from$inputs), , drop = FALSE]
    weights[is.na(weights)] <- 0
    as.numeric(t(weights))
  }), use.names = FALSE)
}

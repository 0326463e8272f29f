#' Weights and biases of a network
#'
#' `coef()` gives them, `set_coef()` puts others in their place.
#'
#' @param object,model A model.
#' @param values A list as `coef()` gives it, or a table as `coef_table()` does, which an ensemble needs. Blocks, and
#'   values of a table, that it leaves out stay as they are.
#' @param ... Not used.
#' @return `coef()`: a list with a matrix for each layer: one row an input and a last row `(bias)`, one column a unit.
#'   With batch normalisation the rows `(gain)`, `(mean)` and `(variance)` follow, the last two being the running
#'   statistics. Embeddings come first, `embedding_<column>`: a row a level, `(other)` for rare and unseen ones.
#'   A skip connection stands behind the output layer, as `skip`: a row an input, a column an output.
#'   Ordered classes have `gaps`, the logarithms of the distances between thresholds, at the end. Inputs of the first
#'   layer are the prepared columns, outputs of the last one are before scaling back. Of an ensemble it is the best
#'   member.
#'
#'   `coef_table()`: all weights of all networks that predict together as one long data frame, for a file of its own:
#'   `network`, `start` (of an ensemble), `layer`, `input`, `unit` and `value`.
#'
#'   `set_coef()`: the model with these values. What was known of the old ones (held-out predictions, curves) is gone,
#'   so evaluate it by `appraise(model, data)`.
#' @section Errors: A block of another name or shape; values that are missing or infinite; a list for an ensemble; a
#'   table with networks that the model has not.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> wire("linear") |> quick() |> train(progress = "none")
#' weights <- coef(model)
#' weights$output["(bias)", ] <- 0
#' set_coef(model, weights)
#' @importFrom stats coef
#' @export
coef.hylomath_model <- function(object, ...) {
  predictor <- leading_member(object$predictor)
  blocks <- layers_of(object)
  places <- factor(rep(seq_len(nrow(blocks)), blocks$values), seq_len(nrow(blocks)))
  values <- split(predictor$network$parameters, places)
  names <- coef_names(predictor)
  matrices <- lapply(seq_len(nrow(blocks)), function(i) matrix(values[[i]], blocks$rows[i], byrow = TRUE))
  result <- list()
  for (layer in unique(blocks$layer)) {
    own <- blocks$layer == layer & blocks$kind != "gaps"
    result[[layer]] <- do.call(rbind, matrices[own])
    dimnames(result[[layer]]) <- names[[layer]]
  }
  if (any(blocks$kind == "gaps")) result$gaps <- values[[which(blocks$kind == "gaps")]]
  result
}

# Row and column names of each block.
coef_names <- function(predictor) {
  names <- list()
  for (plan in Filter(is_embedded, predictor$preparation$columns)) {
    levels <- c("(other)", plan$levels, if (plan$own) "(missing)")
    names[[paste0("embedding_", plan$column)]] <- list(levels, seq_len(plan$width))
  }
  inputs <- network_inputs(predictor$preparation)
  layers <- predictor$network$layers
  for (l in seq_along(layers)) {
    last <- l == length(layers)
    units <- if (last) output_names(predictor) else paste0("unit_", seq_len(layers[[l]]$units))
    extra <- c("(bias)", if (layers[[l]]$norm) c("(gain)", "(mean)", "(variance)"))
    names[[if (last) "output" else paste0("layer_", l)]] <- list(c(inputs, extra), units)
    inputs <- units
  }
  if (!is.null(predictor$network$skip)) {
    names$skip <- list(network_inputs(predictor$preparation), output_names(predictor))
  }
  names
}

output_names <- function(predictor) {
  target <- predictor$target
  network <- predictor$network
  switch(network$output,
    softmax = target$classes, logistic = target$positive, ordinal = "score",
    if (network$loss == "quantile") paste0("quantile_", format_each(network$quantiles)) else target$columns
  )
}

#' @rdname coef.hylomath_model
#' @export
coef_table <- function(model) {
  check_model(model)
  do.call(rbind, lapply(single_networks(model), function(one) {
    cbind(network = one$network, start = one$start, block_table(coef(one$model)))
  }))
}

# Each network that predicts together as a model of its own: lists of `network`, `start` and `model`.
single_networks <- function(model) {
  model["members"] <- NULL
  predictors <- predicting_members(model$predictor)
  each <- lapply(seq_along(predictors), function(i) {
    starts <- members_of(predictors[[i]]$network)
    lapply(seq_along(starts), function(s) {
      model$predictor <- with_parameters(predictors[[i]], starts[[s]])
      list(network = i, start = s, model = model)
    })
  })
  unlist(each, recursive = FALSE)
}

# A row a value: `layer`, `input`, `unit` and `value`.
block_table <- function(blocks) {
  rows <- lapply(names(blocks), function(layer) {
    block <- blocks[[layer]]
    if (!is.matrix(block)) block <- matrix(block, dimnames = list(seq_along(block), "gap"))
    data.frame(
      layer = layer, input = rep(rownames(block), ncol(block)), unit = rep(colnames(block), each = nrow(block)),
      value = as.numeric(block)
    )
  })
  do.call(rbind, rows)
}

# The blocks of a table as coef_table() gives it, over those that are there now.
blocks_from <- function(table, now) {
  lacking <- setdiff(c("layer", "input", "unit", "value"), names(table))
  if (length(lacking)) fail(sprintf("The table of weights has no column %s.", quoted(lacking[1])))
  stats::setNames(lapply(unique(table$layer), function(name) {
    own <- table[table$layer == name, ]
    block <- now[[name]]
    if (is.null(block)) return(own$value)
    gaps <- !is.matrix(block)
    if (gaps) block <- matrix(block, dimnames = list(seq_along(block), "gap"))
    places <- cbind(match(own$input, rownames(block)), match(own$unit, colnames(block)))
    bad <- which(is.na(rowSums(places)))
    if (length(bad)) {
      what <- "The block %s has no place for the input %s and the unit %s."
      fail(sprintf(what, quoted(name), quoted(own$input[bad[1]]), quoted(as.character(own$unit[bad[1]]))))
    }
    block[places] <- own$value
    if (gaps) as.vector(block) else block
  }), unique(table$layer))
}

#' @rdname coef.hylomath_model
#' @export
set_coef <- function(model, values) {
  check_model(model)
  networks <- single_networks(model)
  if (is.data.frame(values)) {
    each <- table_by_network(as_table(values), networks)
    for (i in which(!vapply(each, is.null, NA))) {
      now <- coef(networks[[i]]$model)
      parameters <- changed_parameters(now, blocks_from(each[[i]], now))
      model$predictor <- with_weights(model$predictor, networks[[i]], parameters)
    }
  } else {
    if (length(networks) > 1) {
      fail(
        "An ensemble has as many sets of weights as members, so one list can't set them.",
        "Give the table of all of them, see coef_table()."
      )
    }
    model$predictor <- with_weights(model$predictor, networks[[1]], changed_parameters(coef(model), values))
  }
  forget_training(model)
}

# The rows of a table as coef_table() gives it by network, NULL for one that it leaves out.
table_by_network <- function(table, networks) {
  places <- c("network", "start")
  if (length(networks) == 1 && !any(places %in% names(table))) return(list(table))
  lacking <- setdiff(places, names(table))
  if (length(lacking)) fail(sprintf("The table of weights has no column %s.", quoted(lacking[1])))
  place <- function(one) paste(one$network, one$start)
  rows <- split(table, place(table))
  known <- vapply(networks, place, "")
  unknown <- setdiff(names(rows), known)
  if (length(unknown)) {
    what <- "The table holds weights of network %s, which the model has not; it has %s."
    at <- sub(" ", ", start ", unknown[1])
    fail(sprintf(what, at, counted(length(networks), "network")), "Give weights of a model of the same make.")
  }
  unname(rows[known])
}

# A predictor with other parameters in the place of `one` of single_networks().
with_weights <- function(predictor, one, parameters) {
  if (!is.null(predictor$members)) {
    at <- list(network = 1, start = one$start)
    predictor$members[[one$network]] <- with_weights(predictor$members[[one$network]], at, parameters)
    return(predictor)
  }
  network <- predictor$network
  if (is.null(network$members)) {
    predictor$network$parameters <- parameters
    return(predictor)
  }
  # the best of several starts stands beside them
  best <- identical(network$parameters, network$members[[one$start]])
  if (best) predictor$network$parameters <- parameters
  predictor$network$members[[one$start]] <- parameters
  predictor
}

# Parameters as the core lays them out: `now`, blocks as coef() gives them, with others in the place of some.
changed_parameters <- function(now, values) {
  unknown <- setdiff(names(values), names(now))
  if (length(unknown) || is.null(names(values))) {
    name <- c(unknown, "")[1]
    fail(sprintf("The network has no block %s.", quoted(name)), suggestion(name, names(now)))
  }
  for (name in names(values)) {
    check_block(values[[name]], now[[name]], name)
    now[[name]] <- values[[name]]
  }
  by_rows <- lapply(now, function(block) if (is.matrix(block)) t(block) else block)
  as.numeric(unlist(by_rows, use.names = FALSE))
}

check_block <- function(new, now, name) {
  shape <- function(x) paste(dim(x) %||% length(x), collapse = " x ")
  if (!is.numeric(new) || shape(new) != shape(now)) {
    what <- "The block %s must be numbers of the shape %s, not %s."
    fail(sprintf(what, quoted(name), shape(now), if (is.numeric(new)) shape(new) else describe_class(new)))
  }
  if (any(!is.finite(new))) fail(sprintf("The block %s holds values that are missing or infinite.", quoted(name)))
}

# What was known of the network by its former weights goes.
forget_training <- function(model) {
  model$evaluated <- list()
  model["linear"] <- NULL
  model$predictor[c("decision", "recalibration")] <- NULL
  model$curves <- model$curves[0, ]
  model$best_epoch <- 0L
  model$stopped <- "set"
  model
}

#' What a layer makes of rows
#'
#' @param model A model.
#' @param data A data frame with the columns that the network takes in.
#' @param layer The number of the layer, from 1; the default is the last hidden layer. The layer behind the hidden ones
#'   is the output, whose linear values are given.
#' @param ... Not used.
#' @return A data frame with a row for each row of `data` and a column `unit_<i>` for each unit of the layer: its value
#'   after the activation, with batch normalisation by the running statistics and without dropout.
#' @section Errors: A layer that is not there; those of [predict()][predict.hylomath_model].
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' probe(model, head(kilns), layer = 2)
#' @export
probe <- function(model, data, layer = NULL, ...) UseMethod("probe")

#' @export
probe.hylomath_model <- function(model, data, layer = NULL, ...) {
  check_others(...)
  layer <- checked_layer(model, layer)
  predictor <- leading_member(model$predictor)
  network <- predictor$network
  preparation <- predictor$preparation
  sources <- encoder_sources(preparation, new_rows(preparation, as_table(data)))
  shape <- network_shape(network)
  values <- core_outputs(shape, network$parameters, preparation$columns, sources, layer, thread_count())
  names <- if (layer == length(network$layers)) output_names(predictor) else paste0("unit_", seq_len(nrow(values)))
  stats::setNames(as.data.frame(t(values)), names)
}

checked_layer <- function(model, layer) {
  layers <- length(leading_member(model$predictor)$network$layers)
  type_count(layers)(layer %||% max(1, layers - 1), "layer")
}

#' @export
probe.default <- function(model, ...) wrong_object("probe", "a model", model)

#' The layers of a network
#'
#' @param model A model.
#' @return A data frame with a row for each block of parameters: `layer`, `kind` (`weights`, `bias`, `embedding`, and
#'   `gain`, `mean`, `variance` with batch normalisation, `gaps` between ordered classes; the weights of a skip
#'   connection are the layer `skip`), `rows` (inputs), `columns` (units), `trained` (whether training moves it) and
#'   `values` (their number).
#' @section Errors: An object that is not a model.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> wire("16 relu norm") |> regimen(epochs = 5) |> quick() |>
#'   train(progress = "none")
#' layers_of(model)
#' @export
layers_of <- function(model) {
  check_model(model)
  predictor <- leading_member(model$predictor)
  network_blocks(predictor$network, network_inputs(predictor$preparation))
}

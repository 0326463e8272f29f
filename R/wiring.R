# The wiring notation: `24 relu > dropout 0.2 > 12 tanh l2=1e-4 + skip`. Layers run from left to right; the output
# layer is never written. See ?wire for the grammar.

wiring_activations <- c(
  "identity", "logistic", "tanh", "relu", "leaky_relu", "elu", "selu", "gelu", "silu", "softplus", "gaussian", "sine"
)
piecewise_linear <- c("relu", "leaky_relu")

# What `auto` is where there is nothing to choose it by.
usual_wiring <- "24 relu > 12 relu"

wiring_inits <- c("glorot", "he", "lecun", "orthogonal", "uniform", "normal", "same")
wiring_values <- list(
  l1 = type_number(0),
  l2 = type_number(0),
  rate = type_number(0),  # a multiple of the learning rate; 0 keeps the layer as it started
  init = function(value, key) type_init(value, key)
)
# What a skip connection has of them.
skip_values <- c("l1", "l2", "rate")

# `he`, or `uniform:0.1` for the rules that have a scale; 0.1 if it is not given.
type_init <- function(value, key) {
  parts <- strsplit(value, ":", fixed = TRUE)[[1]]
  rule <- type_choice(wiring_inits)(parts[1], key)
  if (length(parts) == 1) return(value)
  if (length(parts) > 2 || !rule %in% c("uniform", "normal")) fail(sprintf("`%s` takes no scale.", rule))
  type_number(0, open_low = TRUE)(parts[2], paste0(key, ".", rule))
  value
}

# Returns a list of layers, each list(units, activation, dropout, l1, l2, rate, norm, init, init_scale), with NULL for
# an l1 or l2 that is not set; the share of inputs dropped as `input_dropout`; and `skip`, the list(l1, l2, rate) of a
# skip connection, NULL without one.
parse_wiring <- function(text) {
  if (text == "auto") text <- usual_wiring
  check_limit(1 + sum(charToRaw(text) == charToRaw(">")), "layers", "The wiring has")
  plus <- skip_at(text)
  parts <- wiring_parts(if (is.na(plus)) text else substr(text, 1, plus - 1))
  if (is.na(plus) && length(parts) == 1 && length(parts[[1]]$words) == 1 && parts[[1]]$words == "linear") {
    return(list(layers = list(), input_dropout = 0))
  }
  layers <- list()
  input_dropout <- 0
  dropped <- FALSE
  for (part in parts) {
    if (length(part$words) == 0) wiring_fail(text, part$at, 1, "Expected a layer such as `24 relu`, or `dropout 0.2`.")
    if (part$words[1] == "dropout") {
      if (dropped) {
        wiring_fail(text, part$starts[1], 7, "This dropout follows another one. Write one with their joint share.")
      }
      share <- parse_dropout(text, part)
      if (length(layers) == 0) input_dropout <- share else layers[[length(layers)]]$dropout <- share
    } else {
      layers <- c(layers, list(parse_layer(text, part)))
    }
    dropped <- part$words[1] == "dropout"
  }
  wiring <- list(layers = layers, input_dropout = input_dropout)
  if (!is.na(plus)) wiring$skip <- parse_skip(text, plus, layers)
  wiring
}

# The character of the `+` in front of a skip connection, that of `1e+4` excepted; NA without one.
skip_at <- function(text) {
  at <- regexpr("[+](?![0-9])", text, perl = TRUE)
  if (at == -1) NA_integer_ else as.integer(at)
}

# What stands behind the hidden layers: `+ skip`, with penalties and a rate of its own.
parse_skip <- function(text, plus, layers) {
  part <- wiring_parts(substr(text, plus + 1, nchar(text)))[[1]]
  starts <- part$starts + plus
  expected <- function(at, size, what) wiring_fail(text, at, size, what)
  if (!identical(part$words[1], "skip")) {
    expected(plus, 1, "Expected `skip` behind the `+`: a skip connection from the inputs to the output.")
  }
  if (length(layers) == 0) expected(plus, 1, "A skip connection stands behind hidden layers, as in `12 elu + skip`.")
  behind <- regexpr(">", substr(text, plus, nchar(text)), fixed = TRUE)
  if (behind > 0) expected(plus + behind - 1, 1, "`+ skip` ends the wiring.")
  skip <- list(l1 = NULL, l2 = NULL, rate = 1)
  known <- skip_values
  for (i in seq_along(part$words)[-1]) {
    size <- nchar(part$words[i])
    pair <- named_value(part$words[i], wiring_values[known], function(what) expected(starts[i], size, what))
    if (is.null(pair)) {
      expected(starts[i], size, sprintf("Expected %s or the end.", enumerate(paste0(known, "=value"), "or")))
    }
    skip[names(pair)] <- pair
  }
  skip
}

# The text between the `>`, each with its words and the characters at which they start.
wiring_parts <- function(text) {
  edges <- gregexpr(">", text, fixed = TRUE)[[1]]
  edges <- if (edges[1] == -1) integer() else as.integer(edges)
  from <- c(1L, edges + 1L)
  to <- c(edges - 1L, nchar(text))
  Map(function(from, to) {
    part <- substr(text, from, to)
    starts <- gregexpr("[^[:space:]]+", part)[[1]]
    words <- regmatches(part, gregexpr("[^[:space:]]+", part))[[1]]
    list(words = words, starts = as.integer(starts) + from - 1L, at = min(max(to, from), nchar(text) + 1L))
  }, from, to)
}

parse_dropout <- function(text, part) {
  if (length(part$words) < 2) {
    wiring_fail(text, part$starts[1], 7, "Expected the share to drop behind it, as in `dropout 0.2`.")
  }
  share <- as_one_number(part$words[2])
  if (is.na(share) || share < 0 || share >= 1) {
    wiring_fail(text, part$starts[2], nchar(part$words[2]), "Expected a share from 0 to below 1.")
  }
  if (length(part$words) > 2) wiring_fail(text, part$starts[3], nchar(part$words[3]), "Expected `>` or the end.")
  share
}

usual_layer <- function(units, activation) {
  list(
    units = units, activation = activation, dropout = 0, l1 = NULL, l2 = NULL, rate = 1, norm = FALSE, init = "usual",
    init_scale = 0.1
  )
}

parse_layer <- function(text, part) {
  word <- function(i) list(at = part$starts[i], size = nchar(part$words[i]))
  expected <- function(i, what) wiring_fail(text, word(i)$at, word(i)$size, what)
  units <- as_one_number(part$words[1])
  if (part$words[1] == "linear") {
    expected(1, "`linear` means no hidden layer and stands alone.")
  }
  if (is.na(units) || units < 1 || units != round(units) || units > 65536) {
    expected(1, "Expected a number of units (1 to 65536), `dropout` or `linear`.")
  }
  if (length(part$words) < 2) {
    expected(1, paste0("Expected an activation behind the units: ", enumerate(wiring_activations, "or"), "."))
  }
  if (!part$words[2] %in% wiring_activations) {
    expected(2, paste0("Expected an activation. ", suggestion(part$words[2], wiring_activations)))
  }
  layer <- usual_layer(units, part$words[2])
  for (i in seq_along(part$words)[-(1:2)]) {
    if (part$words[i] == "norm") {
      layer$norm <- TRUE
      next
    }
    pair <- named_value(part$words[i], wiring_values, function(what) expected(i, what))
    if (is.null(pair)) {
      known <- enumerate(paste0(names(wiring_values), "=value"), "or")
      expected(i, paste0("Expected `norm`, ", known, ", `>` or the end."))
    }
    layer[names(pair)] <- pair
  }
  init <- strsplit(layer$init, ":", fixed = TRUE)[[1]]
  layer$init <- init[1]
  if (length(init) == 2) layer$init_scale <- as.numeric(init[2])
  layer
}

# `l2=0.1` as list(l2 = 0.1), by the types of what is known; NULL for anything else. `mistaken` is told what is wrong
# with a value.
named_value <- function(word, known, mistaken) {
  pair <- strsplit(word, "=", fixed = TRUE)[[1]]
  if (length(pair) != 2 || !pair[1] %in% names(known)) return(NULL)
  value <- tryCatch(
    known[[pair[1]]](pair[2], pair[1]),
    hylomath_error = function(e) mistaken(paste(c(e$what, e$try), collapse = " "))
  )
  stats::setNames(list(value), pair[1])
}

wiring_fail <- function(text, at, size, expected) {
  marker <- paste0(strrep(" ", at - 1), strrep("^", max(size, 1)))
  fail(sprintf("The wiring has a mistake at character %d.\n  %s\n  %s\n%s", at, text, marker, expected))
}

# `he`, `uniform:0.1`.
init_text_of <- function(layer) {
  if (layer$init %in% c("uniform", "normal")) paste0(layer$init, ":", format_number(layer$init_scale)) else layer$init
}

# The canonical text of parsed wiring: what a brief stores and writes.
format_wiring <- function(wiring) {
  dropout <- function(share) if (share > 0) paste("dropout", format_number(share))
  set <- function(values) if (length(values)) paste0(names(values), "=", unlist(values))
  numbers <- function(of) {
    given <- list(l1 = of$l1, l2 = of$l2, rate = if (of$rate != 1) of$rate)
    lapply(given[!vapply(given, is.null, NA)], format_number)
  }
  layer <- function(layer) {
    init <- if (layer$init != "usual") list(init = init_text_of(layer))
    values <- c(if (layer$norm) "norm", set(c(numbers(layer), init)))
    c(paste(c(format_number(layer$units), layer$activation, values), collapse = " "), dropout(layer$dropout))
  }
  parts <- c(dropout(wiring$input_dropout), unlist(lapply(wiring$layers, layer)))
  hidden <- if (length(parts) == 0) "linear" else paste(parts, collapse = " > ")
  # without hidden layers there is nothing for a skip connection to stand beside
  if (is.null(wiring$skip) || length(wiring$layers) == 0) return(hidden)
  paste(c(hidden, "+", "skip", set(numbers(wiring$skip))), collapse = " ")
}

# A wiring is text in the notation, or the numbers of units of relu layers.
type_wiring <- function() {
  function(value, key) {
    units <- is.numeric(value) && length(value) > 0 && !anyNA(value)
    if (units) value <- paste(format_each(value), "relu", collapse = " > ")
    if (!is_text(value, 1)) {
      fail(sprintf("%s must be a text such as \"24 relu > 12 relu\", or numbers of units.", quoted(key)))
    }
    if (value == "auto") value else format_wiring(parse_wiring(value))
  }
}

number_or_zero <- function(x) if (is.numeric(x)) x else 0

# ---- the network of a wiring -----------------------------------------------------------------------------------------

# The network of an analysis as the core takes it, and what it consists of.

# Sizes, and penalties settled between the layers' own and the regimen's. A regimen that is not settled yet will do
# where only the sizes count.
network_of <- function(target, wiring, regimen, preparation) {
  loss <- target$loss
  last <- list(
    units = task_of(target)$units(target), activation = "identity", dropout = 0, l1 = NULL, l2 = NULL, rate = 1,
    norm = FALSE, init = "usual", init_scale = 0
  )
  l1 <- number_or_zero(regimen$l1)
  l2 <- if (is.numeric(regimen$l2)) regimen$l2 else 0.01  # evidence starts there; the noise sets its own
  layers <- lapply(c(wiring$layers, list(last)), function(layer) {
    layer$l1 <- layer$l1 %||% l1
    layer$l2 <- layer$l2 %||% l2
    layer[c("units", "activation", "dropout", "l1", "l2", "rate", "norm", "init", "init_scale")]
  })
  network <- list(
    inputs = length(preparation$features),
    embeddings = lapply(Filter(is_embedded, preparation$columns), function(plan) {
      list(column = plan$column, levels = length(plan$levels) + plan$own, width = plan$width)
    }),
    embedding_l1 = l1, embedding_l2 = l2,
    input_dropout = wiring$input_dropout, input_noise = regimen$input_noise,
    output = loss$output, loss = loss_record(loss)$core %||% loss$kind,
    delta = loss$delta %||% 1, smoothing = loss$smoothing %||% 0, quantiles = loss$at %||% numeric(),
    classes = if (loss$output == "ordinal") length(target$classes) else 0, layers = layers
  )
  skip <- wiring$skip
  if (!is.null(skip)) {
    network$skip <- list(l1 = skip$l1 %||% l1, l2 = skip$l2 %||% l2, rate = skip$rate)
  }
  network
}

# The parts of a network as the core knows it, without what was learned.
network_shape <- function(network) network[setdiff(names(network), c("parameters", "members"))]

# Every block of parameters in the order in which the core lays them out, see ?layers_of. What training follows but
# does not move is not `trained`.
network_blocks <- function(network, inputs) {
  block <- function(layer, kind, rows, columns, trained) {
    list(list(layer = layer, kind = kind, rows = rows, columns = columns, trained = trained))
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
    c(
      block(name, "weights", entering[l], units[l], moving), block(name, "bias", 1, units[l], moving),
      if (layer$norm) c(
        block(name, "gain", 1, units[l], moving), block(name, "mean", 1, units[l], FALSE),
        block(name, "variance", 1, units[l], FALSE)
      )
    )
  })
  skip <- if (!is.null(network$skip)) {
    list(block("skip", "weights", length(inputs), units[length(units)], network$skip$rate > 0))
  }
  gaps <- if (network$classes > 2) list(block("output", "gaps", network$classes - 2, 1, TRUE))
  blocks <- frame_of_rows(unlist(c(embeddings, layers, skip, gaps), recursive = FALSE))
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

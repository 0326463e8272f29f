# What a model does to a row of raw columns, step by step, as plain data: what every transcript is written from.
#
# A program is list(title, columns, derived, predictions, classes, weights, networks, recalibration, decision):
#   columns   the raw columns, each list(name, type, missing, trained): `type` is number, flag, text, date or time,
#             `missing` the codes that stand for missing, `trained` what training saw, in words
#   derived   the derived columns, whose places are behind those of the raw ones, see transcript-arithmetic.R
#   predictions   the names of what is predicted
#   classes, weights   the classes, and what each probability is multiplied by before the highest is predicted; NULL for
#             numbers
#   exposure  the place of the column whose logarithm is added to the outputs, 0 for none; without a number above 0 in
#             it a row has no prediction
#   networks  each list(share, inputs, plans, needed, starts, output, decode): how it turns columns into `inputs`
#             numbers (a plan each, see docs/model-format.md), the columns without which it has no prediction, its
#             parameters as list(layers, skip, thresholds) for each start that predicts, and how outputs become
#             predictions. A layer is list(inputs, units, activation, weights (input by input), biases)
#   recalibration, decision   see recalibrate.R and decide.R; NULL without
#   ends      of numbers list(ratio, bounds): the distance of an interval's ends from each prediction, or the logarithm
#             of their ratio to it; they stand behind the predictions. NULL without
# What is an array whatever its length is marked by I().

transcript_program <- function(model) {
  model$predictor <- predictor <- without_idle_inputs(model$predictor)
  target <- predictor$target
  columns <- raw_columns_of(model)
  names <- vapply(columns, `[[`, "", "name")
  exposure <- target$exposure
  derived <- derived_columns(predictor$preparation$rules$derived, columns)
  # a derived column may take the name of one that it is built on
  places <- c(names, vapply(derived, `[[`, "", "name"))
  place_of <- function(column) utils::tail(which(places == column), 1)
  weight <- if (has_classes(target)) unname(class_weights_of(target, predictor$preparation$target)[target$classes])
  shares <- (predictor$shares %||% 1) / sum(predictor$shares %||% 1)
  drop_nulls(list(
    title = sprintf("predicts %s: %s", enumerate(target$columns), task_of(target)$describe(target)),
    identity = identity_of(model), columns = columns, derived = if (length(derived)) derived,
    predictions = I(prediction_names(target)),
    classes = as_array(target$classes), weights = as_array(weight),
    exposure = if (is.null(exposure)) 0 else match(exposure, names),
    networks = Map(network_program, predicting_members(predictor), shares, MoreArgs = list(place_of = place_of)),
    recalibration = recalibration_program(predictor$recalibration),
    decision = decision_program(predictor$decision$rule, target$classes)
  ))
}

# The program with intervals beside its numbers, where they are of one width or ratio.
program_with_ends <- function(program, model, level) {
  target <- target_in(model)
  check_prediction_type(model, "interval", level)
  scale <- task_of(target)$error_scale(target)
  if (predicts_by_fold(model) || !scale %in% c("plain", "log")) {
    fail(
      "Intervals of this model differ in width from row to row, which transcripts don't support.",
      "Hold calibration rows out: hold_out(calibration = 0.15, folds = 0); counts and quantiles have none."
    )
  }
  program$ends <- list(ratio = scale == "log", bounds = I(conformal_bounds(model, level)))
  own <- if (length(target$columns) > 1) paste0("_", target$columns) else ""
  program$predictions <- I(c(program$predictions, paste0(c("low", "high"), rep(own, each = 2))))
  program
}

# How many of the predictions are a network's own.
own_predictions <- function(program) length(program$predictions) - 2 * length(program$ends$bounds)

as_array <- function(x) if (!is.null(x)) I(unname(x))

recalibration_program <- function(recalibration) {
  if (is.null(recalibration)) return(NULL)
  map <- recalibration$map
  if (!is.null(map$place)) {
    map$place <- I(map$place)
    as_arrays <- function(curve) if (is.null(curve$slope)) lapply(curve, as_array) else curve
    map$curves <- unname(lapply(map$curves, as_arrays))
  }
  list(method = recalibration$method, map = map)
}

decision_program <- function(rule, classes) {
  if (is.null(rule)) return(NULL)
  if (is.null(rule$costs)) return(rule[c("class", "threshold")])
  list(costs = unname(lapply(seq_along(classes), function(k) I(unname(rule$costs[k, ])))))
}

raw_names <- function(program) vapply(program$columns, `[[`, "", "name")

# The columns of the table that predictions depend on: those that are prepared, what derived ones are built on, the
# exposure.
raw_columns_of <- function(model) {
  predictor <- model$predictor
  rules <- predictor$preparation$rules
  plans <- predictor$preparation$columns
  planned <- stats::setNames(plans, vapply(plans, `[[`, "", "column"))
  planned <- planned[setdiff(names(planned), names(rules$derived))]
  kinds <- model$brief$columns$kinds
  needed <- needed_columns(predictor)
  lapply(c(intersect(names(planned), needed), setdiff(needed, names(planned))), function(name) {
    plan <- planned[[name]]
    type <- if (is.null(plan)) raw_type(kinds[[name]], name == predictor$target$exposure %||% "") else plan_type(plan)
    trained <- if (is.null(plan) || plan$encoding == "date") "" else trained_on(plan)
    list(name = name, type = type, missing = I(as.character(rules$codes[[name]])), trained = trained)
  })
}

plan_type <- function(plan) {
  if (plan$encoding == "date") return(if (isTRUE(plan$clock)) "time" else "date")
  if (plan$encoding != "number") "text" else if (plan$kind == "flag") "flag" else "number"
}

raw_type <- function(kind, exposed) {
  if (exposed || is.null(kind)) return("number")
  switch(kind, number = , count = "number", flag = "flag", date = "date", time = "time", "text")
}

derived_columns <- function(rules, columns) {
  places <- as.list(stats::setNames(seq_along(columns), vapply(columns, `[[`, "", "name")))
  types <- lapply(stats::setNames(columns, names(places)), `[[`, "type")
  derived <- list()
  for (name in names(rules)) {
    own <- derived_program(name, rules[[name]], places, types)
    derived <- c(derived, list(own))
    places[[name]] <- length(columns) + length(derived)
    types[[name]] <- own$type
  }
  derived
}

prediction_names <- function(target) {
  if (has_classes(target)) return(c("prediction", paste0("probability_", target$classes)))
  if (predictions_are(target) == "quantiles") return(c("prediction", paste0("quantile_", format_each(target$loss$at))))
  if (length(target$columns) > 1) paste0("prediction_", target$columns) else "prediction"
}

network_program <- function(predictor, share, place_of) {
  plans <- predictor$preparation$columns
  target <- predictor$target
  learned <- predictor$preparation$target
  place <- vapply(plans, function(plan) place_of(plan$column), 0L)
  list(
    share = share, inputs = length(network_inputs(predictor$preparation)),
    plans = unname(Map(plan_program, plans, place)), needed = I(place[vapply(plans, `[[`, NA, "drop_missing")]),
    starts = lapply(members_of(predictor$network), start_program, predictor = predictor),
    output = predictor$network$output, decode = decode_program(target, learned)
  )
}

# A plan with the place of its column and no more than what it takes to follow it.
plan_program <- function(plan, place) {
  kept <- switch(plan$encoding,
    number = c("fill", "low", "high", "knots", "heights", "edges", "waves", "shift", "scale", "flag"),
    level = c("levels", "width", "unseen", "missing"), score = c("levels", "scores", "unseen", "missing"),
    code = c("levels", "width", "unseen", "missing"), date = c("parts", "shift", "scale", "clock")
  )
  if (isTRUE(plan$hashed)) kept <- c(kept, "hashed")
  arrays <- c("levels", "scores", "knots", "heights", "edges", "waves", "parts")
  own <- lapply(stats::setNames(nm = kept), function(name) {
    if (name %in% arrays) I(plan[[name]] %||% numeric()) else plan[[name]]
  })
  c(list(column = place, encoding = plan$encoding), own)
}

# What the outputs become: numbers in the target's unit, or the classes in the order of the outputs.
decode_program <- function(target, learned) {
  if (!has_classes(target)) {
    quantiles <- predictions_are(target) == "quantiles"
    return(list(
      kind = if (quantiles) "quantiles" else "numbers", shift = I(learned$shift), scale = I(learned$scale),
      log = isTRUE(learned$log), smear = I(learned$smear),
      middle = if (quantiles) middle_quantile(target$loss$at) else 0
    ))
  }
  classes <- target$classes
  order <- if (length(classes) == 2 && target$loss$output == "logistic") {
    c(setdiff(classes, target$positive), target$positive)
  } else {
    classes
  }
  list(
    kind = "classes", order = I(match(classes, order)), weights = as_array(class_weights_of(target, learned)[classes])
  )
}

# The parameters of one start, batch normalisation folded into the weights.
start_program <- function(parameters, predictor) {
  network <- predictor$network
  blocks <- network_blocks(network, network_inputs(predictor$preparation))
  ends <- cumsum(blocks$values)
  values <- function(layer, kind) {
    i <- which(blocks$layer == layer & blocks$kind == kind)
    if (length(i)) parameters[seq_len(blocks$values[i]) + ends[i] - blocks$values[i]]
  }
  names <- c(paste0("layer_", seq_along(network$layers))[-length(network$layers)], "output")
  entering <- c(length(network_inputs(predictor$preparation)), vapply(network$layers, function(l) l$units, 0))
  layers <- lapply(seq_along(names), function(l) {
    layer <- network$layers[[l]]
    folded_layer(
      list(
        inputs = entering[l], units = layer$units, activation = layer$activation,
        weights = I(values(names[l], "weights")), biases = I(values(names[l], "bias"))
      ),
      if (layer$norm) lapply(c(gain = "gain", mean = "mean", variance = "variance"), values, layer = names[l])
    )
  })
  embedded <- Filter(is_embedded, predictor$preparation$columns)
  points <- lapply(embedded, function(plan) values(paste0("embedding_", plan$column), "embedding"))
  gaps <- values("output", "gaps")
  list(
    layers = layers, skip = I(as.numeric(values("skip", "weights"))), points = lapply(points, I),
    thresholds = I(if (predictor$network$output == "ordinal") cumsum(c(0, exp(gaps))) else numeric())
  )
}

norm_epsilon <- 1e-5

folded_layer <- function(layer, norm) {
  if (is.null(norm)) return(layer)
  factor <- norm$gain / sqrt(norm$variance + norm_epsilon)
  layer$weights <- layer$weights * rep(factor, layer$inputs)
  layer$biases <- layer$biases - norm$mean * factor
  layer
}

# ---- a page ----------------------------------------------------------------------------------------------------------

# One page to try a network by hand: a field for each column that it takes in, with what training saw of it, and the
# prediction beside them. `code` defines `predictRow`, which predicts a row: by itself, or by asking a service.

form_page <- function(model, code) {
  template <- paste(readLines(system.file("transcripts", "form.html", package = "hylomath"), encoding = "UTF-8"),
    collapse = "\n"
  )
  target <- target_in(model)
  about <- sprintf(
    "%s. Network %s. Every change is predicted at once; an empty field is a missing value.",
    capitalised(task_of(target)$describe(target)), identity_of(model)
  )
  about <- paste(c(about, rule_text(model$predictor)), collapse = " ")
  parts <- list(
    title = html_text(sprintf("A network that predicts %s", enumerate(target$columns))), about = html_text(about),
    columns = script_json(form_columns(model)), transcript = in_script(code)
  )
  # all at once, so that what looks like a place in one part is none
  places <- gregexpr("\\{\\{[a-z]+\\}\\}", template)
  wanted <- gsub("[{}]", "", regmatches(template, places)[[1]])
  regmatches(template, places) <- list(unlist(parts[wanted]))
  paste0(template, "\n")
}

responds_itself <- function(transcript) {
  paste0("{\n", transcript, "\n}\n", "const predictRow = async (row) => transcript.predict(row);")
}

asks_service <- paste(
  "async function predictRow(row) {",
  "  const response = await fetch(\"predict\", {",
  "    method: \"POST\", headers: { \"Content-Type\": \"application/json\" }, body: JSON.stringify({ rows: [row] }),",
  "  });",
  "  const body = await response.json();",
  "  if (!response.ok) throw new Error(body.error);",
  "  return body.predictions[0];",
  "}", sep = "\n"
)

html_text <- function(text) {
  for (pair in list(c("&", "&amp;"), c("<", "&lt;"), c(">", "&gt;"), c("\"", "&quot;"))) {
    text <- gsub(pair[1], pair[2], text, fixed = TRUE)
  }
  text
}

# Nothing in a script may end it.
in_script <- function(text) gsub("<!--", "<\\\\!--", gsub("</", "<\\\\/", text))

# The columns as fields: list(name, type, low, high, levels, told, value).
form_columns <- function(model) {
  plans <- model$predictor$preparation$columns
  names(plans) <- prepared_columns(model$predictor$preparation)
  derived <- names(model$predictor$preparation$rules$derived)
  lapply(raw_columns_of(model), function(column) {
    plan <- if (!column$name %in% derived) plans[[column$name]]
    field <- list(name = column$name, type = column$type, told = form_told(column))
    if (is.null(plan)) return(field)
    if (column$type == "number") {
      return(c(field, list(low = plan$seen_low, high = plan$seen_high, value = signif(plan$fill, 6))))
    }
    if (column$type == "flag") return(c(field, list(levels = I(c("TRUE", "FALSE")), value = "FALSE")))
    levels <- grep("^[(]withheld", c(plan$levels, plan$rare), value = TRUE, invert = TRUE)
    if (length(levels)) field <- c(field, list(levels = I(levels), value = levels[1]))
    field
  })
}

form_told <- function(column) {
  switch(column$type,
    date = "a date", time = "a date and a time", flag = "TRUE or FALSE",
    if (nzchar(column$trained)) paste("trained on", column$trained) else "a number"
  )
}

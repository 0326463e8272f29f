# What follows is the same in every transcript: the program above, followed for a data frame of rows.

# A raw column as the network takes it: numbers, texts, days since 1970; NA where it is missing.
cells_of <- function(column, x) {
  if (is.null(x)) stop("The table has no column ", column$name, ".", call. = FALSE)
  text <- if (is.factor(x) || inherits(x, "Date")) as.character(x) else x
  if (inherits(x, "POSIXt")) text <- format(x, "%Y-%m-%d %H:%M:%OS3")
  text[as.character(text) %in% c("", column$missing)] <- NA
  if (column$type == "text") return(as.character(text))
  if (column$type == "date") return(as.numeric(as.Date(substr(as.character(text), 1, 10))))
  if (column$type == "time") {
    text <- sub("T", " ", sub("Z$", "", as.character(text)))
    formats <- c("%Y-%m-%d %H:%M:%OS", "%Y-%m-%d %H:%M", "%Y-%m-%d")
    return(as.numeric(as.POSIXct(text, tz = "UTC", tryFormats = formats)))
  }
  if (is.character(text)) text[text %in% c("TRUE", "FALSE")] <- as.numeric(text[text %in% c("TRUE", "FALSE")] == "TRUE")
  as.numeric(text)
}

# ---- from cells to inputs ------------------------------------------------------------------------------------------

between_knots <- function(knots, heights, x) stats::approx(knots, heights, x, rule = 2, ties = "ordered")$y

number_inputs <- function(plan, value) {
  x <- pmin(pmax(ifelse(is.na(value), plan$fill, value), plan$low), plan$high)
  if (length(plan$edges)) {
    from <- plan$edges[-length(plan$edges)]
    inputs <- vapply(seq_along(from), function(i) pmin(pmax((x - from[i]) / (plan$edges[i + 1] - from[i]), 0), 1), x)
    inputs <- matrix(inputs, length(x))
  } else {
    if (length(plan$knots) == 1) x[] <- plan$heights
    if (length(plan$knots) > 1) x <- between_knots(plan$knots, plan$heights, x)
    x <- (x - plan$shift) / plan$scale
    inputs <- matrix(x)
    for (turns in plan$waves) inputs <- cbind(inputs, sin(2 * pi * turns * x), cos(2 * pi * turns * x))
  }
  if (plan$flag) cbind(inputs, is.na(value) + 0) else inputs
}

# The place of a text among the levels, from 1; 0 for one that training never saw.
level_of <- function(plan, value) ifelse(is.na(value), NA, match(value, plan$levels, nomatch = 0L))

# A text's place among so many, by its bytes (FNV-1a and a finisher, 64 bits): numbers of four digits of 16 bits, the
# lowest first.
times_64 <- function(a, b) {
  digits <- numeric(4)
  for (i in 1:4) for (j in seq_len(5 - i)) {
    at <- i + j - 1
    product <- a[i] * b[j]
    digits[at] <- digits[at] + product %% 65536
    if (at < 4) digits[at + 1] <- digits[at + 1] + product %/% 65536
  }
  for (i in 1:3) {
    digits[i + 1] <- digits[i + 1] + digits[i] %/% 65536
    digits[i] <- digits[i] %% 65536
  }
  digits[4] <- digits[4] %% 65536
  digits
}
folded_33 <- function(x) {
  down <- c(x[3] %/% 2 + (x[4] %% 2) * 32768, x[4] %/% 2, 0, 0)
  bitwXor(x, down)
}
hash_of <- function(text, places) {
  hash <- c(0x2325, 0x8422, 0x9ce4, 0xcbf2)
  for (byte in as.integer(charToRaw(enc2utf8(text)))) {
    hash[1] <- bitwXor(hash[1], byte)
    hash <- times_64(hash, c(0x01b3, 0, 0x0100, 0))
  }
  hash <- times_64(folded_33(hash), c(0x8ccd, 0xed55, 0xafd7, 0xff51))
  hash <- folded_33(times_64(folded_33(hash), c(0xec53, 0x1a85, 0xb9fe, 0xc4ce)))
  (hash[3] + 65536 * hash[4]) %% places
}

level_inputs <- function(plan, value) {
  level <- level_of(plan, value)
  place <- ifelse(is.na(level), plan$missing, ifelse(level == 0, plan$unseen, level - 1))
  if (isTRUE(plan$hashed)) place[!is.na(value)] <- vapply(value[!is.na(value)], hash_of, 0, plan$width)
  outer(place, seq_len(plan$width) - 1, `==`) + 0
}

score_inputs <- function(plan, value) {
  level <- level_of(plan, value)
  matrix(ifelse(is.na(level), plan$missing, ifelse(level %in% 0, plan$unseen, plan$scores[pmax(level, 1)])))
}

date_inputs <- function(plan, value) {
  day <- if (plan$clock) floor(value / 86400) else value
  turn <- 2 * pi * floor((value - 86400 * day) / 60) / 1440
  date <- as.POSIXlt(as.Date(ifelse(is.na(day), 0, day), origin = "1970-01-01"))
  one <- function(place, places) outer(place, seq_len(places) - 1, `==`) + 0
  angle <- 2 * pi * date$yday / 365.25
  inputs <- lapply(plan$parts, function(part) {
    switch(part,
      season = cbind(sin(angle), cos(angle)), weekday = one((date$wday + 6) %% 7, 7), month = one(date$mon, 12),
      quarter = one(date$mon %/% 3, 4), hour = cbind(sin(turn), cos(turn)),
      year = matrix((date$year + 1900 - plan$shift) / plan$scale)
    )
  })
  inputs <- do.call(cbind, inputs)
  inputs[is.na(day), ] <- 0
  inputs
}

# Learned points of levels stand behind all other inputs.
inputs_of <- function(network, start, cells) {
  learned <- vapply(network$plans, function(plan) plan$encoding == "code", NA)
  inputs <- lapply(network$plans[!learned], function(plan) {
    value <- cells[[plan$column]]
    switch(plan$encoding,
      number = number_inputs(plan, value), level = level_inputs(plan, value), score = score_inputs(plan, value),
      date = date_inputs(plan, value)
    )
  })
  points <- Map(function(plan, points) {
    level <- level_of(plan, cells[[plan$column]])
    level <- ifelse(is.na(level), plan$missing, ifelse(level == 0, plan$unseen, level))
    matrix(points, ncol = plan$width, byrow = TRUE)[level + 1, , drop = FALSE]
  }, network$plans[learned], start$points)
  do.call(cbind, c(inputs, points))
}

# ---- the network ---------------------------------------------------------------------------------------------------

softplus <- function(z) pmax(z, 0) + log1p(exp(-abs(z)))
activations <- list(
  identity = identity, logistic = stats::plogis, tanh = tanh, relu = function(z) pmax(z, 0),
  leaky_relu = function(z) ifelse(z < 0, 0.01 * z, z), elu = function(z) ifelse(z < 0, expm1(z), z),
  selu = function(z) 1.0507009873554805 * ifelse(z < 0, 1.6732632423543772 * expm1(z), z),
  gelu = function(z) z / 2 * (1 + tanh(0.7978845608028654 * (z + 0.044715 * z^3))),
  silu = function(z) z * stats::plogis(z), softplus = softplus, gaussian = function(z) exp(-z^2), sine = sin
)

linear_outputs <- function(start, inputs) {
  values <- inputs
  last <- length(start$layers)
  for (l in seq_len(last)) {
    layer <- start$layers[[l]]
    weights <- matrix(layer$weights, ncol = layer$units, byrow = TRUE)
    sums <- values %*% weights + rep(layer$biases, each = nrow(values))
    if (l == last && length(start$skip)) {
      sums <- sums + inputs %*% matrix(start$skip, ncol = layer$units, byrow = TRUE)
    }
    values <- sums
    values[] <- activations[[layer$activation]](sums)
  }
  values
}

outputs <- function(network, start, z) {
  switch(network$output,
    logistic = cbind(1 - stats::plogis(z[, 1]), stats::plogis(z[, 1])),
    softmax = {
      powers <- exp(z - apply(z, 1, max))
      powers / rowSums(powers)
    },
    ordinal = {
      upto <- cbind(stats::plogis(outer(-z[, 1], start$thresholds, `+`)), 1)
      upto - cbind(0, upto[, -ncol(upto), drop = FALSE])
    },
    exponential = exp(z), softplus = array(softplus(z), dim(z)), z
  )
}

# ---- from outputs to predictions ---------------------------------------------------------------------------------------

# Probabilities by class, or numbers in the target's unit: a column each.
decoded <- function(network, raw) {
  how <- network$decode
  n <- nrow(raw)
  if (how$kind == "classes") {
    share <- raw[, how$order, drop = FALSE] / rep(how$weights, each = n)
    return(share / rowSums(share))
  }
  numbers <- raw * rep(how$scale, length.out = ncol(raw))[col(raw)] + rep(how$shift, length.out = ncol(raw))[col(raw)]
  if (how$log) numbers <- exp(numbers) * rep(how$smear, length.out = ncol(raw))[col(raw)]
  if (how$kind != "quantiles") return(numbers)
  numbers <- matrix(apply(numbers, 1, sort), n, byrow = TRUE)
  cbind(numbers[, how$middle], numbers)
}

predictions_of_network <- function(network, cells, offset) {
  raw <- 0
  for (start in network$starts) {
    raw <- raw + outputs(network, start, linear_outputs(start, inputs_of(network, start, cells)) + offset)
  }
  values <- decoded(network, raw / length(network$starts))
  for (column in network$needed) values[is.na(cells[[column]]), ] <- NA
  values
}

on_curve <- function(curve, p) {
  bounded <- pmin(pmax(p, 1e-12), 1 - 1e-12)
  if (!is.null(curve$slope)) return(stats::plogis(curve$intercept + curve$slope * stats::qlogis(bounded)))
  if (length(curve$score) == 1) return(rep(curve$level, length(p)))
  between_knots(curve$score, curve$level, p)
}

recalibrated <- function(how, p) {
  if (how$method == "temperature") {
    logs <- log(pmax(p, 2^-126)) / how$map$temperature
    q <- exp(logs - apply(logs, 1, max))
    return(q / rowSums(q))
  }
  q <- matrix(vapply(seq_along(how$map$place), function(i) {
    on_curve(how$map$curves[[i]], p[, how$map$place[i]])
  }, p[, 1]), nrow(p))
  if (ncol(p) == 2) return(if (how$map$place == 2) cbind(1 - q[, 1], q[, 1]) else cbind(q[, 1], 1 - q[, 1]))
  q / ifelse(rowSums(q) > 0, rowSums(q), 1)
}

decided <- function(rule, p) {
  if (!is.null(rule$costs)) return(max.col(-(p %*% do.call(rbind, rule$costs)), "first"))
  place <- match(rule$class, program$classes)
  others <- p
  others[, place] <- -1
  ifelse(p[, place] >= rule$threshold, place, max.col(others, "first"))
}

# The predictions to a data frame of raw columns: a data frame with a row each, NA where there is no prediction.
predict <- function(rows) {
  cells <- lapply(program$columns, function(column) cells_of(column, rows[[column$name]]))
  n <- nrow(rows)
  for (step in derived) cells <- c(cells, list(rep(step(cells), length.out = n)))
  exposure <- if (program$exposure > 0) cells[[program$exposure]] else 1
  exposure[exposure <= 0] <- NA
  offset <- log(exposure)
  values <- 0
  for (network in program$networks) values <- values + network$share * predictions_of_network(network, cells, offset)
  for (i in seq_along(program$ends$bounds)) {
    y <- values[, i]
    reach <- program$ends$bounds[i]
    ends <- if (program$ends$ratio) cbind(y * exp(-reach), y * exp(reach)) else cbind(y - reach, y + reach)
    values <- cbind(values, ends)
  }
  if (is.null(program$classes)) return(stats::setNames(as.data.frame(values), program$predictions))
  known <- stats::complete.cases(values)
  place <- rep(NA_integer_, nrow(values))
  p <- values[known, , drop = FALSE]
  if (!is.null(program$recalibration)) p <- recalibrated(program$recalibration, p)
  weighted <- p * rep(program$weights, each = nrow(p))
  place[known] <- if (is.null(program$decision)) max.col(weighted, "first") else decided(program$decision, p)
  values[known, ] <- p
  stats::setNames(data.frame(program$classes[place], values), program$predictions)
}

# ---- made-up rows and what the model predicts for them ---------------------------------------------------------------

# How far the predictions for them are from the model's, as a share of what is allowed: below 1 all is well.
check <- function() {
  told <- program$check$predictions
  rows <- program$check$rows
  own <- predict(structure(rows, class = "data.frame", row.names = seq_along(rows[[1]])))
  apart <- vapply(program$predictions, function(name) {
    here <- own[[name]]
    there <- told[[name]]
    if (is.character(there)) return(if (identical(as.character(here), there)) 0 else 2)
    if (!identical(is.na(here), is.na(there))) return(2)
    max(0, abs(here - there) / (1e-5 * (abs(there) + program$check$spread)), na.rm = TRUE)
  }, 0)
  max(apart)
}

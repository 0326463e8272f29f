# A network in SQL: its layers, outputs, and what they come to.

sql_network <- function(out, program, network, cells, carried, values, number) {
  before <- if (number > 1) columns_named("a", values)
  plans <- network$plans
  learned <- vapply(plans, function(plan) plan$encoding == "code", NA)
  places <- unlist(lapply(plans, sql_place))
  note <- sprintf("Network %d, which counts %s: inputs.", number, format_number(signif(network$share, 4)))
  bounded <- unlist(lapply(seq_along(plans), function(i) sql_bounded(plans[[i]], i)))
  out$stage(c(places, bounded), c(carried, before), note = note)
  scaled <- unlist(lapply(seq_along(plans), function(i) sql_scaled(plans[[i]], i)))
  held <- c(carried, before, names(places), names(bounded))
  if (length(scaled)) {
    out$stage(scaled, held)
    held <- c(held, names(scaled))
  }
  inputs <- unlist(lapply(seq_along(plans), function(i) if (!learned[i]) sql_inputs(plans[[i]], i)))
  for (s in seq_along(network$starts)) {
    start <- network$starts[[s]]
    points <- unlist(Map(sql_points, plans[learned], start$points))
    own <- stats::setNames(c(inputs, points), columns_named("x", length(inputs) + length(points)))
    sums <- if (s > 1) columns_named("r", sql_width(network))
    out$stage(own, c(held, sums), note = if (s > 1) sprintf("Start %d.", s))
    sql_layers(out, program, start, network, c(held, sums), names(own))
    outputs <- sql_outputs(out, network, start, c(held, sums), names(own))
    added <- if (s > 1) sprintf("%s + %s", sums, outputs) else outputs
    out$stage(stats::setNames(added, columns_named("r", length(outputs))), held)
  }
  sql_decode(out, network, c(carried, before), values, number)
}

sql_layers <- function(out, program, start, network, held, inputs) {
  entering <- inputs
  last <- length(start$layers)
  for (l in seq_len(last)) {
    layer <- start$layers[[l]]
    z <- columns_named("z", layer$units)
    weights <- matrix(layer$weights, ncol = layer$units, byrow = TRUE)
    skip <- if (l == last && length(start$skip)) matrix(start$skip, ncol = layer$units, byrow = TRUE)
    # a logarithm of what is not above 0 is an error in some engines
    offset <- if (l == last && program$exposure > 0) {
      sprintf("ln(case when c%d > 0e0 then c%d end)", program$exposure, program$exposure)
    }
    sums <- vapply(seq_len(layer$units), function(j) {
      terms <- sprintf("%s * %s", sql_number(weights[, j]), entering)
      if (!is.null(skip)) terms <- c(terms, sprintf("%s * %s", sql_number(skip[, j]), inputs))
      sql_sum(c(sql_number(layer$biases[j]), terms, offset))
    }, "")
    also <- if (l < last && length(start$skip)) inputs
    out$stage(stats::setNames(sums, z), c(held, also), note = if (l == last) "Outputs." else sprintf("Layer %d.", l))
    if (l == last) return()
    h <- columns_named("h", layer$units)
    out$stage(stats::setNames(sql_activation(layer$activation, z), h), c(held, also))
    entering <- h
  }
}

sql_activation <- function(name, z) {
  tanh_of <- function(x) sprintf("1e0 - 2e0 / (exp(%s) + 1e0)", x)
  below <- function(z, x) sprintf("case when %s < 0 then %s else %s end", z, x, z)
  switch(name,
    identity = z, logistic = sql_logistic(z), tanh = tanh_of(sprintf("2e0 * (%s)", sql_within(z, -300, 300))),
    relu = below(z, "0e0"), leaky_relu = below(z, sprintf("1e-2 * %s", z)),
    elu = below(z, sprintf("%s - 1e0", sql_exp(z))),
    selu = sprintf(
      "1.0507009873554805e0 * (%s)", below(z, sprintf("1.6732632423543772e0 * (%s - 1e0)", sql_exp(z)))
    ),
    gelu = {
      inner <- sprintf("1.5957691216057308e0 * (%s + 4.4715e-2 * %s * %s * %s)", z, z, z, z)
      sprintf(
        "case when %s > 2e1 then %s when %s < -2e1 then 0e0 else %s / 2e0 * (1e0 + %s) end", z, z, z, z, tanh_of(inner)
      )
    },
    silu = sprintf("%s * (%s)", z, sql_logistic(z)), softplus = sql_softplus(z),
    gaussian = sprintf("case when abs(%s) > 2.6e1 then 0e0 else exp(-%s * %s) end", z, z, z),
    sine = sprintf("sin(%s)", z)
  )
}

sql_softplus <- function(z) {
  near <- sprintf("ln(1e0 + exp(-abs(%s))) + case when %s > 0 then %s else 0e0 end", z, z, z)
  sprintf("case when %s > 7e2 then %s when %s < -7e2 then 0e0 else %s end", z, z, z, near)
}

# Names or expressions of what the output layer gives.
sql_outputs <- function(out, network, start, held, inputs) {
  n <- start$layers[[length(start$layers)]]$units
  z <- columns_named("z", n)
  switch(network$output,
    logistic = c(sprintf("1e0 / (1e0 + exp(%s))", sql_within("z1", -700, 700)), sql_logistic("z1")),
    softmax = {
      out$stage(c(m = sql_greatest(out, z)), c(held, z))
      o <- columns_named("o", n)
      out$stage(stats::setNames(sprintf(
        "case when %s - m < -7e2 then 0e0 else exp(%s - m) end", z, z
      ), o), held)
      sprintf("%s / (%s)", o, paste(o, collapse = " + "))
    },
    ordinal = {
      u <- columns_named("u", length(start$thresholds))
      apart <- sprintf("%s - z1", sql_number(start$thresholds))
      out$stage(stats::setNames(apart, u), held)
      o <- columns_named("o", length(u))
      out$stage(stats::setNames(sql_logistic(u), o), held)
      sprintf("%s - %s", c(o, "1e0"), c("0e0", o))
    },
    exponential = sql_exp(z), softplus = sql_softplus(z), z
  )
}

# ---- the statement ---------------------------------------------------------------------------------------------------

# A program as one SQL query: common table expressions, each of which adds columns to the one before, a step of the way
# from raw columns to predictions. Names are short: k keys, c cells, v places of levels, x inputs, z sums, h units, o
# outputs, r their sums over starts, a what all networks come to, p probabilities.

transcript_in_sql <- function(program, dialect, table, key) {
  out <- sql_writer(dialect)
  key <- as.character(unlist(key))
  sql_query(out, program, sql_name(table), key)
  paste0(sql_head(program, dialect, table), "\n", out$query(sql_predictions(out, program, key)), ";\n")
}

sql_dialects <- c("standard", "sqlite", "postgres")

sql_head <- function(program, dialect, table) {
  needs <- switch(dialect,
    sqlite = "SQLite from 3.35 on with its mathematical functions", postgres = "PostgreSQL from 12 on",
    "the standard's functions (with GREATEST and LEAST of SQL:2023)"
  )
  how <- c(
    "--", sprintf("-- Reads the table %s. For a view put `create view name as` before it.", table),
    if (dialect == "postgres") "-- Compiling so long a query takes longer than it saves: `set jit = off` before it."
  )
  paste(c(transcript_head(program, "--", needs), how), collapse = "\n")
}

sql_query <- function(out, program, table, key) {
  cells <- sql_cells(out, program, table, key)
  carried <- c(columns_named("k", length(key)), cells$carried)
  values <- if (is.null(program$classes)) own_predictions(program) else length(program$classes)
  for (i in seq_along(program$networks)) {
    sql_network(out, program, program$networks[[i]], cells, carried, values, i)
  }
  needed <- unique(unlist(lapply(program$networks, `[[`, "needed")))
  known <- paste(sprintf("c%d is not null", needed), collapse = " and ")
  keep <- c(columns_named("k", length(key)), if (length(needed)) paste0("c", needed))
  sql_after_networks(out, program, keep, values)
  values <- sql_ends(out, program, keep, values)
  if (length(needed)) {
    predictions <- c(columns_named("a", values), if (!is.null(program$classes)) "a0")
    out$stage(
      stats::setNames(sprintf("case when %s then %s end", known, predictions), predictions),
      columns_named("k", length(key)),
      note = "No prediction where a value is missing that it takes."
    )
  }
}

# From outputs to predictions, in SQL.

# What a network's outputs come to, added to what those before it came to.
sql_decode <- function(out, network, held, values, number) {
  n <- sql_width(network)
  r <- columns_named("r", n)
  starts <- length(network$starts)
  mean <- if (starts > 1) sprintf("%s / %s", r, sql_number(starts)) else r
  how <- network$decode
  p <- columns_named("p", values)
  if (how$kind == "classes") {
    shares <- sprintf("(%s) / %s", mean[how$order], sql_number(how$weights))
    out$stage(stats::setNames(shares, p), held)
    own <- sprintf("%s / (%s)", p, paste(p, collapse = " + "))
  } else {
    at <- function(x) rep(x, length.out = n)
    y <- columns_named("y", n)
    out$stage(stats::setNames(sprintf(
      "(%s) * %s + %s", mean, sql_number(at(how$scale)), sql_number(at(how$shift))
    ), y), held)
    own <- if (how$log) sprintf("%s * %s", sql_exp(y), sql_number(at(how$smear))) else y
    if (how$kind == "quantiles") own <- sql_sorted(out, own, held)[c(how$middle, seq_len(n))]
  }
  share <- sql_number(network$share)
  added <- sprintf("%s%s * (%s)", if (number > 1) paste0(columns_named("a", values), " + ") else "", share, own)
  out$stage(stats::setNames(added, columns_named("a", values)), setdiff(held, columns_named("a", values)))
}

# In as many rounds as there are values, neighbours change places.
sql_sorted <- function(out, values, held) {
  n <- length(values)
  q <- columns_named("q", n)
  out$stage(stats::setNames(values, q), held)
  for (round in seq_len(n)) {
    new <- q
    lower <- seq_len(n - 1)
    for (i in lower[lower %% 2 == round %% 2]) {
      new[i] <- sql_least(out, q[c(i, i + 1)])
      new[i + 1] <- sql_greatest(out, q[c(i, i + 1)])
    }
    out$stage(stats::setNames(new, q), held)
  }
  q
}

sql_after_networks <- function(out, program, keep, values) {
  classes <- program$classes
  if (is.null(classes)) return()
  a <- columns_named("a", values)
  how <- program$recalibration
  if (!is.null(how)) sql_recalibrated(out, how, keep, a)
  place <- if (is.null(program$decision)) {
    sql_first_of_most(sprintf("%s * %s", a, sql_number(program$weights)), classes)
  } else {
    sql_decided(out, program$decision, classes, keep, a)
  }
  out$stage(c(a0 = place), c(keep, a), note = "The prediction.")
}

sql_first_of_most <- function(scores, classes) {
  n <- length(classes)
  whens <- vapply(seq_len(n - 1), function(k) {
    conditions <- sprintf("%s >= %s", scores[k], scores[(k + 1):n])
    sprintf("when %s then %s", paste(conditions, collapse = " and "), sql_text(classes[k]))
  }, "")
  sprintf("case %s else %s end", paste(whens, collapse = " "), sql_text(classes[n]))
}

sql_recalibrated <- function(out, how, keep, a) {
  q <- columns_named("q", length(a))
  into <- function(values, note = NULL) out$stage(stats::setNames(values, a), keep, note = note)
  note <- sprintf("Probabilities put right (%s).", how$method)
  if (how$method == "temperature") {
    logs <- sprintf("ln(case when %s < %s then %s else %s end) / %s", a, sql_number(2^-126), sql_number(2^-126), a,
      sql_number(how$map$temperature))
    out$stage(stats::setNames(logs, q), keep, note = note)
    out$stage(c(m = sql_greatest(out, q)), c(keep, q))
    out$stage(stats::setNames(sprintf("case when %s - m < -7e2 then 0e0 else exp(%s - m) end", q, q), a), keep)
    return(into(sprintf("%s / (%s)", a, paste(a, collapse = " + "))))
  }
  place <- how$map$place
  odds <- vapply(seq_along(place), function(i) {
    curve <- how$map$curves[[i]]
    p <- a[place[i]]
    if (is.null(curve$slope)) return(sql_between(curve$score, curve$level, p))
    bounded <- sql_within(p, 1e-12, 1 - 1e-12)
    sprintf("%s + %s * ln((%s) / (1e0 - (%s)))", sql_number(curve$intercept), sql_number(curve$slope), bounded, bounded)
  }, "")
  out$stage(stats::setNames(odds, q[seq_along(place)]), keep, note = note)
  sloped <- !vapply(how$map$curves, function(curve) is.null(curve$slope), NA)
  values <- q[seq_along(place)]
  values[sloped] <- sql_logistic(values[sloped])
  if (length(a) == 2) {
    both <- if (place == 2) c(sprintf("1e0 - (%s)", values), values) else c(values, sprintf("1e0 - (%s)", values))
    return(into(both))
  }
  out$stage(stats::setNames(values, a), keep)
  total <- paste(a, collapse = " + ")
  into(sprintf("%s / (case when %s > 0 then %s else 1e0 end)", a, total, total))
}

sql_decided <- function(out, rule, classes, keep, a) {
  if (!is.null(rule$costs)) {
    costs <- do.call(rbind, rule$costs)
    e <- columns_named("e", length(a))
    expected <- vapply(seq_along(a), function(k) sql_sum(sprintf("%s * %s", sql_number(-costs[, k]), a)), "")
    out$stage(stats::setNames(expected, e), c(keep, a))
    chosen <- sql_first_of_most(e, classes)
    return(stats::setNames(chosen, NULL))
  }
  place <- match(rule$class, classes)
  others <- a
  others[place] <- "(-1e0)"
  sprintf(
    "case when %s >= %s then %s else %s end", a[place], sql_number(rule$threshold), sql_text(rule$class),
    sql_first_of_most(others, classes)
  )
}

# The ends of intervals behind the predictions; how many values there are then.
sql_ends <- function(out, program, keep, values) {
  bounds <- program$ends$bounds
  if (length(bounds) == 0) return(values)
  a <- columns_named("a", values)
  own <- rep(a[seq_along(bounds)], each = 2)
  reach <- as.vector(rbind(-bounds, bounds))
  ends <- if (program$ends$ratio) sprintf("%s * %s", own, sql_number(exp(reach))) else {
    sprintf("%s + %s", own, sql_number(reach))
  }
  all <- values + length(ends)
  out$stage(stats::setNames(ends, paste0("a", (values + 1):all)), c(keep, a), note = "Intervals.")
  all
}

# The last select: keys and predictions by their names.
sql_predictions <- function(out, program, key) {
  names <- program$predictions
  values <- if (is.null(program$classes)) columns_named("a", length(names)) else {
    c("a0", columns_named("a", length(names) - 1))
  }
  keys <- columns_named("k", length(key))
  sprintf("%s as %s", c(keys, values), sql_name(c(key, names)))
}

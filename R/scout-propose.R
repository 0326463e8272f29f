# What a search tries next. Proposals depend on the seed, the number of the round and what has been evaluated before it;
# on nothing else.

# The first points: a Halton sequence, shifted as a whole by the seed (Halton 1960; Cranley and Patterson 1976).
space_filling <- function(n, dimensions, seed) {
  shift <- uniform(dimensions, seed, "shift")
  primes <- c(2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37, 41, 43, 47, 53, 59, 61, 67, 71)
  if (dimensions > length(primes)) fail(sprintf("A search goes over at most %d settings at once.", length(primes)))
  points <- function(d) (radical_inverse(seq_len(n), primes[d]) + shift[d]) %% 1
  matrix(vapply(seq_len(dimensions), points, numeric(n)), n)
}

radical_inverse <- function(i, base) {
  x <- 0
  weight <- 1 / base
  while (any(i > 0)) {
    x <- x + weight * (i %% base)
    i <- i %/% base
    weight <- weight / base
  }
  x
}

# The rows of settings that points stand for, as far as they are new and `where` allows them.
possible_rows <- function(search, u, tried) {
  rows <- space_rows(search$space, u, search$layers)
  keys <- row_keys(rows)
  allowed_rows(search, rows[!duplicated(keys), , drop = FALSE], tried)
}

allowed_rows <- function(search, rows, tried) {
  rows <- rows[!row_keys(rows) %in% tried, , drop = FALSE]
  if (is.null(search$where) || nrow(rows) == 0) return(rows)
  rows[rows_where(search$where, rows, "`where`"), , drop = FALSE]
}

# The first `n` of them that the brief doesn't refuse; `refusal` is the last refused one's message.
accepted_rows <- function(search, rows, n) {
  kept <- integer()
  refusal <- NULL
  for (i in seq_len(nrow(rows))) {
    if (length(kept) == n) break
    refused <- refusal_of(search, rows[i, , drop = FALSE])
    if (is.null(refused)) kept <- c(kept, i) else refusal <- refused
  }
  list(rows = rows[kept, , drop = FALSE], refusal = refusal)
}

# Why the brief refuses a row of settings, NULL where it doesn't.
refusal_of <- function(search, row) {
  tryCatch(
    {
      changed_brief(search$base, row_values(search$space, row))
      NULL
    },
    hylomath_error = conditionMessage
  )
}

# The first rows: what trials start from, where that is not the brief itself, and points that fill the space.
first_rows <- function(search, n, tried) {
  points <- space_filling(200 * n, length(search$space), search$seed)
  rows <- possible_rows(search, points, tried)
  start <- if (in_space(search, search$start)) allowed_rows(search, search$start, tried)
  rows <- rbind(start, rows)
  accepted_rows(search, rows[!duplicated(row_keys(rows)), , drop = FALSE], n)
}

# Proposals keep this distance, in widths of the settings, from what was tried and from each other, as long as there are
# such: nearer by, a difference is luck.
least_distance <- 0.05

# The next rows by expected improvement: candidates over the whole space and around the best trials; each that is
# chosen counts as evaluated, with what was expected of it, before the next one is (Ginsbourger, Le Riche and Carraro
# 2010, "kriging believer").
next_rows <- function(search, known, n, tried, round) {
  space <- search$space
  rows <- possible_rows(search, candidate_points(search, known, round), tried)
  if (nrow(rows) == 0) return(list(rows = rows, refusal = NULL))
  places <- space_places(space, known$rows)
  other <- space_places(space, rows)
  near <- is_near(space_distances(space, places, other))
  learned <- telling_trials(known$loss)
  places <- places[learned, , drop = FALSE]
  loss <- known$loss[learned]
  noisier <- known$noisier[learned]
  surrogate <- fit_surrogate(space_distances(space, places, places), loss, noisier)
  left <- rep(TRUE, nrow(rows))
  chosen <- rows[0, , drop = FALSE]
  while (nrow(chosen) < n) {
    best <- min(expected_of(surrogate, space_distances(space, places, places))$mean)
    gain <- expected_improvement(expected_of(surrogate, space_distances(space, places, other)), best)
    order <- order(near, -gain)
    found <- accepted_rows(search, rows[order[left[order]], , drop = FALSE], 1)$rows
    if (nrow(found) == 0) break
    chosen <- rbind(chosen, found)
    left <- left & row_keys(rows) != row_keys(found)
    place <- space_places(space, found)
    loss <- c(loss, expected_of(surrogate, space_distances(space, places, place))$mean)
    noisier <- c(noisier, 1)
    places <- rbind(places, place)
    near <- near | is_near(space_distances(space, place, other))
    surrogate <- surrogate_at(surrogate$theta, space_distances(space, places, places), loss, noisier)
  }
  list(rows = chosen, refusal = NULL)
}

# The trials that are learned from: all, or of very many the half of them with the lowest losses and a half spread
# evenly over the others, since the cost of learning goes with the cube of their number ("subset of data": Rasmussen and
# Williams 2006, 8.3.1).
telling_trials <- function(loss, most = 250) {
  n <- length(loss)
  if (n <= most) return(seq_len(n))
  best <- order(loss)[seq_len(most / 2)]
  others <- setdiff(seq_len(n), best)
  sort(c(best, others[round(seq(1, length(others), length.out = most / 2))]))
}

# Whether each new row lies nearer than that to one of the tried ones; `apart` as of space_distances().
is_near <- function(apart) apply(rowSums(apart, dims = 2), 2, min) < least_distance^2

candidate_points <- function(search, known, round, over = 600, around = 60) {
  d <- length(search$space)
  anywhere <- matrix(uniform(over * d, search$seed, "anywhere", round), over)
  best <- utils::head(order(known$loss), 5)
  places <- space_places(search$space, known$rows[best, , drop = FALSE])
  for (j in seq_len(d)) {
    dimension <- search$space[[j]]
    if (!is_numeric_dimension(dimension)) places[, j] <- (pmax(places[, j], 1) - 0.5) / length(dimension$values)
    places[, j] <- pmin(pmax(places[, j], 0), 1)  # the brief's own settings may lie outside
  }
  size <- c(length(best) * around, d, 2)
  draws <- array(uniform(prod(size), search$seed, "nearby", round), size)
  # a half of the settings moves, by a tenth of its width as a rule
  near <- places[rep(seq_along(best), each = around), , drop = FALSE]
  moved <- abs(near + ifelse(draws[, , 1] < 0.5, 0, 0.1 * stats::qnorm(draws[, , 2])))
  rbind(anywhere, pmin(ifelse(moved > 1, 2 - moved, moved), 1 - 1e-9))
}

# ---- the surrogate ---------------------------------------------------------------------------------------------------

# What a search expects of settings that it has not tried: a Gaussian process with a Matern 5/2 kernel, a length for
# each setting, and noise (Rasmussen and Williams 2006, chapters 2, 4 and 5).

# `apart` as of space_distances() for the tried rows, `y` their losses, `noisier` how many times the variance of a
# whole evaluation each of them has. Lengths and noise are those of the highest posterior, under log-normal priors that
# hold few trials in check.
fit_surrogate <- function(apart, y, noisier) {
  d <- dim(apart)[3]
  middle <- c(rep(log(0.6), d), log(0.05))
  width <- c(rep(0.8, d), 1.2)
  # the cost and its slopes are asked for one after the other at the same place
  last <- list(theta = NULL)
  at <- function(theta) {
    if (!identical(theta, last$theta)) last <<- surrogate_at(theta, apart, y, noisier)
    last
  }
  best <- stats::optim(
    middle,
    function(theta) at(theta)$cost + 0.5 * sum(((theta - middle) / width)^2),
    function(theta) surrogate_slopes(at(theta), apart, noisier) + (theta - middle) / width^2,
    method = "L-BFGS-B", lower = c(rep(log(0.05), d), log(1e-4)), upper = c(rep(log(10), d), log(10)),
    control = list(maxit = 30)
  )
  at(best$par)
}

# With given logarithms of lengths and noise; `cost` is the negative logarithm of the likelihood.
surrogate_at <- function(theta, apart, y, noisier) {
  n <- length(y)
  lengths <- exp(theta[-length(theta)])
  level <- mean(y)
  spread <- stats::sd(y)
  if (!is.finite(spread) || spread == 0) spread <- 1
  root <- chol(matern(matern_reach(apart, lengths)) + diag(exp(theta[length(theta)]) * noisier + 1e-6, n))
  half <- backsolve(root, (y - level) / spread, transpose = TRUE)
  # the signal's variance at its best value, kept from 0 by one trial's worth of doubt
  variance <- (sum(half^2) + 1) / (n + 1)
  list(
    theta = theta, lengths = lengths, root = root, weights = backsolve(root, half), variance = variance, level = level,
    spread = spread, cost = 0.5 * (n + 1) * log(variance) + sum(log(diag(root)))
  )
}

# The slopes of `cost` by the logarithms of lengths and noise (Rasmussen and Williams 2006, 5.9).
surrogate_slopes <- function(surrogate, apart, noisier) {
  by_cell <- 0.5 * (chol2inv(surrogate$root) - tcrossprod(surrogate$weights) / surrogate$variance)
  r <- matern_reach(apart, surrogate$lengths)
  of_length <- by_cell * (5 / 3) * (1 + r) * exp(-r)
  lengths <- vapply(seq_along(surrogate$lengths), function(j) {
    sum(of_length * apart[, , j]) / surrogate$lengths[j]^2
  }, 0)
  c(lengths, exp(surrogate$theta[length(surrogate$theta)]) * sum(diag(by_cell) * noisier))
}

matern_reach <- function(apart, lengths) {
  r2 <- 0
  for (d in seq_along(lengths)) r2 <- r2 + apart[, , d] / lengths[d]^2
  sqrt(5 * matrix(r2, dim(apart)[1]))
}

matern <- function(r) (1 + r + r^2 / 3) * exp(-r)

# Mean and standard deviation of what is expected; `apart` is the distances of the tried rows to the new ones.
expected_of <- function(surrogate, apart) {
  k <- matern(matern_reach(apart, surrogate$lengths))
  half <- backsolve(surrogate$root, k, transpose = TRUE)
  list(
    mean = surrogate$level + surrogate$spread * drop(crossprod(k, surrogate$weights)),
    sd = surrogate$spread * sqrt(surrogate$variance * pmax(1 - colSums(half^2), 1e-12))
  )
}

# How much lower than `best` a loss is expected to be (Mockus 1978; Jones, Schonlau and Welch 1998).
expected_improvement <- function(expected, best) {
  z <- (best - expected$mean) / expected$sd
  (best - expected$mean) * stats::pnorm(z) + expected$sd * stats::dnorm(z)
}

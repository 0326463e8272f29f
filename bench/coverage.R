# How often the 95 % intervals of an appraisal hold the value that the measure has on two million rows, over 1,000
# simulated sets of evaluated rows: classes and numbers, few rows, rare classes, rows on their own, in groups and with
# weights, and differences from another network on the same rows. How often those of importances hold the importance on
# very many rows. And how often conformal intervals and sets at 90 % hold new rows. A width is the median interval's
# over the range that holds 95 % of the measure's values over the sets.

library(hylomath)
core <- asNamespace("hylomath")
sets <- as.integer(Sys.getenv("SETS", "1000"))
cores <- max(1, parallel::detectCores())

# Scores that are a little too bold, so that nothing is perfect. Groups of five share part of what decides.
classes_of <- function(n, k, grouped, rare = FALSE) {
  group <- if (grouped) rep(seq_len(ceiling(n / 5)), each = 5)[seq_len(n)] else seq_len(n)
  base <- c(if (rare) 5 else 1.6, seq(0.5, -0.5, length.out = k - 1))[seq_len(k)]
  shared <- matrix(rnorm(max(group) * k), ncol = k)[group, ] * if (grouped) 0.8 else 0
  seen <- matrix(rnorm(n * k), n) + shared
  truth <- exp(sweep(1.1 * seen, 2, base, `+`))
  truth <- truth / rowSums(truth)
  named <- exp(sweep(1.4 * seen, 2, base, `+`))
  named <- named / rowSums(named)
  observed <- max.col(log(truth) - log(-log(matrix(runif(n * k), n))), ties.method = "first")
  names <- letters[seq_len(k)]
  predictions <- data.frame(names[max.col(named, ties.method = "first")], named)
  names(predictions) <- c("prediction", paste0("probability_", names))
  # another network that sees less of what decides
  blurred <- exp(sweep(1.4 * (seen + matrix(rnorm(n * k, 0, 0.7), n)), 2, base, `+`))
  other <- data.frame(names[max.col(blurred, ties.method = "first")], blurred / rowSums(blurred))
  names(other) <- names(predictions)
  list(observed = names[observed], predictions = predictions, other = other, group = if (grouped) as.character(group))
}

# Errors of one size (normal ones), or in proportion to a prediction that itself varies much: the squares of those have
# a heavy tail, and small samples of them are the hard case for every interval.
numbers_of <- function(n, grouped, heavy) {
  group <- if (grouped) rep(seq_len(ceiling(n / 5)), each = 5)[seq_len(n)] else seq_len(n)
  if (!heavy) {
    prediction <- rnorm(n, 20, 3)
    return(
      list(
        observed = prediction + rnorm(n) + if (grouped) rnorm(max(group))[group] else 0, prediction = prediction,
        group = if (grouped) as.character(group)
      )
    )
  }
  prediction <- exp(rnorm(n, 2, 0.5) + if (grouped) rnorm(max(group), 0, 0.3)[group] else 0)
  list(
    observed = prediction * rgamma(n, 8, 8) * if (grouped) exp(rnorm(max(group), 0, 0.1) - 0.005)[group] else 1,
    prediction = prediction, group = if (grouped) as.character(group)
  )
}

# Weights that have nothing to do with anything.
weights_of <- function(n, weighted) if (weighted) sample(1:4, n, TRUE) else rep(1, n)

evaluate <- function(d, k, level, weighted) {
  n <- length(d$observed)
  evaluated <- list(observed = d$observed, weight = weights_of(n, weighted))
  resampling <- if (!is.null(level)) core$resampling_of(evaluated$weight, d$group, 1, level, 1000)
  unit <- if (is.null(level)) core$units_of(n, d$group, 1) else resampling$unit
  if (k > 0) {
    names <- letters[seq_len(k)]
    how <- list(classes = names, looked_at = if (k == 2) 2L else seq_len(k), ordered = FALSE, costs = NULL)
    of <- function(predictions, ...) core$class_estimates(how, evaluated, predictions, unit, ...)
    return(list(own = of(d$predictions, resampling), other = of(d$other), resampling = resampling))
  }
  how <- list(centre = 8, deviance = "gamma", at = NULL)
  list(
    own = core$number_estimates(how, evaluated, list(d$prediction), 1, unit, resampling),
    other = NULL, resampling = resampling
  )
}

draw <- function(case) {
  if (case$k > 0) return(classes_of(case$n, case$k, case$grouped, case$rare))
  numbers_of(case$n, case$grouped, case$heavy)
}

held_by <- function(low, truth, high) low <= truth & truth <= high

cat(sprintf("95 %% intervals over %d sets, percent that hold the value on two million rows\n", sets))
cell <- function(k, n, grouped = FALSE, heavy = FALSE, rare = FALSE, weighted = FALSE) {
  list(k = k, n = n, grouped = grouped, heavy = heavy, rare = rare, weighted = weighted)
}
cells <- list(
  cell(2, 100), cell(2, 400), cell(2, 2500), cell(2, 400, rare = TRUE), cell(2, 2500, rare = TRUE),
  cell(2, 600, grouped = TRUE), cell(2, 400, weighted = TRUE), cell(4, 100), cell(4, 600), cell(0, 100), cell(0, 200),
  cell(0, 600, grouped = TRUE), cell(0, 400, weighted = TRUE), cell(0, 400, heavy = TRUE), cell(0, 1500, heavy = TRUE),
  cell(0, 5000, heavy = TRUE)
)
for (case in cells) {
  set.seed(1)
  all <- evaluate(draw(utils::modifyList(case, list(n = 2e6))), case$k, NULL, FALSE)
  truth <- all$own$values
  apart <- truth - all$other$values[names(truth)]
  held <- parallel::mclapply(seq_len(sets), function(s) {
    set.seed(1000 + s)
    found <- evaluate(draw(case), case$k, 0.95, case$weighted)
    resampling <- found$resampling
    resampling$counts <- core$bootstrap_counts(resampling$unit, 1000, s)
    table <- core$interval_table(found$own, resampling, found$other)
    seen <- cbind(
      held = held_by(table$low, truth[table$measure], table$high), width = table$high - table$low,
      value = found$own$values[table$measure]
    )
    rownames(seen) <- table$measure
    if (is.null(found$other)) return(seen)
    difference <- cbind(
      held_by(table$difference_low, apart[table$measure], table$difference_high),
      table$difference_high - table$difference_low,
      found$own$values[table$measure] - found$other$values[table$measure]
    )
    rownames(difference) <- paste("difference of", table$measure)
    rbind(seen, difference)
  }, mc.cores = cores)
  of <- function(what) vapply(held, function(h) h[, what], numeric(nrow(held[[1]])))
  share <- 100 * rowMeans(of("held"), na.rm = TRUE)
  # what an interval need be at most: the range that holds the middle 95 % of the measure's own values over the sets
  spread <- apply(of("value"), 1, function(v) diff(stats::quantile(v, c(0.025, 0.975), na.rm = TRUE)))
  width <- apply(of("width"), 1, stats::median, na.rm = TRUE) / spread
  cat(sprintf(
    "\n%s, %d rows%s%s%s\n",
    if (case$k > 0) paste(case$k, "classes") else if (case$heavy) "a number with heavy tails" else "a number", case$n,
    if (case$grouped) " in groups of five" else "", if (case$rare) ", one of them very common" else "",
    if (case$weighted) ", weighted 1 to 4" else ""
  ))
  cat(sprintf("  %-36s %5.1f   width %.2f\n", names(share), share, width), sep = "")
}

# ---- importance ---------------------------------------------------------------------------------------------------

made <- function(n) {
  x <- matrix(rnorm(4 * n), n)
  data.frame(x, y = x[, 1] + 0.5 * x[, 2]^2 + 0.3 * x[, 1] * x[, 3] + rnorm(n))
}
set.seed(1)
model <- brief(made(2000), target = "y") |> regimen(seed = 1, epochs = 60) |> quick() |> train(progress = "none")
options(hylomath.threads = 1L)
columns <- names(made(1))[1:4]
true <- as.data.frame(importance(model, made(10000), repeats = 100))
cat(sprintf("\n95 %% intervals of importances of 300 rows over %d sets, percent that hold that of 10,000 rows\n", sets))
held <- parallel::mclapply(seq_len(sets), function(s) {
  set.seed(s)
  found <- as.data.frame(importance(model, made(300)))
  at <- match(columns, found$column)
  held_by(found$low[at], true$importance[match(columns, true$column)], found$high[at])
}, mc.cores = cores)
cat(sprintf("  %-12s %.1f\n", columns, 100 * rowMeans(do.call(cbind, held))), sep = "")
options(hylomath.threads = NULL)

# ---- conformal ----------------------------------------------------------------------------------------------------

cat(
  sprintf("\n90 %% intervals and sets over %d tables of 400 calibration and 1,000 new rows, percent that hold\n", sets)
)
shape <- function(table, target, ...) brief(table, target = target, ...) |>
  hold_out(calibration = 0.4, test = 0.1, seed = 1) |> wire("4 tanh") |>
  regimen(epochs = 30, seed = 1)
tables <- list(
  "a number" = function(n) { x <- rnorm(n); data.frame(x = x, y = x^2 + rnorm(n)) },
  "a number, logarithmic" = function(n) { x <- rnorm(n); data.frame(x = x, y = exp(x + rnorm(n))) },
  "a count" = function(n) { x <- rnorm(n); data.frame(x = x, y = rpois(n, exp(1 + x))) },
  "two classes, one of eight" = function(n) { x <- rnorm(n); data.frame(
    x = x, y = ifelse(runif(n) < plogis(1.5 * x - 2.5), "yes", "no")
  ) },
  "four classes" = function(n) { x <- matrix(rnorm(4 * n), n); data.frame(
    x, y = letters[max.col(x + matrix(rnorm(4 * n), n))]
  ) }
)
for (name in names(tables)) {
  held <- parallel::mclapply(seq_len(sets), function(s) {
    set.seed(s)
    options(hylomath.threads = 1L)
    b <- shape(tables[[name]](1000), "y")
    if (grepl("logarithmic", name)) b <- prepare(b, target = "log")
    model <- train(quick(b), progress = "none")
    new <- tables[[name]](1000)
    if (grepl("classes", name)) {
      inside <- as.matrix(predict(model, new, type = "set")[paste0("in_", model$brief$classes)])
      hit <- inside[cbind(seq_len(1000), match(new$y, model$brief$classes))]
      return(c(all = mean(hit), tapply(hit, new$y, mean)))
    }
    p <- predict(model, new, type = "interval")
    c(all = mean(p$low <= new$y & new$y <= p$high))
  }, mc.cores = cores)
  share <- 100 * rowMeans(do.call(cbind, held))
  cat(sprintf("  %-28s %s\n", name, paste(sprintf("%s %.1f", names(share), share), collapse = ", ")))
}

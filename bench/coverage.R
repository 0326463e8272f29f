# How often the 95 % intervals of an appraisal hold the value that the measure has on two million rows, over 1,000
# simulated sets of judged rows: classes and numbers, rows on their own and rows in groups. And how often conformal
# intervals and sets at 90 % hold new rows.

library(hylomath)
core <- asNamespace("hylomath")
sets <- as.integer(Sys.getenv("SETS", "1000"))
cores <- max(1, parallel::detectCores())

# Scores that are a little too bold, so that nothing is perfect. Groups of five share part of what decides.
classes_of <- function(n, k, grouped) {
  group <- if (grouped) rep(seq_len(ceiling(n / 5)), each = 5)[seq_len(n)] else seq_len(n)
  base <- c(1.6, seq(0.5, -0.5, length.out = k - 1))[seq_len(k)]
  shared <- matrix(rnorm(max(group) * k), ncol = k)[group, ] * if (grouped) 0.8 else 0
  seen <- matrix(rnorm(n * k), n) + shared
  truth <- exp(sweep(1.1 * seen, 2, base, `+`))
  truth <- truth / rowSums(truth)
  named <- exp(sweep(1.4 * seen, 2, base, `+`))
  named <- named / rowSums(named)
  observed <- max.col(log(truth) - log(-log(matrix(runif(n * k), n))), ties.method = "first")
  names <- letters[seq_len(k)]
  answers <- data.frame(names[max.col(named, ties.method = "first")], named)
  names(answers) <- c("answer", paste0("probability_", names))
  list(observed = names[observed], answers = answers, group = if (grouped) as.character(group))
}

# Errors of one size (normal ones), or in proportion to an answer that itself varies much: the squares of those have a
# heavy tail, and small samples of them are the hard case for every interval.
numbers_of <- function(n, grouped, heavy) {
  group <- if (grouped) rep(seq_len(ceiling(n / 5)), each = 5)[seq_len(n)] else seq_len(n)
  if (!heavy) {
    answer <- rnorm(n, 20, 3)
    return(
      list(
        observed = answer + rnorm(n) + if (grouped) rnorm(max(group))[group] else 0, answer = answer,
        group = if (grouped) as.character(group)
      )
    )
  }
  answer <- exp(rnorm(n, 2, 0.5) + if (grouped) rnorm(max(group), 0, 0.3)[group] else 0)
  list(
    observed = answer * rgamma(n, 8, 8) * if (grouped) exp(rnorm(max(group), 0, 0.1) - 0.005)[group] else 1,
    answer = answer, group = if (grouped) as.character(group)
  )
}

judge <- function(d, k, level) {
  n <- length(d$observed)
  judged <- list(observed = d$observed, weight = rep(1, n))
  resampling <- if (!is.null(level)) core$resampling_of(judged$weight, d$group, 1, level, 1000)
  unit <- if (is.null(level)) core$units_of(n, d$group, 1) else resampling$unit
  if (k > 0) {
    names <- letters[seq_len(k)]
    how <- list(classes = names, looked_at = if (k == 2) 2L else seq_len(k), ordered = FALSE, costs = NULL)
    return(list(core$class_reckoning(how, judged, d$answers, unit, resampling), resampling))
  }
  how <- list(centre = 8, deviance = "gamma", at = NULL)
  list(core$number_reckoning(how, judged, list(d$answer), 1, unit, resampling), resampling)
}

draw <- function(n, k, grouped, heavy = FALSE) if (k > 0) classes_of(n, k, grouped) else numbers_of(n, grouped, heavy)

cat(sprintf("95 %% intervals over %d sets, percent that hold the value on two million rows\n", sets))
cases <- list(
  c(2, 400, 0, 0), c(2, 2500, 0, 0), c(2, 600, 1, 0), c(4, 600, 0, 0), c(0, 200, 0, 0), c(0, 600, 1, 0),
  c(0, 400, 0, 1), c(0, 1500, 0, 1), c(0, 5000, 0, 1)
)
for (case in cases) {
  k <- case[1]
  set.seed(1)
  truth <- judge(draw(2e6, k, case[3] == 1, case[4] == 1), k, NULL)[[1]]$values
  held <- parallel::mclapply(seq_len(sets), function(s) {
    set.seed(1000 + s)
    found <- judge(draw(case[2], k, case[3] == 1, case[4] == 1), k, 0.95)
    resampling <- found[[2]]
    resampling$counts <- core$bootstrap_counts(resampling$unit, 1000, s)
    table <- core$interval_table(found[[1]], resampling)
    stats::setNames(table$low <= truth[table$measure] & truth[table$measure] <= table$high, table$measure)
  }, mc.cores = cores)
  share <- 100 * rowMeans(do.call(cbind, held), na.rm = TRUE)
  cat(
    sprintf(
      "\n%s, %d rows%s\n", if (k > 0) paste(k, "classes") else if (case[4]) "a number with heavy tails" else "a number",
      case[2], if (case[3]) " in groups of five" else ""
    )
  )
  cat(sprintf("  %-24s %.1f\n", names(share), share), sep = "")
}

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
    model <- train(b, progress = "none")
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

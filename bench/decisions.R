# How often the intervals of decisions hold the truth, over simulated sets of evaluated rows with a known rule:
#   Rscript bench/decisions.R [sets, 1000 when not given]
# Cells: 200 and 1,000 rows, about 10 and 40 % of the class, rows alone and groups of four that share luck.
suppressMessages(library(hylomath))
inside <- asNamespace("hylomath")
sets <- as.integer(c(commandArgs(TRUE), 1000)[1])
thresholds <- c(0.1, 0.2, 0.4)
tops <- c(0.02, 0.1, 0.3)
gains <- inside$whole_gains(list(found = 100, false_alarm = -15, missed = -40, left_alone = 2))

draw <- function(n, at, size) {
  shared <- rep(stats::rnorm(n / size), each = size)
  eta <- at + 1.2 * if (size > 1) (shared + stats::rnorm(n)) / sqrt(2) else stats::rnorm(n)
  luck <- if (size > 1) rep(stats::rnorm(n / size), each = size) else 0
  list(
    p = stats::plogis(eta), linear = stats::plogis(eta + 0.7 * stats::rnorm(n)),
    y = stats::runif(n) < stats::plogis(0.2 + 0.8 * eta + luck)
  )
}

# By measure the value and the ends.
estimates <- function(d, size) {
  n <- length(d$y)
  rows <- list(
    class = "yes", is_class = d$y, p = d$p, called = d$p >= 0.2, weight = rep(1, n),
    unit = rep(seq_len(n / size), each = size), level = 0.95, plain = size == 1, place = rank(d$p)
  )
  shares <- inside$diagnostic_shares(rows$is_class, rows$called)
  sums <- function(kinds) inside$unit_sums(kinds, rows$unit, max(rows$unit))
  part <- sums(shares$right)
  whole <- sums(shares$of)
  line <- inside$calibration_line(d$p, d$y, rows$weight)
  half <- inside$student_half(sums(line$influence), 0.95, min(sum(d$y), sum(!d$y)), 2)
  at_top <- function(share) {
    own <- inside$found_on_top(d$p, rows, round(share * n))
    c(own$found, inside$top_interval(own, rows, round(share * n))) / round(share * n)
  }
  over <- function(values, f) t(vapply(values, f, numeric(3)))
  rbind(
    cbind(colSums(part) / colSums(whole), inside$share_interval(part, whole, 0.95, rows$plain)),
    cbind(line$values, line$values - half, line$values + half),
    over(thresholds, function(t) inside$benefit_of(rows, d$p >= t, t)),
    over(thresholds, function(t) inside$benefit_apart(rows, d$p >= t, d$linear >= t, t)),
    over(thresholds, function(t) inside$benefit_apart(rows, d$p >= t, rep(TRUE, n), t)),
    over(thresholds, function(t) inside$gains_of(rows, d$p >= t, gains)), over(tops, at_top)
  )
}
names <- c(
  "sensitivity", "specificity", "positive value", "negative value", "intercept", "slope",
  paste(rep(c("net benefit", "less linear", "less all", "profit"), each = 3), thresholds), paste("top", tops)
)

cells <- expand.grid(rows = c(200, 1000), at = c(-2.5, -0.5), size = c(1, 4))
held <- vapply(seq_len(nrow(cells)), function(i) {
  cell <- cells[i, ]
  set.seed(i)
  truth <- estimates(draw(4e5, cell$at, cell$size), 1)[, 1]
  rowMeans(vapply(seq_len(sets), function(seed) {
    set.seed(1e4 * i + seed)
    found <- estimates(draw(cell$rows, cell$at, cell$size), cell$size)
    found[, 2] <= truth & truth <= found[, 3]
  }, logical(length(names))), na.rm = TRUE)
}, numeric(length(names)))
rownames(held) <- names
print(cbind(round(held, 3), mean = round(rowMeans(held), 3)))
cat(sprintf("%d sets a cell; mean %.3f, from %.3f to %.3f\n", sets, mean(held), min(held), max(held)))

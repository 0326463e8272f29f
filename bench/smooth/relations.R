# Smooth relations from published suites for regression and for the approximation of engineering models, inputs uniform
# on the unit cube and scaled to the ranges of the publication. Decisions are made on `decided_on`; those `kept_aside`
# were named before the first trial and are looked at once, at the end; `named` are those of the first measurements.

scaled <- function(u, low, high) low + u * (high - low)

relations <- list(
  # Friedman 1991, "Multivariate adaptive regression splines"
  friedman_1 = list(inputs = 10, f = function(u) {
    10 * sin(pi * u[, 1] * u[, 2]) + 20 * (u[, 3] - 0.5)^2 + 10 * u[, 4] + 5 * u[, 5]
  }),
  friedman_2 = list(inputs = 4, f = function(u) {
    x <- alternating(u)
    sqrt(x[, 1]^2 + (x[, 2] * x[, 3] - 1 / (x[, 2] * x[, 4]))^2)
  }),
  friedman_3 = list(inputs = 4, f = function(u) {
    x <- alternating(u)
    atan((x[, 2] * x[, 3] - 1 / (x[, 2] * x[, 4])) / x[, 1])
  }),
  # Harper and Gupta 1983: water through a borehole
  borehole = list(inputs = 8, f = function(u) {
    low <- c(0.05, 100, 63070, 990, 63.1, 700, 1120, 9855)
    high <- c(0.15, 50000, 115600, 1110, 116, 820, 1680, 12045)
    x <- t(scaled(t(u), low, high))
    far <- log(x[, 2] / x[, 1])
    2 * pi * x[, 3] * (x[, 4] - x[, 6]) / (far * (1 + 2 * x[, 7] * x[, 3] / (far * x[, 1]^2 * x[, 8]) + x[, 3] / x[, 5]))
  }),
  # Ben-Ari and Steinberg 2007: the mid-point voltage of a push-pull circuit, and the cycle of a piston (Kenett and
  # Zacks 1998)
  circuit = list(inputs = 6, f = function(u) {
    x <- t(scaled(t(u), c(50, 25, 0.5, 1.2, 0.25, 50), c(150, 70, 3, 2.5, 1.2, 300)))
    base <- 12 * x[, 2] / (x[, 1] + x[, 2])
    gain <- x[, 6] * (x[, 5] + 9)
    (base + 0.74) * gain / (gain + x[, 3]) + 11.35 * x[, 3] / (gain + x[, 3]) +
      0.74 * x[, 3] * gain / ((gain + x[, 3]) * x[, 4])
  }),
  piston = list(inputs = 7, f = function(u) {
    low <- c(30, 0.005, 0.002, 1000, 90000, 290, 340)
    high <- c(60, 0.02, 0.01, 5000, 110000, 296, 360)
    x <- t(scaled(t(u), low, high))
    a <- x[, 5] * x[, 2] + 19.62 * x[, 1] - x[, 4] * x[, 3] / x[, 2]
    v <- x[, 2] / (2 * x[, 4]) * (sqrt(a^2 + 4 * x[, 4] * x[, 5] * x[, 3] / x[, 7] * x[, 6]) - a)
    2 * pi * sqrt(x[, 1] / (x[, 4] + x[, 2]^2 * x[, 5] * x[, 3] / x[, 7] * x[, 6] / v^2))
  }),
  # Forrester, Sobester and Keane 2008: the weight of a light aircraft's wing
  wing = list(inputs = 10, f = function(u) {
    low <- c(150, 220, 6, -10, 16, 0.5, 0.08, 2.5, 1700, 0.025)
    high <- c(200, 300, 10, 10, 45, 1, 0.18, 6, 2500, 0.08)
    x <- t(scaled(t(u), low, high))
    sweep <- cos(x[, 4] * pi / 180)
    0.036 * x[, 1]^0.758 * x[, 2]^0.0035 * (x[, 3] / sweep^2)^0.6 * x[, 5]^0.006 * x[, 6]^0.04 *
      (100 * x[, 7] / sweep)^-0.3 * (x[, 8] * x[, 9])^0.49 + x[, 1] * x[, 10]
  }),
  # Ishigami and Homma 1990
  ishigami = list(inputs = 3, f = function(u) {
    x <- scaled(u, -pi, pi)
    sin(x[, 1]) + 7 * sin(x[, 2])^2 + 0.1 * x[, 3]^4 * sin(x[, 1])
  }),
  # Franke 1979
  franke = list(inputs = 2, f = function(u) {
    a <- 9 * u[, 1]
    b <- 9 * u[, 2]
    0.75 * exp(-((a - 2)^2 + (b - 2)^2) / 4) + 0.75 * exp(-(a + 1)^2 / 49 - (b + 1) / 10) +
      0.5 * exp(-((a - 7)^2 + (b - 3)^2) / 4) - 0.2 * exp(-(a - 4)^2 - (b - 7)^2)
  }),
  # Dette and Pepelyshev 2010, curved
  curved = list(inputs = 8, f = function(u) {
    tail <- rowSums(sapply(4:8, function(j) log1p(rowSums(u[, 3:j, drop = FALSE]))))
    4 * (u[, 1] - 2 + 8 * u[, 2] - 8 * u[, 2]^2)^2 + (3 - 4 * u[, 2])^2 + 16 * sqrt(u[, 3] + 1) * (2 * u[, 3] - 1)^2 + tail
  }),
  # An and Owen 2001: how far a robot's arm of four segments reaches
  robot_arm = list(inputs = 8, f = function(u) {
    angle <- t(apply(2 * pi * u[, 1:4] / 4, 1, cumsum))
    sqrt(rowSums(u[, 5:8] * cos(angle))^2 + rowSums(u[, 5:8] * sin(angle))^2)
  }),
  # Bliznyuk et al. 2008: a spill of two sources along a channel
  spill = list(inputs = 4, f = function(u) {
    x <- t(scaled(t(u), c(7, 0.02, 0.01, 30.01), c(13, 0.12, 3, 30.295)))
    at <- function(s, t) {
      first <- x[, 1] / sqrt(4 * pi * x[, 2] * t) * exp(-s^2 / (4 * x[, 2] * t))
      later <- pmax(t - x[, 4], 1e-9)
      first + (t > x[, 4]) * x[, 1] / sqrt(4 * pi * x[, 2] * later) * exp(-(s - x[, 3])^2 / (4 * x[, 2] * later))
    }
    sqrt(4 * pi) * at(1.5, 45)
  }),
  # Currin et al. 1991
  currin = list(inputs = 2, f = function(u) {
    (1 - exp(-1 / (2 * pmax(u[, 2], 1e-9)))) * (2300 * u[, 1]^3 + 1900 * u[, 1]^2 + 2092 * u[, 1] + 60) /
      (100 * u[, 1]^3 + 500 * u[, 1]^2 + 4 * u[, 1] + 20)
  }),
  # Welch et al. 1992: twenty inputs, of which two do nothing
  welch = list(inputs = 20, f = function(u) {
    x <- u - 0.5
    5 * x[, 12] / (1 + x[, 1]) + 5 * (x[, 4] - x[, 20])^2 + x[, 5] + 40 * x[, 19]^3 - 5 * x[, 19] + 0.05 * x[, 2] +
      0.08 * x[, 3] - 0.03 * x[, 6] + 0.03 * x[, 7] - 0.09 * x[, 9] - 0.01 * x[, 10] - 0.07 * x[, 11] +
      0.25 * x[, 13]^2 - 0.04 * x[, 14] + 0.06 * x[, 15] - 0.01 * x[, 17] - 0.03 * x[, 18]
  }),
  # of the first measurements
  fr1 = list(inputs = 5, f = function(u) {
    10 * sin(pi * u[, 1] * u[, 2]) + 20 * (u[, 3] - 0.5)^2 + 10 * u[, 4] + 5 * u[, 5]
  }),
  phys = list(inputs = 5, f = function(u) {
    (0.5 + u[, 1]) * exp(-2 * u[, 2]) / (0.3 + u[, 3]) + u[, 4] * u[, 5]
  })
)

# Friedman's alternating current: resistance, frequency, inductance, capacitance (microfarads there).
alternating <- function(u) t(scaled(t(u), c(0, 40 * pi, 0, 1e-6), c(100, 560 * pi, 1, 11e-6)))

decided_on <- c("friedman_1", "friedman_2", "borehole", "circuit", "wing", "ishigami", "franke", "curved")
kept_aside <- c("friedman_3", "piston", "robot_arm", "spill", "currin", "welch")
named <- c("fr1", "phys")

# A table of so many rows, noise with this share of the relation's deviation; and the deviation.
smooth_table <- function(relation, rows, noise, seed) {
  set.seed(seed)
  one <- relations[[relation]]
  u <- matrix(runif(rows * one$inputs), rows)
  truth <- one$f(u)
  table <- as.data.frame(u)
  table$y <- truth + noise * sd(truth) * rnorm(rows)
  list(table = table, truth = truth, deviation = sd(truth))
}

# The root mean squared error against the noise-free truth of new rows, over its deviation.
smooth_error <- function(model, relation, rows = 20000, seed = 9999) {
  new <- smooth_table(relation, rows, 0, seed)
  sqrt(mean((predict(model, new$table)$prediction - new$truth)^2)) / new$deviation
}

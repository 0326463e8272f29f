# How often the intervals of local effects and of what pairs do together hold the values of the whole population: a
# network stays as it is, and new rows are drawn 1,000 times.
#   Rscript bench/effects.R [SETS]

suppressMessages(library(hylomath))
inside <- asNamespace("hylomath")
sets <- as.integer(c(commandArgs(TRUE), 1000)[1])
level <- 0.95

# Rows in groups of up to `size`, which share what x2 is.
population <- function(n, seed, size = 1) withr::with_seed(seed, {
  group <- rep(seq_len(ceiling(n / size)), each = size)[seq_len(n)]
  x2 <- rnorm(max(group))[group] + if (size > 1) 0.3 * rnorm(n) else 0
  x1 <- 0.7 * x2 + sqrt(1 - 0.49) * rnorm(n)
  kind <- cut(0.5 * x2 + rnorm(n), c(-Inf, -0.5, 0.5, Inf), labels = c("low", "middle", "high"))
  y <- sin(1.5 * x1) + x1 * x2 / 2 + ifelse(kind == "high", x2, 0) + rnorm(n, 0, 0.3)
  data.frame(x1, x2, x3 = rexp(n), kind = as.character(kind), herd = paste("herd", group), y)
})

model_of <- function(size) {
  b <- brief(population(4000, 1, size), target = "y") |> hold_out(seed = 1) |> quick() |> regimen(seed = 1)
  b <- if (size > 1) set_columns(b, group = "herd") else set_columns(b, drop = "herd")
  train(b, progress = "none")
}

covered <- function(cell, found, truth) {
  held <- vapply(found, function(f) f$low <= truth & f$high >= truth, logical(length(truth)))
  held <- 100 * rowMeans(matrix(held, length(truth)))
  cat(sprintf("%-46s mean %.1f %%, places %.1f to %.1f %%\n", cell, mean(held), min(held), max(held)))
}

for (size in c(1, 5)) {
  model <- model_of(size)
  everyone <- population(2e5, 2, size)
  for (column in c("x1", "x3", "kind")) {
    grid <- list(inside$effect_values(everyone[[column]], column, 10))
    names(grid) <- column
    truth <- inside$local_effect(model, everyone, grid, "y", level)
    for (n in c(200, 1000)) {
      found <- parallel::mclapply(seq_len(sets), function(s) {
        drawn <- inside$local_effect(model, population(n, 1000 + s, size), grid, "y", level)
        drawn[match(truth[[column]], drawn[[column]]), ]
      }, mc.cores = 2)
      covered(sprintf("local effect of %s, %d rows, groups of %d", column, n, size), found, truth$prediction)
    }
  }
  for (pair in list(c("x1", "x2"), c("x1", "x3"), c("x2", "kind"))) {
    crossed_of <- function(rows) {
      columns <- list(pair, pair[1], pair[2])
      lapply(columns, function(own) inside$crossed(model$predictor, rows, own, "y")$y)
    }
    truth <- local({
      m <- crossed_of(population(2500, 3, size))
      stats::sd(rowMeans(m[[1]] - m[[2]] - m[[3]] + rep(diag(m[[1]]), each = 2500)) * 2500 / 2499)
    })
    for (n in c(60, 150)) {
      found <- parallel::mclapply(seq_len(sets), function(s) {
        rows <- population(n, 1000 + s, size)
        m <- crossed_of(rows)
        group <- if (size > 1) rows$herd
        inside$pair_sizes(m[[1]], m[[2]], m[[3]], inside$resampling_of(rep(1, n), group, s, level, 1000))
      }, mc.cores = 2)
      covered(sprintf("%s and %s, %d rows, groups of %d", pair[1], pair[2], n, size), found, truth)
    }
  }
}

# How often the band of a learning curve holds the error at twice the rows, over simulated tables: the mean loss of
# networks that learn from fresh tables of twice the rows, on 20,000 rows more.
#   Rscript bench/more-rows.R [tables a cell, 50 when not given] [cell]
suppressMessages(library(hylomath))
arguments <- as.integer(commandArgs(TRUE))
tables <- c(arguments, 50)[1]

draw <- function(n, kind) {
  d <- as.data.frame(matrix(rnorm(5 * n), n, dimnames = list(NULL, paste0("x", 1:5))))
  bent <- with(d, sin(2 * x1) + x2 * x3 + 0.5 * x4)
  d$y <- if (kind == "number") bent + rnorm(n, 0, 0.5) else ifelse(runif(n) < plogis(1.5 * bent - 0.5), "yes", "no")
  d
}

settings <- function(d, wiring) {
  brief(d, target = "y") |> hold_out(folds = 0, validation = 0.15, test = 0) |> wire(wiring) |> regimen(epochs = 200)
}

cells <- expand.grid(rows = c(400, 1200), wiring = c("linear", "8 tanh"), kind = c("class", "number"))
for (i in if (length(arguments) > 1) arguments[2] else seq_len(nrow(cells))) {
  cell <- cells[i, ]
  wiring <- as.character(cell$wiring)
  set.seed(i)
  new <- draw(20000, cell$kind)
  loss <- function(model) {
    a <- appraise(model, new, draws = 100)
    a$measures$value[a$measures$measure == a$primary]
  }
  read <- if (cell$kind == "number") function(x) x^2 else identity
  truth <- mean(replicate(20, read(loss(train(settings(draw(2 * cell$rows, cell$kind), wiring), progress = "none")))))
  held <- vapply(seq_len(tables), function(seed) {
    set.seed(1000 * i + seed)
    curve <- more_rows(settings(draw(cell$rows, cell$kind), wiring), progress = "none")
    c(read(curve$ahead$low) <= truth && truth <= read(curve$ahead$high), read(curve$ahead$value) / truth)
  }, numeric(2))
  cat(sprintf(
    "%5d rows, %-6s, %-6s: the band holds the error at twice the rows in %5.1f %% of %d tables (estimate %.3f of it)\n",
    cell$rows, wiring, cell$kind, 100 * mean(held[1, ]), tables, mean(held[2, ])
  ))
}

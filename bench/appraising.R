# What an appraisal costs: 1,000,000 rows, every measure with its interval by 1,000 bootstrap draws, in passes of
# predicting the same rows. Two classes, five classes, and a number; rows on their own, and rows in groups.

library(hylomath)

rows <- 1e6
set.seed(1)
x <- as.data.frame(matrix(rnorm(rows * 30), rows, dimnames = list(NULL, paste0("x", 1:30))))
signal <- x$x1 * x$x2 + x$x3
x$patient <- sample(2e5, rows, replace = TRUE)
targets <- list(
  "two classes" = ifelse(runif(rows) < plogis(signal - 2), "yes", "no"),
  "five classes" = letters[1:5][findInterval(signal + rnorm(rows), c(-2, -0.5, 0.5, 2)) + 1],
  number = signal + rnorm(rows)
)

spent <- function(call) {
  gc()
  system.time(call)[["elapsed"]]
}

for (name in names(targets)) {
  for (grouped in c(FALSE, TRUE)) {
    table <- cbind(x, y = targets[[name]])
    few <- table[1:20000, ]
    b <- brief(few, target = "y") |> hold_out(seed = 1) |> wire("64 relu > 32 relu") |> regimen(epochs = 5, seed = 1)
    b <- if (grouped) set_columns(b, group = patient) else set_columns(b, drop = patient)
    model <- train(quick(b), progress = "none")
    model$evaluated$test <- hylomath:::evaluated_in(model, table)   # a million test rows
    model$evaluated$training <- NULL
    predicting <- min(replicate(3, spent(predict(model, table, type = if (name == "number") "prediction" else "both"))))
    evaluating <- spent(a <- appraise(model, draws = 1000))
    cat(
      sprintf(
        "%-12s %-8s predicting %.2f s, appraising %.2f s: %.1f passes\n", name, if (grouped) "grouped" else "alone",
        predicting, evaluating, evaluating / predicting
      )
    )
  }
}

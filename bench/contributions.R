# Contributions of a row's columns: how long they take, and how large their error is beside the largest move; for the
# default's networks of a cross-validation ensemble and for one network. Ten rows of each table, each in a call of its
# own.
#
# Usage, from the project's root: Rscript bench/contributions.R
library(hylomath)
set.seed(1)
wide <- as.data.frame(matrix(rnorm(3000 * 20), 3000))
wide$y <- rowSums(wide[1:6]) + wide$V1 * wide$V2 + sin(2 * wide$V7) + rnorm(3000, 0, 0.5)
tables <- list(
  kilns = list(kilns, "outcome"), recovery = list(recovery, "returned"), crossings = list(crossings, "passengers"),
  "20 columns" = list(wide, "y")
)
for (name in names(tables)) {
  for (how in c("out_of_fold", "one")) {
    table <- tables[[name]][[1]]
    b <- brief(table, target = tables[[name]][[2]]) |> hold_out(seed = 1) |> regimen(seed = 1)
    model <- train(if (how == "one") quick(b) else b, progress = "none")
    each <- vapply(1:10, function(row) {
      took <- system.time(found <- contributions(model, table, row))[["elapsed"]]
      c(took, max(found$columns$error) / max(abs(found$columns$contribution)), found$rows)
    }, numeric(3))
    cat(sprintf(
      paste0(
        "%-10s %-5s %3d columns, %4.0f other rows: %.2f s a row (longest %.2f); largest error %.2f %% of the ",
        "largest move\n"
      ),
      name, how, length(hylomath:::needed_columns(model$predictor)), stats::median(each[3, ]), stats::median(each[1, ]),
      max(each[1, ]), 100 * max(each[2, ])
    ))
  }
}

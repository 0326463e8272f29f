# What folds cost: the time for a row and an epoch of ten folds of kilns beside that of one fit, on one thread; and how
# much faster two threads do them, beside how much two processes gain that each do half. Epochs are fixed. Ratios of
# medians over rounds in turn.
#
# Usage, from the project's root: Rscript bench/folds.R [rounds]
library(hylomath)

args <- as.integer(commandArgs(TRUE))
rounds <- if (length(args) > 0) args[1] else 7
set.seed(1)
b <- brief(kilns, target = "outcome") |> regimen(epochs = 200, stop = "none", seed = 1) |> hold_out(seed = 1) |> quick()
H <- asNamespace("hylomath")
laid <- H$checked_folds(b, 10, 1, NULL)
jobs <- H$fold_jobs(laid, "loss")
quiet <- function(event) NULL
seconds <- function(code) system.time(code)[["elapsed"]]
on <- function(threads, code) {
  former <- options(hylomath.threads = threads)
  on.exit(options(former))
  seconds(code)
}

# One fit as train() does it, but for the network without hidden layers beside it: rows learned and rows measured an
# epoch.
a <- H$settle(b)
part <- a$part
one_fit <- function() {
  spec <- H$fit_spec(a, H$learn_training(a))
  predictor <- H$new_predictor(spec, H$fit_network(spec, quiet))
  H$mean_loss(predictor, H$evaluated_in_fold(spec, predictor, H$rows_in(a, "validation")))
}
rows_of <- function(part) c(learned = sum(part %in% "training"), measured = sum(part %in% "validation"))
of_one <- rows_of(part)
of_ten <- rowSums(vapply(seq_along(jobs), function(i) rows_of(laid$parts(i)), numeric(2)))
# a measured row costs a forward pass, about a third of a learned one
work <- function(rows) rows[["learned"]] + rows[["measured"]] / 3

halves <- split(jobs, rep(1:2, length.out = length(jobs)))
cluster <- parallel::makePSOCKcluster(2)
invisible(
  parallel::clusterCall(
    cluster, function(paths) { .libPaths(paths); library(hylomath); options(hylomath.threads = 1L) }, .libPaths()
  )
)
invisible(parallel::clusterCall(cluster, function(table) { the_bench_table <<- table; NULL }, b$table))
both <- function() parallel::clusterApply(
  cluster, halves, function(jobs) { hylomath:::run_jobs(the_bench_table, jobs, "fit", function(event) NULL); NULL }
)

times <- as.data.frame(t(vapply(seq_len(rounds + 1), function(i) {
  c(
    single = on(1L, one_fit()), ten = on(1L, H$run_jobs(b$table, jobs, "fit", quiet)),
    two = on(2L, H$run_jobs(b$table, jobs, "fit", quiet)), processes = seconds(both())
  )
}, numeric(4))))[-1, ]
parallel::stopCluster(cluster)
middle <- vapply(times, stats::median, 0)
cat(sprintf(
  paste0(
    "ten folds of kilns, 200 epochs: %.2f times a fit's time for a row and epoch on one thread; two ",
    "threads gain %.2f, two processes %.2f: %.2f of it (single fit %.3f s, ten folds %.2f s, two threads ",
    "%.2f s, two processes %.2f s)\n"
  ),
  (middle[["ten"]] / work(of_ten)) / (middle[["single"]] / work(of_one)), middle[["ten"]] / middle[["two"]],
  middle[["ten"]] / middle[["processes"]],
  (middle[["ten"]] / middle[["two"]]) / (middle[["ten"]] / middle[["processes"]]), middle[["single"]], middle[["ten"]],
  middle[["two"]], middle[["processes"]]
))
cat(
  sprintf(
    "vary(units = 1:12): %.1f s; ",
    seconds(vary(b |> regimen(epochs = 300, stop = list(patience = 20)), units = 1:12, progress = "none"))
  )
)
wide <- cbind(kilns, as.data.frame(matrix(rnorm(4000 * 14), 4000)))
cat(sprintf("backward sift of 24 inputs: %.1f s\n", seconds(sift(brief(wide, target = "outcome"), progress = "none"))))

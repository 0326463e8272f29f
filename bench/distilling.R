# What a teacher is good for: six classes in fifteen dimensions, 400 rows, a student of sixteen units. The teacher is a
# ensemble of ten larger networks on the same rows, trained anew inside each of five stratified folds; student and
# labels alone share them. Ten seeds, each a new table.
#
# Usage, from the project's root: Rscript bench/distilling.R [seeds]
library(hylomath)

args <- as.integer(commandArgs(TRUE))
seeds <- if (length(args) > 0) args[1] else 10

# Each class is three clouds, so that no straight line parts them; some classes are nearer to one another than others.
six_classes <- function(n, seed) {
  set.seed(seed)
  centres <- matrix(rnorm(18 * 15, 0, 1.1), 18)
  cloud <- sample(18, n, TRUE)
  x <- as.data.frame(centres[cloud, ] + matrix(rnorm(n * 15), n))
  x$class <- paste0("c", (cloud - 1) %/% 3 + 1)
  x
}

found <- parallel::mclapply(seq_len(seeds), function(seed) {
  options(hylomath.threads = 1L)
  table <- six_classes(400, seed)
  set.seed(seed)
  b <- brief(table, target = "class") |> hold_out(test = 0) |> regimen(seed = seed)
  teacher <- b |> wire("64 relu > 32 relu") |> regimen(restarts = 10, keep = "ensemble") |> train(progress = "none")
  student <- distil(teacher, b |> wire("16 relu"), progress = "none")
  t <- student$distilled$comparison
  t <- t[t$measure == "accuracy", ]
  stats::setNames(t$mean, c("teacher", "taught", "labels"))
}, mc.cores = max(1, parallel::detectCores()))
found <- as.data.frame(do.call(rbind, found))
gain <- found$taught - found$labels
half <- stats::qt(0.975, seeds - 1) * stats::sd(gain) / sqrt(seeds)
cat(sprintf(
  paste0(
    "six classes: mean accuracy of five folds over %d seeds: teacher %.3f, student taught %.3f, labels ",
    "alone %.3f; the teaching adds %.3f (95 %% interval %.3f to %.3f), in %d of %d seeds\n"
  ),
  seeds, mean(found$teacher), mean(found$taught), mean(found$labels), mean(gain), mean(gain) - half, mean(gain) + half,
  sum(gain > 0), seeds
))
print(round(found, 3))

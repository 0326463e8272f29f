# What run.R has written against the frozen losses: `Rscript bench/panel/compare.R trial|proof FILE`, in the project. By
# table the mean log ratios over splits, capped at 0.7 to both sides; over tables their mean with a bootstrap interval.
arguments <- commandArgs(TRUE)
found <- utils::read.csv(arguments[2])
frozen <- utils::read.csv(sprintf("bench/panel/frozen-%s.csv", arguments[1]))
capped <- function(x) pmax(-0.7, pmin(0.7, x))
both <- merge(found, frozen, by = c("table", "split"), suffixes = c("", "_frozen"))
each <- t(vapply(split(both, both$table), function(d) {
  all <- found[found$table == d$table[1], ]
  c(
    to_former = capped(mean(log(d$default / d$default_frozen))),
    to_linear = capped(mean(log(d$default / d$linear_frozen))),
    former_to_linear = capped(mean(log(d$default_frozen / d$linear_frozen))),
    to_own_linear = mean(log(all$default / all$linear)), splits = nrow(all),
    seconds = mean(d$seconds) / mean(d$seconds_frozen), rows = d$rows[1]
  )
}, numeric(7)))
print(round(each, 3))
set.seed(1)
for (name in c("to_former", "to_linear", "former_to_linear")) {
  means <- replicate(1e4, mean(sample(each[, name], nrow(each), TRUE)))
  ends <- exp(stats::quantile(means, c(0.025, 0.975)))
  cat(sprintf("%-16s %.3f (%.3f to %.3f) over %d tables\n", name, exp(mean(each[, name])), ends[1], ends[2], nrow(each)))
}
worse <- rownames(each)[each[, "to_own_linear"] > log(1.05)]
cat("more than 5 % worse than linear:", if (length(worse)) worse else "none", "\n")
small <- each[each[, "rows"] <= 10000, "seconds"]
cat(sprintf(
  "processor seconds of one fit, up to 10,000 rows: %.1f times in the geometric mean, at most %.1f\n",
  exp(mean(log(small))), max(small)
))

# From a first network to a better one, and to a small one taught by it.
library(hylomath)
set.seed(11)

b <- brief(kilns, target = "outcome") |> hold_out(seed = 11) |> regimen(seed = 11)

# every setting that is tried is evaluated by the same folds; the file keeps each fit, so a search that was killed goes
# on
s <- scout(
  b, layers = 1:3, units = bounds(8, 64), activation = c("relu", "elu"), budget = 12, k = 3, repeats = 1,
  file = tempfile(fileext = ".scout"), progress = "none"
)
s

# the winner's score in the search is the best of many: the test rows say what it is worth
usual <- train(b, progress = "none")
better <- train(best_brief(s), progress = "none")
lineup(usual = usual, better = better)

# ten units that learn from the networks' probabilities as well as from the labels
distil(usual, b |> wire("10 silu"), k = 0, progress = "none")

# or one network in the place of all that took turns
distil(usual, kilns, progress = "none")

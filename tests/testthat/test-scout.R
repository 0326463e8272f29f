base <- function() withr::with_seed(1, brief(small_kilns(), "outcome")) |>
  regimen(epochs = 10, seed = 7, method = "adam") |> hold_out(folds = 0, seed = 5)
plain <- function(s) s$trials[names(s$trials) != "seconds"]
quick_scout <- function(b = base(), ..., budget = 12, k = 3, repeats = 1) scout(
  b, ..., budget = budget, k = k, repeats = repeats, progress = "none"
)

test_that("a search starts with the brief's own settings, and its winner is evaluated as folds() evaluates it", {
  s <- quick_scout(units = bounds(2, 32), activation = c("relu", "tanh"), learning_rate = bounds(1e-3, 0.1))
  expect_equal(nrow(s$trials), 12)
  own <- s$trials[s$trials$trial == 1, ]
  expect_equal(own$origin, "own")
  expect_equal(own$mean, mean(folds(base(), k = 3, progress = "none")$each[["cross-entropy"]]))
  best <- s$trials[1, ]
  winner <- folds(best_brief(s), k = 3, progress = "none")
  expect_equal(best$mean, mean(winner$each[["cross-entropy"]]))
  expect_equal(best$trial, s$best)
  d <- winner$each[["cross-entropy"]] - folds(base(), k = 3, progress = "none")$each[["cross-entropy"]]
  expect_equal(best$difference, mean(d))
  expect_true(all(s$trials$units[s$trials$trial > 1] %in% 2:32))
  expect_true(all(s$trials$learning_rate[s$trials$trial > 1] >= 1e-3))
  expect_match(paste(format(s), collapse = " "), "12 trials of 3 settings, evaluated on 3 folds")
  expect_match(paste(format(s), collapse = " "), "lower here than it will be on new rows")
  expect_identical(as.data.frame(s), s$trials)
})

test_that("weak trials are stopped after a fold, and those that went on were better there", {
  s <- quick_scout(units = bounds(1, 32))
  expect_true(any(!s$trials$whole))
  first <- s$fits[s$fits$fold == 1, ]
  went_on <- unique(s$fits$trial[s$fits$fold == 2])
  filled <- first[first$trial %in% s$trials$trial[s$trials$origin == "filling"], ]
  expect_lt(max(filled$loss[filled$trial %in% went_on]), min(filled$loss[!filled$trial %in% went_on]))
  expect_true(1 %in% went_on)
})

test_that("a search that was killed goes on where it was, and a larger budget goes on from a smaller one", {
  file <- withr::local_tempfile(fileext = ".scout")
  search <- function(budget, file = NULL) quick_scout(layers = 0:2, units = bounds(2, 16), budget = budget, file = file)
  whole <- search(11)
  search(8, file)
  expect_identical(plain(search(11, file)), plain(whole))
  # what a kill leaves: half of the lines, the last one cut
  text <- readLines(file)
  half <- paste0(paste(text[1:9], collapse = "\n"), "\n", substr(text[10], 1, 30))
  writeBin(charToRaw(half), file)
  again <- search(11, file)
  expect_identical(plain(again), plain(whole))
  # nothing is trained that the file knows
  trained <- length(readLines(file))
  search(11, file)
  expect_length(readLines(file), trained)
  expect_fails(
    quick_scout(layers = 0:2, units = bounds(2, 16), budget = 8, k = 4, file = file), "another search: its `k` differs"
  )
  expect_fails(
    quick_scout(hold_out(base(), seed = 6), layers = 0:2, units = bounds(2, 16), file = file), "`hold_out.seed` differs"
  )
  expect_fails(
    scout(base(), units = 1:2, file = system.file("extdata", "kilns.csv", package = "hylomath")), "holds no search"
  )
})

test_that("an interrupt keeps what is finished", {
  fits <- 0
  b <- base()
  stop_later <- function(event) if (event$event == "ended" && (fits <<- fits + 1) == 12) rlang::interrupt()
  s <- scout(b, units = bounds(2, 32), budget = 30, k = 3, repeats = 1, progress = stop_later)
  expect_equal(s$stopped, "interrupted")
  expect_lt(nrow(s$trials), 30)
  expect_match(paste(format(s), collapse = " "), "An interrupt ended the search")
})

test_that("conditions hold, layers that are not there have no settings, and small spaces come to an end", {
  s <- quick_scout(layers = 0:2, units = bounds(2, 16), where = units * layers <= 12, budget = 10)
  t <- s$trials[s$trials$trial > 1, ]
  expect_true(all(is.na(t$units) | t$units * t$layers <= 12))
  expect_true(all(is.na(t$units[t$layers == 0])))
  small <- quick_scout(units = c(2, 3), activation = c("relu", "tanh"), budget = 40)
  expect_equal(small$stopped, "exhausted")
  expect_equal(nrow(small$trials), 5)
  expect_fails(quick_scout(units = 1:3, where = units > 5), "leaves no settings")
  expect_fails(quick_scout(units = 1:3, where = layers > 5), "not among the settings that are searched")
})

test_that("validation rows can evaluate, with fewer epochs first", {
  s <- scout(base(), units = bounds(2, 16), evaluate = "validation", budget = 8, progress = "none")
  expect_setequal(round(unique(s$fits$share), 3), c(0.111, 0.333, 1))
  model <- single(base(), progress = "none")
  expect_equal(
    s$trials$mean[s$trials$trial == 1],
    min(
      appraise(
        model, rows = "validation"
      )$measures$value[appraise(model, rows = "validation")$measures$measure == "cross-entropy"]
    )
  )
  expect_match(paste(format(s), collapse = " "), "evaluated on validation rows")
})

test_that("preparation, methods and whole wirings can be searched, and what the brief refuses is passed over", {
  s <- quick_scout(
    prepare.numbers = c("zscore", "robust", "rank_normal"), wiring = c("linear", "4 tanh", "8 relu > 4 relu"),
    budget = 8
  )
  expect_true(all(s$trials$wiring %in% c("linear", "4 tanh", "8 relu > 4 relu", "auto")))
  mixed <- quick_scout(
    regimen(base(), method = "auto"), method = c("adam", "lbfgs"), batch_size = c(32, 64), budget = 6
  )
  # a batch size is of no use to lbfgs, so only adam is tried
  expect_setequal(mixed$trials$method[mixed$trials$trial > 1], "adam")
  expect_fails(quick_scout(method = "lbfgs", batch_size = 32), "No setting within", "has no meaning for the method")
})

test_that("a search without settings looks at what usually matters", {
  s <- scout(base(), budget = 4, k = 2, progress = "none")
  expect_setequal(s$settings, c("layers", "units", "activation", "l2"))
  expect_equal(
    names(usual_space(settle(withr::with_seed(1, brief(kilns, "outcome"))))),
    c("layers", "units", "activation", "l2", "dropout", "learning_rate")
  )
})

test_that("the surrogate goes through what it is sure of, and expects most where it should", {
  x <- matrix(seq(0, 1, length.out = 9))
  y <- (x[, 1] - 0.3)^2
  space <- list(list(name = "x", kind = "bounds", low = 0, high = 1, log = FALSE, whole = FALSE))
  apart <- space_distances(space, x, x)
  surrogate <- fit_surrogate(apart, y, rep(1, 9))
  at <- matrix(c(0.3, 0.9))
  expected <- expected_of(surrogate, space_distances(space, x, at))
  expect_equal(expected$mean, c(0, 0.36), tolerance = 0.05)
  # the improvement that numerical integration finds
  best <- 0.05
  by_hand <- integrate(function(v) (best - v) * dnorm(v, expected$mean[1], expected$sd[1]), -Inf, best)$value
  expect_equal(expected_improvement(expected, best)[1], by_hand, tolerance = 1e-6)
  # the kernel's own formula
  expect_equal(matern(matern_reach(array(0.49, c(1, 1, 1)), 0.7))[1], (1 + sqrt(5) + 5 / 3) * exp(-sqrt(5)))
})

test_that("the first points fill the space evenly", {
  u <- space_filling(64, 2, 3)
  expect_equal(as.numeric(table(cut(u[, 1], 0:8 / 8))), rep(8, 8), tolerance = 0.15)
  expect_equal(radical_inverse(1:4, 2), c(0.5, 0.25, 0.75, 0.125))
})

test_that("what can't be searched is refused before any training", {
  expect_fails(quick_scout(unit = 1:3), "Did you mean `units`?")
  expect_fails(quick_scout(seed = 1:3), "A seed is chance")
  expect_fails(quick_scout(units = bounds(0, 8)), "`units` must be a whole number from 1")
  expect_fails(quick_scout(learning_rate = bounds(-1, 1)), "learning_rate")
  expect_fails(bounds(3, 2), "nothing between")
  expect_fails(quick_scout(wiring = "linear", units = 1:3), "can't both be searched")
  expect_fails(quick_scout(units = c(2, 2)), "a value twice")
})

test_that("a search is drawn, by setting, by trial and as a map", {
  skip_if_not_installed("ggplot2")
  s <- quick_scout(layers = 1:2, units = bounds(2, 16))
  expect_equal(nrow(ggplot2::ggplot_build(plot_scouting(s))$data[[2]]), 2 * nrow(s$trials))
  best <- ggplot2::ggplot_build(plot_scouting(s, "progress"))$data[[2]]
  expect_equal(min(best$y), s$trials$mean[1])
  expect_false(is.unsorted(rev(best$y)))
  map <- ggplot2::ggplot_build(plot_scouting(s, "map"))
  expect_match(
    paste(map$data[[3]]$label, collapse = " "), format_measure(min(s$trials$mean[s$trials$whole])), fixed = TRUE
  )
  expect_fails(plot_scouting(quick_scout(units = 1:3, budget = 4), "map"), "both `layers` and `units`")
})

ensemble <- function() withr::with_seed(1, brief(small_kilns(), "outcome")) |>
  regimen(epochs = 10, seed = 7, method = "adam") |> hold_out(folds = 4, seed = 5)

# By fold, the loss of what a model's networks predicted out of fold.
turn_losses <- function(model) {
  evaluated <- evaluated_in_part(model, "out_of_fold")
  vapply(sort(unique(evaluated$fold)), function(fold) {
    mean_loss(model$predictor, rows_of_each(evaluated, which(evaluated$fold == fold)))
  }, 0)
}

test_that("an ensemble's trials are evaluated out of fold, and the brief's own figure is that of its blend", {
  b <- ensemble()
  file <- withr::local_tempfile(fileext = ".scout")
  search <- function(file = NULL) scout(b, units = bounds(2, 16), budget = 5, file = file, progress = "none")
  s <- search(file)
  expect_equal(s$evaluate, "out_of_fold")
  expect_equal(s$fits$loss[s$fits$trial == 1], turn_losses(train(b, progress = "none")), tolerance = 1e-12)
  expect_true(all(is.na(s$rows$units[1])))
  # never worse than the default; where it is the best it is the winner
  expect_lte(s$trials$mean[s$trials$trial == s$best], s$trials$mean[s$trials$trial == 1])
  expect_identical(trial_brief(s, s$rows, 1)$wiring, "auto")
  # a trial is evaluated as its brief is trained: it names what the rule would have chosen
  named <- trial_brief(s, s$rows, 2)
  expect_match(named$wiring, "^[0-9]+ [a-z]+ > [0-9]+ [a-z]+$")
  expect_equal(named$prepare$clip, "far")
  own <- s$fits[s$fits$trial == 2, ]
  expect_equal(own$loss, turn_losses(train(named, progress = "none"))[own$fold], tolerance = 1e-12)
  # the blend is trained once, and found again
  expect_identical(plain(search(file)), plain(s))
  expect_equal(plain(read_result(file)), plain(s))
  expect_match(paste(format(s), collapse = " "), "evaluated on 4 folds")
  expect_match(paste(format(s), collapse = " "), "the brief's own ensemble")
})

test_that("an ensemble of a named wiring is searched from its own settings", {
  b <- ensemble() |> wire("6 tanh")
  s <- scout(b, units = bounds(2, 16), budget = 4, progress = "none")
  expect_equal(s$rows$units[1], 6)
  expect_equal(s$fits$loss[s$fits$trial == 1], turn_losses(train(b, progress = "none")), tolerance = 1e-12)
  expect_fails(scout(base(), units = 2:3, evaluate = "out_of_fold"), "trains one network")
  expect_fails(scout(b, units = 2:3, evaluate = "validation"), "no validation rows")
  expect_fails(scout(b, units = 2:3, evaluate = "out_of_fold", k = 3), "`k` is about folds")
  expect_equal(scout(b, units = 2:3, k = 2, repeats = 1, progress = "none")$evaluate, "folds")
})

test_that("proposals keep their distance as long as there is room", {
  s <- quick_scout(units = bounds(2, 64), learning_rate = bounds(1e-3, 0.1), budget = 14)
  places <- space_places(s$space, s$rows)
  model <- which(s$trials$origin[order(s$trials$trial)] == "model")
  apart <- as.matrix(stats::dist(places))
  diag(apart) <- Inf
  expect_true(all(apply(apart[model, ], 1, min) >= least_distance))
  crowded <- quick_scout(units = bounds(30, 33), budget = 12)
  expect_equal(crowded$stopped, "exhausted")
})

test_that("the surrogate's slopes are those of its cost, and of very many trials the telling ones are learned from", {
  x <- matrix(withr::with_seed(1, stats::runif(60)), 20)
  space <- lapply(c("a", "b", "c"), function(name) {
    list(name = name, kind = "bounds", low = 0, high = 1, log = FALSE, whole = FALSE)
  })
  apart <- space_distances(space, x, x)
  y <- sin(5 * x[, 1]) + x[, 2]
  noisier <- seq(1, 3, length.out = 20)
  theta <- log(c(0.5, 0.7, 2, 0.05))
  cost <- function(theta) surrogate_at(theta, apart, y, noisier)$cost
  by_hand <- vapply(1:4, function(j) {
    step <- replace(numeric(4), j, 1e-5)
    (cost(theta + step) - cost(theta - step)) / 2e-5
  }, 0)
  expect_equal(surrogate_slopes(surrogate_at(theta, apart, y, noisier), apart, noisier), by_hand, tolerance = 1e-6)

  expect_identical(telling_trials(y), 1:20)
  loss <- withr::with_seed(2, stats::runif(1000))
  kept <- telling_trials(loss)
  expect_length(unique(kept), 250)
  expect_true(all(order(loss)[1:125] %in% kept))
  expect_gt(stats::sd(loss[kept]), 0.2)
})

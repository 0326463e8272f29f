sifted <- withr::with_seed(3, {
  d <- as.data.frame(matrix(rnorm(3000), 500))
  d$c <- sample(c("p", "q", "r"), 500, TRUE)
  d$y <- d$V1 + d$V2^2 + 2 * (d$c == "p") + rnorm(500, 0, 0.4)
  d
})
base <- function() withr::with_seed(1, brief(sifted, "y")) |>
  wire("8 tanh") |> regimen(epochs = 40, seed = 7) |> hold_out(folds = 0, seed = 5)

test_that("what decides is kept and what tells nothing is dropped, a category whole", {
  for (direction in c("backward", "ranking", "forward")) {
    s <- sift(base(), direction = direction, k = 3, progress = "none")
    expect_true(all(c("V1", "V2", "c") %in% s$small))
    expect_lte(length(s$small), 4)
    expect_setequal(c(s$small, s$dropped), c(paste0("V", 1:6), "c"))
    expect_equal(sort(s$path$inputs), 1:7)
    expect_equal(s$path$difference[which.min(s$path$mean)], 0)
  }
  expect_match(paste(format(s), collapse = "\n"), "inputs +added +RMSE")
})

test_that("a set's error is that of its folds, and the errors are those of paired differences", {
  s <- sift(base(), direction = "ranking", k = 3, progress = "none")
  all <- folds(base(), k = 3, progress = "none")
  expect_equal(s$path$mean[s$path$inputs == 7], mean(all$each$RMSE))
  best <- folds(best_brief(s, "best"), k = 3, progress = "none")
  expect_equal(min(s$path$mean), mean(best$each$RMSE))
  expect_equal(s$path$error[s$path$inputs == 7], sd(all$each$RMSE - best$each$RMSE) * sqrt(1 / 3 + 1 / 2))
  within <- s$path$inputs[s$path$difference <= s$path$error]
  expect_length(s$small, min(within))
})

test_that("the brief that comes of it is that with fewer inputs", {
  s <- sift(base(), direction = "ranking", k = 2, progress = "none")
  b <- best_brief(s)
  expect_setequal(brief_inputs(b), s$small)
  model <- single(b, progress = "none")
  expect_setequal(needed_columns(model$predictor), s$small)
  expect_identical(as.data.frame(s), s$path)
  expect_fails(best_brief(s, "smallest"), "`which` can't be")
})

test_that("the rise is that of shuffling column by column", {
  b <- base()
  laid <- lay_folds(fold_plan(b, 3, 1, NULL), b$table)
  spec <- fold_spec(laid, 1)
  a <- spec$analysis
  predictor <- new_predictor(spec, fit_networks(list(spec), NULL)[[1]])
  loss_over <- function(table, rows) mean_loss(predictor, evaluated_rows(predictor, a$roles, table[rows, ], rows))
  rows <- c(spec$evaluated, spec$core$rows[spec$core$validation])
  by_hand <- mean(vapply(1:3, function(r) {
    table <- a$table
    table$V1[rows] <- table$V1[rows[core_shuffle(length(rows), a$regimen$seed, stream_of("ranked columns", r))]]
    loss_over(table, rows)
  }, 0)) - loss_over(a$table, rows)
  expect_equal(shuffling_rise(spec, predictor)[match("V1", brief_inputs(b))], by_hand)
})

test_that("what can't be sifted is refused, and several targets can be", {
  expect_fails(sift(base(), direction = "sideways"), "`direction` can't be")
  expect_fails(sift(set_columns(base(), keep = V1)), "one input only")
  two <- withr::with_seed(1, brief(boats, c("litres_mile", "engine_kw"))) |> regimen(epochs = 5)
  s <- sift(two, direction = "ranking", k = 2, progress = "none")
  expect_equal(nrow(s$path), 9)
  skip_if_not_installed("ggplot2")
  expect_equal(nrow(ggplot2::ggplot_build(plot_sifting(s))$data[[3]]), 9)
  expect_fails(plot_sifting(two), "what sift() returns")
})

test_that("an interrupt at any pass leaves the passes before it, and is said where there are none", {
  ways <- list(backward = sift_backward, forward = sift_forward, ranking = sift_ranking)
  for (way in names(ways)) for (passes in 0:3) {
    done <- 0
    evaluate <- function(sets) {
      done <<- done + 1
      lapply(sets, function(set) if (done <= passes) list(set = set, losses = c(1, 2), rise = seq_along(set)))
    }
    steps <- ways[[way]](letters[1:4], evaluate)
    sifting <- function() new_sifting(base(), letters[1:4], steps, way, 2, 1)
    if (passes == 0) {
      expect_fails(sifting(), "interrupted before the first set")
    } else {
      expect_s3_class(sifting(), "hylomath_sifting")
    }
  }
})

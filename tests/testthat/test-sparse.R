# Linear models of few columns, by coordinate descent.

wide_table <- function(rows = 200, columns = 300, seed = 1) {
  withr::with_seed(seed, {
    x <- matrix(rnorm(rows * columns), rows)
    y <- ifelse(runif(rows) < plogis(3 * (x[, 1] - x[, 2] + x[, 3])), "yes", "no")
    data.frame(x, y = y)
  })
}

told <- function(x) gsub("\\s+", " ", paste(format(x), collapse = " "))

test_that("under a given l1 the slopes of every loss meet the conditions of its minimum", {
  table <- withr::with_seed(3, {
    n <- 300
    x <- data.frame(matrix(rnorm(n * 12), n))
    eta <- x$X1 - 0.7 * x$X2
    transform(
      x, number = eta + rnorm(n), count = rpois(n, exp(0.5 * eta)), positive = exp(eta) * rexp(n),
      two = ifelse(runif(n) < plogis(2 * eta), "b", "a"), three = cut(eta + rnorm(n), 3, labels = c("p", "q", "r")),
      weight = runif(n, 0.5, 1.5), exposed = runif(n, 1, 3)
    )
  })
  inputs <- paste0("X", 1:12)
  x <- as.matrix(table[inputs])
  positive <- NULL
  slope_of <- list(  # of the mean loss in the linear values; a is what is predicted
    number = function(y, a, scale) 2 * (a - y) / scale, count = function(y, a, scale) a - y,
    positive = function(y, a, scale) 1 - y / a,
    two = function(y, a, scale) a[, positive] - (c("a", "b")[positive] == y),
    three = function(y, a, scale) a - outer(as.character(y), c("p", "q", "r"), `==`)
  )
  asked <- list(
    number = list(), count = list(exposure = TRUE), positive = list(loss = "gamma"), two = list(),
    three = list(plain = TRUE)
  )
  for (target in names(asked)) {
    how <- asked[[target]]
    given <- table[c(inputs, target, "weight", if (isTRUE(how$exposure)) "exposed")]
    if (isTRUE(how$plain)) given[[target]] <- as.character(given[[target]])
    b <- brief(given, target = target) |> set_columns(weight = weight) |> prepare(numbers = "none") |>
      hold_out(validation = 0, test = 0, seed = 1) |> wire("linear")
    if (isTRUE(how$exposure)) b <- set_columns(b, exposure = exposed)
    if (!is.null(how$loss)) b <- regimen(b, loss = how$loss)
    model <- train(regimen(b, method = "coordinate_descent", l1 = 0.05, seed = 1), progress = "none")
    units <- length(model$predictor$network$parameters) / 13
    parameters <- matrix(model$predictor$network$parameters, ncol = units, byrow = TRUE)
    weights <- parameters[seq_along(inputs), , drop = FALSE]
    classes <- target %in% c("two", "three")
    a <- predict(model, given, type = if (classes) "probability" else "prediction")
    a <- as.matrix(a[grepl(if (classes) "^probability" else "^prediction", names(a))])
    scale <- model$predictor$preparation$target$scale[1]
    positive <- match(model$predictor$target$positive, model$predictor$target$classes)
    slopes <- as.matrix(slope_of[[target]](given[[target]], if (classes) a else drop(a), scale))
    if (target == "count") slopes <- slopes / scale
    slopes <- crossprod(x, slopes * table$weight / mean(table$weight)) / nrow(table)
    left <- ifelse(weights == 0, pmax(abs(slopes) - 0.05, 0), abs(slopes + 0.05 * sign(weights)))
    expect_lt(max(left), 1e-6, label = paste("what is left of", target))
    expect_true(any(weights == 0) && any(weights != 0), info = target)
  }
})

test_that("the rows that stop it choose from a path of penalties, and few columns are left", {
  b <- brief(wide_table(), target = "y") |> hold_out(test = 0, seed = 1) |> wire("linear")
  sparse <- train(regimen(b, method = "coordinate_descent", seed = 1), progress = "none")
  weights <- sparse$predictor$network$parameters[1:300]
  expect_true(all(weights[1:3] != 0))
  expect_lt(sum(weights != 0), 60)
  expect_equal(sparse$brief$regimen$l1, "path")
  expect_match(told(sparse), "coordinate_descent, l1 0\\.0[0-9]+ by the rows that stop it")
  # what has no weight is left out where columns are looked at one by one, and nothing else changes
  narrow <- without_idle_inputs(sparse$predictor)
  expect_length(narrow$preparation$columns, sum(weights != 0))
  new <- wide_table(50, seed = 4)
  expect_identical(predictions_of(narrow, new), predictions_of(sparse$predictor, new))
  found <- as.data.frame(importance(sparse, new, repeats = 2))
  expect_setequal(found$column[found$importance == 0], paste0("X", which(weights == 0)))
  # the penalty that was chosen, named, comes to the same network
  named <- train(regimen(b, method = "coordinate_descent", l1 = sparse$evidence_l2, seed = 1), progress = "none")
  expect_equal(named$predictor$network$parameters, sparse$predictor$network$parameters, tolerance = 1e-4)
  expect_fails(regimen(b, l1 = "path", method = "lbfgs"), "`regimen.l1` has no meaning for the method `lbfgs`")
  expect_fails(regimen(b, l1 = "path", method = "adam"), "`regimen.l1` can't be `path`", "coordinate_descent")
  expect_fails(regimen(wire(b, "8 tanh"), method = "coordinate_descent"), "without hidden layers")
})

test_that("of many columns the linear model that stands beside an ensemble is the better of two", {
  b <- brief(wide_table(), target = "y") |> hold_out(seed = 1) |> regimen(seed = 1, epochs = 40)
  expect_true("linear, sparse" %in% names(ensemble_candidates(settle(b))))
  expect_false("linear, sparse" %in% names(ensemble_candidates(settle(brief(kilns, target = "outcome")))))
  model <- train(b, progress = "none")
  expect_equal(linear_name(model$members), "linear, sparse")
  new <- wide_table(1000, seed = 2)
  auc <- function(predictor) {
    place <- rank(predictions_of(predictor, new)$probability_yes)
    yes <- new$y == "yes"
    (mean(place[yes]) - (sum(yes) + 1) / 2) / sum(!yes)
  }
  expect_gt(auc(model$predictor), 0.9)
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file)
  expect_identical(read_model(file), model)
  expect_identical(predictions_of(without_idle_inputs(model$predictor), new), predictions_of(model$predictor, new))
  again <- refit(model, wide_table(), progress = "none")
  expect_gt(auc(again$predictor), 0.9)
})

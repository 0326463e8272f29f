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
    made <- transform(
      x, number = eta + rnorm(n), count = rpois(n, exp(0.5 * eta)), positive = exp(eta) * rexp(n),
      two = ifelse(runif(n) < plogis(2 * eta), "b", "a"), three = sample(c("p", "q", "r"), n, TRUE),
      ranked = factor(cut(eta + rnorm(n), 3, labels = c("low", "middle", "high")), ordered = TRUE),
      other = 2 * x$X3 + rnorm(n),
      weight = runif(n, 0.5, 1.5), exposed = runif(n, 1, 3)
    )
    made$three[eta > 0.6] <- "p"
    made
  })
  inputs <- paste0("X", 1:12)
  x <- as.matrix(table[inputs])
  share <- function(y, classes) outer(as.character(y), classes, `==`)
  cases <- list(  # the slopes of the mean loss in the linear values, y what is observed and a what is predicted
    number = list(slope = function(y, a, model) 2 * (a - y) / scale_of(model)),
    count = list(
      slope = function(y, a, model) (a - y) / scale_of(model), change = \(b) set_columns(b, exposure = exposed)
    ),
    positive = list(slope = function(y, a, model) 1 - y / a, change = \(b) regimen(b, loss = "gamma")),
    two = list(slope = function(y, a, model) (a - share(y, c("a", "b")))[, model$predictor$target$positive]),
    three = list(slope = function(y, a, model) a - share(y, c("p", "q", "r"))),
    ranked = list(slope = function(y, a, model) {
      upto <- cbind(0, t(apply(a, 1, cumsum)))
      bend <- upto * (1 - upto)
      own <- as.integer(y)
      at <- function(m, j) m[cbind(seq_along(own), j)]
      (at(bend, own + 1) - at(bend, own)) / at(a, own)
    }),
    "number other" = list(slope = function(y, a, model) 2 * sweep(a - as.matrix(y), 2, scale_of(model), `/`)),
    number = list(
      slope = function(y, a, model) pmax(-1, pmin(1, (a - y) / scale_of(model))),
      change = \(b) regimen(b, loss = "huber")
    )
  )
  scale_of <- function(model) model$predictor$preparation$target$scale
  for (i in seq_along(cases)) {
    target <- strsplit(names(cases)[i], " ")[[1]]
    change <- cases[[i]]$change %||% identity
    given <- table[c(inputs, target, "weight", "exposed")]
    b <- brief(given, target = target) |> set_columns(weight = weight, drop = exposed) |> prepare(numbers = "none") |>
      hold_out(validation = 0, test = 0, seed = 1) |> wire("linear")
    model <- train(regimen(change(b), method = "coordinate_descent", l1 = 0.05, seed = 1), progress = "none")
    said <- predict(model, given, type = if (is.null(model$predictor$target$classes)) "prediction" else "probability")
    a <- as.matrix(said)
    colnames(a) <- sub("^probability_", "", colnames(a))
    observed <- if (length(target) > 1) given[target] else given[[target]]
    slopes <- as.matrix(cases[[i]]$slope(observed, if (ncol(a) > 1) a else drop(a), model))
    slopes <- crossprod(x, slopes * table$weight / mean(table$weight)) / nrow(table)
    parameters <- model$predictor$network$parameters[seq_len(13 * ncol(slopes))]
    weights <- matrix(parameters, ncol = ncol(slopes), byrow = TRUE)[seq_along(inputs), , drop = FALSE]
    left <- ifelse(weights == 0, pmax(abs(slopes) - 0.05, 0), abs(slopes + 0.05 * sign(weights)))
    expect_lt(max(left), 1e-6, label = paste("what is left of case", i))
    expect_true(any(weights == 0) && any(weights != 0), info = names(cases)[i])
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
  # a path goes past its best end, which is no overfitting
  loss <- sparse$curves$validation
  expect_gt(utils::tail(loss, 1), 1.1 * min(loss))
  expect_no_match(told(sparse), "began to overfit")
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
  expect_fails(regimen(b, l1 = "path", method = "lbfgs"), "`regimen.l1` can't be `path`")
  expect_fails(regimen(b, l1 = "path", method = "adam"), "`regimen.l1` can't be `path`", "coordinate_descent")
  expect_fails(regimen(wire(b, "8 tanh"), method = "coordinate_descent"), "without hidden layers")
  expect_fails(regimen(wire(b, "8 tanh"), l1 = "path"), "without hidden layers")
  expect_fails(train(hold_out(regimen(b, l1 = "path"), validation = 0), progress = "none"), "no validation rows")
  settled <- function(b) settle(b) |> (\(a) regimen_in_force(a, function() learn_preparation(a))$method)()
  expect_equal(settled(regimen(b, l1 = "path")), "coordinate_descent")
  expect_equal(settled(regimen(b, l1 = 0.1)), "coordinate_descent")
  expect_equal(settled(regimen(b, l1 = 0.1, learning_rate = 0.01)), "adam")
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

test_that("a column is ranked by the adjusted share that its bins, levels or a straight line explain", {
  n <- 400
  rows <- withr::with_seed(4, data.frame(
    bent = runif(n), straight = rnorm(n), level = sample(letters[1:5], n, TRUE), nothing = rnorm(n),
    gaps = ifelse(runif(n) < 0.3, NA, rnorm(n))
  ))
  rows$y <- (rows$bent - 0.5)^2 * 8 + rows$straight + (rows$level == "a") + is.na(rows$gaps) +
    withr::with_seed(5, rnorm(n))
  a <- settle(brief(rows, target = "y") |> hold_out(validation = 0, test = 0))
  share <- told_shares(a, names(rows)[1:5], seq_len(n), rep(1, n))
  adjusted <- function(formula) summary(stats::lm(formula, rows))$adj.r.squared
  eighths <- function(x) factor(ceiling(rank(x) / n * 8))
  expect_equal(share[1], adjusted(y ~ eighths(bent)), tolerance = 1e-10)
  expect_equal(share[2], adjusted(y ~ straight), tolerance = 1e-10)
  expect_equal(share[3], adjusted(y ~ level), tolerance = 1e-10)
  expect_lt(abs(share[4]), 0.03)
  straight <- adjusted(y ~ is.na(gaps) + ifelse(is.na(gaps), 0, gaps))
  in_eighths <- adjusted(y ~ factor(ifelse(is.na(gaps), -1, floor((rank(gaps) - 1) / sum(!is.na(gaps)) * 8))))
  expect_equal(share[5], max(straight, in_eighths), tolerance = 1e-10)
  # of weights that count it is that of rows written out
  times <- rep(1:2, n / 2)
  written <- settle(brief(rows[rep(seq_len(n), times), ], target = "y") |> hold_out(validation = 0, test = 0))
  inputs <- c("bent", "straight", "level", "gaps")
  expect_equal(
    told_shares(a, inputs, seq_len(n), times),
    told_shares(written, inputs, seq_len(sum(times)), rep(1, sum(times))), tolerance = 1e-10
  )
  uneven <- rep(c(0.01, 1.99), n / 2)
  fitted <- stats::lm(y ~ level, rows, weights = uneven)
  expect_equal(told_shares(a, "level", seq_len(n), uneven), summary(fitted)$adj.r.squared, tolerance = 1e-10)
})

test_that("a network of the strongest columns has learned them from its own rows, and needs no others", {
  rows <- withr::with_seed(6, as.data.frame(matrix(runif(300 * 70), 300)))
  rows$y <- 3 * sin(pi * rows$V3) + (rows$V7 - 0.5)^2 * 20 + withr::with_seed(7, rnorm(300, sd = 0.2))
  b <- brief(rows, target = "y") |> hold_out(by = "random", seed = 1) |> regimen(seed = 1, epochs = 30)
  alone <- wire(quick(b), "4 tanh") |> prepare(strongest = 3)
  one <- train(alone, progress = "none")
  left <- prepared_columns(one$predictor$preparation)
  expect_length(left, 3)
  expect_true(all(c("V3", "V7") %in% left))
  expect_length(predict(one, rows[left])$prediction, 300)
  expect_match(paste(format(one), collapse = " "), "3 columns, 3 after preparation")
  # the held-out rows have no say
  other <- rows
  other$y[part_along(alone) != "training"] <- 0
  again <- train(alone, data = other, progress = "none")
  expect_identical(prepared_columns(again$predictor$preparation), left)
  # several networks take their own, and together need all of these
  several <- train(wire(hold_out(b, folds = 4, seed = 1), "4 tanh") |> prepare(strongest = 3), progress = "none")
  own <- lapply(several$predictor$members, function(member) prepared_columns(member$preparation))
  expect_true(all(lengths(own) == 3))
  networks <- c(several$predictor$members, several$linear$members)
  expect_setequal(needed_columns(several$predictor), unlist(lapply(networks, needed_columns)))
  expect_identical(predict(several, rows[needed_columns(several$predictor)]), predict(several, rows))
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(several, file)
  expect_identical(predict(read_model(file), rows), predict(several, rows))
  expect_fails(prepare(b, only = V1, strongest = 3), "can't be set for `only` some columns")
  expect_fails(prepare(b, strongest = 0), "strongest")
})

test_that("the rule takes few of many columns beside all of them where there are many", {
  offered <- function(columns) {
    rows <- withr::with_seed(8, as.data.frame(matrix(rnorm(300 * columns), 300)))
    rows$y <- rows$V1^2 + withr::with_seed(9, rnorm(300))
    b <- brief(rows, target = "y") |> hold_out(folds = 4, seed = 1)
    names(ensemble_candidates(settle(b)))
  }
  expect_false(any(grepl("of 30 columns", offered(50))))
  many <- offered(80)
  expect_true(all(c("24 silu > 12 silu, of 30 columns", "24 silu > 12 silu", "linear, sparse") %in% many))
  more <- offered(400)
  expect_false(any(c("24 silu > 12 silu", "64 relu > 32 relu, by rank") %in% more))
})

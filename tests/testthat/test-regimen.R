training <- function(b) single(b, progress = "none")

test_that("the method, batch, rate and l2 follow the written rule and are shown", {
  small <- brief(small_kilns(), target = "outcome")
  expect_match(paste(format(small), collapse = " "), "method lbfgs (auto: all rows at once", fixed = TRUE)
  settled <- function(b) {
    a <- settle(quick(b))
    regimen_in_force(a, function() learn_preparation(a))[c("method", "batch_size", "learning_rate", "l2")]
  }
  expect_equal(settled(small), list(method = "lbfgs", batch_size = "auto", learning_rate = "auto", l2 = 0.01))
  expect_equal(
    settled(brief(kilns, target = "outcome")), list(method = "adam", batch_size = 64, learning_rate = 0.005, l2 = 0.004)
  )
  small_boats <- brief(boats, target = "litres_mile") |> wire("2 tanh")
  expect_equal(settled(small_boats)$method, "lbfgs")  # 25 parameters, 22 training rows
  curve <- brief(data.frame(x = 1:60 + 0.5, y = sin(1:60)), target = "y") |> wire("8 tanh")
  expect_equal(settled(curve)[c("method", "l2")], list(method = "levenberg_marquardt", l2 = "evidence"))
  expect_equal(settled(regimen(curve, loss = "absolute"))$method, "adam")
  expect_equal(settled(regimen(curve, loss = "huber"))$method, "levenberg_marquardt")
  expect_equal(settled(wire(curve, "8 relu"))$method, "lbfgs")
  expect_equal(settled(wire(curve, "40 tanh"))$method, "lbfgs")  # more parameters than rows
  expect_equal(settled(wire(brief(kilns, target = "outcome"), "64 tanh"))$method, "adam")  # equations too many
  expect_equal(
    settled(wire(curve, "8 tanh l2=0.1"))[c("method", "l2")], list(method = "levenberg_marquardt", l2 = 0.01)
  )
  changes <- list(
    \(b) wire(b, "8 tanh > dropout 0.1"), \(b) wire(b, "8 tanh norm"), \(b) regimen(b, l1 = 0.01),
    \(b) regimen(b, learning_rate = 0.01), \(b) regimen(b, input_noise = 0.1)
  )
  for (change in changes) {
    expect_equal(settled(change(curve))$method, "adam")
  }
  expect_equal(vapply(c(1e4, 10001, 4e4, 40001, 1e7), auto_batch_size, 0), c(64, 128, 128, 256, 1024))
  expect_equal(auto_learning_rate("adam", 256), 0.01)
})

test_that("a model's brief holds what the rule came to", {
  model <- quick_model()
  expect_equal(model$brief$regimen[c("method", "l2")], list(method = "lbfgs", l2 = 0.01))
  expect_equal(quick_model(epochs = 2, method = "nesterov")$brief$regimen$momentum, 0.9)
})

test_that("what the method, the task or the loss has no use for is refused with the reason", {
  b <- brief(kilns, target = "outcome")
  n <- brief(crossings, target = "passengers")
  r <- brief(crossings, target = "fare", task = "regression")
  expect_fails(
    regimen(b, method = "lbfgs", learning_rate = 0.1), "`regimen.learning_rate` has no meaning for the method `lbfgs`"
  )
  expect_fails(regimen(b, method = "lbfgs", batch_size = 10), "`regimen.batch_size` has no meaning")
  expect_fails(regimen(b, weight_decay = 0.1), "set, but not the method", "`adamw`")
  expect_fails(regimen(wire(b, "8 relu > dropout 0.5"), method = "scaled_conjugate"), "can't do `dropout`")
  expect_fails(wire(regimen(b, method = "resilient"), "8 relu norm"), "can't do `norm`")
  expect_fails(regimen(b, loss = "squared"), "not for the task `classification`", "`cross_entropy` or `ordinal`")
  expect_fails(regimen(n, loss = "gamma"), "not for the task `count`")
  expect_fails(regimen(brief(recovery, target = "returned"), loss = "ordinal"), "three or more ordered classes")
  expect_fails(regimen(b, output = "softplus"), "the classes decide it")
  expect_fails(regimen(r, loss = "gamma", output = "identity"), "needs predictions above 0")
  expect_fails(
    regimen(r, loss = list(kind = "huber", delt = 2)), "`regimen.loss` has no setting `delt`", "Did you mean `delta`?"
  )
  expect_fails(regimen(r, loss = list(kind = "quantile", at = 1.5)), "between 0 and 1")
  expect_fails(regimen(b, schedule = list(kind = "cosin")), "Did you mean `cosine`?")
  expect_fails(regimen(b, keep = "ensemble"), "at least two starts")
  expect_fails(regimen(b, measures = "rmse"), "does not fit the task classification")
  expect_fails(regimen(b, l2 = "evidence", method = "adam"), "goes with `levenberg_marquardt`")
  expect_fails(regimen(b, batch_size = "big"), "\"big\"", "a whole number from 1")
  expect_fails(
    training(
      regimen(brief(transform(crossings, fare = fare - 100), target = "fare", task = "regression"), loss = "gamma")
    ),
    "is not above 0 in rows", "which the loss `gamma` needs"
  )
  expect_fails(training(prepare(regimen(r, output = "exponential"), target = "log")), "a logarithm of its own")
  expect_fails(brief(kilns, target = c("outcome", "peak_c")), "must be numbers")
  expect_fails(brief(boats, target = c("litres_mile", "litres_mile")), "names `litres_mile` twice")
})

test_that("beyond 2,000 parameters steps of second order are taken by products, whatever the task and its features", {
  table <- withr::with_seed(1, {
    rows <- data.frame(x = rnorm(240), z = rnorm(240), quay = sample(letters, 240, TRUE), hours = runif(240, 1, 3))
    signal <- sin(2 * rows$x) + rows$z / 2
    cbind(
      rows, times = rep(1:3, 80), fee = signal + rnorm(240) / 4, calls = rpois(240, rows$hours * exp(signal / 2)),
      state = cut(signal + rlogis(240) / 3, c(-Inf, -0.5, 0.5, Inf), c("good", "worn", "broken"))
    )
  })
  of <- function(target) set_columns(brief(table, target = target), keep = c(x, z, quay))
  cases <- list(
    embedding = prepare(of("state"), categories = "embedding"),
    ordered = regimen(set_columns(of("state"), weight = times, weight_is = "counts"), loss = "ordinal"),
    exposure = set_columns(of("calls"), exposure = hours), several = of(c("fee", "hours"))
  )
  for (name in names(cases)) {
    own <- wire(cases[[name]], if (name == "exposure") "44 tanh > 44 tanh + skip" else "48 tanh > 44 tanh")
    own <- regimen(hold_out(quick(own), seed = 1), method = "levenberg_marquardt", epochs = 8, seed = 1)
    model <- train(own, progress = "none")
    expect_gt(length(model$predictor$network$parameters), 2000)
    lost <- model$curves$training
    expect_lt(min(lost), 0.95 * lost[1])
    expect_true(is.finite(model$evidence_l2))
    again <- withr::with_options(list(hylomath.threads = 1), train(own, progress = "none"))
    expect_identical(trained_network(again), trained_network(model))
  }
  # where the linear model that a skip connection begins with is the best there is no penalty to tell of
  begun <- hold_out(quick(wire(cases$exposure, "6 tanh + skip")), seed = 10)
  model <- train(regimen(begun, method = "levenberg_marquardt", epochs = 8, seed = 1), progress = "none")
  expect_equal(model$best_epoch, 1)
  expect_match(capture.output(print(model)), "levenberg_marquardt, l2 by evidence", fixed = TRUE, all = FALSE)
})

test_that("kinds with settings have one canonical form, and survive the brief file", {
  b <- brief(crossings, target = "passengers", task = "regression")
  expect_equal(regimen(b, loss = list(kind = "huber"))$regimen$loss, "huber")
  expect_equal(
    regimen(b, loss = list(kind = "quantile", at = c(0.9, 0.1)))$regimen$loss, list(kind = "quantile", at = c(0.1, 0.9))
  )
  expect_equal(
    regimen(b, schedule = list(kind = "step", every = 5))$regimen$schedule,
    list(kind = "step", every = 5, factor = 0.5, warm_up = 0)
  )
  full <- regimen(
    b, method = "adamw", loss = list(kind = "huber", delta = 2), schedule = list(kind = "cosine", floor = 0.1),
    batch_size = 32, restarts = 3, keep = "ensemble", measures = c("mae", "rmse"),
    stop = list(patience = 5, seconds = 9, gradient = 1e-3, loss = 0.1), gradient_clip = 1, max_norm = 3,
    input_noise = 0.1
  )
  file <- withr::local_tempfile(fileext = ".yml")
  write_brief(full, file)
  expect_identical(brief_settings(read_brief(file)), brief_settings(full))
  two <- brief(boats, target = c("litres_mile", "engine_kw"))
  write_brief(two, file)
  expect_identical(brief_settings(read_brief(file)), brief_settings(two))
})

test_that("every method and every schedule trains, and each has a better network than the baseline", {
  for (method in setdiff(training_methods, linear_methods)) {
    model <- quick_model(epochs = 60, method = method)
    m <- appraise(model, rows = "validation")$measures
    expect_lt(m$value[m$measure == "cross-entropy"], m$baseline[m$measure == "cross-entropy"])
    expect_equal(is.na(loss_curves(model)$rate[1]), method %in% whole_methods)
  }
  for (kind in setdiff(names(schedule_kinds), "constant")) {
    model <- quick_model(epochs = 30, method = "adam", schedule = list(kind = kind, warm_up = 2), stop = "none")
    rate <- loss_curves(model)$rate
    expect_lt(rate[1], rate[3])
    if (kind != "plateau") expect_lt(rate[30], rate[4])
  }
})

test_that("the model says which rule ended training", {
  stopped <- function(...) quick_model(small_crossings(), "passengers", ...)$stopped
  expect_equal(stopped(epochs = 3), "epochs")
  expect_equal(stopped(epochs = 5000, stop = list(gradient = 0.05)), "gradient")
  expect_equal(stopped(epochs = 5000, stop = list(loss = 5)), "loss")
  expect_equal(stopped(epochs = 1e6, stop = list(seconds = 0.1), method = "adam"), "seconds")
  model <- quick_model(small_crossings(), "passengers", epochs = 1e6, stop = list(seconds = 0.05), method = "adam")
  expect_true("out_of_time" %in% notes(model)$code)
  expect_match(paste(format(model), collapse = " "), "by the time limit")
  linear <- brief(boats, target = "litres_mile") |>
    wire("linear") |> regimen(method = "lbfgs", stop = "none", epochs = 5000) |> training()
  expect_equal(linear$stopped, "converged")
})

test_that("a smooth curve of sixty points is learned to 1e-5 of its variance by the default", {
  x <- seq(0, 1, length.out = 60)
  curve <- data.frame(x = x, y = exp(-2.5 * x) * sin(12 * x))
  model <- withr::with_seed(1, brief(curve, target = "y") |> wire("8 tanh") |> train(progress = "none"))
  expect_lt(mean((predict(model, curve)$prediction - curve$y)^2) / var(curve$y), 1e-5)
})

test_that("evidence finds a penalty that fits the noise", {
  noisy <- withr::with_seed(4, data.frame(x = runif(200), y = rnorm(200)))
  clean <- transform(noisy, y = sin(6 * x))
  l2_of <- function(t) withr::with_seed(1, training(wire(brief(t, target = "y"), "4 tanh")))$evidence_l2
  expect_gt(l2_of(noisy), 1000 * l2_of(clean))
})

test_that("a penalty follows the noise where the loss tells it", {
  table <- withr::with_seed(5, data.frame(x = runif(3000), z = runif(3000)))
  table$y <- sin(6 * table$x) + table$z
  noisy <- function(share) withr::with_seed(6, transform(table, y = y + rnorm(3000, 0, sqrt(share) * sd(y))))
  trained <- function(table, ...) {
    b <- brief(table, target = "y") |> wire("16 silu") |> hold_out(test = 0, validation = 0.2, seed = 1)
    train(regimen(b, method = "adam", seed = 2, ...), progress = "none")
  }
  for (share in c(0.05, 0.5)) {
    model <- trained(noisy(share))
    expect_equal(model$evidence_l2, 10 / 2400 * share / (1 + share), tolerance = 0.2)
    expect_match(capture.output(print(model)), "by the noise", all = FALSE)
  }
  positive <- transform(table, y = exp(y) * withr::with_seed(7, rgamma(3000, 25, 25)))
  expect_equal(trained(positive, loss = "gamma")$evidence_l2, 10 / 2400 * 0.04, tolerance = 0.2)
  expect_true(is.na(trained(noisy(0.5), l2 = 0.001)$evidence_l2))
  b <- brief(table, target = "y")
  expect_fails(regimen(b, l2 = "noise", method = "lbfgs"), "goes with `momentum`")
  expect_fails(regimen(b, l2 = "noise", loss = "absolute"), "no noise apart")
  expect_fails(train(wire(regimen(b, l2 = "noise"), "4 tanh l2=0.1"), progress = "none"), "l2 of its own")
})

test_that("losses with other links and smoothing train and prediction in the target's unit", {
  table <- small_crossings()
  all_settings <- list(
    list(loss = "gamma"), list(output = "exponential"), list(output = "softplus"), list(loss = "huber"),
    list(loss = "absolute", output = "softplus")
  )
  for (settings in all_settings) {
    model <- withr::with_seed(
      1,
      do.call(regimen, c(list(brief(table, target = "fare", task = "regression"), epochs = 100), settings)) |>
        training()
    )
    m <- appraise(model)$measures
    expect_lt(m$value[m$measure == "MAE"], m$baseline[m$measure == "MAE"])
  }
  counts <- quick_model(table, "passengers", epochs = 100, output = "softplus")
  m <- appraise(counts)$measures
  expect_lt(m$value[m$measure == "Poisson deviance"], 0.8 * m$baseline[m$measure == "Poisson deviance"])
  smooth <- quick_model(epochs = 100, loss = list(kind = "cross_entropy", smoothing = 0.4))
  expect_lt(max(predict(smooth, small_kilns(), type = "probability")), 0.85)
})

test_that("batch normalisation, noise, bounds and embeddings leave training repeatable", {
  a <- rich_model()
  expect_identical(trained_network(rich_model()), trained_network(a))
  expect_identical(withr::with_options(list(hylomath.threads = 1), trained_network(rich_model())), trained_network(a))
  b <- quick_model(epochs = 5, method = "adamw", max_norm = 0.5, gradient_clip = 1, input_noise = 0.2)
  w <- coef(b)$layer_1
  expect_lt(max(sqrt(colSums(w[-nrow(w), ]^2))), 0.5 + 1e-6)
})

test_that("restarts are trained together, compared, and kept or averaged", {
  one <- quick_model(epochs = 20, method = "adam", restarts = 4)
  expect_equal(nrow(one$restarts), 4)
  kept <- which.min(one$restarts$validation)
  expect_equal(loss_curves(one)$validation[one$best_epoch], one$restarts$validation[kept])
  expect_match(paste(format(one), collapse = " "), "4, validation loss from")
  ensemble <- quick_model(epochs = 20, method = "adam", restarts = 4, keep = "ensemble")
  expect_identical(members_of(trained_network(ensemble))[[kept]], trained_network(one)$parameters)
  single <- function(parameters) {
    one$predictor <- with_parameters(one$predictor, parameters)
    as.matrix(predict(one, small_kilns(), type = "probability"))
  }
  mean_of_members <- Reduce(`+`, lapply(members_of(trained_network(ensemble)), single)) / 4
  expect_equal(as.matrix(predict(ensemble, small_kilns(), type = "probability")), mean_of_members)
  far <- one
  far$restarts$loss[1] <- 10
  expect_true("restarts_disagree" %in% notes(far)$code)
  far$restarts$loss <- 0.5
  expect_false("restarts_disagree" %in% notes(far)$code)
})

test_that("starts that diverge at once are told, not tripped over", {
  model <- quick_model(
    small_crossings(), "passengers", epochs = 5, method = "nesterov", learning_rate = 1e6, restarts = 3
  )
  expect_equal(model$restarts$stopped, rep("diverged", 3))
  expect_match(paste(format(model), collapse = " "), "none of which ended an epoch")
  expect_match(notes(model)$note[notes(model)$code == "diverged"], "these are the starting weights")
  ensemble <- quick_model(
    small_crossings(), "passengers", epochs = 5, method = "nesterov", learning_rate = 1e6, restarts = 3,
    keep = "ensemble"
  )
  expect_s3_class(appraise(ensemble), "hylomath_appraisal")
  half <- quick_model(epochs = 3, restarts = 3)
  half$restarts$loss[2] <- NA
  expect_match(paste(format(half), collapse = " "), "3 \\(1 diverged at once\\)")
})

test_that("measures by epoch are those of the kept network", {
  model <- quick_model(epochs = 30, measures = "accuracy")
  m <- appraise(model, rows = "validation")$measures
  expect_equal(loss_curves(model)$validation_accuracy[model$best_epoch], m$value[m$measure == "accuracy"])
  numbers <- quick_model(small_crossings(), "fare", epochs = 30, measures = c("mae", "rmse"))
  m <- appraise(numbers, rows = "validation")$measures
  expect_equal(loss_curves(numbers)$validation_mae[numbers$best_epoch], m$value[m$measure == "MAE"], tolerance = 1e-5)
  expect_equal(loss_curves(numbers)$validation_rmse[numbers$best_epoch], m$value[m$measure == "RMSE"], tolerance = 1e-5)
})

test_that("errors by epoch are those of the quantile that is predicted", {
  b <- brief(small_crossings(), target = "fare", task = "regression") |>
    regimen(loss = list(kind = "quantile", at = c(0.5, 0.9)), measures = "mae", epochs = 30) |>
    hold_out(seed = 1)
  model <- withr::with_seed(1, training(b))
  m <- appraise(model, rows = "validation")$measures
  expect_equal(loss_curves(model)$validation_mae[model$best_epoch], m$value[m$measure == "MAE"], tolerance = 1e-3)
})

test_that("quantiles are given in rising order, row by row", {
  b <- brief(small_crossings(), target = "fare", task = "regression") |>
    regimen(loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9)), epochs = 5)
  model <- withr::with_seed(1, training(b))
  # with outputs the other way round every row would fall
  weights <- coef(model)$output
  weights[, 1:3] <- weights[, 3:1]
  predictions <- predict(set_coef(model, list(output = weights)), small_crossings())
  expect_true(all(predictions$quantile_0.1 < predictions$quantile_0.5))
  expect_true(all(predictions$quantile_0.5 < predictions$quantile_0.9))
  expect_identical(predictions$prediction, predictions$quantile_0.5)
})

test_that("ordered classes keep their order, given as a factor or by name", {
  t <- withr::with_seed(1, data.frame(x = rnorm(300)))
  t$grade <- as.character(cut(t$x + rnorm(300, 0, 0.3), c(-Inf, -0.5, 0.7, Inf), c("low", "mid", "high")))
  b <- brief(t, target = "grade", classes = c("low", "mid", "high")) |> regimen(loss = "ordinal")
  expect_match(paste(format(b), collapse = " "), "3 ordered classes: low < mid < high", fixed = TRUE)
  model <- withr::with_seed(1, training(b))
  p <- predict(model, data.frame(x = c(-3, 0, 3)), type = "both")
  expect_equal(p$prediction, c("low", "mid", "high"))
  expect_equal(rowSums(p[-1]), rep(1, 3), tolerance = 1e-6, ignore_attr = TRUE)
  expect_fails(brief(t, target = "grade", classes = c("low", "high")), "the value \"mid\"")
})

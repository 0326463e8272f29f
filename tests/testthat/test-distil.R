base <- function() withr::with_seed(1, brief(small_kilns(), "outcome")) |>
  regimen(epochs = 15, seed = 7, method = "adam") |> hold_out(seed = 5)

test_that("at temperature 1 a linear student is glm's fit to labels and the teacher's probabilities, weighted", {
  d <- withr::with_seed(
    4, { x <- rnorm(400); data.frame(x = x, y = ifelse(runif(400) < plogis(1.5 * x), "yes", "no")) }
  )
  b <- brief(d, "y") |>
    wire("linear") |> hold_out(test = 0.2, validation = 0, seed = 2) |>
    regimen(method = "lbfgs", l2 = 0, epochs = 500, stop = list(gradient = 1e-9), seed = 3)
  teacher <- single(wire(b, "3 tanh") |> regimen(l2 = 0.01, epochs = 50), progress = "none")
  student <- distil(teacher, b, temperature = 1, label_share = 0.4, k = 0, progress = "none")
  rows <- part_along(b) %in% "training"
  soft <- 0.4 * (d$y[rows] == "yes") + 0.6 * predict(teacher, d[rows, ], type = "probability")$probability_yes
  fit <- suppressWarnings(glm(soft ~ x, binomial, data = data.frame(soft, x = d$x[rows])))
  expect_equal(
    predict(student, d, type = "probability")$probability_yes, unname(predict(fit, d, type = "response")),
    tolerance = 1e-5
  )
})

test_that("a taught student of numbers is one trained on the blend", {
  d <- withr::with_seed(4, { x <- rnorm(300); data.frame(x = x, y = x + x^2 + rnorm(300)) })
  b <- brief(d, "y") |>
    wire("linear") |> hold_out(test = 0.2, validation = 0, seed = 2) |>
    regimen(method = "lbfgs", l2 = 0, epochs = 500, stop = list(gradient = 1e-10), seed = 3)
  teacher <- single(wire(b, "4 tanh") |> regimen(l2 = 0.001, epochs = 60), progress = "none")
  student <- distil(teacher, b, label_share = 0.25, k = 0, progress = "none")
  rows <- part_along(b) %in% "training"
  blend <- 0.25 * d$y[rows] + 0.75 * predict(teacher, d[rows, ])$prediction
  fit <- lm(blend ~ x, data.frame(blend, x = d$x[rows]))
  expect_equal(predict(student, d)$prediction, unname(predict(fit, d)), tolerance = 1e-5)
  expect_null(student$distilled$temperature)
})

test_that("rows without a target are learned from the teacher alone", {
  d <- withr::with_seed(4, { x <- rnorm(300); data.frame(x = x, y = x + rnorm(300)) })
  b <- brief(d[1:200, ], "y") |>
    wire("linear") |> hold_out(test = 0.2, validation = 0, seed = 2) |>
    regimen(method = "lbfgs", l2 = 0, epochs = 500, stop = list(gradient = 1e-10), seed = 3)
  teacher <- single(b, progress = "none")
  student <- distil(teacher, b, label_share = 1, unlabelled = d[201:300, "x", drop = FALSE], k = 0, progress = "none")
  expect_equal(student$distilled$unlabelled, 100)
  rows <- part_along(b) %in% "training"
  y <- c(d$y[1:200][rows], predict(teacher, d[201:300, ])$prediction)
  fit <- lm(y ~ x, data.frame(y, x = c(d$x[1:200][rows], d$x[201:300])))
  expect_equal(predict(student, d)$prediction, unname(predict(fit, d)), tolerance = 1e-5)
  expect_fails(distil(teacher, b, unlabelled = d["y"], k = 0), "have no column `x`")
})

test_that("soft shares keep to the classes, the temperature and the class weights", {
  b <- quick(base()) |> regimen(class_weights = "even")
  a <- settle(b)
  learned <- learn_training(a)
  p <- withr::with_seed(2, matrix(rexp(600 * 4), 600))
  p <- p / rowSums(p)
  colnames(p) <- b$classes
  spec <- taught_spec(a, learned, list(temperature = 3, label_share = 0.3, predictions = p))
  w <- unlist(class_weights_of(a$target, learned$preparation$target))[b$classes]
  for (i in c(spec$core$training[5], spec$core$validation[2])) {
    row <- spec$core$rows[i]
    score <- w * p[row, ]
    expect_equal(
      spec$core$soft[, i],
      unname(c(0.3, score^(1 / 3) / sum(score^(1 / 3)) * 0.7 * 9 * sum(score) / w[a$table$outcome[row]]))
    )
  }
  # where the teacher says nothing the label has it all
  p[spec$core$rows[3], 1] <- NA
  without <- taught_spec(a, learned, list(temperature = 3, label_share = 0.3, predictions = p))
  expect_equal(without$core$soft[, 3], c(1, 0, 0, 0, 0))
})

test_that("teacher, taught student and labels alone share folds, and the teacher is trained anew in each", {
  teacher <- single(base() |> regimen(restarts = 3, keep = "ensemble"), progress = "none")
  student <- distil(teacher, wire(base(), "3 tanh"), k = 3, progress = "none")
  t <- student$distilled$comparison
  expect_setequal(t$network, c("teacher", "student, taught", "student, labels alone"))
  mean_of <- function(network, measure) t$mean[t$network == network & t$measure == measure]
  own <- folds(teacher$brief |> hold_out(seed = 5), data = small_kilns(), k = 3, progress = "none")
  expect_equal(mean_of("teacher", "accuracy"), mean(own$each$accuracy))
  labels <- folds(quick(wire(base(), "3 tanh")), k = 3, progress = "none")
  expect_equal(mean_of("student, labels alone", "cross-entropy"), mean(labels$each[["cross-entropy"]]))
  expect_true(student$distilled$retrained)
  expect_match(paste(format(student), collapse = " "), "ensemble of 3")
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(student, file)
  expect_identical(read_model(file), student)
  skip_if_not_installed("ggplot2")
  expect_setequal(ggplot2::ggplot_build(plot_distillation(student))$data[[2]]$x, main_measures(t)$mean)
})

test_that("a teacher that has seen rows that are evaluated is refused, one that has not is used", {
  teacher <- single(base(), progress = "none")
  expect_fails(
    distil(teacher, hold_out(base(), seed = 6)), "on which the student would be evaluated", "the same hold_out"
  )
  fresh <- kilns[!kilns$firing %in% small_kilns()$firing, ][1:400, ]
  other <- withr::with_seed(1, brief(fresh, "outcome")) |> wire("3 tanh") |> regimen(epochs = 10, seed = 1)
  expect_fails(distil(teacher, other), "trained on another table")
  expect_fails(distil(teacher, other, teacher_data = kilns), "not the table that the teacher was trained on")
  student <- distil(teacher, other, teacher_data = small_kilns(), k = 2, progress = "none")
  expect_false(student$distilled$retrained)
  both <- withr::with_seed(1, brief(rbind(fresh, small_kilns()[1:50, ]), "outcome")) |> regimen(epochs = 10)
  expect_fails(distil(teacher, both, teacher_data = small_kilns()), "Take these rows out")
})

test_that("students that can't be taught are refused", {
  teacher <- single(base(), progress = "none")
  expect_fails(distil(teacher, withr::with_seed(1, brief(small_kilns(), "glaze"))), "their target differs")
  expect_fails(distil(teacher, regimen(base(), loss = "ordinal")), "takes labels only")
  expect_fails(distil(teacher, base(), temperature = 0), "`temperature` must be a number above 0")
  expect_fails(plot_distillation(teacher), "distil() returned")
  taught <- distil(teacher, base(), k = 0, progress = "none")
  expect_fails(distil(taught, base()), "was taught itself", "k = 0")
  expect_equal(distil(taught, base(), k = 0, progress = "none")$distilled$label_share, 0.5)
})

test_that("the luck of several starts is shown by their measures", {
  model <- single(base() |> regimen(restarts = 3), progress = "none")
  expect_equal(
    model$restarts$accuracy[which.min(model$restarts$loss)],
    mean(model$evaluated$validation$predictions$prediction == model$evaluated$validation$observed)
  )
  expect_match(paste(format(model), collapse = " "), "over the starts, on validation rows: accuracy")
})

test_that("networks of a cross-validation ensemble teach, and are compared, as what they are", {
  b <- brief(small_kilns(400), target = "outcome") |> hold_out(folds = 3, seed = 4) |> regimen(epochs = 5, seed = 1)
  teacher <- train(wire(b, "12 tanh"), progress = "none")
  student <- brief(small_kilns(400), target = "outcome") |> wire("3 tanh") |> hold_out(seed = 4) |>
    regimen(epochs = 5, seed = 1)
  found <- distil(teacher, student, k = 2, progress = "none")$distilled$comparison
  of_teacher <- found$parameters[found$network == "teacher"][1]
  expect_equal(of_teacher, sum(teacher$members$parameters[teacher$members$share > 0]))
  # a row's teacher has not learned from it
  a <- settle(quick(student))
  said <- teaching_for(teacher, student, a, TRUE)$predictions
  turned <- teacher$evaluated$out_of_fold
  expect_equal(said[turned$row, "sound"], turned$predictions$probability_sound)
})

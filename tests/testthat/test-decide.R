quick_calibrated <- function() withr::with_seed(
  1, brief(kilns, "outcome") |> hold_out(calibration = 0.2) |> regimen(epochs = 30) |> single(progress = "none")
)

clinic <- function(...) {
  withr::with_seed(
    1,
    brief(recovery, target = "returned") |>
      set_columns(group = patient) |> hold_out(calibration = 0.2, ...) |> regimen(epochs = 30) |>
      single(progress = "none")
  )
}

test_that("a wanted recall is reached on the validation rows with as few false alarms as can be", {
  model <- decide(clinic(), recall = 0.8)
  rows <- model$evaluated$validation
  p <- rows$predictions$probability_yes
  yes <- rows$observed == "yes"
  at <- decision_of(model)$rule$threshold
  expect_gte(mean(p[yes] >= at), 0.8)
  higher <- min(p[p > at])
  expect_lt(mean(p[yes] > higher), 0.8)
  expect_equal(decision_of(model)$after["yes", "yes"], sum(yes & p >= at))
  expect_equal(sum(decision_of(model)$before), length(yes))
  # the predictions follow, in predictions and in appraisals, the probabilities stay
  new <- predict(model, recovery, type = "both")
  expect_equal(new$prediction == "yes", new$probability_yes >= at)
  plain <- clinic()
  expect_identical(new[-1], predict(plain, recovery, type = "both")[-1])
  a <- appraise(model)
  expect_equal(a$classes$recall[2], mean(a$evaluated$probability_yes[a$evaluated$observed == "yes"] >= at))
  expect_gt(a$classes$recall[2], appraise(plain)$classes$recall[2])
  expect_match(
    notes(a)$try[notes(a)$code == "no_better_than_baseline"], "The decision rule causes this"
  )
  expect_identical(decision_of(decide(model)), NULL)
  expect_match(paste(format(model), collapse = " "), "The prediction is \"yes\" from a probability of .*recall")
})

test_that("the best F1 is that of all thresholds", {
  model <- decide(clinic(), best = "F1")
  rows <- model$evaluated$validation
  yes <- rows$observed == "yes"
  f1 <- function(t) 2 * sum(yes & rows$predictions$probability_yes >= t) / (
    sum(yes) + sum(rows$predictions$probability_yes >= t)
  )
  expect_equal(f1(decision_of(model)$rule$threshold), max(vapply(rows$predictions$probability_yes, f1, 0)))
})

test_that("costs take the prediction with the lowest expected cost", {
  costs <- rbind(no = c(no = 0, yes = 1), yes = c(10, 0))
  model <- decide(clinic(), costs = costs)
  # the same in one number, and of several classes those that miss one of them
  expect_identical(decide(clinic(), miss = costs["yes", "no"])$predictor, model$predictor)
  of_four <- decide(quick_model(), miss = 8, class = "burst")$predictor$decision$rule$costs
  expect_equal(of_four["burst", ], c(burst = 0, crazed = 8, sound = 8, warped = 8))
  expect_equal(sum(of_four), 33)
  p <- predict(model, recovery, type = "both")
  expect_equal(p$prediction == "yes", 10 * p$probability_yes > p$probability_no)
  m <- appraise(model)$measures
  a <- appraise(model)$evaluated
  expect_equal(
    m$value[m$measure == "mean cost"], mean(ifelse(a$observed == a$prediction, 0, ifelse(a$observed == "yes", 10, 1)))
  )
  # without looking, the cheapest is to say no to nobody: each of the others costs 1
  always <- c(no = 10 * mean(a$observed == "yes"), yes = mean(a$observed == "no"))
  expect_equal(m$baseline[m$measure == "mean cost"], min(always))
  expect_match(paste(format(decision_of(model)), collapse = " "), "The mean cost goes from")
  four <- diag(4) * -1 + 1
  dimnames(four) <- rep(list(c("burst", "crazed", "sound", "warped")), 2)
  plain <- quick_model(kilns, epochs = 20)
  # where all errors cost the same, the most probable class is the cheapest
  expect_identical(predict(decide(plain, costs = four), kilns), predict(plain, kilns))
  four["burst", ] <- c(0, 50, 50, 50)
  expect_gt(appraise(decide(plain, costs = four))$classes$recall[1], appraise(plain)$classes$recall[1])
})

test_that("a threshold for one of several classes leaves the others their order", {
  plain <- quick_model(kilns, epochs = 20)
  model <- decide(plain, threshold = 0.1, class = "burst")
  p <- predict(model, kilns, type = "both")
  burst <- p$probability_burst >= 0.1
  expect_true(all(p$prediction[burst] == "burst"))
  others <- as.matrix(p[c("probability_crazed", "probability_sound", "probability_warped")])
  expect_equal(p$prediction[!burst], c("crazed", "sound", "warped")[max.col(others[!burst, ], ties.method = "first")])
})

test_that("a model with rules and curves is written and read whole", {
  model <- recalibrate(decide(clinic(), costs = rbind(no = c(no = 0, yes = 1), yes = c(10, 0))), "isotonic")
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file)
  expect_identical(read_model(file), model)
})

test_that("rules that can't be are refused", {
  model <- quick_model(kilns, epochs = 2)
  expect_fails(decide(model, recall = 0.8), "which class is the threshold about")
  expect_fails(decide(model, recall = 0.8, class = "brust"), "Did you mean `burst`?")
  expect_fails(decide(model, recall = 1.2, class = "burst"), "`recall` must be a number")
  expect_fails(decide(model, recall = 0.5, threshold = 0.2, class = "burst"), "One rule at a time")
  expect_fails(decide(model, costs = diag(4)), "with the classes as names")
  expect_fails(decide(model, miss = 0, class = "burst"), "`miss` must be a number")
  expect_fails(decide(model, miss = 3), "which class")
  expect_fails(decide(model, costs = matrix(-1, 4, 4, dimnames = rep(list(model$brief$classes), 2))), "not negative")
  expect_fails(decide(quick_model(small_crossings(), "passengers"), threshold = 0.5), "predicts a number")
  without <- withr::with_seed(
    1, brief(small_kilns(), "outcome") |> hold_out(validation = 0) |> regimen(epochs = 2) |> single(progress = "none")
  )
  expect_fails(decide(without, recall = 0.5, class = "burst"), "no validation rows")
})

test_that("Platt's curve is the logistic regression of his targets", {
  model <- recalibrate(clinic(), "platt")
  rows <- model$evaluated$calibration
  hit <- rows$observed == "yes"
  target <- ifelse(hit, (sum(hit) + 1) / (sum(hit) + 2), 1 / (sum(!hit) + 2))
  fit <- suppressWarnings(glm(target ~ qlogis(rows$predictions$probability_yes), binomial))
  p <- predict(model, recovery, type = "probability")$probability_yes
  expect_equal(
    p,
    plogis(coef(fit)[[1]] + coef(fit)[[2]] * qlogis(predict(clinic(), recovery, type = "probability")$probability_yes)),
    tolerance = 1e-6
  )
  expect_lte(model$predictor$recalibration$after, model$predictor$recalibration$before + 0.002)
})

test_that("the rising curve is that of isoreg", {
  d <- withr::with_seed(5, data.frame(p = sort(runif(200))))
  d$hit <- withr::with_seed(6, rbinom(200, 1, d$p)) == 1
  edge <- 0.5 / 201
  expect_equal(on_curve(rising_curve(d$p, d$hit, rep(1, 200)), d$p), pmin(pmax(isoreg(d$p, d$hit)$yf, edge), 1 - edge))
  expect_equal(pooled(c(3, 1, 2), c(1, 3, 2)), c(1.5, 1.5, 2))
  expect_equal(pooled(c(3, 1, 1.4), c(1, 3, 2)), rep((3 + 3 + 2.8) / 6, 3))
})

test_that("the temperature is where the loss is lowest, and changes no order", {
  model <- recalibrate(quick_calibrated(), "temperature")
  rows <- model$evaluated$calibration
  loss <- function(t) weighted_mean(
    row_cross_entropy(match(rows$observed, model$brief$classes), tempered(as.matrix(rows$predictions[-1]), t)),
    rows$weight
  )
  at <- model$predictor$recalibration$map$temperature
  expect_lt(loss(at), min(loss(at * 1.05), loss(at / 1.05)))
  expect_identical(predict(model, kilns), predict(quick_calibrated(), kilns))
  p <- predict(recalibrate(quick_calibrated(), "isotonic"), kilns, type = "probability")
  expect_equal(rowSums(p), rep(1, nrow(kilns)), ignore_attr = TRUE)
})

test_that("a rule is chosen anew once probabilities change, and the sets stay", {
  model <- decide(clinic(), recall = 0.8)
  again <- recalibrate(model, "platt")
  expect_false(decision_of(again)$rule$threshold == decision_of(model)$rule$threshold)
  expect_equal(decision_of(again)$after, decision_of(model)$after)
  expect_identical(predict(again, recovery, type = "set")$set, predict(model, recovery, type = "set")$set)
  expect_null(recalibrate(again, "none")$predictor$recalibration)
  expect_fails(recalibrate(quick_model()), "no calibration rows")
  expect_fails(recalibrate(quick_model(small_crossings(), "passengers")), "predicts a number")
})

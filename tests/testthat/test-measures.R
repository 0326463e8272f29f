# A confusion matrix as tallies of its rows, for the measures that need no probabilities.
confusion_tallies <- function(confusion) {
  steps <- abs(row(confusion) - col(confusion))
  one <- function(x) matrix(x, 1)
  list(
    weight = one(sum(confusion)), hit = one(diag(confusion)), observed = one(rowSums(confusion)),
    predicted = one(colSums(confusion)),
    steps = one(sum(steps * confusion)), squared_steps = one(sum(steps^2 * confusion))
  )
}

confusion <- matrix(
  c(20, 5, 0, 4, 30, 6, 1, 2, 12), 3, byrow = TRUE,
  dimnames = list(observed = c("a", "b", "c"), prediction = c("a", "b", "c"))
)
tallies <- confusion_tallies(confusion)
drop_names <- function(x) unname(drop(x))

# One set of rows, each counted in the same unit.
tally <- function(observed, prediction, p, weight = rep(1, length(observed)), ...) {
  classes <- c("a", "b", "c")[seq_len(ncol(p))]
  class_tallies(
    match(observed, classes), match(prediction, classes), p, weight, rep(1L, length(observed)),
    bins_of(p, seq_along(classes)), ...
  )
}

# The measures of numbers, with the deviance of a loss.
numbers <- function(y, m, weight = rep(1, length(y)), kind = "poisson") {
  deviance <- list(measure = "deviance", row = loss_records[[kind]]$row)
  number_measures(number_tallies(y, m, weight, rep(1L, length(y)), mean(y), deviance = deviance), deviance)[1, ]
}

test_that("measures of a confusion matrix are those of their formulas", {
  n <- 80
  chance <- sum(rowSums(confusion) * colSums(confusion)) / n^2
  expect_equal(accuracy(tallies), 62 / 80)
  expect_equal(balanced_accuracy(tallies), (20 / 25 + 30 / 40 + 12 / 15) / 3)
  expect_equal(cohen_kappa(tallies), (62 / n - chance) / (1 - chance))
  # two classes: the correlation of Matthews is that of 0 and 1
  two <- confusion_tallies(matrix(c(30, 10, 5, 15), 2, byrow = TRUE))
  observed <- rep(c(0, 0, 1, 1), c(30, 10, 5, 15))
  predicted <- rep(c(0, 1, 0, 1), c(30, 10, 5, 15))
  expect_equal(matthews(two), cor(observed, predicted))
  # several: the correlation over the indicators of all classes (Gorodkin 2004)
  x <- diag(3)[rep(1:3, rowSums(confusion)), ]
  y <- diag(3)[unlist(apply(confusion, 1, function(row) rep(1:3, row), simplify = FALSE)), ]
  covariance <- function(a, b) sum(cov(a, b)[cbind(1:3, 1:3)])
  expect_equal(matthews(tallies), covariance(x, y) / sqrt(covariance(x, x) * covariance(y, y)))
  expect_equal(drop_names(class_specificity(tallies))[1], 50 / 55)
  expect_equal(drop_names(class_precision(tallies)), c(20 / 25, 30 / 37, 12 / 18))
  f1 <- c(2 * 20 / 50, 2 * 30 / 77, 2 * 12 / 33)
  expect_equal(drop_names(class_f1(tallies)), f1)
  expect_equal(macro_f1(tallies), mean(f1))
  expect_equal(weighted_f1(tallies), sum(f1 * c(25, 40, 15)) / 80)
  expect_equal(mean_rank_error(tallies), (5 + 4 + 6 + 2 + 2 * 1) / 80)
  cost <- outer(1:3, 1:3, function(i, j) (i - j)^2)
  expect_equal(
    cohen_kappa(tallies, TRUE),
    1 - sum(cost * confusion) / sum(cost * outer(rowSums(confusion), colSums(confusion)) / 80)
  )
})

test_that("whoever always says the same has no agreement and no correlation", {
  always <- confusion * 0
  always[, "b"] <- rowSums(confusion)
  t <- confusion_tallies(always)
  expect_equal(c(cohen_kappa(t), matthews(t), cohen_kappa(t, TRUE)), c(0, 0, 0), tolerance = 1e-12)
  expect_equal(macro_f1(t), 2 * 40 / 120 / 3)
})

test_that("a class that is never predicted has no precision, and one that never occurs no recall", {
  t <- confusion_tallies(confusion_matrix(c("a", "b"), c("a", "a"), c(1, 1), c("a", "b", "c")))
  expect_equal(drop_names(class_precision(t)), c(0.5, NA, NA))
  expect_equal(drop_names(class_recall(t)), c(1, 0, NA))
  expect_equal(balanced_accuracy(t), 0.5)
})

test_that("rows give the tallies of their confusion matrix, and their losses", {
  observed <- c("a", "a", "a", "b", "b", "c")
  predicted <- c("a", "a", "b", "b", "c", "c")
  p <- rbind(c(0.7, 0.2, 0.1), c(0.5, 0.3, 0.2), c(0.2, 0.7, 0.1), c(0.1, 0.8, 0.1), c(0, 0.4, 0.6), c(0, 0, 1))
  t <- tally(observed, predicted, p, ordered = TRUE)
  from_matrix <- confusion_tallies(confusion_matrix(observed, predicted, rep(1, 6), c("a", "b", "c")))
  for (what in names(from_matrix)) expect_equal(drop_names(t[[what]]), drop_names(from_matrix[[what]]))
  m <- class_measures(t, TRUE)[1, ]
  expect_equal(m[["cross-entropy"]], -mean(log(c(0.7, 0.5, 0.2, 0.8, 0.4, 1))))
  hit <- outer(observed, c("a", "b", "c"), `==`)
  expect_equal(m[["Brier score"]], mean(rowSums((p - hit)^2)))
  # a case weight of two counts like two rows, whatever the units
  doubled <- class_measures(tally(rep(observed, 2), rep(predicted, 2), rbind(p, p)))[1, ]
  expect_equal(class_measures(tally(observed, predicted, p, rep(2, 6)))[1, ], doubled)
  apart <- class_tallies(
    match(observed, c("a", "b", "c")), match(predicted, c("a", "b", "c")), p, rep(1, 6), c(2L, 1L, 2L, 1L, 2L, 1L),
    bins_of(p, 1:3)
  )
  expect_equal(class_measures(total_sums(apart))[1, ], class_measures(tally(observed, predicted, p))[1, ])
})

test_that("the calibration error is the mean distance over bins", {
  d <- withr::with_seed(1, data.frame(p = runif(1000)))
  d$hit <- withr::with_seed(2, rbinom(1000, 1, d$p^2))
  bin <- cut(rank(d$p), seq(0, 1000, 100))
  by_hand <- sum(abs(tapply(d$hit, bin, mean) - tapply(d$p, bin, mean))) / 10
  t <- class_tallies(
    2L - d$hit, rep(1L, 1000), cbind(d$p, 1 - d$p), rep(1, 1000), rep(1L, 1000), bins_of(cbind(d$p, 1 - d$p), 1L)
  )
  expect_equal(calibration_error(t), by_hand)
})

test_that("the area under the ROC curve is Wilcoxon's statistic, ties and weights included", {
  d <- withr::with_seed(
    1, data.frame(score = round(rnorm(300), 1), of = rbinom(300, 1, 0.3) == 1, weight = sample(1:3, 300, TRUE))
  )
  area <- function(score, of, weight) roc_area(ranked_scores(score, of, weight), of, weight)$value
  w <- suppressWarnings(wilcox.test(d$score[d$of], d$score[!d$of]))$statistic
  expect_equal(area(d$score, d$of, rep(1, 300)), unname(w) / (sum(d$of) * sum(!d$of)))
  twice <- d[rep(seq_len(300), d$weight), ]
  expect_equal(area(d$score, d$of, d$weight), area(twice$score, twice$of, rep(1, nrow(twice))))
  expect_null(ranked_scores(d$score, rep(TRUE, 300), d$weight))
  # and the area below the curve's points, by trapezoids
  p <- threshold_points(ranked_scores(d$score, d$of, d$weight))
  expect_equal(
    sum(diff(p$false_positive_rate) * (p$recall[-1] + p$recall[-nrow(p)]) / 2), area(d$score, d$of, d$weight)
  )
  at <- p[which(p$threshold == 1), ]
  expect_equal(at$recall, sum(d$weight[d$of & d$score >= 1]) / sum(d$weight[d$of]))
  expect_equal(at$precision, sum(d$weight[d$of & d$score >= 1]) / sum(d$weight[d$score >= 1]))
  expect_equal(at$lift, at$precision / (sum(d$weight[d$of]) / sum(d$weight)))
  expect_equal(at$taken, sum(d$weight[d$score >= 1]) / sum(d$weight))
})

test_that("average precision is the mean precision at the class's rows", {
  score <- c(9, 8, 7, 6, 5)
  of <- c(TRUE, FALSE, TRUE, FALSE, TRUE)
  expect_equal(precision_area(ranked_scores(score, of, rep(1, 5)), of, rep(1, 5))$value, mean(c(1, 2 / 3, 3 / 5)))
})

test_that("influences are the derivatives of their areas by the rows' weights", {
  d <- withr::with_seed(
    4, data.frame(score = round(rnorm(60), 1), of = rbinom(60, 1, 0.4) == 1, weight = runif(60, 0.5, 2))
  )
  step <- 1e-6
  for (area in list(roc_area, precision_area)) {
    value <- function(weight) area(ranked_scores(d$score, d$of, weight), d$of, weight)$value
    slope <- vapply(
      seq_len(60),
      function(i) (
        value(d$weight + step * (seq_len(60) == i)) - value(d$weight - step * (seq_len(60) == i))
      ) / (2 * step),
      0
    )
    found <- area(ranked_scores(d$score, d$of, d$weight), d$of, d$weight)$influence / d$weight
    if (identical(area, roc_area)) found <- found / ifelse(
      d$of, sqrt(sum(d$of) / (sum(d$of) - 1)), sqrt(sum(!d$of) / (sum(!d$of) - 1))
    )
    expect_equal(found, slope, tolerance = 1e-5)
  }
})

test_that("measures of numbers are those of their formulas, of lm and of glm", {
  y <- c(2, 4, 6, 8)
  m <- numbers(y, c(1, 5, 6, 10))
  expect_equal(
    m[c("MSE", "MAE", "R\u00b2", "relative mean error")],
    c(MSE = 6 / 4, MAE = 1, "R\u00b2" = 1 - 6 / 20, "relative mean error" = 4 / 20)
  )
  expect_equal(m[["mean relative error"]], mean(c(1 / 2, 1 / 4, 0, 2 / 8)))
  expect_true(is.na(numbers(c(0, 1), c(1, 1))[["mean relative error"]]))
  expect_equal(numbers(c(1, 2, 4), c(2, 2, 3), c(1, 1, 2)), numbers(c(1, 2, 4, 4), c(2, 2, 3, 3)))
  d <- withr::with_seed(2, data.frame(x = rnorm(50)))
  d$y <- withr::with_seed(3, exp(1 + d$x + rnorm(50, 0, 0.2)))
  fit <- lm(y ~ x, d)
  m <- numbers(d$y, fitted(fit) + 3)
  expect_equal(numbers(d$y, fitted(fit))[["R\u00b2"]], summary(fit)$r.squared)
  expect_equal(m[["explained variance"]], summary(fit)$r.squared)
  expect_equal(m[["mean bias"]], 3)
  g <- glm(y ~ x, Gamma("log"), d)
  expect_equal(numbers(d$y, fitted(g), kind = "gamma")[["deviance"]] * 50, deviance(g))
  expect_true(is.na(numbers(c(0, d$y[-1]), fitted(g), kind = "gamma")[["deviance"]]))
  count <- glm(passengers ~ fare, poisson, small_crossings())
  expect_equal(numbers(small_crossings()$passengers, fitted(count))[["deviance"]] * 600, deviance(count))
  expect_equal(weighted_median(c(5, 1, 3), c(1, 1, 2)), 3)
  expect_equal(weighted_median(c(1, 2, 3, 9), c(2, 1, 1, 0)), median(c(1, 1, 2, 3)))
})

test_that("a quantile costs what Koenker and Bassett say, and its share stands beside what it should be", {
  expect_equal(drop(pinball(c(1, 5), cbind(c(3, 3)), 0.9)), c(0.1 * 2, 0.9 * 2))
  model <- withr::with_seed(
    1,
    brief(small_crossings(), "passengers", task = "regression") |>
      regimen(loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9)), epochs = 30) |>
      single(progress = "none")
  )
  a <- appraise(model)
  m <- function(measure, column = "value") a$measures[[column]][a$measures$measure == measure]
  expect_equal(m("quantile loss 0.9"), mean(pinball(a$evaluated$observed, cbind(a$evaluated$quantile_0.9), 0.9)))
  expect_equal(m("share below quantile 0.1"), mean(a$evaluated$observed <= a$evaluated$quantile_0.1))
  expect_equal(m("share below quantile 0.1", "baseline"), 0.1)
  training <- model$evaluated$training$observed
  expect_equal(
    m("quantile loss 0.1", "baseline"),
    mean(pinball(a$evaluated$observed, cbind(rep(quantile(training, 0.1, names = FALSE), a$n)), 0.1))
  )
  expect_equal(a$primary, "quantile loss 0.5")
})

test_that("an appraisal holds them beside the baseline, by class too", {
  model <- quick_model(recovery, "returned", epochs = 60)
  a <- appraise(model)
  m <- a$measures
  expect_equal(
    m$measure,
    c(
      "accuracy", "balanced accuracy", "Cohen's kappa", "Matthews correlation", "macro F1", "weighted F1",
      "cross-entropy", "Brier score", "calibration error", "AUC", "average precision", "calibration intercept",
      "calibration slope"
    )
  )
  expect_equal(m$baseline[m$measure %in% c("Cohen's kappa", "Matthews correlation", "AUC")], c(0, 0, 0.5))
  expect_equal(m$baseline[m$measure == "average precision"], mean(a$evaluated$observed == "yes"))
  yes <- a$evaluated$observed == "yes"
  w <- suppressWarnings(wilcox.test(a$evaluated$probability_yes[yes], a$evaluated$probability_yes[!yes]))$statistic
  expect_equal(m$value[m$measure == "AUC"], unname(w) / (sum(yes) * sum(!yes)))
  expect_equal(a$classes$auc[1], a$classes$auc[2])
  curve <- threshold_curve(a)
  expect_equal(unique(curve$class), "yes")
  expect_fails(threshold_curve(a, "perhaps"), "no class \"perhaps\"")
  expect_fails(threshold_curve(appraise(quick_model(small_crossings(), "passengers"))), "that of a classification")
  ordered <- transform(
    small_kilns(),
    grade = factor(
      ifelse(outcome == "sound", "good", ifelse(outcome == "crazed", "fair", "bad")), c("bad", "fair", "good"),
      ordered = TRUE
    ),
    outcome = NULL
  )
  expect_true(all(c("weighted kappa", "mean rank error") %in% appraise(quick_model(ordered, "grade"))$measures$measure))
})

test_that("curves, shares and bands come as data", {
  a <- appraise(quick_model(kilns, epochs = 30))
  curve <- calibration_curve(a, "crazed")
  expect_equal(sum(curve$rows), a$n)
  expect_equal(sum(curve$rows * curve$probability) / a$n, mean(a$evaluated$probability_crazed))
  expect_equal(sum(curve$rows * curve$observed), sum(a$evaluated$observed == "crazed"))
  shares <- confusion_table(a)
  expect_equal(
    tapply(shares$of_observed, shares$observed, sum), tapply(rep(1, 4), c("burst", "crazed", "sound", "warped"), sum)
  )
  expect_equal(sum(shares$of_all), 1)
  n <- appraise(quick_model(small_crossings(), "passengers"))
  bands <- error_bands(n, 4)
  expect_equal(sum(bands$rows), n$n)
  expect_equal(sum(bands$rows * bands$MAE) / n$n, mean(abs(residuals(n))))
  expect_fails(error_bands(a), "confusion_table")
})

test_that("tidy() and glance() give models and appraisals as tables", {
  model <- rich_model()
  parts <- tidy(model)
  expect_equal(nrow(parts), length(trained_network(model)$parameters))
  expect_equal(parts$value[parts$layer == "output" & parts$input == "(bias)"], unname(coef(model)$output["(bias)", ]))
  expect_identical(as.data.frame(model), parts)
  one <- glance(model)
  expect_equal(nrow(one), 1)
  expect_equal(one$validation_loss, model$curves$validation[model$best_epoch])
  a <- appraise(model)
  expect_equal(glance(a)$accuracy, a$measures$value[1])
  expect_equal(
    unique(tidy(a)$measure), c(
      "support", "recall", "precision", "specificity", "negative_predictive_value", "f1", "auc", "average_precision"
    )
  )
  recall <- tidy(a)[tidy(a)$measure == "recall", ]
  expect_true(all(recall$low <= recall$value & recall$value <= recall$high))
  two <- glance(appraise(quick_model(boats, c("litres_mile", "engine_kw"))))
  expect_true(all(c("litres_mile_RMSE", "engine_kw_R2") %in% names(two)))
})

confusion <- matrix(c(20, 5, 0, 4, 30, 6, 1, 2, 12), 3, byrow = TRUE, dimnames = list(observed = c("a", "b", "c"), answer = c("a", "b", "c")))

test_that("measures of a confusion matrix are those of their formulas", {
  n <- 80
  chance <- sum(rowSums(confusion) * colSums(confusion)) / n^2
  expect_equal(cohen_kappa(confusion), (62 / n - chance) / (1 - chance))
  # two classes: the correlation of Matthews is that of 0 and 1
  two <- matrix(c(30, 10, 5, 15), 2, byrow = TRUE, dimnames = list(c("no", "yes"), c("no", "yes")))
  observed <- rep(c(0, 0, 1, 1), c(30, 10, 5, 15))
  answered <- rep(c(0, 1, 0, 1), c(30, 10, 5, 15))
  expect_equal(matthews(two), cor(observed, answered))
  # several: the correlation over the indicators of all classes (Gorodkin 2004)
  x <- diag(3)[rep(1:3, rowSums(confusion)), ]
  y <- diag(3)[unlist(apply(confusion, 1, function(row) rep(1:3, row), simplify = FALSE)), ]
  covariance <- function(a, b) sum(cov(a, b)[cbind(1:3, 1:3)])
  expect_equal(matthews(confusion), covariance(x, y) / sqrt(covariance(x, x) * covariance(y, y)))
  m <- class_measures(confusion)
  expect_equal(m$specificity[1], 50 / 55)
  expect_equal(macro_f1(confusion), mean(c(2 * 20 / 50, 2 * 30 / 77, 2 * 12 / 33)))
  expect_equal(weighted_f1(confusion), sum(c(2 * 20 / 50, 2 * 30 / 77, 2 * 12 / 33) * c(25, 40, 15)) / 80)
  expect_equal(mean_rank_error(confusion), (5 + 4 + 6 + 2 + 2 * 1) / 80)
  cost <- outer(1:3, 1:3, function(i, j) (i - j)^2)
  expect_equal(cohen_kappa(confusion, TRUE), 1 - sum(cost * confusion) / sum(cost * outer(rowSums(confusion), colSums(confusion)) / 80))
})

test_that("whoever always says the same has no agreement and no correlation", {
  always <- confusion * 0
  always[, "b"] <- rowSums(confusion)
  expect_equal(c(cohen_kappa(always), matthews(always), cohen_kappa(always, TRUE)), c(0, 0, 0), tolerance = 1e-12)
  expect_equal(macro_f1(always), 2 * 40 / 120 / 3)
})

test_that("the area under the ROC curve is Wilcoxon's statistic, ties and weights included", {
  d <- withr::with_seed(1, data.frame(score = round(rnorm(300), 1), of = rbinom(300, 1, 0.3) == 1, weight = sample(1:3, 300, TRUE)))
  w <- suppressWarnings(wilcox.test(d$score[d$of], d$score[!d$of]))$statistic
  expect_equal(area_under_roc(d$score, d$of, rep(1, 300)), unname(w) / (sum(d$of) * sum(!d$of)))
  twice <- d[rep(seq_len(300), d$weight), ]
  expect_equal(area_under_roc(d$score, d$of, d$weight), area_under_roc(twice$score, twice$of, rep(1, nrow(twice))))
  expect_true(is.na(area_under_roc(d$score, rep(TRUE, 300), d$weight)))
  # and the area below the curve's points, by trapezoids
  p <- roc_points(d$score, d$of, d$weight)
  expect_equal(sum(diff(p$false_positive_rate) * (p$recall[-1] + p$recall[-nrow(p)]) / 2), area_under_roc(d$score, d$of, d$weight))
  at <- p[which(p$threshold == 1), ]
  expect_equal(at$recall, sum(d$weight[d$of & d$score >= 1]) / sum(d$weight[d$of]))
  expect_equal(at$precision, sum(d$weight[d$of & d$score >= 1]) / sum(d$weight[d$score >= 1]))
})

test_that("Brier's score is the mean squared distance over all classes", {
  p <- rbind(c(0.7, 0.3), c(0.2, 0.8))
  expect_equal(brier_score(c("a", "a"), p, c(1, 3), c("a", "b")), (2 * 0.09 + 3 * 2 * 0.64) / 4)
})

test_that("measures of numbers are those of their formulas and of lm", {
  d <- withr::with_seed(2, data.frame(x = rnorm(50)))
  d$y <- withr::with_seed(3, exp(1 + d$x + rnorm(50, 0, 0.2)))
  w <- rep(1, 50)
  fit <- lm(y ~ x, d)
  expect_equal(r_squared(d$y, fitted(fit), w), summary(fit)$r.squared)
  expect_equal(explained_variance(d$y, fitted(fit) + 3, w), summary(fit)$r.squared)
  expect_equal(mean_bias(d$y, fitted(fit) + 3, w), 3)
  expect_equal(median_absolute_error(d$y, fitted(fit), w), median(abs(resid(fit))))
  expect_equal(weighted_median(c(5, 1, 3), c(1, 1, 2)), 3)
  expect_equal(weighted_median(c(1, 2, 3, 9), c(2, 1, 1, 0)), median(c(1, 1, 2, 3)))
  g <- glm(y ~ x, Gamma("log"), d)
  expect_equal(gamma_deviance(d$y, fitted(g), w) * 50, deviance(g))
  expect_true(is.na(gamma_deviance(c(0, d$y[-1]), fitted(g), w)))
})

test_that("an appraisal holds them beside the baseline, by class too", {
  model <- quick_model(recovery, "returned", epochs = 60)
  a <- appraise(model)
  m <- a$measures
  expect_equal(m$measure, c("accuracy", "balanced accuracy", "Cohen's kappa", "Matthews correlation", "macro F1", "weighted F1", "cross-entropy", "Brier score", "AUC"))
  expect_equal(m$baseline[m$measure %in% c("Cohen's kappa", "Matthews correlation", "AUC")], c(0, 0, 0.5))
  yes <- a$judged$observed == "yes"
  w <- suppressWarnings(wilcox.test(a$judged$probability_yes[yes], a$judged$probability_yes[!yes]))$statistic
  expect_equal(m$value[m$measure == "AUC"], unname(w) / (sum(yes) * sum(!yes)))
  expect_equal(a$classes$auc[1], a$classes$auc[2])
  curve <- roc_curve(a)
  expect_equal(unique(curve$class), "yes")
  expect_fails(roc_curve(a, "perhaps"), "no class \"perhaps\"")
  expect_fails(roc_curve(appraise(quick_model(small_crossings(), "passengers"))), "that of a classification")
  ordered <- transform(small_kilns(), grade = factor(ifelse(outcome == "sound", "good", ifelse(outcome == "crazed", "fair", "bad")), c("bad", "fair", "good"), ordered = TRUE), outcome = NULL)
  expect_true(all(c("weighted kappa", "mean rank error") %in% appraise(quick_model(ordered, "grade"))$measures$measure))
  skip_if_not_installed("ggplot2")
  expect_no_error(ggplot2::ggplot_build(plot_roc(appraise(quick_model()))))
  expect_lt(nrow(ggplot2::ggplot_build(plot_roc(a))$data[[2]]), 1001)
})

test_that("tidy() and glance() give models and appraisals as tables", {
  model <- rich_model()
  parts <- tidy(model)
  expect_equal(nrow(parts), length(model$network$parameters))
  expect_equal(parts$value[parts$layer == "output" & parts$input == "(bias)"], unname(coef(model)$output["(bias)", ]))
  expect_identical(as.data.frame(model), parts)
  one <- glance(model)
  expect_equal(nrow(one), 1)
  expect_equal(one$validation_loss, model$curves$validation[model$best_epoch])
  a <- appraise(model)
  expect_equal(glance(a)$accuracy, a$measures$value[1])
  expect_equal(nrow(tidy(a)), 4 * 6)
  two <- glance(appraise(quick_model(mtcars, c("mpg", "hp"))))
  expect_true(all(c("mpg_RMSE", "hp_R2") %in% names(two)))
})

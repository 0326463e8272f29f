observed <- c("a", "a", "a", "b", "b", "c")
answered <- c("a", "a", "b", "b", "c", "c")

test_that("classification measures follow their formulas", {
  confusion <- confusion_matrix(observed, answered, rep(1, 6), c("a", "b", "c"))
  expect_equal(unname(confusion), rbind(c(2, 1, 0), c(0, 1, 1), c(0, 0, 1)))
  expect_equal(accuracy(confusion), 4 / 6)
  expect_equal(balanced_accuracy(confusion), (2 / 3 + 1 / 2 + 1) / 3)
  m <- class_measures(confusion)
  expect_equal(m$recall, c(2 / 3, 1 / 2, 1))
  expect_equal(m$precision, c(1, 1 / 2, 1 / 2))
  expect_equal(m$f1, 2 * m$recall * m$precision / (m$recall + m$precision))
  expect_equal(m$support, c(3, 2, 1))
  p <- rbind(c(0.7, 0.2, 0.1), c(0.5, 0.3, 0.2), c(0.2, 0.7, 0.1), c(0.1, 0.8, 0.1), c(0, 0.4, 0.6), c(0, 0, 1))
  expect_equal(cross_entropy(observed, p, rep(1, 6), c("a", "b", "c")), -mean(log(c(0.7, 0.5, 0.2, 0.8, 0.4, 1))))
})

test_that("a class that is never answered has no precision, and one that never occurs no recall", {
  m <- class_measures(confusion_matrix(c("a", "b"), c("a", "a"), c(1, 1), c("a", "b", "c")))
  expect_equal(m$precision, c(0.5, NA, NA))
  expect_equal(m$recall, c(1, 0, NA))
})

test_that("a case weight of two counts like two rows", {
  doubled <- confusion_matrix(rep(observed, 2), rep(answered, 2), rep(1, 12), c("a", "b", "c"))
  expect_equal(confusion_matrix(observed, answered, rep(2, 6), c("a", "b", "c")), doubled)
  y <- c(1, 2, 4)
  m <- c(2, 2, 3)
  expect_equal(r_squared(y, m, c(1, 1, 2)), r_squared(c(y, 4), c(m, 3), rep(1, 4)))
})

test_that("regression measures follow their formulas", {
  y <- c(2, 4, 6, 8)
  m <- c(1, 5, 6, 10)
  one <- rep(1, 4)
  expect_equal(mean_squared_error(y, m, one), 6 / 4)
  expect_equal(mean_absolute_error(y, m, one), 1)
  expect_equal(r_squared(y, m, one), 1 - 6 / 20)
  expect_equal(mean_relative_error(y, m, one), mean(c(1 / 2, 1 / 4, 0, 2 / 8)))
  expect_equal(relative_mean_error(y, m, one), 4 / 20)
  expect_true(is.na(mean_relative_error(c(0, 1), c(1, 1), c(1, 1))))
  fit <- lm(dist ~ speed, cars)
  expect_equal(r_squared(cars$dist, fitted(fit), rep(1, 50)), summary(fit)$r.squared)
  count <- glm(passengers ~ fare, poisson, small_crossings())
  expect_equal(poisson_deviance(small_crossings()$passengers, fitted(count), rep(1, 600)) * 600, deviance(count))
})

test_that("every measure stands beside its baseline", {
  model <- quick_model(epochs = 20)
  a <- appraise(model)
  share <- max(table(a$judged$observed)) / a$n
  expect_equal(a$measures$baseline[1:2], c(share, 1 / 4))
  training <- table(small_kilns()$outcome[withr::with_seed(1, split_rows(brief(small_kilns(), "outcome"), small_kilns())) == "training"]) |> prop.table()
  expect_equal(a$measures$baseline[a$measures$measure == "cross-entropy"], mean(-log(training[a$judged$observed])))
  expect_equal(sum(a$confusion), a$n)
  shown <- format(a)
  expect_match(shown[3], "measure +network +always sound")
  expect_true(any(grepl("burst .*crazed .*sound .*warped .*recall +precision +F1", shown)))
})

test_that("test rows are judged by default, others on request", {
  model <- quick_model()
  expect_equal(appraise(model)$rows, "test")
  expect_equal(appraise(model, rows = "validation")$n, 89)
  again <- appraise(model, data = kilns[match(appraise(model)$judged$key, kilns$firing), ])
  expect_equal(again$measures, appraise(model)$measures)
  without <- withr::with_seed(1, brief(small_kilns(), "outcome") |> hold_out(test = 0) |> regimen(epochs = 2) |> train(progress = "none"))
  expect_equal(appraise(without)$rows, "validation")
  expect_fails(appraise(without, rows = "test"), "no test rows")
  expect_fails(appraise(model, rows = "tests"), "Did you mean `test`?")
  expect_fails(appraise(model, data = kilns[-12]), "no column `outcome`")
  expect_fails(appraise(model, data = transform(kilns, outcome = "cracked")), "\"cracked\"")
})

test_that("residuals and measures come as data", {
  a <- appraise(quick_model(small_crossings(), "passengers"))
  expect_equal(residuals(a), a$judged$observed - a$judged$answer)
  expect_equal(as.data.frame(a)$measure[1:3], c("RMSE", "MAE", "R\u00b2"))
  expect_equal(a$measures$value[1], sqrt(mean(residuals(a)^2)))
  expect_fails(residuals(appraise(quick_model())), "no residuals")
})

codes <- function(x) notes(x)$code

test_that("notes speak when there is reason and are silent when there is none", {
  noise <- withr::with_seed(2, data.frame(x = rnorm(400), y = sample(c("no", "yes"), 400, replace = TRUE, prob = c(0.9, 0.1))))
  one <- quick_model(noise, "y", epochs = 30)
  expect_true("one_class_only" %in% codes(appraise(one)))
  expect_match(notes(appraise(one))$note[notes(appraise(one))$code == "one_class_only"], "60 rows is answered \"no\"")

  number <- withr::with_seed(2, data.frame(x = rnorm(200), y = rnorm(200)))
  bad <- withr::with_seed(1, brief(number, "y") |> hold_out(validation = 0) |> regimen(epochs = 300, l2 = 0) |> train(progress = "none"))
  expect_true("no_better_than_baseline" %in% codes(appraise(bad)))

  rising <- quick_model(kilns, epochs = 2)
  expect_true("still_falling" %in% codes(rising))
  expect_match(paste(format(rising), collapse = "\n"), "\\[still_falling\\]")

  good <- quick_model(kilns, epochs = 300)
  expect_equal(codes(appraise(good)), character())
})

test_that("copies that straddle the parts and classes that a part lacks are noted", {
  twice <- rbind(small_kilns(), transform(small_kilns(), firing = sub("F", "G", firing)))
  model <- withr::with_seed(1, brief(twice, "outcome") |> regimen(epochs = 100) |> train(progress = "none"))
  expect_match(notes(model)$note[codes(model) == "copies_straddle"], "test rows have an exact copy")
  lacking <- hold_out(brief(small_kilns(), "outcome"), test_where = outcome != "burst" & moisture_pct < 2)
  model <- withr::with_seed(1, train(regimen(lacking, epochs = 100), progress = "none"))
  expect_match(notes(model)$note[codes(model) == "part_lacks_class"], "The test part has no row of the class \"burst\"")
})

test_that("even class weights raise the recall of rare classes, and the price is named", {
  plain <- appraise(quick_model(recovery, "returned", epochs = 60))
  even <- appraise(quick_model(recovery, "returned", epochs = 60, class_weights = "even"))
  expect_gt(even$classes$recall[2], plain$classes$recall[2] + 0.2)
  expect_match(notes(even)$try[notes(even)$code == "no_better_than_baseline"], "price of the class weights")
})

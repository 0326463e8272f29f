test_that("every measure stands beside its baseline, with its interval", {
  model <- quick_model(epochs = 20)
  a <- appraise(model)
  share <- max(table(a$evaluated$observed)) / a$n
  m <- a$measures
  expect_equal(m$baseline[1:2], c(share, 1 / 4))
  training <- table(
    small_kilns()$outcome[withr::with_seed(1, part_along(quick(brief(small_kilns(), "outcome")))) == "training"]
  ) |>
    prop.table()
  expect_equal(m$baseline[m$measure == "cross-entropy"], mean(-log(training[a$evaluated$observed])))
  expect_equal(m$baseline[m$measure %in% c("Cohen's kappa", "mean AUC")], c(0, 0.5))
  expect_equal(sum(a$confusion), a$n)
  expect_true(all(m$low <= m$value + 1e-9 & m$value <= m$high + 1e-9))
  shown <- paste(format(a), collapse = "\n")
  expect_match(shown, "measure +network +95 % interval +always sound +linear")
  expect_match(shown, "measure +training +validation +test")
  expect_match(shown, "burst .*crazed .*sound .*warped .*recall +precision +F1")
  expect_match(
    withr::with_options(list(cli.width = 140), paste(format(a), collapse = "\n")),
    "always sound +linear +training +validation"
  )
})

test_that("test rows are evaluated by default, others on request", {
  model <- quick_model()
  expect_equal(appraise(model)$rows, "test")
  expect_equal(appraise(model, rows = "validation")$n, 89)
  again <- appraise(model, data = kilns[match(appraise(model)$evaluated$key, kilns$firing), ])
  expect_equal(again$measures, appraise(model)$measures)
  without <- withr::with_seed(
    1, brief(small_kilns(), "outcome") |> hold_out(test = 0) |> regimen(epochs = 2) |> single(progress = "none")
  )
  expect_equal(appraise(without)$rows, "validation")
  expect_fails(appraise(without, rows = "test"), "no test rows")
  expect_fails(appraise(model, rows = "tests"), "Did you mean `test`?")
  expect_fails(appraise(model, data = kilns[-12]), "no column `outcome`")
  expect_fails(appraise(model, data = transform(kilns, outcome = "cracked")), "\"cracked\"")
  expect_fails(appraise(model, level = 1), "`level` must be a number")
})

test_that("residuals and measures come as data", {
  a <- appraise(quick_model(small_crossings(), "passengers"))
  expect_equal(residuals(a), a$evaluated$observed - a$evaluated$prediction)
  expect_equal(as.data.frame(a)$measure[1:3], c("RMSE", "MAE", "R\u00b2"))
  expect_equal(a$measures$value[1], sqrt(mean(residuals(a)^2)))
  expect_fails(residuals(appraise(quick_model())), "no residuals")
})

test_that("training, validation and test rows stand side by side", {
  model <- quick_model(epochs = 20)
  a <- appraise(model)
  for (part in c("training", "validation")) {
    expect_equal(a$measures[[part]], appraise(model, rows = part)$measures$value)
  }
  expect_equal(length(model$evaluated$training$key), parts_of(model)$rows[parts_of(model)$part == "training"])
  # of many training rows so many are kept as are enough, the same for the same seed
  many <- withr::with_seed(3, data.frame(x = rnorm(20000), y = rnorm(20000)))
  big <- quick_model(many, "y", epochs = 1)
  expect_length(big$evaluated$training$key, most_training_evaluated)
  expect_identical(quick_model(many, "y", epochs = 1)$evaluated$training$key, big$evaluated$training$key)
})

test_that("the linear wiring on the same rows is that of a brief wired so", {
  model <- quick_model(small_crossings(), "passengers", epochs = 200)
  a <- appraise(model)
  m <- a$measures
  fit <- glm(
    passengers ~ ., poisson,
    with(
      small_crossings(), data.frame(passengers, route, weather, holiday, fare)
    )[match(model$evaluated$training$key, small_crossings()$departure), ]
  )
  # more inputs than the glm has, so at most as high a deviance on the training rows
  expect_lt(
    appraise(model, rows = "training")$measures$linear[m$measure == "Poisson deviance"],
    deviance(fit) / nobs(fit) + 0.01
  )
  linear <- withr::with_seed(
    1,
    brief(small_crossings(), "passengers") |>
      wire("linear") |> single(progress = "none")
  )
  expect_equal(m$linear, appraise(linear)$measures$value, tolerance = 1e-6)
  expect_null(linear$linear)
  expect_null(appraise(linear)$hidden_layers)
  expect_equal(m$difference, m$value - m$linear)
  expect_equal(a$hidden_layers$verdict, "same")
  expect_true("linear_is_as_good" %in% notes(a)$code)
  better <- appraise(quick_model(kilns, epochs = 60))
  expect_equal(better$hidden_layers$verdict, "better")
  expect_match(paste(format(better), collapse = " "), "The hidden layers help: cross-entropy")
})

test_that("subgroups are evaluated like appraisals of their own rows", {
  model <- quick_model(kilns, epochs = 30)
  a <- appraise(model, kilns, rows = "test", by = glaze)
  expect_setequal(unique(a$by$group), unique(kilns$glaze))
  one <- a$by[a$by$group == "ash" & a$by$measure == "accuracy", ]
  own <- a$evaluated[kilns$glaze[match(a$evaluated$key, kilns$firing)] == "ash", ]
  expect_equal(one$value, mean(own$prediction == own$observed))
  expect_equal(one$rows, nrow(own))
  expect_match(paste(format(a), collapse = "\n"), "glaze +rows +accuracy +balanced accuracy")
  banded <- appraise(model, kilns, rows = "test", by = "peak_c")
  expect_length(unique(banded$by$group), 4)
  expect_equal(sum(banded$by$rows[banded$by$measure == "accuracy"]), a$n)
  expect_fails(appraise(model, by = glaze), "there is no table")
  expect_fails(appraise(model, kilns, rows = "test", by = galze), "Did you mean `glaze`?")
  expect_fails(
    appraise(model, kilns[1:100, ], rows = "test", by = glaze), "not the table that the model was trained on"
  )
  other <- kilns
  other$outcome[match(a$evaluated$key, kilns$firing)] <- "burst"
  expect_fails(appraise(model, other, rows = "test"), "have another target")
})

test_that("a subgroup holds the rare levels together, and missing values", {
  x <- c(rep(letters[1:14], 14:1), NA)
  groups <- subgroups(x, "x")
  expect_equal(nlevels(groups), 12)
  expect_equal(sum(groups == "(others)"), sum(3:1, 1))
  expect_equal(
    levels(bands_of(c(1:8, NA), 4)), c("1 to 2", "above 2 to 4", "above 4 to 6", "above 6 to 8", "(missing)")
  )
  expect_fails(subgroups(rep("a", 5), "x"), "no subgroups")
})

test_that("looks at test rows are counted, by network, and kept in the model", {
  table <- withr::with_seed(77, data.frame(x = rnorm(200), y = rnorm(200)))
  fit <- function(seed) withr::with_seed(
    1, brief(table, "y") |> hold_out(seed = 5) |> regimen(epochs = 2, seed = seed) |> single(progress = "none")
  )
  first <- fit(1)
  expect_equal(appraise(first)$looks, 1)
  expect_equal(appraise(first)$looks, 1)
  expect_equal(appraise(first, rows = "validation")$looks, 0)
  expect_equal(appraise(fit(2))$looks, 2)
  third <- fit(3)
  expect_length(third$looks, 2)
  a <- appraise(third)
  expect_match(notes(a)$note[notes(a)$code == "test_looked_at"], "3 different networks")
  expect_false("test_looked_at" %in% notes(appraise(third, rows = "validation"))$code)
  # other test rows are another matter
  other <- withr::with_seed(
    1, brief(table, "y") |> hold_out(seed = 6) |> regimen(epochs = 2) |> single(progress = "none")
  )
  expect_equal(appraise(other)$looks, 1)
})

test_that("even class weights raise the recall of rare classes, and the difference is plain", {
  plain <- appraise(quick_model(recovery, "returned", epochs = 60))
  even <- appraise(quick_model(recovery, "returned", epochs = 60, class_weights = "even"))
  expect_gt(even$classes$recall[2], plain$classes$recall[2] + 0.2)
  expect_match(notes(even)$try[notes(even)$code == "no_better_than_baseline"], "The class weights cause this")
  said <- function(a) paste(format(a), collapse = " ")
  expect_match(said(plain), "Predicting \"no\" for every +row is correct for 440")
  expect_match(said(plain), "and +finds +none +of +the 60 +\"yes\" +rows")
  expect_match(said(plain), "the +accuracy +says +little")
  expect_match(said(even), "predicts +\"yes\" +for +152 +rows: +49 +are, +103 +are +not")
  expect_true("accuracy_misleads" %in% notes(plain)$code)
  expect_false("accuracy_misleads" %in% notes(even)$code)
})

test_that("models and what becomes of them print as before", {
  model <- settled_model(brief(kilns, target = "outcome"))
  timeless <- function(lines) sub("[0-9.]+ s;", "<time> s;", lines)
  expect_snapshot(model, transform = timeless)
  expect_snapshot(appraise(model))
})

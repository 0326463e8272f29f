# What decides is known: x1 alone, x2 and x3 together; x4 and x5 tell nothing.
known <- withr::with_seed(1, {
  d <- as.data.frame(matrix(runif(10000), 2000, dimnames = list(NULL, paste0("x", 1:5))))
  d$y <- 2 * d$x1 + d$x2 * d$x3 + rnorm(2000, 0, 0.05)
  d
})
known_model <- function() quick_model(known, "y", epochs = 150)

test_that("columns that decide come first, and those that don't have nothing", {
  found <- importance(known_model(), known)
  columns <- found$columns
  expect_equal(columns$column[1], "x1")
  expect_setequal(columns$column[2:3], c("x2", "x3"))
  expect_true(all(columns$low[1:3] > 0))
  expect_lt(max(columns$importance[4:5]), 0.02 * columns$importance[1])
  # the rise of the squared error when x1 is shuffled is twice the variance of what it tells
  truth <- sqrt(2 * 4 / 12 + found$value^2) - found$value
  expect_equal(columns$importance[1], truth, tolerance = 0.1)
  expect_equal(found$rows, "test")
  expect_equal(found$n, 400)
  expect_identical(importance(known_model(), known), found)
  expect_identical(as.data.frame(found), columns)
})

test_that("of an ensemble without test rows what was predicted out of fold is shuffled out of fold", {
  rows <- withr::with_seed(1, as.data.frame(matrix(rnorm(200 * 30), 200)))
  rows$y <- ifelse(rows$V1 + withr::with_seed(2, rlogis(200)) > 0, "yes", "no")
  b <- brief(rows, target = "y") |> hold_out(test = 0, folds = 4, seed = 1) |> regimen(seed = 1, epochs = 60)
  cases <- list(named = wire(b, "6 tanh"), few = wire(b, "6 tanh") |> prepare(strongest = 5), open = b)
  for (name in names(cases)) {
    model <- train(cases[[name]], progress = "none")
    found <- as.data.frame(importance(model, rows, repeats = 4))
    expect_equal(found$column[1], "V1", info = name)
    # what tells nothing has nothing, and no network predicts rows that it has learned
    others <- found[-1, ]
    expect_lt(mean(others$low > 0 | others$high < 0), 0.25, label = name)
    value <- importance(model, rows, repeats = 1)$value
    expect_equal(value, mean_loss(model$predictor, evaluated_in_part(model, "out_of_fold")), info = name)
  }
  # networks that take some columns each: the same as all asked anew
  few <- without_idle_inputs(model$predictor)
  part <- list(
    predictor = few, rows = 1:200, as_is = predictions_of(few, rows), takes = lapply(few$members, needed_columns)
  )
  order <- withr::with_seed(3, sample(200))
  for (column in utils::head(needed_columns(few), 6)) {
    other <- rows
    other[[column]] <- rows[[column]][order]
    found <- shuffled_predictions(part, rows, column, list(order), function(predictor, rows) rows)[[1]]
    expect_equal(found, predictions_of(few, other), tolerance = 1e-12, ignore_attr = TRUE)
  }
})

test_that("one row or one group has importances without a spread", {
  model <- quick_model()
  expect_true(all(as.data.frame(importance(model, kilns[3, ]))$importance == 0))
  table <- small_kilns()
  table$site <- rep(letters[1:10], length.out = nrow(table))
  grouped <- brief(table, target = "outcome") |> set_columns(group = site) |> quick() |>
    regimen(epochs = 3, seed = 1) |> train(progress = "none")
  found <- as.data.frame(importance(grouped, table[table$site == "a", ]))
  expect_true(all(is.finite(found$importance)))
})

test_that("what is derived from a column is shuffled with it", {
  table <- transform(known, x6 = x1)[c("x2", "x6", "y")]
  model <- withr::with_seed(
    1,
    brief(table, "y") |>
      add_columns(half = x6 / 2) |> set_columns(drop = x6) |> regimen(epochs = 60) |>
      single(progress = "none")
  )
  found <- importance(model, table)$columns
  expect_setequal(found$column, c("x2", "x6"))
  expect_equal(found$column[1], "x6")
  expect_s3_class(effect_of(model, table, x6), "hylomath_effect")
})

test_that("several targets have their own importances", {
  model <- withr::with_seed(
    1, brief(boats, c("litres_mile", "engine_kw")) |> regimen(epochs = 30) |> single(progress = "none")
  )
  found <- importance(model, boats, rows = "training")$columns
  expect_setequal(unique(found$target), c("litres_mile", "engine_kw"))
  expect_equal(nrow(found), 2 * 9)
})

test_that("an effect is the mean over rows in which the column is set", {
  model <- known_model()
  e <- effect_of(model, known, x1)
  rows <- known[rows_of_part(model, known, "test"), ]
  at <- e$curve$x1[5]
  expect_equal(e$n, 400)
  expect_equal(e$curve$prediction[5], mean(predict(model, transform(rows, x1 = at))$prediction))
  expect_equal(lm(prediction ~ x1, e$curve)$coefficients[[2]], 2, tolerance = 0.05)
  expect_equal(length(unique(e$lines$row)), 50)
  pair <- effect_of(model, known, x2, with = x3)$curve
  fit <- lm(prediction ~ x2 * x3, pair)
  expect_equal(fit$coefficients[[4]], 1, tolerance = 0.2)
  expect_fails(effect_of(model, known, x9), "There is no column `x9`")
  expect_fails(effect_of(model, known, y), "doesn't take in the column `y`")
  classes <- effect_of(quick_model(kilns, epochs = 20), kilns, glaze)
  expect_setequal(unique(classes$curve$of), c("burst", "crazed", "sound", "warped"))
  expect_equal(sum(classes$curve$prediction[classes$curve$glaze == "ash"]), 1)
  expect_fails(effect_of(quick_model(kilns, epochs = 2), kilns, glaze, of = "cracked"), "Did you mean `crazed`?")
  dates <- effect_of(quick_model(small_crossings(), "passengers"), small_crossings(), sails_on)
  expect_s3_class(dates$curve$sails_on, "Date")
})

test_that("contributions add up, and are the Shapley values where these are known", {
  model <- known_model()
  row <- data.frame(x1 = 0.9, x2 = 0.9, x3 = 0.9, x4 = 0.5, x5 = 0.5)
  found <- contributions(model, known, row)
  moved <- setNames(found$columns$contribution, found$columns$column)
  expect_equal(sum(moved), found$prediction - found$mean)
  expect_equal(found$prediction, predict(model, row)$prediction)
  # 2 (0.9 - 1/2); of the product, each alone adds (0.9 - 1/2) / 2 and half of their joint gain
  expect_equal(moved[["x1"]], 0.8, tolerance = 0.05)
  expect_equal(moved[["x2"]], (0.4 * 0.5 + 0.9 * 0.4) / 2, tolerance = 0.1)
  expect_lt(max(abs(moved[c("x4", "x5")])), 0.02)
  expect_fails(contributions(model, known, 3000), "`row` must be a whole number from 1 to 2000")
  expect_fails(contributions(model, known, row[-1]), "no column `x1`")
  expect_equal(
    contributions(quick_model(kilns, epochs = 20), kilns, 5)$of,
    predict(quick_model(kilns, epochs = 20), kilns[5, ])$prediction
  )
})

test_that("of more than ten columns contributions are sampled, and the error is what the passes say", {
  wide <- withr::with_seed(4, as.data.frame(matrix(runif(12 * 600), 600)))
  wide$y <- wide$V1 * wide$V2 + wide$V3 - 2 * wide$V4 * (wide$V5 > 0.5)
  model <- quick_model(wide, "y", epochs = 40)
  looks <- lapply(1:2, function(seed) {
    model$brief$regimen$seed <- seed
    contributions(model, wide, 7)$columns
  })
  first <- looks[[1]][order(looks[[1]]$column), ]
  other <- looks[[2]][order(looks[[2]]$column), ]
  expect_true(all(first$error > 0))
  # what the orders leave open is little beside the largest move
  expect_lt(max(first$error) / max(abs(first$contribution)), 0.02)
  # the same rows, all sets of the columns: exact
  prediction <- function(table) predict(model, cbind(table, wide[7, c("V11", "V12")], row.names = NULL))$prediction
  rows <- explained_table(model, wide, 40)
  ten <- names(wide)[1:10]
  all <- shapley_exact(prediction, wide[7, ], rows, ten)
  sampled <- shapley_walks(prediction, wide[7, ], rows, ten, 40, 1)
  expect_lt(max(abs(all$contribution - sampled$contribution) / sampled$error), 5)
  expect_equal(sum(all$contribution), sum(sampled$contribution))
})

test_that("each row's reasons are what its contributions say, as far as the draw can tell", {
  model <- known_model()
  listed <- augment(model, known, ranked = TRUE, reasons = 3, reasons_for = 40)
  reasons <- as.matrix(listed[paste0("reason_", 1:3)])
  expect_true(all(is.na(reasons[41:2000, ])))
  pattern <- "^(\\S+) (\\S+) [(]([-+][0-9.]+)[)]$"
  for (i in c(1, 17, 40)) {
    own <- reasons[i, !is.na(reasons[i, ])]
    moves <- contributions(model, known, listed[i, names(known)])$columns
    # x4 and x5 tell nothing, and the two that matter least may be close to each other
    expect_true(all(sub(pattern, "\\1", own) %in% c("x1", "x2", "x3")))
    here <- match(sub(pattern, "\\1", own), moves$column)
    expect_equal(sub(pattern, "\\2", own), moves$value[here], ignore_attr = TRUE)
    expect_equal(as.numeric(sub(pattern, "\\3", own)), moves$contribution[here], tolerance = 0.2)
  }
  expect_true(all(abs(as.numeric(sub(pattern, "\\3", reasons[1:40, 1]))) > 0.3))
  # the same rows in another order, and a class of several: of the one that is predicted
  again <- augment(model, known[2000:1, ], ranked = TRUE, reasons = 3, reasons_for = 40)
  expect_equal(sub(pattern, "\\1", again$reason_1[1:40]), sub(pattern, "\\1", reasons[1:40, 1]))
  several <- augment(quick_model(kilns, epochs = 20), kilns[1:60, ], reasons = 1)
  told <- several$reason_1[!is.na(several$reason_1)]
  expect_gt(length(told), 40)
  expect_match(told, "[(][-+]")
  expect_message(few <- augment(model, known[1:4, ], reasons = 2), "at least 10 others")
  expect_true(all(is.na(few[c("reason_1", "reason_2")])))
  expect_fails(augment(model, known, reasons = -1), "`reasons` must be")
})

test_that("a row is tried with other values beside it as it is", {
  model <- decide(quick_model(recovery, "returned", epochs = 20), threshold = 0.2)
  row <- recovery[7, ]
  found <- try_row(model, recovery, 7, list(crp_mg_l = "200", physio = "none at all", bmi = NA))
  other <- transform(row, crp_mg_l = 200, bmi = NA)
  other$physio <- "none at all"
  predicted <- suppressWarnings(predict(model, rbind(row, other), type = "both"))
  expect_equal(found$predictions[names(predicted)], predicted, ignore_attr = TRUE)
  expect_equal(found$columns$tried[1:3], c("200", "none at all", "missing"))
  expect_equal(found$predictions$unusual[1], "")
  expect_setequal(strsplit(found$predictions$unusual[2], ", ")[[1]], c("crp_mg_l", "physio", "bmi"))
  expect_match(paste(format(found), collapse = " "), "probability is 0.2 or more")
  expect_output(print(try_row(known_model(), known, known[3, ], list(x1 = 0.5))), "^The prediction is")
  # columns may have the names of arguments
  named <- stats::setNames(known[c("x1", "x2", "x3", "y")], c("mode", "data", "row", "y"))
  tried <- try_row(quick_model(named, "y", epochs = 2), named, 1, list(mode = 1, data = 0, row = 1))
  expect_equal(tried$columns$tried, c("1", "0", "1"))
  # by id, and in the types of the columns
  expect_equal(try_row(model, recovery, recovery$visit[7], list(pain = 3))$row, recovery$visit[7])
  sailing <- quick_model(small_crossings(), "passengers")
  expect_equal(try_row(sailing, small_crossings(), 1, list(sails_on = "2024-03-01"))$columns$tried[1], "2024-03-01")
  wrong <- list(
    list(pain = "much"), list(pain = 1:2), list(), list(3), list(pian = 1), list(pain = 1, pain = 2)
  )
  said <- c(
    "holds numbers, and \"much\" is none", "takes one value", "gives no value", "gives no value",
    "Did you mean `pain`", "given twice"
  )
  for (i in seq_along(wrong)) expect_fails(try_row(model, recovery, 7, wrong[[i]]), said[i])
  expect_fails(try_row(sailing, small_crossings(), 1, list(sails_on = "soon")), "holds dates")
})

test_that("what is missing is said", {
  model <- known_model()
  calls <- list(quote(importance(model)), quote(effect_of(model, input = x1)), quote(contributions(model, row = 1)))
  for (call in calls) expect_fails(eval(call), "`data` is missing")
  expect_fails(contributions(model, data = known), "`row` is missing")
  expect_fails(effect_of(model, data = known), "`input` is missing")
})

test_that("of one column the whole difference is its own", {
  model <- quick_model(known[c("x1", "y")], "y", epochs = 20)
  found <- contributions(model, known, 3)
  expect_equal(found$columns$contribution, found$prediction - found$mean)
})

# Two columns that go together, of which the second alone decides.
together <- withr::with_seed(3, {
  x2 <- rnorm(1500)
  x1 <- 0.9 * x2 + sqrt(1 - 0.81) * rnorm(1500)
  data.frame(x1, x2, x3 = rnorm(1500), kind = ifelse(x2 + rnorm(1500) > 0, "up", "down"), y = x1 + x2)
})

test_that("columns are shuffled together, and among rows that are alike in the others", {
  model <- quick_model(together, "y", epochs = 100)
  plain <- importance(model, together)
  alike <- importance(model, together, among_alike = TRUE)
  of <- function(found, column) found$columns$importance[found$columns$column == column]
  # the value of a row that is alike in x2 tells most of x1: about 1 - 0.81 of its variance is left
  risen <- function(found, column) (of(found, column) + found$value)^2 - found$value^2
  expect_equal(risen(plain, "x1"), 2 * var(together$x1), tolerance = 0.25)
  expect_lt(risen(alike, "x1"), 0.4 * risen(plain, "x1"))
  expect_gt(risen(alike, "x1"), 0.15 * risen(plain, "x1"))
  # a column that nothing tells is shuffled among all rows as before
  lone <- quick_model(known, "y", epochs = 100)
  expect_identical(importance(lone, known, among_alike = TRUE)$columns, importance(lone, known)$columns)
  both <- importance(model, together, groups = list(pair = c("x1", "x2")))
  expect_equal(both$columns$column[1], "pair")
  expect_setequal(both$columns$column, c("pair", "x3", "kind"))
  # y = x1 + x2 shuffled as a whole
  expect_equal(risen(both, "pair"), 2 * var(together$y), tolerance = 0.25)
  said <- paste(cli::ansi_strip(format(importance(model, together, groups = both$groups, among_alike = TRUE))),
                collapse = " ")
  expect_match(said, "\"pair\" is x1 and x2, shuffled together")
  expect_match(said, "alike in the others")
  wrong <- list(c("x1", "x2"), list(pair = "x9"), list(a = "x1", b = "x1"), list(x3 = c("x1", "x2")))
  told <- c("name of its own", "does not take in", "in `groups` twice", "can't have the name")
  for (i in seq_along(wrong)) expect_fails(importance(model, together, groups = wrong[[i]]), told[i])
  expect_fails(importance(model, together, among_alike = NA), "`among_alike` must be TRUE or FALSE")
})

test_that("rows that are alike are told by what tells the column, and receive values of each other alone", {
  by <- withr::with_seed(1, data.frame(
    a = rnorm(800), b = sample(c("p", "q", "r", NA), 800, TRUE), c = rnorm(800)
  ))
  cases <- list(
    list(a = by$c), list(a = by$a + withr::with_seed(2, rnorm(800, 0, 0.2))),
    list(a = ifelse(by$b %in% "q", "in", "out"))
  )
  leaves <- lapply(cases, alike_rows, by)
  count <- lengths(lapply(leaves, unique))
  expect_true(all(count[1:2] > 8))
  # noise is told by nothing, in about 99 of 100 tables
  noise <- vapply(1:20, function(s) {
    length(unique(alike_rows(list(withr::with_seed(100 + s, rnorm(800))), by)))
  }, 0L)
  expect_lte(sum(noise > 1), 2)
  expect_setequal(tapply(cases[[3]]$a, leaves[[3]], function(x) length(unique(x))), 1)
  for (leaf in leaves) {
    order <- order_within(shuffled(800, 1, "importance"), leaf)
    expect_setequal(order, 1:800)
    expect_identical(leaf[order], leaf)
  }
})

test_that("a local effect moves rows within their steps, and does not take over what goes together", {
  model <- quick_model(together, "y", epochs = 100)
  e <- effect_of(model, together, x1, local = TRUE)
  expect_equal(lm(prediction ~ x1, e$curve)$coefficients[[2]], 1, tolerance = 0.1)
  expect_true(all(e$curve$low <= e$curve$prediction & e$curve$prediction <= e$curve$high))
  rows <- together[rows_of_part(model, together, "test"), ]
  # one network, linear in the column: the accumulated steps by hand
  by_hand <- vapply(seq_len(24), function(k) {
    ends <- e$curve$x1[k + 0:1]
    own <- rows[rows$x1 > ends[1] & rows$x1 <= ends[2], ]
    at <- function(x) predict(model, transform(own, x1 = x))$prediction
    mean(at(ends[2]) - at(ends[1]))
  }, 0)
  expect_equal(diff(e$curve$prediction), by_hand)
  kinds <- effect_of(model, together, kind, local = TRUE)$curve
  expect_equal(weighted.mean(kinds$prediction, table(rows$kind)[kinds$kind]), mean(predict(model, rows)$prediction))
  expect_match(format(effect_of(model, together, kind, local = TRUE))[3], "95 % interval")
  expect_fails(effect_of(model, together, x1, with = x2, local = TRUE), "leave out `with`")
  # levels without an order stand by their likeness
  line <- by_likeness(
    list(rep(c(1, 50, 25), each = 30) + 0:29), rep(c("low", "high", "middle"), each = 30), c("low", "high", "middle")
  )
  expect_equal(line[2], 3)
})

test_that("contributions of many rows add up, and are those of each within their error", {
  model <- known_model()
  found <- contributions(model, known, 1:40)
  one <- contributions(model, known, 7)$columns
  expect_equal(rowSums(found$contributions), found$rows$prediction - found$mean[[1]], ignore_attr = TRUE)
  own <- found$contributions[7, one$column]
  expect_lt(max(abs(own - one$contribution) / (found$errors[7, one$column] + 0.01)), 4)
  table <- as.data.frame(found)
  expect_equal(dim(table), c(40, 4 + 5))
  expect_equal(nrow(contributions(model, known, "all")$rows), 2000)
  expect_equal(contributions(model, known, known[3:5, ])$contributions, found$contributions[3:5, ], tolerance = 0.2)
  expect_named(table, c("row", "of", "prediction", "mean", paste0("by_x", 1:5)))
  expect_s3_class(ggplot2::autoplot(found), "ggplot")
  expect_named(in_document(found), c("said", "figure"))
  # by the row's id where there is one
  ids <- quick_model(kilns, epochs = 20)
  expect_equal(contributions(ids, kilns, c(3, 9))$rows$row, kilns$firing[c(3, 9)])
  expect_equal(contributions(ids, kilns, kilns$firing[c(3, 9)])$rows, contributions(ids, kilns, c(3, 9))$rows)
  classes <- quick_model(kilns, epochs = 20)
  expect_equal(unique(contributions(classes, kilns, 1:5, of = "burst")$rows$of), "burst")
  expect_fails(contributions(model, known, c(1, 9999)), "`row` must be a whole number")
  expect_match(cli::ansi_strip(format(found)[1]), "predictions for 40 rows")
})

test_that("what explains meets exposure, counts, groups, order, rules and ensembles", {
  d <- withr::with_seed(6, {
    n <- 400
    herd <- rep(seq_len(80), each = 5)
    day <- as.Date("2026-01-01") + seq_len(n)
    a <- rnorm(n)
    kind <- sample(c("p", "q", "r"), n, TRUE)
    data.frame(a, b = a + rnorm(n), kind, herd, day, times = rep(1:2, n / 2), open = runif(n, 1, 3))
  })
  d$number <- withr::with_seed(7, rpois(400, d$open * exp(0.5 * d$a)))
  d$class <- ifelse(d$a + withr::with_seed(8, rnorm(400)) > 0.5, "yes", "no")
  number <- brief(d[names(d) != "class"], target = "number")
  class <- brief(d[!names(d) %in% c("number", "open")], target = "class")
  cases <- list(
    exposure = set_columns(number, exposure = "open", drop = c("herd", "day")) |> regimen(loss = "poisson"),
    counts = set_columns(class, weight = "times", weight_is = "counts", drop = c("herd", "day")),
    groups = set_columns(class, group = "herd"),
    order = set_columns(class, order = "day", drop = "herd")
  )
  for (name in names(cases)) {
    b <- hold_out(cases[[name]], seed = 1) |> regimen(seed = 1, epochs = 30)
    b <- if (name == "groups") hold_out(b, test = 0, folds = 4) |> wire("6 tanh") else quick(b)
    model <- train(b, progress = "none")
    if (name == "groups") model <- decide(model, threshold = 0.3)
    expect_s3_class(importance(model, d, repeats = 2, among_alike = TRUE), "hylomath_importance")
    e <- effect_of(model, d, a, local = TRUE)$curve
    expect_true(all(is.finite(e$low) & e$low <= e$high), info = name)
    pairs <- interactions(model, d, columns = c("a", "b", "kind"))$pairs
    expect_true(all(pairs$low <= pairs$size & pairs$size <= pairs$high & pairs$share <= 1), info = name)
    found <- contributions(model, d, "all")
    expect_equal(rowSums(found$contributions), found$rows$prediction - found$mean[found$rows$of], ignore_attr = TRUE)
    row <- which.max(d$a)
    ways <- smallest_change(model, d, row, to = if (name == "exposure") c(-Inf, 0.8) else "no")
    expect_gt(nrow(ways$changes), 0)
    expect_false("open" %in% ways$changes$column)
  }
})

test_that("rows without a prediction, and levels that are too rare, stay out of what explains", {
  d <- withr::with_seed(9, data.frame(a = rnorm(600), b = rnorm(600)))
  d$y <- 5 + d$a + d$b
  d$b[seq(1, 600, 2)] <- NA
  b <- brief(d, target = "y") |> prepare(missing = "drop") |> hold_out(seed = 1) |> quick() |> regimen(seed = 1)
  model <- train(b, progress = "none")
  newer <- d[c(1:300), ]
  known <- newer[!is.na(newer$b), ]
  # of newer rows, of which half have no prediction, what those that have one alone give
  expect_equal(effect_of(model, newer, a, local = TRUE)$n, 150)
  expect_equal(
    mean(effect_of(model, newer, a, local = TRUE)$curve$prediction), mean(predict(model, known)$prediction),
    tolerance = 0.02
  )
  expect_lt(interactions(model, newer)$n, 150)
  expect_equal(interactions(model, newer)$pairs$size, interactions(model, known)$pairs$size, tolerance = 0.2)
  found <- contributions(model, newer, "all")
  expect_equal(c(nrow(found$rows), found$without), c(150, 150))
  expect_fails(contributions(model, newer, c(1, 3)), "no prediction for any of the rows")
  expect_fails(smallest_change(model, newer, 1, to = c(0, 1)), "no prediction for this row")
  many <- withr::with_seed(10, data.frame(kind = paste0("k", pmin(rgeom(900, 0.08), 40)), a = rnorm(900)))
  many$y <- many$a + nchar(many$kind)
  model <- quick_model(many, "y", epochs = 20)
  e <- effect_of(model, many, kind, local = TRUE)
  expect_equal(nrow(e$curve), 20)
  expect_gt(e$left_out, 0)
  rows <- many[rows_of_part(model, many, "test"), ]
  rows <- rows[rows$kind %in% e$curve$kind, ]
  expect_equal(e$n, nrow(rows))
  weight <- vapply(e$curve$kind, function(kind) sum(rows$kind == kind), 0L)
  expect_equal(weighted.mean(e$curve$prediction, weight), mean(predict(model, rows)$prediction))
})

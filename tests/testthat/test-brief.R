kinds_of <- function(table) unlist(guess_kinds(table))

test_that("kinds are guessed from values", {
  n <- 60
  table <- data.frame(
    id = sprintf("x%02d", 1:n), serial = n:1, number = seq(0.5, 30, 0.5), count = rep(c(3, 8, 9), 20),
    flag = rep(c(TRUE, NA, FALSE), 20),
    bit = rep(0:1, 30), word = rep(c("a", "b", NA), 20), wordy = c(sprintf("w%d", 1:30), rep("v", 30)),
    day = as.Date("2025-01-01") + 1:n, moment = as.POSIXct("2025-01-01", tz = "UTC") + 1:n, same = "k", empty = NA,
    negative = rep(-1:1, 20)
  )
  expect_equal(kinds_of(table), c(
    id = "id", serial = "id", number = "number", count = "count", flag = "flag", bit = "flag", word = "category",
    wordy = "text",
    day = "date", moment = "time", same = "constant", empty = "missing", negative = "number"
  ))
})

test_that("the task, the classes and the roles are guessed and shown", {
  b <- brief(recovery, target = "returned")
  expect_equal(b$task, "classification")
  expect_equal(b$classes, c("no", "yes"))
  expect_equal(b$positive, "yes")
  expect_equal(b$columns$id, "visit")
  expect_false(any(c("visit", "patient", "returned") %in% brief_inputs(b)))
  shown <- paste(format(b), collapse = "\n")
  expect_match(shown, "positive is yes")
  expect_match(shown, "not used +patient \\(id\\)")
  expect_equal(brief(crossings, target = "passengers")$task, "count")
  expect_equal(brief(boats, target = "litres_mile")$task, "regression")
  expect_equal(brief(boats, target = "decked")$classes, c("0", "1"))
  expect_equal(brief(clays, target = "clay")$classes, levels(clays$clay))
})

test_that("roles, drops and kinds are set, and the target is protected", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient, drop = c(visit, starts_with("phys")))
  expect_equal(b$columns$group, "patient")
  expect_true(all(c("visit", "physio") %in% b$columns$drop))
  b <- set_columns(b, keep = c(age, pain))
  expect_setequal(brief_inputs(b), c("age", "pain"))
  expect_fails(set_columns(b, drop = returned), "`returned` is the target")
  expect_fails(set_columns(b, id = vist), "no column `vist`", "Did you mean `visit`?")
  expect_equal(set_columns(b, kinds = c(pain = "category"))$columns$kinds$pain, "category")
  expect_fails(set_columns(b, kinds = c(pain = "colour")), "columns.kinds.pain", "one of number")
})

test_that("a date that orders the rows stays an input, a running number does not", {
  table <- transform(small_crossings(), run = seq_len(600) + 0.5)
  b <- brief(table, target = "passengers")
  expect_true("sails_on" %in% brief_inputs(set_columns(b, order = sails_on)))
  expect_false("run" %in% brief_inputs(set_columns(b, order = run)))
})

test_that("settings are checked when they are set", {
  b <- brief(kilns, target = "outcome")
  expect_fails(hold_out(b, test = 1.5), "`hold_out.test` must be a number from 0 below 1, not 1.5")
  expect_fails(hold_out(b, validation = 0.6, test = 0.5), "leave no rows for training")
  expect_fails(hold_out(b, by = "stratifid"), "Did you mean `stratified`?")
  expect_fails(regimen(b, method = "adan"), "Did you mean `adam`?")
  expect_fails(regimen(b, momentum = 0.5), "`regimen.momentum` is set, but not the method")
  expect_fails(regimen(b, method = "adam", momentum = 0.5), "has no meaning for the method `adam`")
  expect_fails(regimen(b, epochs = 1.5), "whole number")
  expect_fails(regimen(b, learning_rate = 0), "above 0")
  expect_fails(regimen(b, stop = list(patence = 3)), "Did you mean `patience`?")
  expect_equal(regimen(b, method = "momentum")$regimen$momentum, 0.9)
  expect_null(regimen(regimen(b, method = "momentum"), method = "adam")$regimen$momentum)
  expect_fails(prepare(b, missing = "mode"), "flag or drop")
})

test_that("class weights replace the former ones and are not merged with them", {
  b <- brief(recovery, target = "returned") |>
    regimen(class_weights = c(no = 1, yes = 5)) |> regimen(class_weights = list(yes = 2, no = 3))
  expect_equal(b$regimen$class_weights, list(yes = 2, no = 3))
})

test_that("seeds that are not given come from R's generator", {
  set.seed(42)
  a <- brief(kilns, target = "outcome")
  set.seed(42)
  expect_equal(brief(kilns, target = "outcome")$hold_out$seed, a$hold_out$seed)
  expect_false(brief(kilns, target = "outcome")$hold_out$seed == a$hold_out$seed)
})

test_that("what can't be an analysis is refused with the reason", {
  expect_fails(brief(kilns, target = "outcom"), "no column `outcom`", "Did you mean `outcome`?")
  expect_fails(brief(kilns), "`target` is missing")
  expect_fails(brief(transform(kilns, outcome = "sound"), target = "outcome"), "always \"sound\"")
  expect_fails(brief(transform(kilns, outcome = NA), target = "outcome"), "no values")
  expect_fails(brief(kilns, target = "firing"), "kind `id`")
  expect_fails(brief(crossings, target = "passengers", task = "counts"), "Did you mean `count`?")
  expect_fails(
    brief(transform(crossings, passengers = passengers - 20), target = "passengers", task = "count"), "negative in rows"
  )
  expect_fails(
    brief(transform(crossings, passengers = passengers + 0.5), target = "passengers", task = "count"), "not whole"
  )
  expect_fails(brief(recovery, target = "returned", positive = "Yes"), "positive class \"Yes\"")
  expect_fails(
    brief(setNames(boats, replace(names(boats), 2, "litres_mile")), target = "litres_mile"),
    "Two columns are called `litres_mile`"
  )
  expect_fails(brief(1:3, target = "x"), "class integer")
})

test_that("a setting that is said is in force, at its default too", {
  b <- brief(small_kilns(), target = "outcome")
  said <- list(
    epochs = c(300, 600, 7), stop = list("none", list(patience = 20), list(patience = 60)), l1 = 0,
    l2 = c(0.003, 0), learning_rate = c(0.005, 0.1), batch_size = c(64, 7), schedule = "constant",
    gradient_clip = 0, max_norm = 0, input_noise = 0, method = c("adam", "lbfgs"), class_weights = "none"
  )
  in_force <- function(a, name) {
    r <- regimen_in_force(a, function() learn_preparation(a))
    r[[name]]
  }
  for (name in names(said)) for (value in as.list(said[[name]])) {
    changed <- do.call(regimen, c(list(b), stats::setNames(list(value), name)))
    expect_identical(changed$regimen[[name]], value)
    candidates <- ensemble_candidates(settle(changed))
    own <- candidates[names(candidates) != "linear"]
    for (a in own) if (!grepl("tanh", a$brief$wiring)) expect_equal(in_force(a, name), value)
    if (name != "method") expect_equal(in_force(settle(quick(changed)), name), value)
  }
  for (numbers in c("zscore", "robust", "rank_normal")) {
    candidates <- ensemble_candidates(settle(prepare(b, numbers = numbers)))
    for (a in candidates) expect_equal(unique(vapply(a$prepare, `[[`, "", "numbers")), numbers)
  }
  for (clip in list(0, 0.01, "far")) {
    candidates <- ensemble_candidates(settle(prepare(b, clip = clip)))
    for (a in candidates) expect_identical(a$prepare$peak_c$clip, clip)
  }
})

test_that("the file of a brief states nothing that is not in force", {
  b <- brief(small_kilns(), target = "outcome")
  lines <- function(b) strsplit(brief_yaml(b), "\n")[[1]]
  expect_false(any(grepl("300|patience", lines(b))))
  expect_true("  epochs: 300" %in% lines(regimen(b, epochs = 300)))
  expect_true("  epochs: 300" %in% lines(quick_model()$brief |> regimen(epochs = 300)))
})

test_that("a brief that a verb gives is seen", {
  b <- brief(small_kilns(), target = "outcome")
  calls <- expression(
    regimen(b, epochs = 5), wire(b, "8 tanh"), quick(b), prepare(b, missing = "median"), hold_out(b, test = 0.3),
    set_columns(b, drop = glaze), keep_rows(b, load_kg > 10), set_about(b, "To try")
  )
  for (call in calls) expect_true(withVisible(eval(call))$visible)
})

test_that("a method for the linear model and its wiring are said in any order", {
  b <- brief(small_kilns(), target = "outcome")
  expect_identical(regimen(b, method = "newton") |> wire("linear"), wire(b, "linear") |> regimen(method = "newton"))
  expect_fails(train(regimen(b, method = "newton"), progress = "none"), "newton", "without hidden layers")
  expect_fails(regimen(b, method = "newton") |> wire("8 tanh"), "newton", "without hidden layers")
})

test_that("briefs print as before", {
  expect_snapshot({
    brief(kilns, target = "outcome") |> hold_out(seed = 1)
    brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 1)
    brief(crossings, target = "passengers") |> hold_out(seed = 1)
    brief(crossings, target = "passengers", task = "regression") |> regimen(loss = "huber") |> hold_out(seed = 1)
  })
})

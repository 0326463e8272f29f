# A brief and its table are settled once, into an analysis whose invariants hold; tasks are objects.

# How often an internal function is called while `code` runs.
times_called <- function(name, code) {
  counter <- new.env()
  counter$n <- 0
  count <- function() counter$n <- counter$n + 1
  suppressMessages(trace(name, as.call(list(count)), print = FALSE, where = asNamespace("hylomath")))
  on.exit(suppressMessages(untrace(name, where = asNamespace("hylomath"))))
  force(code)
  counter$n
}

test_that("one training settles once: one working table, one split, one look at the target", {
  b <- brief(kilns, target = "outcome") |> regimen(epochs = 2)
  for (step in c("settle", "working_table", "split_rows", "check_targets")) {
    expect_equal(times_called(step, withr::with_seed(1, single(b, progress = "none"))), 1, info = step)
  }
})

test_that("folds and a search settle once too, and printing a brief does not split twice", {
  b <- brief(small_kilns(), target = "outcome") |> regimen(epochs = 2)
  expect_equal(times_called("settle", withr::with_seed(1, folds(b, k = 3, progress = "none"))), 1)
  expect_equal(times_called("split_rows", format(b)), 1)
})

test_that("an analysis of any brief keeps its invariants", {
  briefs <- list(
    brief(kilns, "outcome"),
    brief(recovery, "returned") |> set_columns(group = patient),
    brief(crossings, "passengers") |> set_columns(order = sails_on),
    brief(crossings, "passengers") |> set_columns(weight = fare),
    brief(crossings, "passengers", task = "regression") |> regimen(loss = list(kind = "quantile", at = c(0.1, 0.9))),
    brief(kilns, c("peak_c", "load_kg")) |> add_columns(heat = ramp_c_h * 2),
    brief(kilns, "outcome") |> keep_rows(load_kg > 80) |> hold_out(test = 0)
  )
  for (b in briefs) {
    a <- settle(b)
    expect_s3_class(check_analysis(a), "hylomath_analysis")
    expect_equal(nrow(a$table), nrow(a$raw))
  }
})

test_that("a broken analysis is named as such", {
  a <- settle(brief(kilns, "outcome"))
  faults <- list(
    list(change = function(a) within_list(a, part = a$part[-1]), told = "parts are known"),
    list(change = function(a) within_list(a, weight = c(-1, rep(1, nrow(kilns) - 1))), told = "weights are numbers"),
    list(change = function(a) within_list(a, part = rep("test", nrow(kilns))), told = "there are training rows")
  )
  for (fault in faults) expect_error(check_analysis(fault$change(a)), fault$told)
})

test_that("every task has every function, and streams of random numbers do not meet", {
  for (name in names(known_tasks())) {
    task <- known_tasks()[[name]]
    wanted <- c(
      "word", "losses", "kind", "several", "exposure", "logarithm", "epoch_measures", "claims", "complete", "check",
      "check_loss", "check_target", "output", "units", "strata", "observe", "learn", "row_weights", "encode", "start",
      "reading", "prediction", "baseline", "primary", "row_losses", "evaluate", "measure", "estimate",
      "error_scale", "describe"
    )
    expect_setequal(names(task), wanted)
  }
  expect_false(anyDuplicated(streams$purpose) > 0)
  expect_error(stream_of("tea leaves"), "no stream for tea leaves")
  expect_error(stream_of("lots", 2^24), "not so many streams for lots")
  keys <- unlist(lapply(streams$purpose, function(purpose) stream_of(purpose, c(0:9, 2^24 - 1))))
  expect_false(anyDuplicated(keys) > 0)
})

test_that("every purpose that is drawn for has a stream", {
  drawing <- c("drawn_rows", "shuffled", "uniform", "stream_of")
  named_in <- function(code) {
    if (is.call(code) && is.name(code[[1]]) && as.character(code[[1]]) %in% drawing) {
      given <- match.call(get(as.character(code[[1]]), asNamespace("hylomath")), code)$purpose
      return(if (is.character(given)) given)
    }
    if (!is.call(code) && !is.pairlist(code)) return(NULL)
    unlist(lapply(as.list(code), function(part) if (!missing(part)) named_in(part)))
  }
  functions <- Filter(is.function, mget(ls(asNamespace("hylomath")), asNamespace("hylomath")))
  named <- unique(unlist(lapply(functions, function(f) named_in(body(f)))))
  expect_gt(length(named), 10)
  expect_setequal(intersect(named, streams$purpose), named)
})

test_that("a network that has learned from more rows than are known again is trained, and knows some of them", {
  table <- data.frame(x = seq_len(most_rows_known + 10) %% 977, y = seq_len(most_rows_known + 10) %% 11)
  b <- brief(table, target = "y", task = "regression") |> hold_out(validation = 0, test = 0, folds = 0, seed = 1)
  model <- train(wire(b, "linear") |> regimen(method = "adam", epochs = 1, seed = 1), progress = "none")
  expect_false(model$seen$all)
})

test_that("a new task is one object: registered, it goes from a brief to an appraisal", {
  middling <- utils::modifyList(task_numbers(), list(
    word = "middling", losses = "absolute", claims = function(y, kind) FALSE, primary = function(target) "MAE",
    describe = function(target) "middling (the absolute error)"
  ))
  register_task("middling", middling)
  withr::defer(task_registry$tasks$middling <- NULL)
  b <- brief(small_crossings(), target = "passengers", task = "middling")
  expect_match(paste(format(b), collapse = "\n"), "middling (the absolute error)", fixed = TRUE)
  model <- withr::with_seed(1, single(regimen(b, epochs = 30), progress = "none"))
  evaluated <- appraise(model)
  expect_true("MAE" %in% evaluated$measures$measure)
  predictions <- predict(model, small_crossings()[1:3, ])
  expect_equal(nrow(predictions), 3)
  file <- withr::local_tempfile(fileext = ".yml")
  write_brief(b, file)
  expect_equal(read_brief(file)$task, "middling")
})

test_that("the linear model of a logarithm carries a smearing factor of its own", {
  table <- transform(small_crossings(), passengers = passengers + 1)
  linear <- function(wiring) {
    b <- brief(table, target = "passengers", task = "regression") |>
      prepare(target = "log") |> wire(wiring) |> regimen(epochs = 40, seed = 3) |> hold_out(seed = 3)
    appraise(single(b, progress = "none"))$measures$linear
  }
  expect_equal(linear("8 tanh"), linear("3 relu"))
})

test_that("verbs show their arguments", {
  shown <- list(
    prepare = "numbers", wire = "wiring", regimen = "epochs", hold_out = "test", set_columns = "drop",
    train = "progress", appraise = "rows", folds = "k", scout = "budget", sift = "progress", importance = "repeats",
    distil = "progress"
  )
  for (verb in names(shown)) expect_true(shown[[verb]] %in% names(formals(verb)), info = verb)
})

test_that("a verb refuses what it is not for, and says what it is for", {
  for (verb in list(prepare, wire, regimen, hold_out, train, appraise, folds, importance)) {
    failure <- expect_error(verb(1:3), class = "hylomath_error")
    expect_match(conditionMessage(failure), "brief|model|network|fold")
  }
})

test_that("a table that was read otherwise and says the same is the same", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(300)
  table$load_kg <- as.integer(table$load_kg)
  data.table::fwrite(table, "k.csv")
  model <- withr::with_seed(1, brief("k.csv", target = "outcome") |> wire("3 tanh") |> regimen(epochs = 3) |>
    single(progress = "none"))
  again <- list(
    read.csv("k.csv"), read.csv("k.csv", colClasses = "character"), data.table::fread("k.csv"), table,
    transform(table, load_kg = as.numeric(load_kg), glaze = factor(glaze))
  )
  for (own in again) {
    expect_true(is_own_table(model, as_table(own)))
    expect_equal(appraise(model, own, rows = "test")$measures, appraise(model)$measures)
    refitted <- lapply(list(own, table), function(t) predict(refit(model, t, progress = "none"), table))
    expect_equal(refitted[[1]], refitted[[2]])
  }
  expect_false(is_own_table(model, transform(table, load_kg = load_kg + 1)))
})

test_that("every function that is called is there", {
  skip_if_not_installed("codetools")
  space <- asNamespace("hylomath")
  others <- lapply(c("stats", "utils", "methods", "graphics"), function(name) ls(asNamespace(name)))
  known <- c(ls(space, all.names = TRUE), ls(baseenv(), all.names = TRUE), ls(parent.env(space)), unlist(others))
  called <- unlist(lapply(Filter(is.function, mget(ls(space), space)), function(f) {
    codetools::findGlobals(f, merge = FALSE)$functions
  }))
  expect_identical(setdiff(called, known), character())
})

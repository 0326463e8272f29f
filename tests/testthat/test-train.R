test_that("the same seeds give the same network bit for bit", {
  b <- brief(small_kilns(), target = "outcome") |>
    hold_out(seed = 1) |> wire("8 relu > dropout 0.2 > 4 tanh") |> regimen(epochs = 6, seed = 2)
  first <- single(b, progress = "none")
  expect_identical(trained_network(single(b, progress = "none"))$parameters, trained_network(first)$parameters)
  expect_identical(single(b, progress = "none")$evaluated, first$evaluated)
  expect_false(
    identical(
      trained_network(single(regimen(b, seed = 3), progress = "none"))$parameters, trained_network(first)$parameters
    )
  )
})

test_that("set.seed() is enough for a repeatable analysis", {
  run <- function() withr::with_seed(
    8, single(regimen(brief(small_kilns(), target = "outcome"), epochs = 3), progress = "none")
  )
  expect_identical(
    run()[names(run()) != "seconds" & names(run()) != "curves"],
    run()[names(run()) != "seconds" & names(run()) != "curves"]
  )
})

test_that("training stops by patience and keeps the best epoch", {
  model <- quick_model(epochs = 500, stop = list(patience = 5))
  expect_equal(model$stopped, "patience")
  expect_equal(nrow(loss_curves(model)), model$best_epoch + 5)
  expect_equal(which.min(loss_curves(model)$validation), model$best_epoch)
})

test_that("the kept weights give the validation loss that the curve shows", {
  model <- quick_model(epochs = 30)
  appraisal <- appraise(model, rows = "validation")
  shown <- appraisal$measures$value[appraisal$measures$measure == "cross-entropy"]
  expect_equal(shown, loss_curves(model)$validation[model$best_epoch], tolerance = 1e-5)
})

test_that("a regression reports in its own unit and trains on the scaled one", {
  table <- transform(small_crossings(), minutes = 1e5 + 3000 * sin(hour / 3) + 500 * (route == "Holm"))
  model <- withr::with_seed(1, brief(table, "minutes") |> set_columns(drop = passengers) |> single(progress = "none"))
  expect_equal(mean(predict(model, table)$prediction), mean(table$minutes), tolerance = 0.01)
  expect_gt(appraise(model)$measures$value[3], 0.95)  # R squared
  expect_lt(loss_curves(model)$validation[model$best_epoch], 0.05)
})

test_that("progress tells of every epoch, and an interrupt there ends training", {
  events <- list()
  model <- brief(small_kilns(), target = "outcome") |>
    regimen(epochs = 4) |> single(progress = function(e) events[[length(events) + 1]] <<- e)
  expect_equal(vapply(events, `[[`, "", "event"), c("start", rep("epoch", 4), "end"))
  expect_equal(events[[4]]$validation, loss_curves(model)$validation[3])
  interrupt <- structure(class = c("interrupt", "condition"), list(message = "", call = NULL))
  model <- brief(small_kilns(), target = "outcome") |> regimen(epochs = 400) |>
    single(progress = function(e) if (e$event == "epoch" && e$epoch == 3) signalCondition(interrupt))
  expect_equal(model$stopped, "interrupted")
  expect_equal(nrow(loss_curves(model)), 3)
  expect_true("interrupted" %in% notes(model)$code)
  expect_s3_class(appraise(model), "hylomath_appraisal")
})

test_that("the brief of a training that was interrupted trains to the same network", {
  interrupt <- structure(class = c("interrupt", "condition"), list(message = "", call = NULL))
  stopped_after <- function(b, epochs) {
    seen <- 0
    train(b, progress = function(e) if (e$event == "epoch" && (seen <<- seen + 1) >= epochs) signalCondition(interrupt))
  }
  b <- brief(small_kilns(), target = "outcome") |> quick() |> hold_out(seed = 3) |>
    regimen(epochs = 400, stop = "none", seed = 4)
  cases <- list(
    cosine = regimen(b, schedule = "cosine"), patience = regimen(b, stop = list(patience = 300)),
    "several starts" = regimen(b, restarts = 4), "all of several starts" = regimen(b, restarts = 3, keep = "ensemble")
  )
  for (name in names(cases)) {
    model <- stopped_after(cases[[name]], 23)
    expect_false(is.null(model$brief$regimen$stop$epoch), label = name)
    file <- withr::local_tempfile(fileext = ".yml")
    write_brief(model$brief, file)
    again <- train(read_brief(file), data = small_kilns(), progress = "none")
    expect_identical(again$predictor$network, model$predictor$network, label = name)
    expect_identical(again$curves[c("training", "validation")], model$curves[c("training", "validation")], label = name)
  }
  # and learns on from there, as from any other
  on <- resume(stopped_after(cases$cosine, 5), small_kilns(), epochs = 3, progress = "none")
  expect_gt(nrow(loss_curves(on)), 1)
  expect_null(on$brief$regimen$stop$epoch)
  # of several starts one learns on, which is no interrupt
  several <- train(regimen(cases$"several starts", epochs = 5), progress = "none")
  on <- resume(several, small_kilns(), epochs = 2, progress = "none")
  expect_equal(on$brief$regimen$stop, "none")
  expect_equal(on$brief$regimen$restarts, 4)
})

test_that("SIGINT ends training at a batch and returns the best network", {
  skip_on_os("windows")
  seen <- FALSE
  model <- brief(small_kilns(), target = "outcome") |> regimen(epochs = 1e5, stop = "none") |>
    single(progress = function(e) {
      if (e$event != "epoch" || e$epoch != 50 || seen) return()
      seen <<- TRUE
      tools::pskill(Sys.getpid(), tools::SIGINT)
    })
  expect_equal(model$stopped, "interrupted")
  expect_lt(nrow(loss_curves(model)), 60)
})

test_that("curves are drawn while a network or an ensemble trains", {
  b <- brief(small_kilns(), target = "outcome") |> regimen(epochs = 12)
  for (one in list(quick(b), hold_out(b, folds = 3))) {
    file <- withr::local_tempfile(fileext = ".pdf")
    grDevices::pdf(file, compress = FALSE, useKerning = FALSE)
    said <- capture.output(model <- train(one, progress = "curves"), type = "message")
    grDevices::dev.off()
    drawn <- readLines(file, warn = FALSE)
    expect_gt(sum(grepl("/Type /Page ", drawn, fixed = TRUE, useBytes = TRUE)), 0)
    expect_true(any(grepl("(validation) Tj", drawn, fixed = TRUE, useBytes = TRUE)))
    expect_gt(length(said), 1)
  }
})

test_that("an error in a progress function reaches the caller", {
  expect_error(
    single(brief(small_kilns(), target = "outcome"), progress = function(e) if (e$event == "epoch") stop("full disk")),
    "full disk"
  )
  expect_fails(single(brief(small_kilns(), target = "outcome"), progress = "loud"), "`progress` is")
})

test_that("the default progress tells the ends and a few epochs, on standard error", {
  text <- capture_messages(
    single(brief(small_kilns(), target = "outcome") |> regimen(epochs = 100, stop = "none"), progress = progress_lines)
  )
  expect_match(text[1], "Training by lbfgs on 390 rows, validation on 89")
  expect_match(text[length(text)], "Done: all 100 epochs. Kept epoch")
  expect_true(length(text) %in% 8:16)
})

test_that("a diverging loss is stopped and said", {
  model <- quick_model(small_crossings(), "passengers", epochs = 50, method = "momentum", learning_rate = 1e6)
  expect_true(all(is.finite(trained_network(model)$parameters)))
  expect_equal(model$stopped, "diverged")
  expect_true("diverged" %in% notes(model)$code)
})

test_that("bad input is a clear error before training", {
  reached <- function(e) stop("training began")
  training <- function(table, target = "outcome", change = identity) single(
    change(brief(table, target = target)), progress = reached
  )
  table <- small_kilns()
  infinite <- replace(table, "peak_c", replace(table$peak_c, c(7, 9), Inf))
  expect_fails(training(infinite), "Column `peak_c` is infinite in rows 7 and 9")
  # what has no values is no input, unless it is said to be one
  empty <- transform(table, empty = NA)
  expect_false("empty" %in% brief_inputs(brief(empty, target = "outcome")))
  expect_fails(
    training(empty, change = \(b) set_columns(b, kinds = c(empty = "number"))),
    "Column `empty` has no values at all", "set_columns(drop = empty)"
  )
  expect_fails(
    training(table, change = \(b) regimen(b, class_weights = c(sound = 1))), "no weight for the class \"burst\""
  )
  expect_fails(
    training(table, change = \(b) regimen(b, class_weights = c(sund = 1))), "the class \"sund\"",
    "Did you mean `sound`?"
  )
  expect_fails(
    training(small_crossings(), "passengers", \(b) regimen(b, class_weights = "even")), "for classification only"
  )
  expect_fails(training(table["outcome"]), "No column is left")
  expect_fails(
    training(transform(table, w = -1:598), change = \(b) set_columns(b, weight = w)), "weight column `w` is negative"
  )
  expect_fails(
    training(
      transform(table, peak_c = ifelse(peak_c > 1300, "hot", peak_c)),
      change = \(b) set_columns(b, kinds = c(peak_c = "number"))
    ),
    "Column `peak_c` is text"
  )
  b <- brief(table, target = "outcome")
  expect_fails(single(b, data = table[-6], progress = reached), "There is no column `peak_c`")
  expect_fails(single(b, data = as.matrix(table), progress = reached), "given as a data frame")
})

test_that("coef() gives each layer's weights by name", {
  model <- quick_model(epochs = 1)
  w <- coef(model)
  expect_named(w, c("layer_1", "layer_2", "output"))
  expect_equal(dim(w$layer_1), c(length(model$predictor$preparation$features) + 1, 24))
  expect_equal(dimnames(w$output), list(c(paste0("unit_", 1:12), "(bias)"), c("burst", "crazed", "sound", "warped")))
  # by hand: the network's scores for one row
  x <- c(encode_inputs(model$predictor$preparation, small_kilns()[5, ]), 1)
  relu <- function(v) pmax(v, 0)
  score <- c(relu(c(relu(x %*% w$layer_1), 1) %*% w$layer_2), 1) %*% w$output
  expect_equal(
    unlist(predict(model, small_kilns()[5, ], type = "probability"), use.names = FALSE),
    as.numeric(exp(score) / sum(exp(score))), tolerance = 1e-5
  )
})

test_that("progress is signalled to progressr, step by step", {
  withr::local_options(progressr.enable = TRUE)
  skip_if_not_installed("progressr")
  seen <- function(code) {
    amounts <- numeric()
    ended <- 0
    withCallingHandlers(code, progression = function(p) {
      if (p$type == "update") amounts <<- c(amounts, p$amount)
      if (p$type == "finish") ended <<- ended + 1
    })
    c(sum(amounts), ended)
  }
  b <- withr::with_seed(1, brief(small_kilns(), "outcome")) |> regimen(epochs = 6, stop = "none") |> quick()
  expect_equal(seen(single(b, progress = "progressr")), c(6, 1))
  expect_equal(seen(folds(b, k = 3, progress = "progressr")), c(3, 1))
  expect_equal(seen(scout(b, units = 1:8, budget = 8, k = 2, progress = "progressr")), c(8, 1))
  expect_fails(single(b, progress = "loud"), "`progress` is")
})

test_that("a training of many networks tells what is left, with what later stages may ask for", {
  b <- brief(small_crossings(), target = "passengers") |> hold_out(seed = 1) |> regimen(seed = 1, epochs = 3)
  said <- capture_messages(model <- train(b, progress = "lines"))
  expect_match(said[1], "^Training [0-9]+ networks, and then at most [0-9]+ more by what these show")
  first <- as.integer(regmatches(said[1], gregexpr("[0-9]+", said[1]))[[1]])
  expect_equal(sum(first), 8 * length(ensemble_candidates(settle(b))))
  expect_match(said, sprintf("^[0-9]+ of %d done, at most [0-9.]+ s left", first[1]), all = FALSE)
  # the last stage knows how many there are, and what is done is not told a time
  last <- utils::tail(said, 1)
  expect_match(last, "^([0-9]+) of \\1 done\\.\n$")
  expect_match(said, "done, about [0-9.]+ s left", all = FALSE)
})

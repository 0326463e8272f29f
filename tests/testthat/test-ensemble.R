# Networks of a cross-validation ensemble: how rows are dealt, what each network sees, and what they are together.

ensemble_of <- function(table = small_kilns(300), target = "outcome", epochs = 4, folds = 4, wiring = "4 tanh") {
  withr::with_seed(1, brief(table, target = target)) |> wire(wiring) |>
    regimen(epochs = epochs, seed = 7) |> hold_out(folds = folds, seed = 5)
}
trained <- function(b) train(b, progress = "none")
told <- function(x) gsub("\\s+", " ", paste(format(x), collapse = " "))

test_that("every row that is not held out is predicted once, stopped by once, and learned from by the others", {
  cases <- list(
    plain = ensemble_of(),
    groups = ensemble_of(recovery, "returned") |> set_columns(group = patient),
    key = ensemble_of() |> hold_out(by = "key", seed = 5),
    random = ensemble_of() |> hold_out(by = "random", seed = 5)
  )
  for (b in cases) {
    a <- settle(b)
    parts <- vapply(1:4, function(i) member_parts(a, i), character(length(a$part)))
    rows <- which(a$part == "training")
    expect_identical(which(!is.na(a$fold)), rows)
    expect_true(all(is.na(parts[-rows, ])))
    for (part in c("evaluated", "validation")) expect_true(all(rowSums(parts[rows, ] == part) == 1))
    # who stops a network is predicted by the next one
    for (i in 1:4) expect_identical(parts[, i] == "validation", parts[, i %% 4 + 1] == "evaluated")
    if (!is.null(a$group)) expect_true(all(tapply(a$fold[rows], a$group[rows], function(t) length(unique(t))) == 1))
  }
  expect_lt(diff(range(table(settle(cases$plain)$fold))), 2)
})

test_that("in order of time networks learn from what was before", {
  a <- settle(ensemble_of(small_crossings(), "passengers") |> set_columns(order = sails_on) |> hold_out(by = "ordered"))
  when <- as.numeric(a$table$sails_on)
  for (i in seq_len(a$hold_out$folds)) {
    part <- member_parts(a, i)
    times <- lapply(c("training", "validation", "evaluated"), function(p) range(when[part %in% p]))
    expect_lt(times[[1]][2], times[[2]][1])
    expect_lt(times[[2]][2], times[[3]][1])
  }
  model <- trained(a$brief |> with_table(small_crossings()))
  found <- evaluated_in_part(model, "out_of_fold")
  expect_setequal(found$row, predicted_by_fold(a))
  expect_lt(length(found$row), length(which(!is.na(a$fold))))
  # the first half is learned from by all
  expect_true(all(model$members$learned >= 0.5 * length(which(!is.na(a$fold))) - 5))
})

test_that("a row has no say in the network that predicts it", {
  b <- ensemble_of()
  a <- settle(b)
  model <- trained(b)
  found <- evaluated_in_part(model, "out_of_fold")
  expect_setequal(found$row, which(!is.na(a$fold)))
  row <- found$row[17]
  moved <- small_kilns(300)
  moved$moisture_pct[row] <- 1e4
  moved$outcome[row] <- setdiff(moved$outcome, moved$outcome[row])[1]
  # the parts that the class would change are kept as they were
  again <- settle(with_table(b, moved))
  again$part <- a$part
  again$fold <- a$fold
  again <- train_ensemble(again, reporter("none"))
  own <- a$fold[row]
  networks <- function(model, folds) {
    each <- model$predictor$members[model$predictor$folds %in% folds]
    lapply(each, function(member) list(member$network$parameters, member$preparation))
  }
  expect_identical(networks(again, own), networks(model, own))
  expect_false(identical(networks(again, setdiff(1:4, own)), networks(model, setdiff(1:4, own))))
})

test_that("each network is that of the fold with its parts, and together they predict by their shares", {
  b <- ensemble_of()
  model <- trained(b)
  a <- settle(b)
  part <- member_parts(a, 2)
  by_hand <- transform(small_kilns(300), part = sub("evaluated", "test", part))
  single <- brief(by_hand, target = "outcome") |> set_columns(drop = NULL) |> wire("4 tanh") |>
    hold_out(parts = "part", seed = 5) |> regimen(epochs = 4, seed = 7 + 1) |> trained()
  second <- model$predictor$members[[2]]
  expect_identical(second$network$parameters, trained_network(single)$parameters)
  own <- evaluated_in_part(model, "out_of_fold")
  expect_identical(
    own$predictions[own$fold == 2, ]$probability_burst, single$evaluated$test$predictions$probability_burst
  )
  each <- lapply(model$predictor$members, function(member) predictions_of(member, a$table)$probability_sound)
  expect_equal(predict(model, small_kilns(300), type = "both")$probability_sound, Reduce(`+`, each) / 4)
  evaluated <- appraise(model, rows = "out_of_fold")
  expect_identical(evaluated$n, length(own$row))
  for (a in list(evaluated, appraise(model))) expect_match(told(a), "Out-of-fold figures come from single networks")
})

test_that("an open wiring is blended by what was predicted out of fold, and never ends behind its parts", {
  model <- trained(ensemble_of(wiring = "auto", epochs = 20))
  shares <- tapply(model$members$share, model$members$network, sum)
  expect_equal(sum(shares), 1)
  expect_true("linear" %in% names(shares))
  own <- evaluated_in_part(model, "out_of_fold")
  alone <- tapply(model$members$loss * model$members$predicted, model$members$network, sum) / length(own$row)
  expect_lte(mean_loss(model$predictor, own), min(alone) + 1e-9)
  run <- training_run(model)
  expect_true(run$best %in% leading_members(model)$best_epoch && run$epochs < nrow(model$curves))
  expect_equal(
    unlist(glance(model)[c("parameters", "epochs", "best_epoch", "training_loss")], use.names = FALSE),
    c(all_parameters(model$predictor), run$epochs, run$best, run$curves$training[run$best])
  )
  expect_identical(model$best_epoch, as.integer(run$best))
  expect_false(any(vapply(model_facts(model)[c("method", "wiring")], identical, NA, "auto")))
  expect_fails(set_coef(model, coef(model)), "one list can't set them")
  expect_match(told(model), "of single networks, out-of-fold")
})

test_that("stepwise shares find a known blend", {
  truth <- c(a = 0.5, b = 0.25, c = 0.25)
  found <- stepwise_shares(c(a = 0, b = 0, c = 0), function(shares) 1 + sum((shares - truth)^2))
  expect_lt(max(abs(found - truth)), 0.05)
  expect_equal(sum(found), 1)
  # what lowers the loss by less than is worth it is left out
  expect_equal(
    stepwise_shares(c(a = 0, b = 0), function(shares) 1 - 0.001 * shares[["a"]]), c(a = 1, b = 0)
  )
})

test_that("a network that was caught in a bad minimum has no share, one that was unlucky has", {
  member <- function(training, validation) list(kept = c(training = training, validation = validation))
  members <- list(member(1, 1), member(1.2, 0.9), member(40, 50), member(0.9, 1.1), member(1, 30), member(NA, NA))
  expect_identical(steady_networks(members), c(TRUE, TRUE, FALSE, TRUE, TRUE, TRUE))
  expect_equal(network_shares(c(a = 0.5), list(a = members))$a, 0.5 * c(1, 1, 0, 1, 1, 1) / 5)
  expect_equal(fold_shares(c(0, 0)), c(1, 1))
})

test_that("an ensemble is the same model again, from its own brief and from its file", {
  model <- trained(ensemble_of(wiring = "auto"))
  again <- train(model$brief, data = small_kilns(300), progress = "none")
  expect_identical(again$predictor, model$predictor)
  expect_identical(again$evaluated, model$evaluated)
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file)
  expect_identical(read_model(file), model)
})

test_that("what rows stop or hold out by themselves is trained as one network, and says why", {
  b <- withr::with_seed(1, brief(small_kilns(), target = "outcome")) |> hold_out(seed = 5)
  expect_equal(settle(b)$hold_out$folds, 8)
  why <- function(b) settle(b)$single
  singles <- list(
    "there are validation rows" = hold_out(b, validation = 0.1), "`linear` has one minimum" = wire(b, "linear"),
    "there are several starts" = regimen(b, restarts = 2), "so says the brief" = quick(b)
  )
  for (text in names(singles)) expect_identical(why(singles[[text]]), text)
  expect_fails(read_brief(text = "target: outcome\nrule: 2"), "`rule` is 2", "follows rule 4")
  former <- ensemble_of()
  former$rule <- 3
  expect_fails(trained(former), "by rule 3", "Set its `rule` to 4")
  expect_equal(names(ensemble_candidates(settle(b)))[3:4], c("24 silu > 12 silu", "24 silu > 12 silu, periodic"))
  # numbers that the brief has settled are left as it says
  settled <- names(ensemble_candidates(settle(prepare(b, numbers = "robust"))))
  expect_false("24 silu > 12 silu, periodic" %in% settled)
  expect_match(why(brief(small_kilns()[1:18, ], target = "peak_c")), "too few")
  # all are evaluated by the same rows
  test <- which(part_along(b) == "test")
  for (other in singles[-1]) expect_identical(which(part_along(other) == "test"), test)
  grouped <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 5)
  expect_identical(which(part_along(quick(grouped)) == "test"), which(part_along(grouped) == "test"))
  # what is said last stands; both at once are refused
  expect_equal(hold_out(hold_out(b, validation = 0.1), folds = 5)$hold_out$validation, "auto")
  expect_equal(hold_out(hold_out(b, folds = 5), validation = 0.1)$hold_out$folds, "auto")
  expect_fails(hold_out(b, folds = 5, validation = 0.1), "folds")
  expect_fails(hold_out(b, folds = 2), "folds")
  few <- hold_out(brief(small_kilns()[1:18, ], target = "peak_c"), folds = 9)
  expect_fails(trained(few), "can't be dealt into", "too few")
  expect_fails(train(b, watch_test = TRUE), "one network only")
})

test_that("an interrupt keeps the folds that are done, and says how many", {
  interrupt <- structure(class = c("interrupt", "condition"), list(message = "", call = NULL))
  ended <- 0
  stop_at <- function(event) {
    if (event$event != "ended") return()
    if (event$ended >= 5) signalCondition(interrupt)
  }
  # long enough that some are still to do when the first have ended, of epochs no shorter than what is told of them
  table <- small_kilns(4000)
  long <- ensemble_of(table, epochs = 1000) |> regimen(method = "adam", stop = "none", seed = 7)
  model <- withr::with_options(list(hylomath.threads = 1), train(long, progress = stop_at))
  expect_equal(model$stopped, "interrupted")
  done <- unique(model$members$fold)
  expect_true(length(done) %in% 1:3)
  expect_match(notes(model)$note[notes(model)$code == "interrupted"], sprintf("%d of 4 folds", length(done)))
  own <- evaluated_in_part(model, "out_of_fold")
  expect_setequal(own$fold, done)
  expect_length(predict(model, small_kilns(300))$prediction, 300)
  # its brief trains these folds again, to the same networks
  expect_equal(model$brief$hold_out$only_folds, done)
  again <- train(model$brief, data = table, progress = "none")
  expect_identical(trained_parameters(again), trained_parameters(model))
  expect_identical(predict(again, table), predict(model, table))
  expect_error(hold_out(long, only_folds = 5), "names fold 5, and there are 4")
})

test_that("an interrupt of the last training in order of time is said, and its brief trains to the same networks", {
  interrupt <- structure(class = c("interrupt", "condition"), list(message = "", call = NULL))
  begun <- 0
  stop_last <- function(event) {
    if (event$event == "begin") begun <<- begun + 1
    if (begun == 2 && event$event == "step") signalCondition(interrupt)
  }
  b <- brief(small_crossings(), target = "passengers") |> set_columns(order = sails_on) |>
    hold_out(by = "ordered", folds = 3, seed = 2) |> regimen(epochs = 40, seed = 4)
  model <- train(b, progress = stop_last)
  expect_equal(model$stopped, "interrupted")
  expect_match(notes(model)$note[notes(model)$code == "interrupted"], "once more on the newest rows")
  again <- train(model$brief, data = small_crossings(), progress = "none")
  expect_identical(trained_parameters(again), trained_parameters(model))
  expect_identical(predict(again, small_crossings()), predict(model, small_crossings()))
})

test_that("rows out of fold decide, recalibrate and make sets, without any rows kept for it", {
  b <- ensemble_of(small_kilns(), epochs = 20)
  model <- recalibrate(trained(b))
  expect_equal(model$predictor$recalibration$rows, length(evaluated_in_part(model, "out_of_fold")$row))
  two <- ensemble_of(recovery, "returned", epochs = 20) |> set_columns(group = patient) |> trained() |>
    decide(recall = 0.8)
  expect_match(told(decision_of(two)), "On the out-of-fold predictions, brought to the ensemble's scale")
  after <- decision_of(two)$after
  expect_gte(after["yes", "yes"] / sum(after["yes", ]), 0.8)
  sets <- predict(model, small_kilns(), type = "set")
  expect_true(all(grepl("^in_", names(sets)) | names(sets) %in% c("prediction", "set") | grepl("prob", names(sets))))
  expect_fails(predict(trained(quick(b)), small_kilns(), type = "set"), "no calibration rows")
})

test_that("intervals are those of CV+, and sets those of cross-conformal prediction, by the definition", {
  d <- withr::with_seed(3, { x <- runif(160); data.frame(x = x, y = sin(6 * x) + rnorm(160, 0, 0.3)) })
  model <- trained(ensemble_of(d, "y", epochs = 30))
  own <- evaluated_in_part(model, "out_of_fold")
  new <- data.frame(x = seq(0, 1, length.out = 9))
  by_fold <- predictions_by_fold(model$predictor, working_table_of(model$brief, new))
  n <- length(own$row)
  score <- abs(own$observed - own$predictions$prediction)
  p <- predict(model, new, type = "interval", level = 0.8)
  for (i in seq_len(nrow(new))) {
    prediction <- vapply(by_fold, function(a) a$prediction[i], 0)[as.character(own$fold)]
    low <- sort(prediction - score)[floor(0.2 * (n + 1))]
    high <- sort(prediction + score)[ceiling(0.8 * (n + 1))]
    expect_equal(c(p$low[i], p$high[i]), unname(c(low, high)), tolerance = 1e-6)
  }
  kilned <- trained(ensemble_of())
  rows <- evaluated_in_part(kilned, "out_of_fold")
  table <- small_kilns(300)[1:20, ]
  predictions <- predictions_by_fold(kilned$predictor, working_table_of(kilned$brief, table))
  sets <- predict(kilned, table, type = "set", level = 0.9)
  for (class in kilned$brief$classes) {
    name <- paste0("probability_", class)
    of <- rows$observed == class
    for (i in 1:20) {
      as_high <- vapply(predictions, function(a) 1 - a[[name]][i], 0)[as.character(rows$fold[of])]
      p_value <- (sum(1 - rows$predictions[[name]][of] >= as_high) + 1) / (sum(of) + 1)
      expect_identical(sets[[paste0("in_", class)]][i], p_value > 0.1)
    }
  }
})

test_that("what is proven of coverage is the published bound", {
  # Theorem 4 of Barber et al. (2021): 1 - 2 alpha - min(2 (1 - 1/K) / (n/K + 1), (1 - K/n) / (K + 1))
  expect_equal(proven_coverage(0.9, 800, 8), 1 - 0.2 - min(2 * (7 / 8) / 101, (1 - 0.01) / 9))
})

test_that("a fold of an ensemble trains an ensemble", {
  b <- ensemble_of(small_kilns(), epochs = 5)
  f <- folds(b, k = 3, progress = "none")
  a <- settle(b)
  # the second fold by hand: the rows that it doesn't evaluate, dealt into parts
  laid <- lay_folds(fold_plan(b, 3, 1, NULL), b$table)
  inner <- ensemble_fold(a, laid$rows, laid$dealt[, 1], 2, "stratified")$analysis
  inner$brief$regimen$seed <- 7
  expect_setequal(which(inner$part == "training"), laid$rows[laid$dealt[, 1] != 2])
  expect_equal(sort(unique(inner$fold[!is.na(inner$fold)])), 1:4)
  own <- f$predictions[f$predictions$fold == 2, ]
  expect_equal(nrow(own), sum(laid$dealt[, 1] == 2))
  expect_equal(f$each$accuracy[2], mean(own$prediction == own$observed))
  expect_identical(folds(b, k = 3, progress = "none")$predictions, f$predictions)
  # its predictions calibrate the model of the same brief, as those of all networks together
  calibrated <- calibrate(trained(b), f)
  expect_length(calibrated$evaluated$calibration$key, nrow(f$predictions))
  expect_true(all(is.na(appraise(calibrated)$coverage$proven)))
  expect_fails(calibrate(trained(b), folds(quick(b), k = 3, progress = "none")), "another brief", "hold_out.folds")
  # beside one without hidden layers, and beside one network, on the same rows
  lined <- lineup(ensemble = f, one = folds(quick(b), k = 3, progress = "none"))
  expect_equal(lined$models$model, c("ensemble", "one"))
  rare <- small_kilns()
  rare$outcome[rare$outcome == "burst"] <- "sound"
  rare$outcome[1:3] <- "burst"
  expect_fails(folds(ensemble_of(rare), k = 10, progress = "none"), "burst")
})

test_that("networks of a cross-validation ensemble are made one, and what it costs is said", {
  model <- trained(ensemble_of(small_kilns(), epochs = 20, wiring = "auto"))
  one <- distil(model, small_kilns(), progress = "none")
  expect_null(one$members)
  expect_equal(network_count(one$predictor), 1)
  cost <- one$distilled$cost
  expect_equal(cost$loss[2], mean_loss(one$predictor, one$evaluated$test))
  expect_equal(cost$loss[1], mean_loss(model$predictor, model$evaluated$test))
  expect_identical(one$evaluated$test$key, model$evaluated$test$key)
  expect_lt(cost$parameters[2], cost$parameters[1])
  expect_match(told(one), "in place of")
  expect_fails(distil(model, kilns), "not the table")
  expect_fails(distil(quick_model(), small_kilns()), "one network already")
  expect_fails(distil(model), "`b` is missing")
  number <- small_crossings(300)
  several <- brief(number, "passengers", task = "regression") |> wire("3 tanh") |> hold_out(folds = 3, seed = 1) |>
    regimen(loss = list(kind = "quantile", at = c(0.1, 0.9)), epochs = 2, seed = 1)
  expect_fails(distil(trained(several), number), "`quantile` takes observed values only")
})

test_that("what is behind after the trial's folds is given up, in folds as in training, and not before", {
  b <- ensemble_of(small_kilns(), epochs = 20, wiring = "auto")
  offered <- ensemble_candidates(settle(b))
  model <- trained(b)
  left <- unique(model$members$network)
  expect_true(all(left %in% names(offered)) && "linear" %in% left)
  expect_lt(length(left), length(offered))
  expect_identical(trained(regimen(b, seed = 7))$members$network, model$members$network)
  # of a training that was interrupted before the trial had ended, or when no other fold had, what it began with
  for (only in list(1, 1:2, c(1, 3))) {
    expect_setequal(trained(hold_out(b, only_folds = only, seed = 5))$members$network, first_candidates(offered))
  }
  expect_setequal(trained(hold_out(b, only_folds = 1:3, seed = 5))$members$network, left)
  folded <- folds(b, k = 3, progress = "none")
  expect_true(all(is.finite(folded$predictions$probability_sound)))
})

test_that("smooth wirings are tried where the relation bends, and go on where they save much", {
  trial_of <- function(target, rows) {
    x <- withr::with_seed(1, as.data.frame(matrix(runif(5 * rows), rows)))
    x$bent <- sin(pi * x$V1 * x$V2) + 2 * (x$V3 - 0.5)^2 + x$V4
    x$straight <- x$V1 - x$V2 + withr::with_seed(2, rnorm(rows, sd = 0.3))
    networks <- c()
    see <- function(event) if (event$event == "begin") networks <<- c(networks, event$fits)
    b <- brief(x[c(paste0("V", 1:5), target)], target = target) |> hold_out(folds = 4, seed = 1) |>
      regimen(seed = 1, epochs = 40)
    model <- train(b, progress = see)
    list(networks = networks, left = intersect(model$members$network, smooth_wirings))
  }
  # first the others and the linear model in two folds
  few <- trial_of("bent", 300)
  expect_true(length(few$left) > 0)
  expect_equal(few$networks[1:2], c(2 * 5, 2 * 2))
  many <- trial_of("bent", 1600)
  expect_true(length(many$left) > 0)
  expect_equal(many$networks[1:2], c(2 * 5, 2))
  # then those that promise something in the other fold of the trial, and a larger one in the first
  expect_true(many$networks[3] %in% 1:2)
  expect_equal(many$networks[4], 1)
  straight <- trial_of("straight", 1600)
  expect_length(straight$left, 0)
  expect_length(straight$networks, 2)
})

test_that("a wiring goes on with a share, or near the best, and a large smooth one if it saves enough", {
  passengers <- brief(small_crossings(), target = "passengers", task = "regression")
  predictor <- trained(quick(passengers) |> wire("linear") |> regimen(seed = 1))$predictor
  n <- 40
  best <- rep(c(0.1, -0.1), n / 2)
  chance <- withr::with_seed(3, rnorm(n, sd = 0.02))
  predicted <- list(
    best = best, linear = rep(3, n), same = best + chance, worse = rep(2, n), "16 tanh" = 0.99 * best,
    "5 tanh" = 3 * best
  )
  each <- lapply(predicted, function(prediction) {
    own <- list(key = as.character(1:n), observed = rep(0, n), weight = rep(1, n), row = 1:n)
    own$group <- rep(1:4, each = 10)
    own$predictions <- data.frame(prediction = prediction)
    list(list(predictor = predictor, evaluated = own))
  })
  expect_identical(promising(settle(passengers), each), c("linear", "same", "16 tanh"))
  # of several targets each counts by its own variance
  two <- each$best
  two[[1]]$predictor$target$columns <- c("a", "b")
  two[[1]]$predictor$preparation$target$scale <- c(1, 100)
  two[[1]]$evaluated$observed <- data.frame(a = rep(0, n), b = rep(0, n))
  two[[1]]$evaluated$predictions <- data.frame(a = rep(1, n), b = rep(100, n))
  expect_equal(weighed_losses(two[[1]]), rep(1, n))
  each <- lapply(each, function(one) {
    one[[1]]$predictor$network$inputs <- 400
    one
  })
  expect_identical(promising(settle(passengers), each), c("best", "linear", "same"))
  each[["16 tanh"]][[1]]$evaluated$predictions$prediction <- best / 2
  expect_identical(promising(settle(passengers), each), c("linear", "16 tanh"))
  # a larger one beside it has to save as much again
  larger <- function(prediction) {
    each[["24 tanh > 12 tanh"]] <- each[["16 tanh"]]
    each[["24 tanh > 12 tanh"]][[1]]$evaluated$predictions$prediction <- prediction
    each
  }
  expect_identical(promising(settle(passengers), larger(0.499 * best)), c("linear", "16 tanh"))
  expect_identical(promising(settle(passengers), larger(best / 4)), c("linear", "24 tanh > 12 tanh"))
})

test_that("smooth wirings are offered where they are affordable, or where their method or evidence is named", {
  table <- withr::with_seed(1, data.frame(matrix(rnorm(5000 * 40), 5000), y = rnorm(5000)))
  offered <- function(...) {
    b <- regimen(hold_out(brief(table, target = "y"), seed = 1), seed = 1, ...)
    grep("tanh", names(ensemble_candidates(settle(b))), value = TRUE)
  }
  expect_identical(offered(), c("12 tanh", "10 tanh > 6 tanh"))
  expect_identical(offered(method = "levenberg_marquardt"), c("16 tanh", "10 tanh > 6 tanh"))
  expect_identical(offered(l2 = "evidence"), c("16 tanh", "10 tanh > 6 tanh"))
  expect_length(offered(method = "adam"), 0)
  table <- table[1:2000, c("X1", "X2", "X3", "y")]
  expect_identical(offered(), c("16 tanh", "10 tanh > 6 tanh", "24 tanh > 12 tanh"))
  table <- table[1:1000, ]
  expect_identical(offered(), c("16 tanh", "10 tanh > 6 tanh"))
})

test_that("a larger smooth wiring is tried where smooth ones lead, and leave something", {
  b <- brief(small_crossings(), target = "passengers", task = "regression")
  passengers <- settle(b)
  predictor <- trained(quick(b) |> wire("linear") |> regimen(seed = 1))$predictor
  each_of <- function(...) lapply(list(...), function(error) {
    own <- list(key = as.character(1:20), observed = rep(0, 20), weight = rep(1, 20), row = 1:20, group = 1:20)
    own$predictions <- data.frame(prediction = rep(error, 20))
    list(list(predictor = predictor, evaluated = own))
  })
  tried <- function(smooth) leads(passengers, each_of(wide = 1, "16 tanh" = smooth, linear = 3), "16 tanh")
  expect_identical(vapply(c(0.99, 0.89, 0.01, 0.005), tried, NA), c(FALSE, TRUE, TRUE, FALSE))
  expect_false(leads(passengers, each_of(wide = 1, linear = 3), "16 tanh"))
})

test_that("models of one table are lined up, whatever trained them", {
  b <- ensemble_of(small_kilns())
  found <- lineup(ensemble = trained(b), one = trained(quick(b)), linear = trained(wire(quick(b), "linear")))
  expect_setequal(found$models$model, c("ensemble", "one", "linear"))
})

test_that("in order of time the networks that predict have learned the newest rows", {
  table <- withr::with_seed(1, {
    n <- 600
    t <- data.frame(day = seq_len(n), x = rnorm(n), z = rnorm(n))
    t$y <- t$x + ifelse(t$day > 500, 4, 0) + rnorm(n, 0, 0.3)
    t
  })
  b <- brief(table, target = "y") |> set_columns(order = day) |>
    hold_out(by = "ordered", test = 0, folds = 3, seed = 1)
  model <- train(b |> wire("4 tanh") |> regimen(seed = 1, epochs = 60), progress = "none")
  expect_true(all(model$members$learned == 600))
  # out-of-fold predictions are of networks that had not learned these rows, and of later rows only
  rows <- model$evaluated$out_of_fold
  expect_true(all(rows$row > 150))
  expect_output(print(b), "have no out-of-fold prediction")
  expect_fails(resume(model, table), "have learned from all rows of this table")
  expect_identical(trained_parameters(train(model$brief, table, progress = "none")), trained_parameters(model))
  file <- withr::local_tempfile()
  kept <- train(b |> wire("4 tanh") |> regimen(seed = 1, epochs = 60), progress = "none", checkpoint = file)
  expect_identical(trained_parameters(kept), trained_parameters(model))
  again <- train(b |> wire("4 tanh") |> regimen(seed = 1, epochs = 60), progress = "none", checkpoint = file)
  expect_identical(trained_parameters(again), trained_parameters(model))
})

test_that("what is learned of out-of-fold predictions holds for the ensemble", {
  rows <- function(n) {
    x <- matrix(rnorm(n * 8), n)
    data.frame(x, y = ifelse(x[, 1] * x[, 2] + x[, 3] + rlogis(n) > 0, "yes", "no"))
  }
  found <- vapply(1:4, function(seed) {
    withr::local_seed(seed)
    table <- rows(400)
    new <- rows(3000)
    model <- train(brief(table, "y") |> wire("16 relu") |> hold_out(test = 0, seed = seed), progress = "none")
    loss <- function(m) {
      p <- predict(m, new, type = "probability")$probability_yes
      -mean(log(ifelse(new$y == "yes", p, 1 - p)))
    }
    right <- recalibrate(model)
    by_hand <- model
    by_hand$disagreement <- NULL
    decided <- predict(decide(model, recall = 0.8, class = "yes"), new)$prediction
    c(
      change = loss(right) - loss(model), without = loss(recalibrate(by_hand)) - loss(model),
      recall = mean(decided[new$y == "yes"] == "yes")
    )
  }, numeric(3))
  mean <- rowMeans(found)
  expect_lt(mean[["change"]], 0.003)
  expect_lt(mean[["change"]], mean[["without"]])
  expect_equal(mean[["recall"]], 0.8, tolerance = 0.06)
})

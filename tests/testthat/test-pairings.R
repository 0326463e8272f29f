# Every kind of task with every role that columns can have, through every verb: what is right alone is right where it
# meets the others.

# Rows of a made-up harbour office, with a target of each kind and a column for each role. Some levels come in groups.
harbour_rows <- function(n = 210, seed = 1) {
  withr::local_seed(seed)
  boat <- rep(seq_len(n / 3), each = 3)
  load <- rnorm(n) + rnorm(n / 3)[boat] / 2
  wind <- rnorm(n)
  quay <- sample(c("north", "south"), n, TRUE)
  signal <- load - 0.5 * wind + (quay == "north")
  data.frame(
    load = round(load, 2), wind = round(wind, 2), quay = quay, boat = sprintf("boat %02d", boat), day = seq_len(n),
    hours = round(runif(n, 0.5, 3), 2), worth = round(rexp(n) + 0.1, 2), times = sample(1:4, n, TRUE),
    late = ifelse(signal + rlogis(n) > 1, "yes", "no"),
    state = cut(signal + rnorm(n), c(-Inf, 0, 1.2, Inf), c("good", "worn", "broken")),
    rank = factor(cut(signal + rnorm(n), c(-Inf, 0, 1.2, Inf), c("low", "middle", "high")), ordered = TRUE),
    fee = round(signal + rnorm(n), 2), calls = rpois(n, exp(0.3 * signal))
  )
}

targets_of_tasks <- list(
  two = list(target = "late"), several = list(target = "state"), ordered = list(target = "rank"),
  numbers = list(target = "fee"), counts = list(target = "calls"),
  quantiles = list(target = "fee", loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9)))
)

roles_that_meet <- list(
  alone = identity, groups = function(b) set_columns(b, group = boat),
  ordered = function(b) set_columns(b, order = day) |> hold_out(by = "ordered", seed = 1),
  exposure = function(b) set_columns(b, exposure = hours), importance = function(b) set_columns(b, weight = worth),
  counts = function(b) set_columns(b, weight = times, weight_is = "counts"),
  class_weights = function(b) regimen(b, class_weights = "even"), costs = identity,
  groups_of_counts = function(b) set_columns(b, group = boat, weight = times, weight_is = "counts"),
  groups_of_importance = function(b) set_columns(b, group = boat, weight = worth),
  ordered_exposure = function(b) {
    set_columns(b, order = day, exposure = hours, weight = times, weight_is = "counts") |>
      hold_out(by = "ordered", seed = 1)
  }
)

networks_that_meet <- list(
  out_of_fold = function(b) wire(b, "3 tanh") |> hold_out(folds = 3, seed = 1),
  one = function(b) wire(b, "3 tanh") |> quick(), linear = function(b) wire(b, "linear"),
  sparse = function(b) wire(b, "linear") |> regimen(method = "coordinate_descent"),
  open = function(b) hold_out(b, folds = 4, seed = 1),
  strongest = function(b) wire(b, "3 tanh") |> prepare(strongest = 2) |> hold_out(folds = 3, seed = 1)
)

brief_of_pairing <- function(task, role, network, table) {
  inputs <- c("load", "wind", "quay", "boat", "day", "hours", "worth", "times")
  of <- targets_of_tasks[[task]]
  b <- brief(table[c(inputs, of$target)], target = of$target) |> set_columns(keep = c(load, wind, quay))
  b <- hold_out(b, seed = 1) |> regimen(epochs = 3, seed = 1)
  if (!is.null(of$loss)) b <- regimen(b, loss = of$loss, method = "adam")
  networks_that_meet[[network]](roles_that_meet[[role]](b))
}

# What does not go together is refused in words before training.
is_refused <- function(task, role) {
  of_classes <- task %in% c("two", "several", "ordered")
  (grepl("exposure", role) && task != "counts") || (role %in% c("class_weights", "costs") && !of_classes)
}

walk_through <- function(model, role, table, newer) {
  classes <- has_classes(target_in(model))
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file)
  again <- read_model(file)
  expect_identical(predict(again, newer), predict(model, newer))
  evaluated <- appraise(again, draws = 100)
  expect_output(print(evaluated), "rows")
  expect_s3_class(appraise(model, newer, by = quay, draws = 100), "hylomath_appraisal")
  expect_s3_class(importance(model, table, repeats = 2), "hylomath_importance")
  expect_s3_class(effect_of(model, table, load, points = 3), "hylomath_effect")
  expect_s3_class(contributions(model, table, 1, passes = 2), "hylomath_contributions")
  expect_s3_class(try_row(model, table, 1, list(load = 20)), "hylomath_tried_row")
  expect_true(is.na(augment(model, table, ranked = TRUE, reasons = 1, reasons_for = 2)$reason_1[3]))
  expect_s3_class(lineup(a = model, b = again, draws = 100), "hylomath_lineup")
  watch <- watch_model(model, newer)
  expect_true(watch$verdict %in% c("keep", "look", "retrain"))
  if (classes) {
    first <- target_in(model)$classes[1]
    expect_s3_class(decision_of(decide(model, recall = 0.8, class = first)), "hylomath_decision")
    if (role == "costs") {
      k <- length(target_in(model)$classes)
      costs <- matrix(1:(k^2), k, dimnames = rep(list(target_in(model)$classes), 2)) * (1 - diag(k))
      evaluated <- appraise(decide(model, costs = costs), draws = 100)
      expect_true("mean cost" %in% evaluated$measures$measure)
    }
    if (!is.null(recalibrating_rows(model))) {
      right <- recalibrate(model, "temperature")
      expect_s3_class(appraise(right, draws = 100), "hylomath_appraisal")
      expect_equal(rowSums(predict(right, newer, type = "probability")), rep(1, nrow(newer)))
    } else {
      expect_fails(recalibrate(model), "no calibration rows")
    }
  } else {
    expect_fails(recalibrate(model), "Only probabilities")
    expect_fails(decide(model, recall = 0.8), "Only classes")
  }
}

test_that("every task meets every role in every kind of network, through every verb", {
  table <- harbour_rows()
  newer <- harbour_rows(120, 2)
  pairings <- expand.grid(
    task = names(targets_of_tasks), role = names(roles_that_meet), network = names(networks_that_meet),
    stringsAsFactors = FALSE
  )
  # out of fold all of them; each other network with every task and every role once, and with all if there is time
  task <- match(pairings$task, names(targets_of_tasks))
  met <- (match(pairings$role, names(roles_that_meet)) - task) %% length(targets_of_tasks) == 0
  pairings <- pairings[pairings$network == "out_of_fold" | met | is_hard_run(), ]
  for (i in seq_len(nrow(pairings))) {
    task <- pairings$task[i]
    role <- pairings$role[i]
    network <- pairings$network[i]
    trained <- function() {
      suppressWarnings(train(brief_of_pairing(task, role, network, table), progress = "none"))
    }
    if (is_refused(task, role)) {
      if (role != "costs") expect_error(trained(), class = "hylomath_error")
      next
    }
    # the pairing is named by what fails
    with_pairing <- function(e) {
      fail(sprintf("%s, %s, %s: %s", task, role, network, conditionMessage(e)))
    }
    tryCatch(suppressWarnings(walk_through(trained(), role, table, newer)), error = with_pairing)
  }
})

test_that("counted rows and the same rows written out come to the same, in every verb", {
  table <- harbour_rows(240)
  table$part <- rep(c("training", "training", "validation", "test"), 60)
  table$times[table$part == "test"] <- sample(0:4, 60, TRUE)
  written <- table[rep(seq_len(nrow(table)), table$times), ]
  rownames(written) <- NULL
  newer <- harbour_rows(150, 3)
  newer_written <- newer[rep(seq_len(nrow(newer)), newer$times), ]
  for (target in c("late", "state", "fee", "calls")) {
    trained <- function(table, counted, l2 = 0.01) {
      columns <- c("load", "wind", "quay", "boat", "times", "part", target)
      b <- brief(table[columns], target = target) |> set_columns(keep = c(load, wind, quay)) |>
        hold_out(parts = part, seed = 1) |> wire("linear") |> regimen(method = "newton", l2 = l2, seed = 1)
      if (counted) b <- set_columns(b, weight = times, weight_is = "counts")
      train(b, progress = "none")
    }
    models <- list(trained(table, TRUE), trained(written, FALSE))
    others <- list(trained(table, TRUE, 0.5), trained(written, FALSE, 0.5))
    tables <- list(table, written)
    news <- list(newer, newer_written)
    both <- function(verb) lapply(1:2, function(i) verb(models[[i]], tables[[i]], news[[i]]))
    expect_equal(
      lineup(models[[1]], others[[1]], data = newer)[c("measures", "n")],
      lineup(models[[2]], others[[2]], data = newer_written)[c("measures", "n")], tolerance = 1e-8
    )
    mcnemar <- lapply(1:2, function(i) lineup(models[[i]], others[[i]], data = news[[i]])$models$mcnemar)
    expect_equal(mcnemar[[1]], mcnemar[[2]])
    same <- function(verb) {
      found <- both(verb)
      expect_equal(found[[1]], found[[2]], tolerance = 1e-8, ignore_attr = TRUE)
    }
    same(function(m, t, new) predict(m, newer))
    same(function(m, t, new) appraise(m)$measures)
    same(function(m, t, new) appraise(m, new)$measures)
    same(function(m, t, new) appraise(m, t, rows = "test", by = quay)$by)
    same(function(m, t, new) importance(m, t, rows = "test")$columns)
    same(function(m, t, new) effect_of(m, new, load)$curve)
    same(function(m, t, new) contributions(m, new, newer[1, ])$columns)
    first <- function(new) new[which(new$times > 0)[1], ]
    same(function(m, t, new) reasons_of(m, rbind(first(new), new), 1, 2)[1, ])
    same(function(m, t, new) try_row(m, new, first(new), list(load = 3))$predictions)
    same(function(m, t, new) watch_model(m, new)$movements)
    same(function(m, t, new) notes(appraise(m, new))$code)
    if (target %in% c("late", "state")) {
      same(function(m, t, new) calibration_curve(appraise(m, new))[-3])
      same(function(m, t, new) decision_of(decide(m, recall = 0.7, class = target_in(m)$classes[1]))$after)
    }
  }
})

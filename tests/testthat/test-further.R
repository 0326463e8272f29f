# Trainings that are cut short, gone on with, or done again on all rows.

short_brief <- function(...) {
  brief(small_kilns(), target = "outcome") |> hold_out(seed = 3) |> regimen(seed = 4, epochs = 6, ...)
}

# The first so many lines of a checkpoint, and what a kill left of the next.
cut_short <- function(file, lines) {
  text <- readLines(file)
  short <- withr::local_tempfile(.local_envir = parent.frame())
  writeLines(text[seq_len(lines)], short)
  cat(substr(text[min(lines + 1, length(text))], 1, 40), file = short, append = TRUE)
  short
}

# Counts with an exposure, cases and groups, in several networks.
met_brief <- function() {
  table <- small_crossings()
  table$hours <- 1 + seq_len(nrow(table)) %% 3
  table$cases <- 1 + seq_len(nrow(table)) %% 2
  table$week <- seq_len(nrow(table)) %/% 7
  brief(table, target = "passengers") |> wire("4 tanh") |> hold_out(folds = 3, seed = 3) |>
    set_columns(exposure = hours, weight = cases, weight_is = "counts", group = week)
}

test_that("a training that was cut short goes on to the same bits, by any method", {
  cases <- list(
    out_of_fold = short_brief() |> hold_out(folds = 3), adam = quick(short_brief(method = "adam")),
    lbfgs = quick(short_brief(method = "lbfgs")), resilient = quick(short_brief(method = "resilient")),
    skip = quick(short_brief(method = "rmsprop") |> wire("6 elu + skip")),
    ensemble = quick(short_brief(method = "adam", restarts = 3, keep = "ensemble")),
    met = met_brief() |> regimen(seed = 1, epochs = 6), given_up = short_brief() |> hold_out(folds = 4, seed = 3),
    sparse = quick(short_brief(method = "coordinate_descent") |> wire("linear") |> regimen(epochs = 30)),
    numbers = quick(brief(small_crossings(), target = "passengers", task = "regression") |> wire("4 tanh") |>
      regimen(method = "levenberg_marquardt", l2 = "evidence", seed = 1, epochs = 6))
  )
  for (name in names(cases)) {
    file <- withr::local_tempfile()
    whole <- train(cases[[name]], progress = "none")
    kept <- train(cases[[name]], progress = "none", checkpoint = file, every = 0)
    expect_identical(kept$predictor, whole$predictor, label = name)
    cuts <- if (is_hard_run()) c(0.02, 0.1, 0.4, 0.7, 1) else c(0.1, 0.7)
    for (lines in unique(pmax(1, round(length(readLines(file)) * cuts)))) {
      short <- cut_short(file, lines)
      again <- suppressMessages(train(cases[[name]], progress = "none", checkpoint = short, every = 0))
      same <- c("predictor", "evaluated", "best_epoch", "stopped")
      expect_identical(again[same], whole[same], label = sprintf("%s from line %d", name, lines))
    }
  }
})

test_that("folds, variations and siftings that were cut short go on to the same bits", {
  table <- small_kilns(400)[c("fired_on", "peak_c", "soak_min", "glaze", "outcome")]
  table$outcome <- ifelse(table$outcome == "sound", "sound", "not")
  small <- quick(brief(table, target = "outcome") |> hold_out(seed = 3) |> regimen(seed = 4, epochs = 6))
  ensemble <- small |> set_columns(order = fired_on) |> hold_out(folds = 3)
  cases <- list(
    folds = function(...) folds(small, k = 3, repeats = 2, ...),
    met = function(...) folds(met_brief() |> regimen(seed = 1, epochs = 6), k = 3, ...),
    ensemble = function(...) folds(hold_out(ensemble, by = "random", seed = 3), k = 3, ...),
    ordered = function(...) folds(ensemble, k = 3, ...),
    given_up = function(...) folds(hold_out(ensemble, folds = 4, seed = 3), k = 3, ...),
    vary = function(...) vary(small, units = c(2, 4), k = 3, ...),
    backward = function(...) sift(small, k = 3, ...),
    forward = function(...) sift(small, "forward", k = 3, ...),
    ranking = function(...) sift(small, "ranking", k = 3, ...)
  )
  without_time <- function(x) {
    if (!is.list(x)) return(x)
    x[setdiff(names(x), "seconds")] <- lapply(x[setdiff(names(x), "seconds")], without_time)
    x[["seconds"]] <- NULL
    x
  }
  for (name in names(cases)) {
    file <- withr::local_tempfile()
    whole <- without_time(unclass(cases[[name]](progress = "none")))
    expect_identical(without_time(unclass(cases[[name]](progress = "none", checkpoint = file))), whole, label = name)
    for (lines in round(length(readLines(file)) * if (is_hard_run()) c(0.3, 0.8) else 0.6)) {
      short <- cut_short(file, lines)
      again <- suppressMessages(cases[[name]](progress = "none", checkpoint = short))
      expect_identical(without_time(unclass(again)), whole, label = sprintf("%s from line %d", name, lines))
    }
  }
  expect_fails(folds(small, k = 4, checkpoint = file), "written by sift(), not by folds()")
  expect_fails(sift(small, "ranking", k = 4, checkpoint = file), "its `k` is 3")
  expect_fails(train(small, checkpoint = file), "written by sift(), not by train()")
  # what stands there in a file that somebody made is refused in words
  header <- jsonlite::parse_json(readLines(file)[1])
  for (more in list("sift", list(verb = list(1)), list(verb = "sift", k = list(a = list(1, "x"), b = NULL)))) {
    header$more <- more
    crafted <- withr::local_tempfile()
    writeLines(sub("\n$", "", json_line(header[names(header) != "checksum"])), crafted)
    expect_fails(sift(small, "ranking", k = 4, checkpoint = crafted), "the checkpoint of another training")
  }
  # what would be too large to be read again is left out, and trained again
  withr::local_options(hylomath.most_bytes = file.size(file) / 2)
  part <- withr::local_tempfile()
  for (i in 1:2) {
    again <- suppressMessages(cases$ranking(progress = "none", checkpoint = part))
    expect_identical(without_time(unclass(again)), whole)
  }
  expect_lt(file.size(part), getOption("hylomath.most_bytes"))
})

test_that("a checkpoint of another training is refused, by what differs", {
  file <- withr::local_tempfile()
  b <- quick(short_brief())
  train(b, progress = "none", checkpoint = file)
  expect_message(train(b, progress = "none", checkpoint = file), "1 network on the way")
  expect_fails(train(wire(b, "4 tanh"), checkpoint = file), "its brief differs in `wiring`")
  expect_fails(train(b, head(kilns, 700), checkpoint = file), "other rows")
  expect_fails(train(b, checkpoint = file, resumable = TRUE), "its `resumable` is FALSE")
  expect_fails(train(b, checkpoint = 3), "path of a file")
  writeLines("kiln 7", file)
  expect_fails(train(b, checkpoint = file), "holds no checkpoint")
})

test_that("a checkpoint may wait, and then replaces one of another training", {
  file <- withr::local_tempfile()
  b <- quick(short_brief())
  whole <- train(b, progress = "none", checkpoint = list(file = file, after = 1e5), every = 0)
  expect_false(file.exists(file))
  train(b, progress = "none", checkpoint = list(file = file, after = 1e-6), every = 0)
  again <- function(b) {
    train(b, progress = "none", checkpoint = list(file = cut_short(file, 3), after = 1e-6), every = 0)
  }
  expect_message(same <- again(b), "1 network on the way")
  expect_identical(same$predictor, whole$predictor)
  expect_message(other <- again(wire(b, "4 tanh")), "its brief differs in `wiring`. It will be replaced", fixed = TRUE)
  expect_identical(other$predictor, train(wire(b, "4 tanh"), progress = "none")$predictor)
  expect_message(train(b, progress = "none", checkpoint = list(file = file, after = 0)), "on the way|replaced")
  expect_fails(train(b, checkpoint = list(file = file)), "when training has taken `after` seconds")
})

test_that("the command goes on from the checkpoint beside its model, unless it is told not to", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  data.table::fwrite(small_kilns(), "k.csv")
  b <- brief("k.csv", target = "outcome") |> hold_out(seed = 3, folds = 3) |> wire("8 tanh") |>
    regimen(seed = 4, epochs = 6)
  write_brief(b, "k.yml")
  begun <- function() {
    unlink("k.hylo.kept")
    train(b, progress = "none", checkpoint = "k.hylo.kept", every = 0)
    file.copy(cut_short("k.hylo.kept", 8), "k.hylo.kept", overwrite = TRUE)
  }
  begun()
  # a whole network is there already
  went_on <- hylomath("train", "k.yml", "--progress", "none")
  expect_equal(went_on$status, 0)
  expect_match(went_on$err, "Goes on from k.hylo.kept: ", fixed = TRUE, all = FALSE)
  expect_false(file.exists("k.hylo.kept"))
  expect_identical(read_model("k.hylo")$predictor, train(b, progress = "none")$predictor)
  begun()
  anew <- hylomath("train", "k.yml", "--progress", "none", "--checkpoint", "none")
  expect_equal(anew$status, 0)
  expect_false(any(grepl("Goes on", anew$err)))
  expect_true(file.exists("k.hylo.kept"))
  # of folds it lies beside the brief
  folds(b, k = 2, progress = "none", checkpoint = "k.folds.kept")
  file.copy(cut_short("k.folds.kept", 4), "k.folds.kept", overwrite = TRUE)
  dealt <- hylomath("folds", "k.yml", "--k", "2", "--progress", "none")
  expect_match(dealt$err, "Goes on from k.folds.kept: ", fixed = TRUE, all = FALSE)
  expect_equal(dealt$status, 0)
  expect_false(file.exists("k.folds.kept"))
  # a checkpoint has what --bare leaves out
  bare <- hylomath("train", "k.yml", "--progress", "none", "--bare", "-o", "k.hylo")
  expect_false(any(grepl("Goes on", bare$err)))
})

test_that("the command goes on where it was killed, with the seeds that it had", {
  folder <- withr::local_tempdir()
  file <- function(name) file.path(folder, name)
  data.table::fwrite(small_kilns(), file("kilns.csv"))
  hylomath(
    "brief", file("kilns.csv"), "--target", "outcome", "-o", file("kilns.yml"), "--set", "regimen.epochs=150", "--set",
    "hold_out.folds=3", "--set", "wiring=8 tanh"
  )
  text <- readLines(file("kilns.yml"))
  writeLines(grep("seed", text, value = TRUE, invert = TRUE), file("kilns.yml"))
  begin <- function(output) {
    process <- callr::r_bg(function(...) hylomath::run_command(c(...)), list(
      "train", file("kilns.yml"), "-o", output, "--checkpoint", file("ck"), "--every", "0", "--progress", "none", "-q"
    ), supervise = TRUE)
    until <- Sys.time() + 60
    while (!isTRUE(file.size(file("ck")) > 2e4) && process$is_alive() && Sys.time() < until) Sys.sleep(0.01)
    process
  }
  killed <- begin(file("a.hylo"))
  killed$signal(tools::SIGKILL)
  killed$wait()
  expect_false(file.exists(file("a.hylo")))
  file.copy(file("ck"), file("ck2"))
  args <- c("train", file("kilns.yml"), "--progress", "none", "-q", "--checkpoint")
  expect_equal(do.call(hylomath, as.list(c(args, file("ck"), "-o", file("a.hylo"))))$status, 0)
  expect_false(file.exists(file("ck")))
  expect_equal(do.call(hylomath, as.list(c(args, file("ck2"), "-o", file("b.hylo"))))$status, 0)
  a <- read_model(file("a.hylo"))
  expect_identical(a$predictor, read_model(file("b.hylo"))$predictor)
  # and as if nothing had happened
  seeds <- lapply(a$brief[c("hold_out", "regimen")], `[[`, "seed")
  set <- sprintf("--set=%s.seed=%s", names(seeds), seeds)
  expect_equal(hylomath("train", file("kilns.yml"), "-o", file("c.hylo"), "-q", set[1], set[2])$status, 0)
  expect_identical(a$predictor, read_model(file("c.hylo"))$predictor)
})

test_that("what is resumable goes on as if it had never ended", {
  for (b in list(quick(short_brief(method = "adam")), short_brief() |> hold_out(folds = 3) |> wire("5 tanh"))) {
    patient <- regimen(b, stop = list(patience = 1000))
    long <- train(regimen(patient, epochs = 15), progress = "none")
    short <- train(patient, progress = "none", resumable = TRUE)
    file <- withr::local_tempfile()
    write_model(short, file)
    expect_identical(read_model(file), short)
    on <- resume(read_model(file), small_kilns(), epochs = 9, progress = "none")
    expect_identical(on$predictor, long$predictor)
    expect_true(on$resumed$state)
    expect_output(print(on), "with the state of its")
  }
})

test_that("a network learns on from newer rows with its preparation kept", {
  old <- kilns[1:1000, ]
  newer <- kilns[2001:2900, ]
  for (make in list(quick, function(b) hold_out(b, folds = 3))) {
    model <- withr::with_seed(5, train(make(brief(old, target = "outcome") |> regimen(epochs = 15)), progress = "none"))
    on <- resume(model, newer, epochs = 8, progress = "none")
    expect_identical(
      lapply(predicting_members(on$predictor), `[[`, "preparation"),
      lapply(predicting_members(model$predictor), `[[`, "preparation")
    )
    expect_false(identical(on$predictor, model$predictor))
    expect_equal(on$resumed[c("same", "state")], list(same = FALSE, state = FALSE))
    expect_false("newer_differ" %in% notes(on)$code)
    # rows of both trainings are known as learned
    expect_gte(length(on$seen$hashes), 1400)
    expect_message(resume(model, rbind(old[1:300, ], newer), epochs = 2, progress = "none"), "learned from before")
    warmer <- transform(newer, peak_c = peak_c + 60)
    expect_true("newer_differ" %in% notes(resume(model, warmer, epochs = 2, progress = "none"))$code)
  }
})

test_that("a refit learns from all rows and carries the measures of its former along", {
  table <- small_kilns()
  folded <- short_brief() |> regimen(epochs = 20) |> hold_out(folds = 3, seed = 1)
  for (b in list(quick(short_brief(method = "adam")), folded)) {
    model <- train(b, progress = "none")
    all <- refit(model, table, progress = "none")
    expect_equal(parts_of(all)$rows[parts_of(all)$part == "training"], 600)
    expect_identical(appraise(all)$measures, appraise(model)$measures)
    expect_true("refitted" %in% appraise(all)$notes$code)
    expect_equal(all$refitted$of, identity_of(model))
    expect_true("rows_seen" %in% appraise(all, table)$notes$code)
    # close to the former, on more rows: as close as some thirty flawed firings of six hundred let them be
    expect_gt(cor(predict(all, kilns, "probability")$probability_sound, predict(
      model, kilns, "probability"
    )$probability_sound), 0.6)
    file <- withr::local_tempfile()
    write_model(all, file)
    expect_identical(read_model(file), all)
    expect_fails(refit(model, kilns), "not the table")
  }
  # of a network without hidden layers it is the linear model of all rows
  early <- crossings[1:400, c("fare", "hour", "passengers")]
  b <- brief(early, target = "passengers", task = "regression")
  linear <- train(wire(b, "linear") |> regimen(l2 = 0), progress = "none")
  line <- lm(passengers ~ fare + hour, early)
  expect_equal(
    predict(refit(linear, early, progress = "none"), crossings)$prediction,
    unname(predict(line, crossings)), tolerance = 1e-5
  )
})

test_that("what can't go further says why", {
  model <- quick_model()
  expect_fails(resume(set_coef(model, coef(model)), small_kilns()), "set by hand")
  expect_fails(resume(rich_model(), small_kilns()), "ensemble")
  expect_fails(resume(model, small_kilns()[c("glaze", "outcome")]), "column")
  expect_fails(resume("a", kilns), "model")
  expect_fails(refit(kilns, kilns), "model")
})

# The command as a process.

skip_if_not_installed("optparse")
skip_if_not_installed("data.table")

in_folder <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  withr::local_dir(folder, .local_envir = frame)
  utils::write.csv(small_kilns(), "kilns.csv", row.names = FALSE, na = "")
}

test_that("a whole analysis runs from the shell", {
  hylomath <- hylomath_started
  in_folder()
  seen <- hylomath("look", "kilns.csv", "--target", "outcome")
  expect_equal(seen$status, 0)
  expect_match(seen$out[1], "600 rows, 12 columns")

  expect_equal(
    hylomath(
      "brief", "kilns.csv", "--target", "outcome", "-o", "kilns.yml", "--set", "hold_out.seed=3",
      "--set=regimen.seed=4", "--set", "regimen.epochs=12"
    )$status,
    0
  )
  b <- read_brief("kilns.yml")
  expect_equal(c(b$hold_out$seed, b$regimen$seed, b$regimen$epochs), c(3, 4, 12))

  trained <- hylomath("train", "kilns.yml", "-o", "kilns.hylo", "--quick")
  expect_equal(trained$status, 0)
  expect_match(trained$err[1], "Training by lbfgs on 390 rows")
  expect_match(paste(trained$out, collapse = " "), "A network that predicts outcome")

  evaluated <- hylomath("appraise", "kilns.hylo", "--json", "--figures", "figures")
  result <- jsonlite::fromJSON(evaluated$out)
  expect_equal(result$measures, appraise(read_model("kilns.hylo"))$measures, tolerance = 1e-9)
  expect_setequal(
    list.files("figures"),
    c("calibration.png", "confusion.png", "curves.png", "gain.png", "precision-recall.png", "roc.png", "scores.png")
  )

  scored <- hylomath("predict", "kilns.hylo", "kilns.csv", "-o", "scored.csv")
  expect_match(scored$err[1], "of 600 rows differ from what the network was trained on")
  expect_match(scored$err[length(scored$err)], "Wrote scored.csv: 600 rows")
  cells <- readLines("kilns.csv")
  beside <- readLines("scored.csv")
  expect_length(beside, 601)
  expect_match(beside[1], ",prediction,probability_burst,probability_crazed,probability_sound,probability_warped$")
  expect_true(all(startsWith(gsub('"', "", beside), gsub('"', "", cells))))
  own <- predict(read_model("kilns.hylo"), read_table("kilns.csv"))
  expect_equal(utils::read.csv("scored.csv")$prediction, own$prediction)

  # the model's brief has settled what the first one left to the rule, and gives the same network again
  again <- hylomath("show", "kilns.hylo", "--brief")$out
  open <- c(
    "  folds: auto", "  validation: auto", "  test: auto", "wiring: auto", "  method: auto", "  stop: auto",
    "  l2: auto"
  )
  expect_identical(setdiff(readLines("kilns.yml"), again), open)
  writeLines(again, "again.yml")
  hylomath("train", "again.yml", "-o", "again.hylo", "--quiet")
  expect_identical(trained_network(read_model("again.hylo")), trained_network(read_model("kilns.hylo")))
  expect_equal(jsonlite::fromJSON(hylomath("show", "kilns.hylo", "--json")$out)$epochs, 12)
})

test_that("settings within a setting are reached, whatever word stands in their place", {
  set <- function(
    pairs, b = brief(small_crossings(), target = "passengers", task = "regression")
  ) cli_override(b, pairs)$regimen
  expect_equal(set("regimen.schedule.kind=cosine")$schedule, "cosine")
  expect_equal(set(c("regimen.schedule.kind=step", "regimen.schedule.every=7"))$schedule$every, 7)
  expect_equal(
    set(c("regimen.loss={kind: quantile, at: [0.2, 0.8]}", "regimen.loss.kind=huber", "regimen.loss.delta=2"))$loss,
    list(kind = "huber", delta = 2)
  )
  expect_equal(set(c("regimen.stop=none", "regimen.stop.seconds=9"))$stop, list(seconds = 9))
  expect_equal(set("regimen.stop.seconds=9")$stop, list(patience = "auto", seconds = 9))
  expect_error(set("regimen.schedule.evry=7"), class = "hylomath_error_usage")
})

test_that("two runs of one brief write the same network", {
  in_folder()
  hylomath(
    "brief", "kilns.csv", "-t", "outcome", "-o", "k.yml", "--quiet", "--set", "regimen.epochs=5", "--set",
    "regimen.seed=1", "--set", "hold_out.folds=3"
  )
  for (name in c("a.hylo", "b.hylo")) {
    expect_equal(
      hylomath("train", "k.yml", "-o", name, "--quiet")[c("status", "out", "err")],
      list(status = 0L, out = character(), err = character())
    )
  }
  networks <- function(file) trained_parameters(read_model(file))
  expect_gt(network_count(read_model("a.hylo")$predictor), 3)
  expect_identical(networks("a.hylo"), networks("b.hylo"))
  # nor does it matter whether the rule or the model's brief says how
  writeLines(hylomath("show", "a.hylo", "--brief")$out, "again.yml")
  hylomath("train", "again.yml", "-o", "again.hylo", "--quiet")
  expect_identical(networks("again.hylo"), networks("a.hylo"))
  forced <- hylomath("train", "k.yml", "-o", "c.hylo", "--quiet", env = "HYLOMATH_KERNEL=generic")
  expect_equal(forced$status, 0)
  expect_equal(read_model("c.hylo")$kernel, "generic")
  expect_equal(networks("c.hylo"), networks("a.hylo"), tolerance = 1e-3)
})

test_that("SIGTERM ends training and the best network so far is written", {
  skip_on_os("windows")
  in_folder()
  hylomath(
    "brief", "kilns.csv", "-t", "outcome", "-o", "k.yml", "--quiet", "--set", "regimen.epochs=1000000", "--set",
    "regimen.stop=none"
  )
  shell <- sprintf(
    paste(
      "%s %s %s train k.yml --quick --progress lines > /dev/null 2> err & p=$!;",
      "for i in $(seq 200); do grep -q epoch err && break; sleep 0.1; done;",
      "kill -TERM $p; wait $p; echo $?"
    ),
    libraries, file.path(R.home("bin"), "Rscript"), shQuote(program)
  )
  status <- system2("sh", c("-c", shQuote(shell)), stdout = TRUE)
  expect_equal(status, "1")
  model <- read_model("k.hylo")
  expect_equal(model$stopped, "interrupted")
  expect_gt(model$best_epoch, 0)
  expect_match(paste(readLines("err"), collapse = " "), "Interrupted after .* epochs")
})

test_that("whatever signal comes to an ensemble in training, whole folds are kept, and at the end all of them", {
  skip_on_os("windows")
  in_folder()
  hylomath(
    "brief", "kilns.csv", "-t", "outcome", "-o", "k.yml", "-q", "--set", "regimen.epochs=60", "--set",
    "regimen.stop=none"
  )
  for (case in list(c("TERM", 24), c("HUP", 24), c("INT", 24), c("TERM", 40), c("HUP", 40))) {
    unlink("k.hylo")
    process <- callr::process$new(
      file.path(R.home("bin"), "Rscript"), c(program, "train", "k.yml", "--progress", "lines"), stderr = "err",
      stdout = "out", env = c("current", R_LIBS = library_paths)
    )
    there <- function() any(startsWith(readLines("err", warn = FALSE), paste(case[2], "of 40")))
    while (process$is_alive() && !there()) Sys.sleep(0.01)
    process$signal(c(TERM = 15L, HUP = 1L, INT = 2L)[[case[1]]])
    process$wait(60000)
    info <- paste(c(case, readLines("err")), collapse = " ")
    expect_true(file.exists("k.hylo"), info = info)
    model <- read_model("k.hylo")
    expect_equal(process$get_exit_status(), as.integer(model$stopped == "interrupted"), info = info)
    expect_gte(length(unique(model$members$fold)), if (case[2] == "24") 2 else 8)
  }
})

test_that("wrong calls end with 2, failed work with 1, each with a sentence on standard error", {
  in_folder()
  wrong <- function(...) {
    result <- hylomath(...)
    expect_equal(result$status, 2)
    expect_length(result$out, 0)
    paste(result$err, collapse = " ")
  }
  expect_match(wrong("trian"), "no command `trian`. Did you mean `train`?")
  expect_match(wrong("train"), "takes BRIEF.yml, not 0 arguments")
  expect_match(wrong("train", "k.yml", "--epochs", "5"), "--epochs")
  expect_match(wrong("brief", "kilns.csv"), "`--target` is missing")
  expect_match(wrong("brief", "kilns.csv", "-t", "outcome", "--set", "regimen.epoch=5"), "Did you mean `epochs`?")
  expect_match(wrong("brief", "kilns.csv", "-t", "outcome", "--set", "regimen.epochs"), "key=value")
  expect_match(wrong("look", "kilns.csv", "-t", "outcom"), "Did you mean `outcome`?")
  hylomath("brief", "kilns.csv", "-t", "outcome", "-o", "k.yml", "-q")
  expect_match(wrong("train", "k.yml", "-o", "none/k.hylo"), "no folder `none`")
  failed <- function(...) {
    result <- hylomath(...)
    expect_equal(result$status, 1)
    paste(result$err, collapse = " ")
  }
  expect_match(failed("look", "kiln.csv"), "no file `kiln.csv`. +Did you mean `kilns.csv`?")
  expect_match(failed("appraise", "kilns.csv"), "not a model file")
  expect_false(file.exists("k.hylo"))
})

test_that("any key can be overridden, also where nothing stood before", {
  in_folder()
  made <- hylomath(
    "brief", "kilns.csv", "-t", "outcome", "-o", "k.yml", "-q",
    "--set", "add_columns.heat=(peak_c - 20) / ramp_c_h",
    "--set", "keep_rows=load_kg > 80",
    "--set", "regimen.class_weights={burst: 5, crazed: 2, sound: 1, warped: 3}",
    "--set", "prepare.only.load_kg.numbers=robust"
  )
  expect_equal(made$status, 0)
  b <- read_brief("k.yml")
  expect_equal(b$add_columns$heat, "(peak_c - 20) / ramp_c_h")
  expect_equal(b$keep_rows, "load_kg > 80")
  expect_equal(b$regimen$class_weights$burst, 5)
  expect_equal(settings_for(b, "load_kg")$numbers, "robust")
  utils::write.csv(small_kilns()[1:300, ], "other.csv", row.names = FALSE, na = "")
  trained <- hylomath(
    "train", "k.yml", "-o", "k.hylo", "--set", "data.file=other.csv", "--set", "regimen.epochs=2", "--quick"
  )
  expect_match(trained$err[1], "Training by lbfgs on 194 rows")
  expect_equal(hylomath("train", "k.yml", "--set", "data.file=none.csv")$status, 1)
})

test_that("unusual rows are told, and flagged on request", {
  in_folder()
  write_model(quick_model(epochs = 2), "k.hylo")
  new <- small_kilns()[1:3, ]
  new$glaze[2] <- "raku"
  utils::write.csv(new, "new.csv", row.names = FALSE, na = "")
  scored <- hylomath("predict", "k.hylo", "new.csv", "--flags")
  expect_match(paste(scored$err, collapse = " "), "1 of 3 rows differ .* glaze: 1 with a level that is not in")
  expect_equal(utils::read.csv(text = scored$out)$unusual, c("", "glaze", ""))
})

test_that("evaluating, deciding and explaining work from the shell", {
  in_folder()
  utils::write.csv(recovery, "recovery.csv", row.names = FALSE, na = "")
  hylomath(
    "brief", "recovery.csv", "-t", "returned", "-o", "r.yml", "--set", "columns.group=patient", "--set",
    "hold_out.calibration=0.2", "--set", "hold_out.seed=3", "--set", "regimen.seed=4", "--set", "regimen.epochs=20",
    "-q"
  )
  expect_equal(hylomath("train", "r.yml", "-q", "--watch-test", "--quick")$status, 0)
  expect_true("test" %in% names(read_model("r.hylo")$curves))

  decided <- hylomath("decide", "r.hylo", "--recall", "0.8", "-o", "careful.hylo", "--json")
  expect_equal(jsonlite::fromJSON(decided$out)$threshold, NULL)
  expect_equal(
    jsonlite::fromJSON(decided$out)$rule$threshold,
    decision_of(decide(read_model("r.hylo"), recall = 0.8))$rule$threshold
  )
  expect_match(paste(hylomath("decide", "r.hylo", "--best", "F1", "-o", "f1.hylo")$out, collapse = " "), "and after")
  writeLines(c("observed,no,yes", "no,0,1", "yes,10,0"), "costs.csv")
  expect_equal(hylomath("decide", "r.hylo", "--costs", "costs.csv", "-o", "cost.hylo", "-q")$status, 0)
  expect_equal(decision_of(read_model("cost.hylo"))$rule$costs["yes", "no"], 10)
  expect_match(hylomath("decide", "r.hylo", "--recall", "much")$err[1], "must be a number")
  expect_match(
    hylomath("recalibrate", "r.hylo", "--method", "isotonic", "-o", "iso.hylo")$out[1],
    "The cross-entropy of 500 rows goes from"
  )
  expect_equal(read_model("iso.hylo")$predictor$recalibration$method, "isotonic")

  # looks at the test rows are kept in the files
  hylomath("appraise", "r.hylo")
  expect_length(read_model("r.hylo")$looks, 1)
  hylomath("train", "r.yml", "-q", "--quick", "--set", "regimen.seed=5")
  expect_length(read_model("r.hylo")$looks, 1)
  expect_equal(hylomath("appraise", "r.hylo", "--rows", "validation")$status, 0)
  evaluated <- jsonlite::fromJSON(
    hylomath("appraise", "r.hylo", "recovery.csv", "--rows", "test", "--by", "physio", "--json")$out
  )
  expect_setequal(unique(evaluated$by$group), unique(recovery$physio))
  expect_length(read_model("r.hylo")$looks, 2)
  expect_equal(hylomath("appraise", "r.hylo", "--by", "physio")$status, 2)

  expect_match(
    paste(hylomath("lineup", "r.hylo", "careful.hylo")$out, collapse = " "), "2 models on the same 500 test rows"
  )
  expect_equal(hylomath("lineup", "r.hylo", "recovery.csv")$status, 2)
  found <- jsonlite::fromJSON(
    hylomath("importance", "r.hylo", "recovery.csv", "--repeats", "2", "--json", "--figure", "i.png")$out
  )
  expect_equal(nrow(found$columns), 10)
  expect_true(file.exists("i.png"))
  expect_match(hylomath("effect", "r.hylo", "recovery.csv", "--input", "pain")$out[1], "returned by pain")
  expect_equal(hylomath("effect", "r.hylo", "recovery.csv")$status, 2)
  expect_match(hylomath("effect", "r.hylo", "recovery.csv", "--input", "pian")$err[2], "Did you mean `pain`?")
  moved <- jsonlite::fromJSON(hylomath("contributions", "r.hylo", "recovery.csv", "--row", "7", "--json")$out)
  expect_equal(sum(moved$columns$contribution), moved$prediction - moved$mean)
  every <- hylomath("contributions", "r.hylo", "recovery.csv", "--row", "all", "-o", "moves.csv", "--quiet")
  expect_equal(every$status, 0)
  expect_equal(nrow(read.csv("moves.csv")), nrow(read.csv("recovery.csv")))
  grouped <- hylomath(
    "importance", "r.hylo", "recovery.csv", "--repeats", "2", "--group", "ills=pain,bmi", "--among-alike", "--json"
  )
  expect_true("ills" %in% jsonlite::fromJSON(grouped$out)$columns$column)
  local <- hylomath("effect", "r.hylo", "recovery.csv", "--input", "pain", "--local")
  expect_match(paste(local$out, collapse = " "), "within its own step of pain alone")
  pairs <- hylomath("interactions", "r.hylo", "recovery.csv", "--columns", "pain,bmi", "--figure", "p.png", "--json")
  expect_equal(nrow(jsonlite::fromJSON(pairs$out)$pairs), 1)
  change <- hylomath("smallest-change", "r.hylo", "recovery.csv", "--row", "7", "--most", "1", "--json")
  expect_equal(unique(jsonlite::fromJSON(change$out)$changes$way), 1)
  tried <- hylomath("try-row", "r.hylo", "recovery.csv", "--row", "7", "pain=9", "bmi=", "--json")
  expect_equal(jsonlite::fromJSON(tried$out)$columns$tried[1:2], c("9", "missing"))
  expect_equal(hylomath("try-row", "r.hylo", "recovery.csv", "--row", "7", "pain")$status, 2)
  expect_match(hylomath("try-row", "r.hylo", "recovery.csv", "--row", "7", "pian=9")$err[2], "Did you mean `pain`?")
  expect_match(hylomath("predict", "r.hylo", "recovery.csv", "--reasons", "2", "--ranked")$out[2], "[(][+]")
  expect_match(hylomath("decide", "r.hylo", "--miss", "5", "-o", "dear.hylo")$out[1], "costs 5")
  dealt <- hylomath("folds", "r.yml", "--quick", "--k", "3", "-o", "out.csv", "--json", "--figures", "fold-figures")
  expect_equal(jsonlite::fromJSON(dealt$out)$k, 3)
  expect_equal(nrow(utils::read.csv("out.csv")), 1500)
  expect_true("roc.png" %in% list.files("fold-figures"))
  expect_match(dealt$err[1], "Training 3 folds")
  varied <- hylomath("vary", "r.yml", "units=2,4", "--k", "2", "--json", "--figure", "v.png")
  expect_equal(jsonlite::fromJSON(varied$out)$values$value, c("2", "4"))
  expect_true(file.exists("v.png"))
  expect_equal(hylomath("vary", "r.yml", "units")$status, 2)
  found <- jsonlite::fromJSON(
    hylomath(
      "sift", "r.yml", "--direction", "ranking", "--k", "2", "-o", "fewer.yml", "--json", "--figure", "s.png"
    )$out
  )
  expect_setequal(brief_inputs(read_brief("fewer.yml")), found$small)
  sets <- utils::read.csv(
    text = hylomath("predict", "r.hylo", "recovery.csv", "--type", "set", "--level", "0.8", "-q")$out
  )
  expect_equal(sets$set, predict(read_model("r.hylo"), recovery, type = "set", level = 0.8)$set)
  expect_match(hylomath("predict", "r.hylo", "recovery.csv", "--type", "interval")$err[1], "Intervals are of numbers")
})

test_that("errors are drawn along the column that is evaluated by", {
  in_folder()
  write_model(quick_model(small_crossings(), "passengers"), "c.hylo")
  utils::write.csv(small_crossings(), "c.csv", row.names = FALSE)
  expect_equal(hylomath("appraise", "c.hylo", "c.csv", "--rows", "test", "--by", "fare", "--figures", "f")$status, 0)
  expect_setequal(list.files("f"), c("curves.png", "errors-by.png", "errors-predicted.png", "errors.png", "fit.png"))
})

test_that("every command has help with an example", {
  for (name in c(names(cli_verbs()), "demo")) {
    help <- utils::capture.output(status <- cli_run(c(name, "--help")))
    expect_equal(status, 0)
    expect_true(any(grepl(paste("hylomath", name), help[-1], fixed = TRUE)))
  }
  expect_equal(hylomath("--help")$status, 0)
  expect_match(hylomath("--version")$out, "^hylomath [0-9.]+$")
})

test_that("the demo runs, and leaves what it says", {
  skip_unless_hard()
  withr::local_dir(withr::local_tempdir())
  told <- hylomath("demo", "-o", "story")
  expect_equal(told$status, 0)
  expect_true(
    all(
      file.exists(
        file.path(
          "story",
          c(
            "kilns.yml", "kilns.hylo", "kilns-scored.csv", "kilns-figures/confusion.png", "crossings.hylo",
            "crossings-figures/fit.png"
          )
        )
      )
    )
  )
  expect_gt(appraise(read_model("story/crossings.hylo"))$measures$value[3], 0.8)
})

test_that("the starter that install_command() writes runs the command", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  expect_message(install_command(folder), "Wrote")
  expect_match(system2(file.path(folder, "hylomath"), "--version", stdout = TRUE), "^hylomath ")
})

test_that("the command's help prints as before", {
  skip_if_not_installed("optparse")
  shown <- function(words) utils::capture.output(expect_equal(cli_run(c(words, "--help")), 0))
  run <- list(out = shown(character()))
  expect_identical(hylomath("--help")$out, run$out)
  expect_snapshot(writeLines(run$out))
  for (verb in names(cli_verbs())) {
    run$out <- shown(verb)
    expect_snapshot(writeLines(run$out))
  }
})

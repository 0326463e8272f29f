# Reports: what a page holds, what it leaves out, that it needs nothing else and that nothing in it is run.

skip_if_not_installed("svglite")
skip_if_not_installed("htmltools")

written <- function(x, ..., file = withr::local_tempfile(fileext = ".html", .local_envir = parent.frame())) {
  write_report(x, file, ...)
  paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
}

headings <- function(page) {
  gsub("<[^>]*>", "", regmatches(page, gregexpr("<h2[^>]*>[^<]*</h2>", page))[[1]])
}

# What a reader sees, without styles, scripts and marks.
text_of <- function(page) {
  page <- gsub("(?s)<(style|script)[^>]*>.*?</\\1>", " ", page, perl = TRUE)
  gsub("&quot;", "\"", gsub("\\s+", " ", gsub("<[^>]*>", " ", page)), fixed = TRUE)
}

test_that("a model's report leads with the prediction, and holds all that it has to", {
  model <- withr::with_seed(1, brief(small_kilns(), "outcome") |> set_about(
    purpose = "To find firings that need a second look.", owner = "The kiln office", limits = c("Gas only.", "No lots.")
  ) |> quick() |> regimen(epochs = 20) |> train(progress = "none"))
  page <- written(model, small_kilns())
  expect_equal(headings(page), c(
    "What to watch out for", "How good it is", "Class by class", "What each input does", "Rows to look at",
    "How it was trained", "Model card", "The brief in force, and how to make it again"
  ))
  text <- text_of(page)
  evaluated <- appraise(model)
  card <- c("The kiln office", "Gas only.", "No lots.", model$fingerprint, identity_of(model))
  for (said in c(in_words(evaluated)[1], card)) {
    expect_match(text, said, fixed = TRUE)
  }
  accuracy <- measure_of(evaluated, "accuracy")
  expect_match(text, sprintf("accuracy %s", format_measure(accuracy$value)), fixed = TRUE)
  # needs nothing else: no address is asked for anything
  expect_false(grepl("https?://", gsub("http://www.w3.org/[0-9a-z/]*", "", page)))
  expect_false(grepl("<(link|img|iframe|object)[ >]|@import|url\\(['\"]?[a-z/.]", page))
  # every part that is pointed to is there, once
  ids <- regmatches(page, gregexpr("(?<= id=['\"])[^'\"]+", page, perl = TRUE))[[1]]
  expect_false(anyDuplicated(ids) > 0)
  pointed <- regmatches(page, gregexpr("(?<=href=\"#|aria-controls=\"|for=\"|url\\(#)[^\")]+", page, perl = TRUE))[[1]]
  expect_setequal(setdiff(pointed, ids), character())
  # the brief that stands in it is the one in force
  yaml <- sub("(?s).*aria-label=\"The brief in force\"><code>(.*?)</code>.*", "\\1", page, perl = TRUE)
  yaml <- gsub("&gt;", ">", yaml, fixed = TRUE)
  expect_identical(read_brief(text = yaml), without_table(model$brief))
  # a cell of the confusion matrix lists rows of it
  expect_match(text, "F[0-9]{5}")
  key <- evaluated$evaluated$key[evaluated$evaluated$observed == "sound" & evaluated$evaluated$prediction == "sound"]
  expect_true(any(vapply(key, grepl, NA, page, fixed = TRUE)))
})

test_that("without rows nothing of a single row is shown, and without a table the inputs are asked for", {
  model <- quick_model(small_kilns(), epochs = 8)
  page <- written(model, small_kilns(), rows = FALSE)
  expect_false(grepl("F[0-9]{5}", text_of(page)))
  expect_false(grepl("Rows to look at", page))
  bare <- written(model)
  expect_match(bare, "hylomath report MODEL TABLE", fixed = TRUE)
  numbers <- quick_model(small_crossings(), "passengers", epochs = 4)
  circles <- function(page) lengths(regmatches(page, gregexpr("<circle", page)))
  expect_lt(circles(written(numbers, small_crossings(), rows = FALSE)), 5)
  whole <- written(numbers, small_crossings())
  expect_gt(circles(whole), 100)
  expect_match(whole, "Largest errors")
})

test_that("names and levels that look like code are text", {
  table <- small_kilns(300)
  table$outcome <- sub("crazed", "<img src=x onerror=alert(1)>", table$outcome, fixed = TRUE)
  names(table)[names(table) == "glaze"] <- "</script><b>\"glaze'"
  model <- withr::with_seed(1, brief(table, "outcome") |> set_about(owner = "<script>alert(2)</script>") |> quick() |>
    regimen(epochs = 4) |> train(progress = "none"))
  page <- written(model, table)
  expect_false(grepl("<img|<script>alert|</script><b>", page))
  expect_length(gregexpr("<script", page)[[1]], length(gregexpr("</script>", page)[[1]]))
  expect_match(page, "&lt;img src=x", fixed = TRUE)
})

test_that("every object that has a report has one, whatever its task", {
  b <- brief(small_kilns(), "outcome") |> quick() |> regimen(epochs = 3) |> hold_out(seed = 2)
  counts <- brief(small_crossings(), "passengers") |> regimen(epochs = 3)
  models <- withr::with_seed(1, list(
    a = train(b, progress = "none"), b = train(wire(b, "linear"), progress = "none"),
    ensemble = train(hold_out(counts, folds = 3), progress = "none"),
    several = train(quick(brief(boats, c("litres_mile", "mass_t"))), progress = "none")
  ))
  newer <- small_kilns(400)
  newer$peak_c <- newer$peak_c + 30
  made <- withr::with_seed(1, list(
    folds = folds(b, k = 2, progress = "none"), scouting = scout(b, units = c(2, 4), budget = 2, progress = "none"),
    lineup = lineup(models[c("a", "b")]), watch = watch_model(models$a, newer), ensemble = models$ensemble,
    several = models$several
  ))
  told <- c(
    folds = "Fold by fold", scouting = "The trials", lineup = "The candidates", watch = "What has moved",
    ensemble = "predicted [0-9]+", several = "RMSE of mass_t"
  )
  for (name in names(made)) {
    page <- written(made[[name]])
    expect_match(text_of(page), told[[name]], info = name)
    expect_lt(nchar(page, "bytes"), 3e6)
  }
  for (name in c("folds", "lineup")) expect_fails(written(made[[name]], small_kilns()), "takes no `data`")
  # weights that were set by hand have no measures, and say so
  set <- set_coef(models$a, coef(models$a))
  expect_match(text_of(written(set)), "It holds no rows to evaluate it on")
})

test_that("what can't be reported is refused before anything is written", {
  model <- quick_model(epochs = 2)
  withr::local_dir(withr::local_tempdir())
  expect_fails(write_report(model, "x.docx"), "no ending", ".html or .pdf")
  expect_fails(write_report(model, "x.html", rows = "no"), "`rows` must be TRUE or FALSE")
  expect_fails(write_report(model, "nowhere/x.html"), "no folder")
  expect_fails(write_report(brief(boats, "litres_mile"), "x.html"), "not a brief")
  expect_fails(write_report(model, "x.html", boats), "no column")
  expect_length(dir(), 0)
})

test_that("what a network is for stands in its brief and changes no training", {
  b <- brief(boats, "litres_mile") |> quick() |> regimen(epochs = 2, seed = 1) |> hold_out(seed = 1)
  about <- set_about(b, purpose = "Fuel", limits = c("One", "Two"))
  expect_identical(read_brief(text = brief_yaml(about)), without_table(about))
  expect_match(paste(format(about), collapse = " "), "purpose +Fuel.*limits +One and Two")
  expect_identical(trained_network(train(about, progress = "none")), trained_network(train(b, progress = "none")))
  expect_identical(set_about(about, purpose = "", limits = character()), b)
  expect_equal(set_about(train(b, progress = "none"), owner = "We")$brief$about, list(owner = "We"))
  expect_fails(read_brief(text = sub("owner", "ovner", brief_yaml(set_about(b, owner = "We")))), "`ovner`", "owner")
  expect_fails(set_about(b, purpose = 3), "must be one text")
})

test_that("the command writes reports of models, lineups and results", {
  withr::local_dir(withr::local_tempdir())
  utils::write.csv(small_kilns(300), "k.csv", row.names = FALSE)
  hylomath("brief", "k.csv", "-t", "outcome", "-o", "k.yml", "--set", "regimen.epochs=4", "-q")
  hylomath("train", "k.yml", "-o", "a.hylo", "--quick", "-q")
  hylomath("train", "k.yml", "-o", "b.hylo", "--quick", "-q", "--set", "wiring=linear")
  hylomath("folds", "k.yml", "--k", "2", "--keep", "k.folds", "--set", "hold_out.folds=0", "-q")
  cases <- list(
    list(c("a.hylo", "k.csv"), "a.html", "What each input does"),
    list(c("a.hylo", "b.hylo", "-o", "two.html"), "two.html", "The candidates"),
    list(c("k.folds"), "k.html", "Fold by fold"), list(c("a.hylo", "--without-rows", "-o", "n.html"), "n.html", "card")
  )
  for (case in cases) {
    run <- do.call(hylomath, c("report", as.list(case[[1]])))
    expect_equal(run$status, 0, info = paste(run$err, collapse = " "))
    expect_match(run$err, sprintf("Wrote %s.", case[[2]]), fixed = TRUE)
    expect_match(paste(readLines(case[[2]]), collapse = " "), case[[3]])
  }
  expect_length(read_model("a.hylo")$looks, 2)
  wrong <- list(c("k.csv"), c("a.hylo", "-o", "a.hylo"), c("a.hylo", "k.csv", "k.yml"), c("k.folds", "a.hylo"))
  for (words in wrong) expect_equal(do.call(hylomath, c("report", as.list(words)))$status, 2, info = words)
  watched <- hylomath("watch", "a.hylo", "k.csv", "--report", "w.html")
  expect_match(paste(readLines("w.html"), collapse = " "), "has the world changed", info = watched$err)
  skip_unless_hard()
  skip_if(Sys.which("chromium") == "")
  printed <- hylomath("report", "a.hylo", "--pdf")
  expect_equal(printed$status, 0, info = paste(printed$err, collapse = "\n"))
  expect_equal(readBin("a.pdf", "raw", 4), charToRaw("%PDF"))
})

test_that("the briefs among the examples are trained and reported by the command", {
  skip_unless_hard()
  briefs <- normalizePath(list.files(test_path("..", "..", "examples"), "[.]yml$", full.names = TRUE))
  skip_if(length(briefs) == 0, "the sources are not here")
  expect_length(briefs, 3)
  withr::local_dir(withr::local_tempdir())
  for (brief in briefs) {
    name <- sub("[.]yml$", "", basename(brief))
    file.copy(c(brief, system.file("extdata", paste0(name, ".csv"), package = "hylomath")), ".")
    hylomath("train", basename(brief), "--quick", "--set", "regimen.epochs=5", "-q")
    run <- hylomath("report", paste0(name, ".hylo"), paste0(name, ".csv"))
    expect_equal(run$status, 0, info = paste(run$err, collapse = " "))
    expect_match(text_of(paste(readLines(paste0(name, ".html")), collapse = "\n")), "Skerrow|The harbour")
  }
})

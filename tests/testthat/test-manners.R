# Messages and manners, as a new user met them (C), and the figures (D).

test_that("C: what a figure or a verb is not for is said in words, with what to do", {
  skip_if_not_installed("ggplot2")
  model <- quick_model()
  b <- brief(boats, target = "litres_mile")
  f <- structure(list(), class = "hylomath_folds")
  cases <- list(
    list(quote(plot_confusion(model)), "draws an appraisal, not a model", "plot_confusion(appraise(model))"),
    list(quote(plot_fit(model)), "draws an appraisal, not a model", "plot_fit(appraise(model))"),
    list(quote(plot_roc(f)), "not folds", "folds$pooled"),
    list(quote(single("x.yml")), "takes a brief, not the text", "read_brief(\"x.yml\")"),
    list(quote(single(boats)), "takes a brief, not a table", "brief(data, target = ...)"),
    list(quote(appraise(b)), "takes a model, not a brief", "train(b)"),
    list(quote(predict(b, boats)), "takes a model, not a brief", "train(b)"),
    list(quote(folds(model)), "takes a brief, not a model", "model$brief"),
    list(quote(regimen(b, lr = 0.1)), "no argument `lr`", "Did you mean `learning_rate`?"),
    list(quote(hold_out(b, tset = 0.1)), "no argument `tset`", "Did you mean `test`?"),
    list(quote(single(b, NULL, "none", FALSE, NULL, 30, FALSE, 3)), "one argument too many"),
    list(quote(regimen(b, method = "adm")), "Did you mean `adam`?", "coordinate_descent or newton"),
    list(quote(write_figure(plot_network(model), "x.gif")), "no ending", ".png, .pdf and .svg"),
    list(quote(read_brief("x.csv")), "is a table; a brief", "--target COLUMN")
  )
  withr::local_dir(withr::local_tempdir())
  file.create("x.csv")
  for (case in cases) expect_fails(eval(case[[1]]), case[[2]], case[[length(case)]])
})

test_that("C: a word is suggested only when it is near", {
  known <- c("Home", "hp", "outcome", "learning_rate")
  expect_null(did_you_mean("Nope", known))
  expect_null(did_you_mean("", known))
  near <- c(Hime = "Home", outcmoe = "outcome", lr = "learning_rate", learn = "learning_rate", HP = "hp")
  for (word in names(near)) expect_equal(did_you_mean(word, known), sprintf("Did you mean `%s`?", near[[word]]))
})

test_that("C: figures are written in the format that their name says", {
  skip_if_not_installed("ggplot2")
  figure <- plot_curves(quick_model())
  starts <- list(png = as.raw(c(0x89, 0x50)), pdf = charToRaw("%P"), svg = charToRaw("<?"))
  for (ending in names(starts)) {
    file <- withr::local_tempfile(fileext = paste0(".", ending))
    write_figure(figure, file)
    expect_identical(readBin(file, "raw", 2), starts[[ending]])
  }
})

test_that("C: one bad cell is named, or taken for missing when that is asked for", {
  model <- quick_model(kilns)
  bad <- transform(head(kilns), peak_c = replace(as.character(peak_c), 3, "hot"))
  expect_fails(predict(model, bad), "`peak_c` must be numbers", "Row 3 holds \"hot\"", "bad_cells = \"missing\"")
  expect_message(predictions <- predict(model, bad, bad_cells = "missing"), "1 of `peak_c`")
  expect_identical(predictions, predict(model, transform(head(kilns), peak_c = replace(peak_c, 3, NA))))
  withr::local_dir(withr::local_tempdir())
  write_model(model, "k.hylo")
  write.csv(bad, "bad.csv", row.names = FALSE)
  refused <- hylomath("predict", "k.hylo", "bad.csv")
  expect_equal(refused$status, 1)
  expect_match(paste(refused$err, collapse = " "), "--bad-cells missing")
  expect_equal(hylomath("predict", "k.hylo", "bad.csv", "--bad-cells", "missing", "-q")$status, 0)
})

test_that("C: the command says what was there, what is lacking and what comes first", {
  withr::local_dir(withr::local_tempdir())
  write.csv(boats, "boats.csv", row.names = FALSE)
  write.csv(data.frame(a = 1, b = 2), "other.csv", row.names = FALSE)
  said <- function(...) paste(hylomath(...)$err, collapse = " ")
  expect_match(said("train", "boats.csv"), "is a table; a brief, .*hylomath brief boats.csv --target COLUMN")
  hylomath("brief", "boats.csv", "-t", "litres_mile", "-o", "b.yml", "-q", "--set", "regimen.epochs=3")
  expect_no_match(said("train", "b.yml", "--quick", "--progress", "none"), "takes the place")
  expect_match(said("train", "b.yml", "--quick", "--progress", "none"), "takes the place of the model that was there")
  expect_match(said("importance", "b.hylo", "other.csv"), "`other.csv` has no column `engine_kw`.*Known are a, b")
  expect_match(paste(hylomath("help", "train")$out, collapse = " "), "hylomath train")
  expect_match(paste(hylomath("appraise", "b.hylo", "-o", "evaluated.csv")$err, collapse = " "), "Wrote evaluated.csv")
  expect_true(all(c("key", "observed", "prediction") %in% names(read.csv("evaluated.csv"))))
  # a script that fails shows no back trace
  script <- c("library(hylomath)", "brief(kilns, target = 'outcom')")
  writeLines(script, "s.R")
  rscript <- file.path(R.home("bin"), "Rscript")
  out <- suppressWarnings(system2(rscript, "s.R", stdout = TRUE, stderr = TRUE, env = libraries))
  expect_false(any(grepl("Backtrace|rlang", out)))
})

test_that("C: results are tables, parts are known row by row, and the largest confusions are printed", {
  b <- brief(boats, target = "litres_mile") |> hold_out(seed = 1) |> wire("linear") |> regimen(seed = 1)
  f <- folds(b, k = 3, progress = "none")
  v <- vary(b, l2 = c(0.01, 0.1), k = 2, progress = "none")
  s <- sift(set_columns(b, keep = c(crew, mass_t)), k = 2, direction = "ranking", progress = "none")
  line <- lineup(a = single(b, progress = "none"), b = single(wire(b, "2 tanh"), progress = "none"))
  for (x in list(f, v, s, line)) {
    expect_s3_class(tidy(x), "data.frame")
    expect_equal(nrow(glance(x)), 1)
  }
  parts <- parts_of(b, each = TRUE)
  expect_equal(as.integer(table(parts$part)[["test"]]), sum(parts_of(b)$rows[parts_of(b)$part == "test"]))
  t <- withr::with_seed(1, data.frame(x = rnorm(900)))
  t$y <- sprintf("c%02d", findInterval(t$x + rnorm(900, 0, 0.3), seq(-1.6, 1.6, length.out = 14)))
  many <- appraise(quick_model(t, "y", epochs = 20))
  expect_match(paste(format(many), collapse = "\n"), "Most often confused\n")
})

test_that("D: figures say what they leave out, and order and write what they show", {
  skip_if_not_installed("ggplot2")
  t <- withr::with_seed(1, data.frame(x = rnorm(2000), z = rnorm(2000)))
  t$y <- sprintf("croft %d", findInterval(t$x + rnorm(2000, 0, 0.2), seq(-1.8, 1.8, length.out = 19)) + 1)
  a <- appraise(quick_model(t, "y", epochs = 30))
  expect_match(plot_roc(a)$labels$subtitle, "the 6 classes with most rows, of 20")
  confusion <- plot_confusion(a)
  expect_match(confusion$labels$subtitle, "Most often confused: croft")
  # neighbours stand side by side
  at <- as.integer(sub("croft ", "", levels(confusion$data$prediction)))
  expect_lt(mean(abs(diff(at))), 4)  # 7 in no order
  expect_equal(confusion$data$label[confusion$data$weight == 0][1], "")
  expect_match(plot_confusion(a, show = "counts")$data$label[confusion$data$weight > 0][1], "^[0-9]+$")
  pairs <- plot_pairs(t, "y")
  expect_equal(nlevels(pairs$data$group), 12)
  expect_match(levels(pairs$data$group)[12], "9 others")
  expect_equal(levels(pairs_groups(factor(c("high", "low"), c("low", "high")))), c("low", "high"))
  expect_match(titles_within(confusion, 400)$labels$title, "\n")
  expect_equal(axis_numbers(c(200000, 15650)), c("200,000", "15,650"))
  k <- contributions(quick_model(kilns), kilns, 5)
  bars <- plot_contributions(k, most = 4)$data
  expect_equal(sum(bars$contribution), sum(k$columns$contribution))
  expect_match(as.character(bars$label[4]), "the other 7 columns")
  small <- quick_model(t[c("x", "z")], "z", method = "lbfgs")
  network <- plot_network(brief(t[c("x", "z")], target = "z") |> wire("3 tanh") |> single(progress = "none"))
  written <- Filter(function(l) inherits(l$geom, "GeomLabel"), network$layers)
  expect_equal(nrow(written[[1]]$data), 6)
  expect_equal(looks_of(c("b", "a"), c("a", "b", "c")), c(2, 1))
})

skip_if_not_installed("ggplot2")
layer_of <- function(figure, i) ggplot2::ggplot_build(figure)$data[[i]]

test_that("the curves show both losses and mark the best epoch", {
  model <- quick_model(epochs = 12)
  figure <- plot_curves(model)
  lines <- layer_of(figure, 2)
  expect_equal(sort(unique(lines$group)), 1:2)
  expect_equal(nrow(lines), 24)
  expect_equal(layer_of(figure, 1)$xintercept, model$best_epoch)
  expect_match(figure$labels$subtitle, sprintf("best epoch %d", model$best_epoch))
})

test_that("the loss axis is logarithmic where the losses span much", {
  steep <- plot_curves(quick_model(small_crossings(), "passengers", epochs = 40))
  expect_match(steep$labels$y, "logarithmic")
  expect_lt(max(layer_of(steep, 2)$y), 3)  # log10 of the loss
  flat <- quick_model(epochs = 2)
  flat$curves$training <- c(1, 0.9)
  flat$curves$validation <- c(1, 0.95)
  expect_equal(plot_curves(flat)$labels$y, "loss")
})

test_that("without validation rows only the training loss is drawn", {
  model <- withr::with_seed(
    1, brief(small_kilns(), "outcome") |> hold_out(validation = 0) |> regimen(epochs = 4) |> single(progress = "none")
  )
  expect_equal(nrow(layer_of(plot_curves(model), 2)), 4)
})

test_that("the confusion matrix shows every pair of classes with its rows", {
  a <- appraise(quick_model(kilns, epochs = 20))
  tiles <- layer_of(plot_confusion(a), 3)
  expect_equal(nrow(tiles), 16)
  expect_true(any(grepl(paste0("^", a$confusion["sound", "sound"], "\n"), tiles$label)))
  expect_fails(plot_fit(a), "plot_confusion")
})

test_that("observed against predicted has a point for every row", {
  a <- appraise(quick_model(small_crossings(), "passengers"))
  expect_equal(nrow(layer_of(plot_fit(a), 1)), a$n)
  expect_fails(plot_confusion(a), "plot_fit")
})

test_that("the curves of a model show the test rows on request, and several runs", {
  watched <- withr::with_seed(
    1, brief(small_kilns(), "outcome") |> regimen(epochs = 8) |> single(progress = "none", watch_test = TRUE)
  )
  plain <- quick_model(epochs = 8)
  # the same network, since watching decides nothing
  expect_identical(trained_network(watched), trained_network(plain))
  expect_null(plain$curves$test)
  a <- appraise(watched)
  expect_equal(
    watched$curves$test[watched$best_epoch], a$measures$value[a$measures$measure == "cross-entropy"], tolerance = 1e-5
  )
  expect_setequal(unique(layer_of(plot_curves(watched), 2)$group), 1:3)
  runs <- plot_curves(list(first = plain, second = quick_model(epochs = 12)))
  expect_equal(nrow(layer_of(runs, 1)), 20)
  expect_equal(nrow(layer_of(runs, 2)), 2)
  expect_fails(plot_curves(list(plain, 3)), "a list of models")
  expect_fails(single(brief(small_kilns(), "outcome"), watch_test = "yes"), "`watch_test` must be TRUE or FALSE")
})

test_that("curves over thresholds go through their points, with the rule marked", {
  a <- appraise(decide(quick_model(recovery, "returned", epochs = 20), recall = 0.7))
  points <- layer_of(plot_roc(a), 1)
  curve <- threshold_curve(a)
  expect_equal(range(points$x), c(0, 1))
  expect_lt(nrow(points), 1001)
  mark <- layer_of(plot_roc(a), 2)
  expect_equal(mark$y, a$classes$recall[2])
  expect_equal(layer_of(plot_precision_recall(a), 2)$y, a$classes$precision[2])
  expect_equal(unique(layer_of(plot_precision_recall(a), 3)$yintercept), mean(a$evaluated$observed == "yes"))
  expect_equal(max(layer_of(plot_gain(a), 1)$y), 1)
  expect_equal(tail(layer_of(plot_gain(a, what = "lift"), 1)$y, 1), 1)
  four <- appraise(quick_model(kilns, epochs = 20))
  expect_length(unique(layer_of(plot_roc(four), 1)$group), 4)
  expect_fails(plot_roc(appraise(quick_model(small_crossings(), "passengers"))), "that of a classification")
})

test_that("calibration and scores show every bin of every class", {
  a <- appraise(quick_model(kilns, epochs = 20))
  d <- layer_of(plot_calibration(a, "sound"), 4)
  expect_equal(d$y, calibration_curve(a, "sound")$observed)
  expect_length(unique(layer_of(plot_calibration(a), 4)$PANEL), 4)
  scores <- layer_of(plot_scores(a, "sound"), 1)
  expect_equal(as.numeric(tapply(scores$ymax, scores$group, sum)), c(1, 1))
  expect_length(unique(layer_of(plot_scores(a), 1)$PANEL), 4)
  shares <- layer_of(plot_confusion(a, "predicted"), 3)
  expect_true(any(grepl(format_percent_short(a$classes$precision[3]), shares$label, fixed = TRUE)))
})

test_that("errors are drawn along anything, as cells when there are very many", {
  a <- appraise(quick_model(small_crossings(), "passengers", epochs = 30))
  expect_equal(sum(layer_of(plot_errors(a), 1)$count), a$n)
  expect_equal(layer_of(plot_errors(a, against = predicted), 1)$x, a$evaluated$prediction)
  found <- layer_of(plot_errors(a, crossings, against = fare), 1)
  expect_equal(found$x, crossings$fare[match(a$evaluated$key, crossings$departure)])
  expect_equal(found$y, -residuals(a))
  expect_equal(nrow(layer_of(plot_errors(a, crossings, against = route), 2)), 3)
  expect_fails(plot_errors(a, against = fare), "there is no table")
  expect_fails(plot_errors(a, crossings[1:10, ], against = fare), "not all in this table")
  many <- withr::with_seed(1, data.frame(x = rnorm(8000), y = rnorm(8000)))
  cells <- appraise(quick_model(many[1:500, ], "y"), many)
  expect_lt(nrow(layer_of(plot_fit(cells), 1)), 5000)
  expect_lt(nrow(layer_of(plot_errors(cells, against = predicted), 1)), 5000)
  expect_match(plot_errors(cells, against = predicted)$labels$subtitle, "the outermost [0-9]+ rows are left out")
})

test_that("what explains a network is drawn whole", {
  model <- quick_model(kilns, epochs = 20)
  i <- importance(model, kilns, repeats = 2)
  expect_equal(nrow(layer_of(plot_importance(i), 1)), 10)
  expect_match(plot_importance(i, most = 3)$labels$subtitle, "7 more are not shown")
  effects <- list(
    effect_of(model, kilns, peak_c), effect_of(model, kilns, glaze),
    effect_of(model, kilns, peak_c, with = glaze, of = "burst"),
    effect_of(model, kilns, peak_c, with = load_kg, of = "burst"),
    effect_of(model, kilns, kiln, with = glaze, of = "burst"),
    effect_of(model, kilns, fired_on, with = peak_c, of = "burst", points = 4)
  )
  for (e in effects) {
    expect_gt(nrow(layer_of(plot_effect(e), 1)), 3)
  }
  expect_equal(nrow(layer_of(plot_contributions(contributions(model, kilns, 1)), 1)), 10)
  both <- plot_lineup(lineup(a = model, b = quick_model(kilns, epochs = 5)))
  expect_equal(nrow(layer_of(both, 2)), 6)
  expect_fails(plot_lineup(lineup(a = model, b = model), "F2"), "There is no measure")
  expect_fails(plot_effect(i), "effect_of()")
  for (x in list(i, effect_of(model, kilns, glaze))) expect_s3_class(ggplot2::autoplot(x), "ggplot")
})

test_that("figures are written as PNG of the given size", {
  file <- withr::local_tempfile(fileext = ".png")
  write_figure(plot_curves(quick_model()), file, width = 640, height = 400)
  header <- readBin(file, "raw", 24)
  expect_equal(header[2:4], charToRaw("PNG"))
  size <- readBin(header[17:24], "integer", 2, endian = "big")
  expect_equal(size, c(640L, 400L))
  expect_s3_class(ggplot2::autoplot(quick_model()), "ggplot")
})

test_that("neighbouring colours stay apart for the colour-blind and in grey print", {
  # linear RGB as it is seen without one kind of cones (Vienot, Brettel and Mollon 1999), and lightness alone
  linear <- function(colour) {
    s <- grDevices::col2rgb(colour) / 255
    ifelse(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055)^2.4)
  }
  seen <- list(
    all = diag(3),
    deuteranopia = rbind(c(0.29275, 0.70725, 0), c(0.29275, 0.70725, 0), c(-0.02234, 0.02234, 1)),
    protanopia = rbind(c(0.11238, 0.88762, 0), c(0.11238, 0.88762, 0), c(0.00401, -0.00401, 1)),
    grey = matrix(c(0.2126, 0.7152, 0.0722), 3, 3, byrow = TRUE)
  )
  lab <- function(colour, matrix) {
    seen <- pmin(pmax(matrix %*% linear(colour), 0), 1)
    coded <- ifelse(seen <= 0.0031308, 12.92 * seen, 1.055 * seen^(1 / 2.4) - 0.055)
    grDevices::convertColor(t(coded), "sRGB", "Lab")
  }
  distance <- function(a, b, matrix) sqrt(sum((lab(a, matrix) - lab(b, matrix))^2))
  for (eyes in names(seen)) {
    for (i in seq_len(length(figure_lines) - 1)) {
      apart <- distance(figure_lines[i], figure_lines[i + 1], seen[[eyes]])
      # in grey the two kinds of dashes tell lines apart that are as light as each other
      expect_gt(apart, if (eyes == "grey") 8 else 20, label = sprintf("%s %d", eyes, i))
    }
    # ink and ochre carry most figures
    expect_gt(distance(hue("ink"), hue("ochre"), seen[[eyes]]), 30)
  }
})

test_that("every plot is written as PNG, SVG and PDF at the size of a column and of a page, with any letters", {
  letters <- "Skerrow: \u0141\u00f3d\u017a, \u00c5land, \u0394\u03ae\u03bc\u03bf\u03c2"
  figure <- plot_curves(quick_model(epochs = 3)) + ggplot2::labs(title = letters)
  folder <- withr::local_tempdir()
  for (size in list(c(500, 400), c(1280, 800))) for (ending in c("png", "svg", "pdf")) {
    file <- file.path(folder, paste0(size[1], ".", ending))
    write_figure(figure, file, width = size[1], height = size[2])
    expect_gt(file.size(file), 2000)
  }
})

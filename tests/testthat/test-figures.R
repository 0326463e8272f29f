skip_if_not_installed("ggplot2")
layer_of <- function(figure, i) ggplot2::ggplot_build(figure)$data[[i]]

test_that("the curves show both losses and mark the kept epoch", {
  model <- quick_model(epochs = 12)
  figure <- plot_curves(model)
  lines <- layer_of(figure, 2)
  expect_equal(sort(unique(lines$group)), 1:2)
  expect_equal(nrow(lines), 24)
  expect_equal(layer_of(figure, 1)$xintercept, model$best_epoch)
  expect_match(figure$labels$subtitle, sprintf("kept epoch %d", model$best_epoch))
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
  model <- withr::with_seed(1, brief(small_kilns(), "outcome") |> hold_out(validation = 0) |> regimen(epochs = 4) |> train(progress = "none"))
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
  expect_equal(nrow(layer_of(plot_fit(a), 2)), a$n)
  expect_fails(plot_confusion(a), "plot_fit")
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

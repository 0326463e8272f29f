test_that("blocks have their shapes and counts", {
  model <- rich_model()
  blocks <- layers_of(model)
  expect_equal(sum(blocks$values), length(trained_network(model)$parameters))
  expect_equal(blocks$kind[blocks$layer == "layer_1"], c("weights", "bias", "gain", "mean", "variance"))
  expect_equal(blocks$trained[blocks$layer == "layer_1"], c(TRUE, TRUE, TRUE, FALSE, FALSE))
  text <- paste(format(summary(model)), collapse = "\n")
  expect_match(
    text, sprintf("%d parameters, %d of them trained", sum(blocks$values), sum(blocks$values[blocks$trained]))
  )
})

test_that("the layers of a network with everything are those of its formulas", {
  model <- rich_model()
  w <- coef(model)
  row <- small_kilns()[7, ]
  numbers <- core_encode(model$predictor$preparation$columns, encoder_sources(model$predictor$preparation, row), 1L)
  x <- c(numbers[-length(numbers)], w$embedding_glaze[row$glaze, ])  # the last encoded value is the code
  part <- function(block, name) block[name, ]
  z <- as.numeric(x %*% w$layer_1[seq_along(x), ])
  z <- (z - part(w$layer_1, "(mean)")) / sqrt(
    part(w$layer_1, "(variance)") + 1e-5
  ) * part(w$layer_1, "(gain)") + part(w$layer_1, "(bias)")
  first <- z / 2 * (1 + tanh(sqrt(2 / pi) * (z + 0.044715 * z^3)))
  expect_equal(as.numeric(probe(model, row, 1)), unname(first), tolerance = 1e-5)
  second <- tanh(c(first, 1) %*% w$layer_2)
  expect_equal(as.numeric(probe(model, row)), as.numeric(second), tolerance = 1e-5)
  expect_equal(as.numeric(probe(model, row, 3)), as.numeric(c(second, 1) %*% w$output), tolerance = 1e-5)
  expect_named(probe(model, row, 3), c("burst", "crazed", "sound", "warped"))
  expect_fails(probe(model, row, 4), "from 1 to 3")
})

test_that("weights can be set, and what was known of the old ones is gone", {
  model <- quick_model(epochs = 3)
  w <- coef(model)
  expect_identical(trained_network(set_coef(model, w)), trained_network(model))
  w$output[] <- 0
  w$output["(bias)", ] <- log(c(0.1, 0.2, 0.3, 0.4))
  changed <- set_coef(model, w["output"])
  expect_equal(
    unlist(predict(changed, small_kilns()[3, ], type = "probability"), use.names = FALSE), c(0.1, 0.2, 0.3, 0.4),
    tolerance = 1e-6
  )
  expect_fails(appraise(changed), "has no validation rows")
  expect_s3_class(appraise(changed, small_kilns()), "hylomath_appraisal")
  expect_match(paste(format(changed), collapse = " "), "set by hand")
  expect_fails(set_coef(model, list(layer_3 = 1)), "no block `layer_3`")
  expect_fails(set_coef(model, list(output = matrix(0, 2, 2))), "of the shape 13 x 4, not 2 x 2")
  expect_fails(set_coef(model, list(output = w$output * NA)), "missing or infinite")
  expect_fails(set_coef(rich_model(), coef(rich_model())), "ensemble")
})

test_that("unseen and missing levels have a place in an embedding", {
  table <- small_kilns()
  table$glaze[c(1, 30, 60:80)] <- NA
  model <- withr::with_seed(
    1,
    brief(table, target = "outcome") |>
      prepare(categories = "embedding", embedding_width = 3) |> regimen(epochs = 10) |>
      single(progress = "none")
  )
  e <- coef(model)$embedding_glaze
  expect_equal(ncol(e), 3)
  expect_equal(rownames(e)[c(1, nrow(e))], c("(other)", "(missing)"))
  expect_equal(unname(e[1, ]), rep(0, 3))
  new <- table[c(2, 2), ]
  new$glaze[2] <- "raku"
  p <- predict(model, new, type = "probability")
  expect_false(isTRUE(all.equal(p[1, ], p[2, ], check.attributes = FALSE)))
  many <- withr::with_seed(2, data.frame(town = sample(sprintf("town %03d", 1:150), 900, TRUE), x = rnorm(900)))
  many$y <- ifelse(as.integer(substr(many$town, 6, 8)) %% 2 == 0, 1, -1) + 0.1 * many$x
  b <- brief(many, target = "y") |>
    set_columns(kinds = c(town = "category")) |> prepare(categories = "embedding") |>
    wire("8 tanh") |> regimen(method = "adam", learning_rate = 0.02)
  model <- withr::with_seed(1, single(b, progress = "none"))
  expect_equal(ncol(coef(model)$embedding_town), 13)
  m <- appraise(model)$measures
  expect_gt(m$value[m$measure == "R\u00b2"], 0.8)
})

test_that("networks and curves are drawn from what the model holds", {
  skip_if_not_installed("ggplot2")
  small <- quick_model(small_crossings(), "passengers", epochs = 4)
  expect_equal(nrow(drawn_weights(small)), sum(layers_of(small)$values[layers_of(small)$kind == "weights"]))
  w <- drawn_weights(rich_model())
  expect_equal(w$weight[w$layer == 3], as.numeric(coef(rich_model())$output[1:5, ]))
  figures <- list(
    plot_network(small, units = 1000), plot_network(rich_model(), units = 5), plot_curves(small, "gradient"),
    plot_curves(rich_model(), "accuracy"), plot_curves(rich_model(), "rate")
  )
  for (figure in figures) {
    expect_s3_class(figure, "ggplot")
    expect_no_error(ggplot2::ggplot_build(figure))
  }
  expect_fails(plot_curves(small, "rate"), "has no rate to draw")
  expect_fails(plot_curves(small, "accuracy"), "`what` can't be")
})

test_that("layers, weights, the drawing and a layer's outputs are had from the shell", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  model <- quick_model(epochs = 2)
  write_model(model, "k.hylo")
  utils::write.csv(small_kilns(30), "k.csv", row.names = FALSE, na = "")
  expect_match(hylomath("show", "k.hylo", "--layers")$out[2], "layer_1 +weights +[0-9]+ x 24")
  weights <- jsonlite::fromJSON(hylomath("show", "k.hylo", "--weights")$out)
  expect_equal(weights$output$sound, unname(coef(model)$output[, "sound"]), tolerance = 1e-12)
  hylomath("show", "k.hylo", "--network", "net.png")
  expect_gt(file.size("net.png"), 5000)
  expect_match(hylomath("probe", "k.hylo", "k.csv", "--layer", "1", "-o", "units.csv")$err, "30 rows of 24 units")
  expect_equal(utils::read.csv("units.csv"), probe(model, small_kilns(30), 1), tolerance = 1e-6, ignore_attr = TRUE)
})

test_that("weights go into a table and come back", {
  withr::local_dir(withr::local_tempdir())
  for (model in list(quick_model(), rich_model(), withr::with_seed(1, train(
    brief(small_kilns(), "outcome") |> hold_out(folds = 3) |> wire("4 tanh") |> regimen(epochs = 3), progress = "none"
  )))) {
    table <- coef_table(model)
    expect_equal(nrow(table), all_parameters(model$predictor))
    for (file in c("w.csv", "w.parquet")) {
      write_table(table, file)
      expect_equal(read_table(file, c(input = "category", unit = "category"))$value, table$value, tolerance = 1e-15)
    }
    other <- table
    other$value <- other$value * 2
    changed <- set_coef(model, other)
    expect_identical(coef_table(changed), other)
    expect_false(identical(predict(changed, small_kilns(9), "both"), predict(model, small_kilns(9), "both")))
    expect_identical(predict(set_coef(changed, table), small_kilns(9), "both"), predict(model, small_kilns(9), "both"))
    expect_match(paste(format(changed), collapse = " "), "set by hand")
    other$network <- 99
    expect_fails(set_coef(model, other), "network 99, start 1, which the model has not")
  }
  model <- quick_model()
  other <- set_coef(model, lapply(coef(model), function(block) block + 1))
  expect_identical(coef(set_coef(other, coef_table(model))), coef(model))
  some <- coef_table(model)[3, ]
  some$value <- 9
  expect_equal(sum(coef_table(set_coef(model, some))$value != coef_table(model)$value), 1)
  some$input <- "nothing"
  expect_fails(set_coef(model, some), "no place for the input `nothing`")
  expect_fails(set_coef(model, some["value"]), "no column `layer`")
  write_model(model, "k.hylo")
  expect_equal(hylomath("show", "k.hylo", "--weights", "-o", "w2.csv")$status, 0)
  expect_equal(nrow(read_table("w2.csv")), nrow(coef_table(model)))
})

# The skip connection: `+ skip`.

# One brief a kind of task, each with a path of its own.
kinds <- list(
  classes = brief(small_kilns(), "outcome"),
  yes_no = brief(recovery[1:800, ], "returned"),
  numbers = brief(boats, "litres_mile"),
  counts = brief(small_crossings(), "passengers"),
  ordered = brief(clays, "clay") |> regimen(loss = "ordinal"),
  quantiles = brief(small_crossings(), "passengers", task = "regression") |>
    regimen(loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9))),
  embedded = brief(small_crossings(), "passengers") |> prepare(categories = "embedding")
)

skip_model <- function(b, wiring = "6 tanh + skip", ...) {
  withr::with_seed(4, wire(b, wiring) |> regimen(...) |> single(progress = "none"))
}

test_that("the first epoch is the linear model, for every task, and no later one that is kept is worse", {
  for (name in names(kinds)) {
    b <- kinds[[name]] |> hold_out(seed = 3)
    path <- skip_model(b)
    first <- skip_model(b, epochs = 1)
    linear <- skip_model(b, "linear")
    rows <- utils::head(b$table, 50)
    # learned points have no one minimum, and `linear` has none of them
    if (name != "embedded") expect_equal(predict(first, rows), predict(linear, rows), tolerance = 1e-3, info = name)
    expect_equal(path$curves$updates[1], 0, info = name)
    expect_lte(path$curves$validation[path$best_epoch], path$curves$validation[1])
    expect_equal(nrow(appraise(path)$evaluated), appraise(linear)$n, info = name)
  }
})

test_that("whole-table methods, batches and an ensemble take a skip connection", {
  b <- kinds$numbers |> hold_out(seed = 3)
  for (method in c("levenberg_marquardt", "lbfgs", "scaled_conjugate", "resilient", "adam", "momentum")) {
    path <- skip_model(b, method = method, epochs = 30)
    expect_lte(path$curves$validation[path$best_epoch], path$curves$validation[1])
    expect_lt(min(path$curves$training), path$curves$training[1])
  }
  ensemble <- skip_model(b, restarts = 3, keep = "ensemble", epochs = 5)
  expect_length(ensemble$predictor$network$members, 3)
})

test_that("networks with a skip connection are trained as an ensemble, in folds too, and teach one", {
  b <- kinds$counts |> wire("6 elu + skip") |> hold_out(folds = 4, seed = 3) |> regimen(epochs = 20)
  withr::local_seed(5)
  ensemble <- train(b, progress = "none")
  expect_equal(sum(ensemble$members$network == "6 elu + skip"), 4)
  expect_s3_class(folds(b, k = 3, progress = "none"), "hylomath_folds")
  student <- distil(ensemble, b$table, progress = "none")
  expect_true(student$brief$wiring %in% c("6 elu + skip", usual_wiring))
  # a student that listens to the teacher alone has a linear start as well
  own <- distil(ensemble, wire(quick(b), "3 tanh + skip"), label_share = 0, progress = "none")
  expect_equal(own$curves$updates[1], 0)
})

test_that("its weights are seen, set, kept in files and prediction by the formula", {
  b <- kinds$classes |> hold_out(seed = 3) |> wire("5 tanh + skip l2=0.01")
  model <- skip_model(b, "5 tanh + skip l2=0.01", epochs = 30)
  w <- coef(model)
  expect_named(w, c("layer_1", "output", "skip"))
  expect_equal(dimnames(w$skip), list(setdiff(rownames(w$layer_1), "(bias)"), colnames(w$output)))
  expect_equal(sum(layers_of(model)$values), length(unlist(w)))
  rows <- utils::head(b$table, 20)
  x <- t(encode_inputs(model$predictor$preparation, rows))
  hidden <- tanh(cbind(x, 1) %*% w$layer_1)
  linear <- cbind(hidden, 1) %*% w$output + x %*% w$skip
  expect_equal(unname(as.matrix(probe(model, rows, layer = 2))), unname(linear), tolerance = 1e-5)
  shown <- predict(model, rows, type = "probability")
  expect_equal(unname(as.matrix(shown)), unname(exp(linear) / rowSums(exp(linear))), tolerance = 1e-4)

  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file)
  expect_identical(trained_network(read_model(file)), trained_network(model))
  w$skip[] <- 0
  bare <- set_coef(model, w)
  expect_equal(unname(as.matrix(probe(bare, rows, layer = 2))), unname(cbind(hidden, 1) %*% w$output), tolerance = 1e-5)
})

test_that("penalties and a rate of its own reach it", {
  b <- kinds$counts |> hold_out(validation = 0, seed = 3)
  size <- function(wiring) sum(abs(coef(skip_model(b, wiring, epochs = 15, method = "adam"))$skip))
  free <- size("6 tanh + skip")
  expect_lt(size("6 tanh + skip l2=500"), 0.2 * free)
  expect_lt(size("6 tanh + skip l1=30"), 0.8 * free)
  still <- skip_model(b, "6 tanh + skip rate=0", epochs = 15, method = "adam")
  expect_equal(
    coef(still)$skip, coef(skip_model(b, "6 tanh + skip", epochs = 1, method = "adam"))$skip, tolerance = 1e-6
  )
  expect_false(layers_of(still)$trained[layers_of(still)$layer == "skip"])
  expect_fails(
    skip_model(b, "6 tanh + skip l1=0.1", method = "lbfgs"), "can't do `l1`"
  )
})

test_that("what is changed of the hidden layers leaves the path, and none of them leaves `linear`", {
  b <- wire(kinds$counts, "6 tanh + skip l1=0.1")
  expect_equal(changed_brief(b, list(units = 3))$wiring, "3 tanh + skip l1=0.1")
  expect_equal(changed_brief(b, list(layers = 2))$wiring, "6 tanh > 6 tanh + skip l1=0.1")
  expect_equal(changed_brief(b, list(layers = 0))$wiring, "linear")
})

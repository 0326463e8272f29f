part_along <- function(b) split_rows(b, brief_table(b))
prepared <- function(b, rows = part_along(b) %in% "training") learn_preparation(b, brief_table(b), rows)

# The same encoding, column by column and row by row, as one would write it down.
obvious_encoding <- function(b, training) {
  columns <- lapply(brief_inputs(b), function(column) {
    x <- b$table[[column]]
    if (is.numeric(x)) {
      known <- x[training & !is.na(x)]
      x[is.na(x)] <- median(known)
      return((x - mean(known)) / sd(known))
    }
    if (inherits(x, "Date")) {
      angle <- 2 * pi * (as.integer(format(x, "%j")) - 1) / 365.25
      return(cbind(sin(angle), cos(angle), sapply(1:7, function(d) as.numeric(format(x, "%u") == d))))
    }
    sapply(sort(unique(x[training])), function(level) as.numeric(x == level))
  })
  t(do.call(cbind, columns))
}

test_that("the encoding equals an obvious one", {
  for (b in list(brief(small_kilns(), "outcome") |> prepare(gaps = "median"), brief(small_crossings(), "passengers"))) {
    training <- part_along(b) %in% "training"
    expect_equal(unname(encode_inputs(prepared(b), b$table)), unname(obvious_encoding(b, training)), tolerance = 1e-12)
    expect_length(prepared(b)$features, nrow(obvious_encoding(b, training)))
  }
})

test_that("nothing is learned from held-out rows", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(seed = 4)
  part <- part_along(b)
  held <- which(part != "training")
  spoiled <- b
  spoiled$table$moisture_pct[held] <- 1e6
  spoiled$table$gas_mbar[held] <- NA
  spoiled$table$glaze[held] <- "unheard of"
  expect_identical(prepared(spoiled, part == "training"), prepared(b, part == "training"))
})

test_that("changing test rows changes no weight", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(seed = 4) |> regimen(epochs = 4, seed = 1)
  part <- part_along(b)
  spoiled <- b
  spoiled$table$moisture_pct[part == "test"] <- -77
  expect_identical(train(spoiled, progress = "none")$network, train(b, progress = "none")$network)
})

test_that("any subset in any order gives the same rows", {
  b <- brief(small_kilns(), target = "outcome")
  p <- prepared(b)
  whole <- encode_inputs(p, b$table)
  some <- withr::with_seed(2, sample(nrow(b$table), 100))
  expect_identical(encode_inputs(p, b$table[some, ]), whole[, some])
})

test_that("missing and unseen levels have their place", {
  table <- data.frame(y = rnorm(200), zone = rep(c("a", "b", "c", "rare"), c(90, 60, 48, 2)))
  b <- brief(table, target = "y") |> prepare(rare = 0.05)
  p <- prepared(b, rep(TRUE, 200))
  expect_equal(p$features, c("zone=a", "zone=b", "zone=c", "zone=(other)"))
  new <- data.frame(zone = c("b", NA, "rare", "never"))
  expect_equal(encode_inputs(p, new), cbind(c(0, 1, 0, 0), 0, c(0, 0, 0, 1), c(0, 0, 0, 1)))
  p <- prepared(prepare(b, rare = 0), rep(TRUE, 200))
  expect_equal(encode_inputs(p, data.frame(zone = c("never", "rare"))), cbind(c(0, 0, 0, 0), c(0, 0, 0, 1)))
})

test_that("hours lie on a circle and missing dates are zeros", {
  table <- data.frame(y = rnorm(48), at = as.POSIXct("2025-03-03", tz = "UTC") + 3600 * 0:47)
  b <- brief(table, target = "y")
  x <- encode_inputs(prepared(b, rep(TRUE, 48)), data.frame(at = c(table$at[c(1, 7, 25)], NA)))
  expect_equal(x[10:11, 1:2], cbind(c(0, 1), c(1, 0)))
  expect_equal(x[10:11, 1], x[10:11, 3])
  expect_equal(x[3:4, c(1, 3)], cbind(c(1, 0), c(0, 1)))  # a Monday and a Tuesday
  expect_true(all(x[, 4] == 0))
})

saved <- function(model) {
  file <- withr::local_tempfile(fileext = ".hylo", .local_envir = parent.frame())
  write_model(model, file)
  file
}

test_that("a model read again is the model that was written", {
  models <- list(
    quick_model(), quick_model(small_crossings(), "passengers"), quick_model(boats, "litres_mile"),
    quick_model(recovery, "returned", class_weights = "even"), rich_model(),
    quick_model(boats, c("litres_mile", "engine_kw"))
  )
  for (model in models) {
    again <- read_model(saved(model))
    expect_identical(again, model)
  }
})

test_that("predictions after reading are identical bit for bit", {
  model <- quick_model()
  expect_identical(predict(read_model(saved(model)), kilns, type = "both"), predict(model, kilns, type = "both"))
})

test_that("hostile names and classes survive", {
  table <- data.frame(rnorm(60), rep(c("yes", "010", "1e-4", "$doubles", "\u00e9\"\\"), 12))
  names(table) <- c("$texts", "a: \"b\"")
  model <- quick_model(table, "a: \"b\"")
  expect_identical(read_model(saved(model)), model)
})

test_that("the format is open: gzip and JSON", {
  connection <- gzfile(saved(quick_model()))
  text <- paste(readLines(connection, warn = FALSE), collapse = "\n")
  close(connection)
  parts <- jsonlite::fromJSON(text)
  expect_equal(parts$format, "hylomath model")
  expect_equal(parts$format_version, 6)
  bytes <- jsonlite::base64_dec(parts$answerer$network$parameters[["$doubles"]])
  expect_equal(
    readBin(bytes, "double", length(bytes) / 8, endian = "little"), trained_network(quick_model())$parameters
  )
})

test_that("foreign, damaged and newer files are refused", {
  foreign <- withr::local_tempfile()
  writeLines("a,b\n1,2", foreign)
  expect_fails(read_model(foreign), "is not a model file")
  expect_fails(read_model("no/such.hylo"), "There is no file")
  file <- saved(quick_model())
  bytes <- readBin(file, "raw", 1e6)
  writeBin(bytes[seq_len(length(bytes) / 2)], file)
  expect_fails(read_model(file), "damaged")
  connection <- gzfile(file, "w")
  writeLines('{"format": "hylomath model", "format_version": 7}', connection)
  close(connection)
  expect_fails(read_model(file), "a newer version")
  connection <- gzfile(file, "w")
  writeLines('{"format": "hylomath model", "format_version": 2}', connection)
  close(connection)
  expect_fails(read_model(file), "an older version")
  connection <- gzfile(file, "w")
  writeLines('{"format": "hylomath model", "format_version": 6, "brief": "target: x"}', connection)
  close(connection)
  expect_fails(read_model(file), "its part `answerer` is missing")
  expect_fails(write_model(boats, file), "Only a model can be written")
})

test_that("a write that fails leaves the former file as it was", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "kept.txt")
  writeLines("former", file)
  expect_fails(
    replace_whole(file, function(part) { writeLines("half", part); stop("disk full") }), "can't be written: disk full"
  )
  expect_equal(readLines(file), "former")
  expect_equal(list.files(folder, all.files = TRUE, no.. = TRUE), "kept.txt")
  expect_fails(write_model(quick_model(), file.path(folder, "none", "m.hylo")), "There is no folder")
})

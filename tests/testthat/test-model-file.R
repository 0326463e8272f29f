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

test_that("the format is open: gzip, JSON and a checksum that other tools compute too", {
  text <- document_of(saved(quick_model()))
  document <- jsonlite::fromJSON(text)
  expect_equal(document$format, "hylomath model")
  expect_equal(document$format_version, 8)
  bytes <- jsonlite::base64_dec(document$content$predictor$network$parameters[["$doubles"]])
  expect_equal(
    readBin(bytes, "double", length(bytes) / 8, endian = "little"), trained_network(quick_model())$parameters
  )
  expect_equal(document$content$identity, identity_of(quick_model()))
  content <- sub('^.*?"content":', "", substr(text, 1, nchar(text) - 1), perl = TRUE)
  file <- withr::local_tempfile()
  writeBin(charToRaw(content), file)
  skip_if(Sys.which("sha256sum") == "")
  expect_equal(sub(" .*", "", system2("sha256sum", file, stdout = TRUE)), document$checksum)
})

test_that("a file of this format is read and predicts as it did", {
  model <- read_model(test_path("models", "format-8.hylo"))
  rows <- kilns[seq(1, 4000, length.out = 500), ][1:10, ]
  told <- read.csv(test_path("models", "format-8.csv"))
  expect_equal(predict(model, rows, type = "probability"), told, tolerance = 1e-6)
  expect_identical(read_model(saved(model)), model)
})

test_that("what a later version adds is kept, and anything else that differs is found", {
  model <- quick_model()
  file <- resigned(saved(model), function(content) {
    content <- sub("^[{]", '{"later":{"why":["x",1.5]},', content)
    sub('"predictor":{', '"predictor":{"beyond":true,', content, fixed = TRUE)
  })
  later <- read_model(file)
  expect_equal(later$later, list(why = list("x", 1.5)))
  expect_true(later$predictor$beyond)
  expect_identical(predict(later, kilns), predict(model, kilns))
  expect_identical(read_model(saved(later)), later)
  text <- document_of(file)
  expect_fails(read_model(with_document(sub("beyond", "behind", text), file)), "its checksum is another one")
  newer <- with_document(sub('"format_version":8', '"format_version":9', text), file)
  expect_fails(read_model(newer), "a newer version")
})

test_that("files are what the schema says", {
  python <- Filter(function(python) {
    system2(python, c("-c", shQuote("import jsonschema")), stdout = FALSE, stderr = FALSE) == 0
  }, c("python3", "/usr/bin/python3"))
  skip_if(length(python) == 0)
  schema <- system.file("model-schema.json", package = "hylomath")
  check <- paste(
    "import sys, json, gzip, jsonschema",
    "jsonschema.validate(json.loads(gzip.open(sys.argv[2]).read()), json.load(open(sys.argv[1])))", sep = "\n"
  )
  ensemble <- brief(small_kilns(), "outcome") |> hold_out(folds = 3, seed = 5) |> regimen(epochs = 3)
  for (model in list(quick_model(), rich_model(), withr::with_seed(1, train(ensemble, progress = "none")))) {
    expect_equal(system2(python[1], c("-c", shQuote(check), shQuote(schema), saved(model))), 0)
  }
})

test_that("a file is smaller than twice its numbers and 50 KB", {
  for (model in list(quick_model(), rich_model(), quick_model(recovery, "returned"))) {
    numbers <- length(unlist(rapply(unclass(model), identity, classes = c("numeric", "integer"), how = "list")))
    expect_lt(file.size(saved(model)), 2 * 8 * numbers + 50e3)
  }
})

test_that("a bare file holds nothing of single rows, and says what it can't do", {
  t <- small_kilns()
  t$mark <- c(rep("usual", 537), rep("seldom", 60), "Ragna", "Tor", "Una")
  b <- withr::with_seed(1, brief(t, "outcome")) |> regimen(epochs = 5) |>
    hold_out(folds = 0, calibration = 0.15, seed = 2)
  model <- withr::with_seed(1, train(b, progress = "none"))
  file <- withr::local_tempfile(fileext = ".hylo")
  write_model(model, file, rows = FALSE)
  text <- document_of(file)
  held <- rows_in_model(model)
  expect_setequal(sub(".* of ", "", held$what[1:3]), paste(c("training", "validation", "calibration"), "rows"))
  learned <- unlist(few_levels(model$predictor, 5))
  expect_true(all(learned %in% c("Ragna", "Tor", "Una")) && length(learned) > 0)
  for (word in c(learned, t$firing[1:50])) expect_false(grepl(word, text, fixed = TRUE))
  bare <- read_model(file)
  known <- !t$mark %in% learned
  expect_identical(predict(bare, t[known, ]), predict(model, t[known, ]))
  expect_equal(nrow(rows_in_model(bare)), 0)
  expect_true("rows_not_known" %in% notes(appraise(bare, t))$code)
  for (refused in list(
    quote(appraise(bare)), quote(decide(bare, class = "burst", recall = 0.8)), quote(recalibrate(bare)),
    quote(appraise(bare, t, rows = "test"))
  )) expect_fails(eval(refused), "without what it knew of single rows")
  said <- paste(format(summary(bare)), collapse = " ")
  expect_match(said, "holds nothing about single rows")
  expect_match(paste(format(summary(model)), collapse = " "), "keys, observed values and predictions of test rows")
  expect_identical(read_model(saved(bare)), bare)
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
  writeLines('{"format": "hylomath model", "format_version": 9}', connection)
  close(connection)
  expect_fails(read_model(file), "a newer version")
  connection <- gzfile(file, "w")
  writeLines('{"format": "hylomath model", "format_version": 7}', connection)
  close(connection)
  expect_fails(read_model(file), "an older version")
  connection <- gzfile(file, "w")
  writeLines('{"format": "hylomath model", "format_version": 8, "brief": "target: x"}', connection)
  close(connection)
  expect_fails(read_model(file), "it is damaged")
  expect_fails(read_model(resigned(saved(quick_model()), function(content) {
    sub('"predictor":', '"former":', content, fixed = TRUE)
  })), "its part `predictor` is missing")
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

test_that("a part under a longer name doesn't pass for the one that is meant", {
  source <- withr::local_tempfile()
  write_model(quick_model(), source)
  text <- read_compressed(source)
  head <- regmatches(text, regexpr("^.*?\"content\":", text, perl = TRUE))
  content <- substr(text, nchar(head) + 1, nchar(text) - 1)
  for (name in c("drop_missing", "encoding", "part_bits", "seen_high", "evidence_l2", "evaluated")) {
    changed <- sub(sprintf("\"%s\"", name), sprintf("\"%s_1\"", name), content, fixed = TRUE)
    if (identical(changed, content)) next
    file <- withr::local_tempfile()
    write_compressed(paste0(sub("[0-9a-f]{64}", text_checksum(changed), head), changed, "}"), file)
    expect_fails(read_model(file), "is not a model file")
  }
})

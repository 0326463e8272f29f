# Transcripts, run by the real thing.

inputs <- c("size", "count", "hot", "glaze", "place", "day")

on <- function(target, ..., keep = inputs) {
  withr::with_seed(6, brief(everything[c(keep, target)], target = target, ...)) |> hold_out(folds = 0, seed = 4)
}

# One brief for each thing that a transcript has to say.
cases <- list(
  classes = on("class") |> wire("5 relu > dropout 0.1 > 4 gelu"),
  ordered = on("class") |> regimen(loss = "ordinal") |> wire("4 softplus"),
  two = on("yes", positive = "no") |> wire("4 silu > 3 elu + skip") |> regimen(class_weights = "even"),
  weighted = on("class") |> regimen(class_weights = list(low = 5, middling = 1, high = 1, top = 2)) |> wire("linear"),
  numbers = on("number") |> prepare(numbers = "periodic", categories = "ordinal") |> wire("4 sine > 3 gaussian"),
  logarithm = on("positive") |> prepare(target = "log", numbers = "piecewise", missing = "flag") |> wire("5 selu"),
  medians = on("positive") |> prepare(target = "log_median", numbers = "robust", clip = 0.05) |> wire("4 leaky_relu"),
  gamma = on("positive") |> regimen(loss = "gamma") |> prepare(numbers = "minmax_signed") |> wire("4 logistic"),
  positive = on("positive") |> regimen(output = "softplus") |> prepare(categories = "frequency", rare = 0.05),
  quantiles = on("number") |> regimen(loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9))),
  several = on(c("number", "positive")) |> prepare(numbers = "minmax", target = "none"),
  counts = on("calls") |> prepare(only = place, categories = "embedding", missing = "own"),
  exposed = on("calls", keep = c(inputs, "days")) |> set_columns(exposure = days),
  dropped = on("number") |> prepare(only = size, missing = "drop") |>
    prepare(only = day, dates = c("month", "quarter", "year")),
  codes = on("number") |> prepare(missing_codes = c(4, "clear")) |> prepare(only = place, categories = "frequency"),
  normed = on("class") |> wire("6 tanh norm > 4 identity norm") |> prepare(numbers = "rank_normal"),
  ensemble = on("positive") |> prepare(target = "log") |> regimen(restarts = 3, keep = "ensemble"),
  times = on("number", keep = c(inputs, "moment")) |> prepare(only = moment, dates = c("hour", "weekday", "year")),
  hashed = on("class") |> prepare(only = place, categories = "hash"),
  arithmetic = on("number", keep = c(inputs, "moment")) |> add_columns(
    ratio = size / (count + 1), size = log1p(abs(size)) + sqrt(abs(count - 2)), late = month(day) >= 7 & !hot,
    rest = count %% 3 - round(size, 1) + count %/% 2, near = pmin(size, 3, count) * sign(count - 4),
    kind = ifelse(starts_with(glaze, "ash") | contains(place, "2"), upper(trim(glaze)), "Other"),
    week = week(day) + yearday(day) / 366 + weekday(day), since = day - date("2024-02-29"), at = hour(moment),
    graded = rank_in(glaze, "ash", "clear", "tenmoku"), whole = coalesce(floor(size), -1),
    gap = is.na(size) + nchar(place),
    set = glaze %in% c("ash", "tenmoku"), before = glaze < "clear", early = moment < "2024-01-01"
  ) |> wire("6 tanh"),
  cross_validated = on("class", keep = c("size", "glaze", "day")) |> hold_out(folds = 3) |> wire("4 relu")
)

changed <- list(
  recalibrated = function(m) recalibrate(m, "isotonic"), tempered = function(m) recalibrate(m, "temperature"),
  platt = function(m) recalibrate(m, "platt"), threshold = function(m) decide(m, threshold = 0.3, class = "low"),
  costs = function(m) {
    classes <- m$predictor$target$classes
    decide(m, costs = matrix(c(0, 1, 3, 4, 2, 0, 1, 2, 3, 1, 0, 1, 9, 5, 1, 0), 4, dimnames = list(classes, classes)))
  }
)

trained <- function(b) withr::with_seed(7, train(regimen(b, epochs = 8), progress = "none"))

# Rows that it was trained on, and what it never saw: new levels, values far outside, missing values everywhere.
to_be_predicted <- function(b) {
  rows <- everything[seq_len(200), setdiff(names(b$table), b$target)]
  rows$size[1:5] <- c(-3, 20, 0, NA, 12)
  if (!is.null(rows$place)) rows$place[3:9] <- "elsewhere"
  rows$glaze[5:9] <- "unheard of"
  if (!is.null(rows$hot)) rows$hot[8] <- NA
  if (!is.null(rows$days)) rows$days[1:3] <- c(0, NA, -1)
  rows
}

test_that("C, JavaScript and R predict as the model does, whatever it is made of", {
  models <- lapply(cases, trained)
  models <- c(models, lapply(changed, function(change) {
    change(trained(hold_out(cases$classes, calibration = 0.2)))
  }))
  for (name in names(models)) {
    model <- models[[name]]
    rows <- to_be_predicted(cases[[name]] %||% cases$classes)
    expect_null(differing(model, rows, in_r(transcribe(model, "r"), rows)), info = paste(name, "in R"))
    if (Sys.which("gcc") != "") {
      expect_null(differing(model, rows, in_c(transcribe(model, "c"), rows, model)), info = paste(name, "in C"))
    }
    if (Sys.which("node") != "") {
      elsewhere <- in_node(transcribe(model, "javascript"), rows, model)
      expect_null(differing(model, rows, elsewhere), info = paste(name, "in JavaScript"))
    }
  }
})

# What a language would run, end, forget or take for something of its own.
code <- c(
  "*/ exit(7); /*", "\"); quit(status = 7); (\"", "`); quit(status = 7); (`", "'; drop table rows; --",
  "\\\"); process.exit(7); //", "</script><script>throw 7</script>", "<!--", "{{columns}}", "__proto__", "constructor",
  "\u2028process.exit(7)", "\rprocess.exit(7)", "\\", "a\\nb", "${process.exit(7)}", "NULL",
  "\u202etxt.exe", "gl\u00e6ze", "\U1F525", "\u2066x"
)

test_that("names and levels that are code stay what they are", {
  for (names in split(code, rep(1:5, 4))) {
    table <- withr::with_seed(3, data.frame(rnorm(300), sample(code, 300, TRUE), sample(names, 300, TRUE)))
    table$y <- ifelse(table[[1]] > withr::with_seed(4, rnorm(300)), names[1], names[2])
    names(table) <- names
    b <- brief(table, target = names[4]) |> wire("3 tanh") |> hold_out(folds = 0, seed = 1)
    b <- do.call(add_columns, c(list(b), stats::setNames(list(rlang::parse_expr("7 * 7")), paste(names[1], "more"))))
    model <- trained(b)
    rows <- utils::head(table[-4], 60)
    expect_null(differing(model, rows, in_r(transcribe(model, "r"), rows)))
    if (Sys.which("gcc") != "") expect_equal(system2(compiled(transcribe(model, "c")), "--check", stdout = FALSE), 0)
    if (Sys.which("node") != "") {
      expect_null(differing(model, rows, in_node(transcribe(model, "javascript"), rows, model)))
    }
    if (Sys.which("sqlite3") != "") expect_null(differing(model, rows, in_sqlite(model, rows)))
    page <- transcribe(model, "page")
    expect_length(gregexpr("(?s)<script[^>]*>.*?</script>", page, perl = TRUE)[[1]], 3)
    columns <- sub("</script>.*", "", sub(".*<script id=\"columns\"[^>]*>", "", page))
    expect_setequal(jsonlite::fromJSON(columns)$name, names[-4])
  }
})

test_that("an R transcript is read in every locale", {
  table <- small_kilns()
  names(table)[names(table) == "glaze"] <- "gl\u00e6ze"
  table$outcome <- ifelse(table$outcome == "sound", "br\u00fbl\u00e9", "\u202eno")
  file <- withr::local_tempfile(fileext = ".R")
  writeLines(transcribe(quick_model(table), "r"), file, useBytes = TRUE)
  said <- c("-e", shQuote("here <- new.env(); sys.source(commandArgs(TRUE), here); cat(here$check() < 1)"), file)
  rscript <- file.path(R.home("bin"), "Rscript")
  for (locale in c("C", "C.UTF-8")) {
    out <- system2(rscript, said, stdout = TRUE, stderr = TRUE, env = paste0("LC_ALL=", locale))
    expect_identical(out, "TRUE", label = locale)
  }
})

test_that("intervals of one width stand beside numbers", {
  for (name in c("numbers", "logarithm", "several")) {
    model <- trained(hold_out(cases[[name]], calibration = 0.2))
    rows <- to_be_predicted(cases[[name]])
    told <- suppressWarnings(predict(model, rows, "interval", level = 0.8), "hylomath_warning_far")
    code <- transcribe(model, "r", level = 0.8)
    here <- in_r(code, rows)
    for (column in names(told)) expect_equal(here[[column]], told[[column]], tolerance = 1e-5)
    script <- withr::local_tempfile(fileext = ".js", lines = transcribe(model, "javascript", level = 0.8))
    if (Sys.which("node") != "") expect_equal(system2("node", script, stdout = FALSE), 0)
    expect_equal(system2(compiled(transcribe(model, "c", level = 0.8)), "--check", stdout = FALSE), 0)
    if (Sys.which("sqlite3") != "") {
      query <- withr::local_tempfile(lines = transcribe(model, "sql", dialect = "sqlite", check = TRUE, level = 0.8))
      off <- system2("sqlite3", ":memory:", stdin = query, stdout = TRUE)
      expect_lt(as.numeric(sub(".*[|]", "", off)), 1)
    }
  }
  expect_fails(transcribe(trained(cases$cross_validated), "r", level = 0.9), "Intervals are of numbers")
  expect_fails(transcribe(trained(hold_out(cases$counts, calibration = 0.2)), "r", level = 0.9), "differ in width")
})

test_that("databases predict as the model does", {
  models <- lapply(cases, trained)
  models <- c(models, lapply(changed, function(change) {
    change(trained(hold_out(cases$classes, calibration = 0.2)))
  }))
  expect_fails(transcribe(models$hashed, "sql"), "SQL can't express levels by their hash", "`place`")
  expect_fails(transcribe(models$arithmetic, "sql"), "standard SQL has no function for")
  for (name in setdiff(names(models), c("arithmetic", "hashed"))) {
    expect_match(transcribe(models[[name]], "sql"), "^-- A network")
  }
  rows_for <- function(name) to_be_predicted(cases[[name]] %||% cases$classes)
  if (Sys.which("sqlite3") != "") {
    for (name in names(models)) {
      found <- in_sqlite(models[[name]], rows_for(name))
      expect_null(differing(models[[name]], rows_for(name), found), info = paste(name, "in SQLite"))
    }
  }
  local_postgres()
  server <- DBI::dbConnect(postgres_driver(), dbname = "postgres")
  withr::defer(DBI::dbDisconnect(server))
  for (name in names(models)) {
    found <- in_postgres(server, models[[name]], rows_for(name))
    expect_null(differing(models[[name]], rows_for(name), found), info = paste(name, "in PostgreSQL"))
  }
})

test_that("a C program reads numbers by their point and nothing else, and is clean as a library", {
  skip_if(Sys.which("gcc") == "", "there is no gcc")
  table <- withr::with_seed(1, data.frame(x = rnorm(100)))
  model <- brief(transform(table, y = 2 * x), "y") |> wire("linear") |> single(progress = "none")
  code <- transcribe(model, "c")
  program <- compiled(code)
  read <- function(cell) suppressWarnings(system2(program, input = cell, stdout = TRUE, stderr = FALSE))
  for (cell in c("6.48", "-.5", "1e3", " 2")) {
    told <- suppressWarnings(predict(model, data.frame(x = as.numeric(cell)))$prediction)
    expect_equal(as.numeric(read(cell)), told, tolerance = 1e-6)
  }
  for (cell in c("0x10", "inf", "nan", "1e999", "6,48", "1d5", strrep("1", 500))) {
    expect_equal(attr(read(cell), "status"), 1L, info = cell)
  }
  source <- withr::local_tempfile(fileext = ".c", lines = code)
  for (standard in c("c99", "c11")) {
    flags <- c(paste0("-std=", standard), "-Wall", "-Wextra", "-Werror", "-c", source, "-o", tempfile())
    expect_equal(system2("gcc", flags), 0)
  }
})

test_that("what can't be said is refused by name", {
  b <- quick(brief(small_kilns(), "outcome")) |> regimen(epochs = 2)
  train_on <- function(b) withr::with_seed(1, train(b, progress = "none"))
  hashed <- train_on(prepare(b, only = kiln, categories = "hash"))
  expect_fails(transcribe(hashed, "sql"), "levels by their hash", "`kiln`")
  told <- add_columns(b, told = starts_with(lower(glaze), "a"))
  expect_fails(transcribe(train_on(told), "sql"), "standard SQL has no function for `lower`")
  expect_fails(transcribe(train_on(b), "sql", dialect = "mine"), "dialect")
  expect_fails(transcribe(train_on(b)), "Say what the model is to be transcribed `to`")
  expect_fails(transcribe(train_on(b), "cobol"), "javascript")
  expect_fails(transcribe(b, "c"), "a model")
})

test_that("the command writes bare models and transcripts", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(small_kilns(), "kilns.csv")
  b <- brief("kilns.csv", "outcome") |> quick() |> regimen(epochs = 3, seed = 1) |> hold_out(seed = 2)
  write_brief(b, "kilns.yml")
  expect_equal(hylomath("train", "kilns.yml", "--bare", "-q")$status, 0)
  expect_match(paste(hylomath("show", "kilns.hylo")$out, collapse = " "), "holds nothing about single rows")
  told <- hylomath("transcribe", "kilns.hylo", "--to", "r", "-o", "kilns.R")
  expect_equal(told$status, 0)
  expect_match(told$err, "Wrote kilns.R", all = FALSE)
  expect_lt(local({
    source("kilns.R", local = TRUE)
    check()
  }), 1)
  expect_equal(hylomath("transcribe", "kilns.hylo")$status, 2)
  expect_equal(hylomath("transcribe", "kilns.hylo", "--to", "latin")$status, 2)
  sql <- hylomath("transcribe", "kilns.hylo", "--to", "sql", "--table", "firings", "--key", "firing,kiln")$out
  expect_match(sql, "from \"firings\"", all = FALSE)
})

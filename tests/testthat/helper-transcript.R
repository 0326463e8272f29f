# Transcripts, run by the real thing; bench/transcripts.R does so too.

# A table with every kind of column, missing values, many levels and dates.
everything <- withr::with_seed(5, {
  n <- 700
  t <- data.frame(
    size = rexp(n), count = rpois(n, 4), hot = sample(c(TRUE, FALSE), n, TRUE),
    glaze = sample(c("ash", "clear", "\u00e6sir \"quoted\"", "tenmoku"), n, TRUE, c(0.5, 0.3, 0.19, 0.01)),
    place = sprintf("place %02d", sample(30, n, TRUE)), day = as.Date("2023-01-01") + sample(900, n, TRUE),
    moment = as.POSIXct("2023-01-01", tz = "UTC") + 60 * sample(9e5, n, TRUE)
  )
  signal <- sin(2 * t$size) + 0.3 * t$count + (t$glaze == "ash") - 0.5 * t$hot
  t$number <- signal + rnorm(n, 0, 0.3)
  t$positive <- exp(signal / 2 + rnorm(n, 0, 0.2))
  t$class <- cut(signal + rnorm(n), 4, c("low", "middling", "high", "top"))
  t$yes <- ifelse(signal + rnorm(n) > 1, "yes", "no")
  t$calls <- rpois(n, exp(pmin(signal / 2, 3)))
  t$days <- runif(n, 0.5, 3)
  for (column in c("size", "count", "glaze", "day")) t[[column]][sample(n, 40)] <- NA
  t
})
# Where what is predicted elsewhere is not what predict() says: a class at a margin above 1e-5, a number by more than
# 1e-5 of it and the target's deviation.
differing <- function(model, rows, elsewhere) {
  # predict() refuses rows without an exposure; elsewhere they have no prediction
  exposure <- rows[[model$predictor$target$exposure %||% ""]] %||% rep(1, nrow(rows))
  known <- which(exposure > 0)
  own <- given_predictions(model$predictor, rows[known, ])[match(seq_len(nrow(rows)), known), , drop = FALSE]
  scale <- allowed_spread(model$predictor)
  unlist(lapply(names(own), function(name) {
    x <- own[[name]]
    y <- elsewhere[[name]]
    if (!identical(is.na(x), is.na(y))) return(name)
    if (is.numeric(x)) {
      if (any(abs(x - y) > 1e-5 * (abs(x) + scale), na.rm = TRUE)) name
    } else {
      sure <- apply(as.matrix(own[-1]), 1, function(p) diff(sort(-p)[1:2])) > 1e-5
      if (any((x != y)[which(sure)])) name
    }
  }))
}

in_r <- function(code, rows) {
  here <- new.env(parent = baseenv())
  eval(parse(text = code), here)
  expect_lt(here$check(), 1)
  here$predict(rows)
}

# The program that C's code makes.
compiled <- function(code, frame = parent.frame()) {
  source <- withr::local_tempfile(fileext = ".c", .local_envir = frame)
  program <- withr::local_tempfile(.local_envir = frame)
  writeLines(code, source, useBytes = TRUE)
  flags <- c("-std=c99", "-Wall", "-Wextra", "-Werror", "-DTRANSCRIPT_MAIN")
  expect_equal(system2("gcc", c(flags, source, "-o", program, "-lm")), 0)
  program
}

in_c <- function(code, rows, model) {
  program <- compiled(code)
  expect_equal(system2(program, "--check", stdout = FALSE), 0)
  columns <- raw_names(transcript_program(model))
  cells <- lapply(rows[columns], function(x) {
    if (is_moment(x)) x <- moment_text(x)
    ifelse(is.na(x), "", if (is.numeric(x)) sprintf("%.17g", x) else enc2utf8(as.character(x)))
  })
  input <- withr::local_tempfile()
  writeLines(do.call(paste, c(unname(cells), sep = "\t")), input, useBytes = TRUE)
  predictions <- prediction_names(model$predictor$target)
  found <- strsplit(system2(program, stdin = input, stdout = TRUE), "\t", fixed = TRUE)
  table <- do.call(rbind, lapply(found, function(x) c(x, rep("", length(predictions)))[seq_along(predictions)]))
  table[table == ""] <- NA
  table <- stats::setNames(as.data.frame(table), predictions)
  numeric <- if (has_classes(model$predictor$target)) -1 else TRUE
  table[numeric] <- lapply(table[numeric], as.numeric)
  table
}

in_node <- function(code, rows, model) {
  folder <- withr::local_tempdir()
  writeLines(code, file.path(folder, "model.js"), useBytes = TRUE)
  rows[] <- lapply(rows, function(x) {
    if (is_moment(x)) moment_text(x) else if (is.logical(x) || is.numeric(x)) x else as.character(x)
  })
  writeLines(jsonlite::toJSON(rows, digits = I(17), na = "null"), file.path(folder, "rows.json"), useBytes = TRUE)
  script <- sprintf(paste(
    "const { predict, check } = require('%s/model.js');",
    "const rows = JSON.parse(require('fs').readFileSync('%s/rows.json', 'utf8'));",
    "console.log(JSON.stringify({ check: check(), predictions: rows.map(predict) }));"
  ), folder, folder)
  found <- jsonlite::fromJSON(system2("node", c("-e", shQuote(script)), stdout = TRUE))
  expect_lt(found$check, 1)
  # what is null in every row has no column
  predictions <- found$predictions
  for (name in setdiff(prediction_names(model$predictor$target), names(predictions))) predictions[[name]] <- NA_real_
  predictions
}

# What a database predicts, by a query over a table of these rows.
in_database <- function(connection, model, dialect, rows, run) {
  rows$key <- seq_len(nrow(rows))
  rows[] <- lapply(rows, function(x) if (is_moment(x)) moment_text(x) else if (is.factor(x)) as.character(x) else x)
  DBI::dbWriteTable(connection, "rows", rows, overwrite = TRUE, row.names = FALSE)
  check <- transcribe(model, "sql", dialect = dialect, check = TRUE)
  expect_lt(as.numeric(run(check)$off), 1)
  query <- transcribe(model, "sql", key = "key", dialect = dialect)
  found <- run(query)
  found <- found[order(as.numeric(found$key)), -1, drop = FALSE]
  numeric <- if (has_classes(model$predictor$target)) -1 else TRUE
  found[numeric] <- lapply(found[numeric], as.numeric)
  found
}

in_sqlite <- function(model, rows) {
  path <- withr::local_tempfile()
  connection <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(DBI::dbDisconnect(connection))
  in_database(connection, model, "sqlite", rows, function(query) {
    input <- withr::local_tempfile(lines = c(".mode csv", ".headers on", query))
    output <- system2("sqlite3", path, stdin = input, stdout = TRUE)
    utils::read.csv(text = output, check.names = FALSE, na.strings = "", colClasses = "character", encoding = "UTF-8")
  })
}

in_postgres <- function(connection, model, rows) {
  DBI::dbExecute(connection, "set jit = off")
  in_database(connection, model, "postgres", rows, function(query) DBI::dbGetQuery(connection, query))
}

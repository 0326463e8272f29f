# What is read is bounded, and each bound can be raised.

test_that("each limit is heeded, says how to raise it, and can be raised by option or environment", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("a,b,c", "1,2,3"), "k.csv")
  nanoparquet::write_parquet(data.frame(a = rep(1, 100), b = 2), "k.parquet")
  con <- gzfile("k.csv.gz", "wb")
  writeBin(charToRaw(paste0("a\n", strrep("1\n", 500))), con)
  close(con)
  b <- brief(small_kilns(300), target = "outcome") |> quick()
  write_model(quick_model(small_kilns(300), epochs = 1), "k.hylo")
  nested <- "deep.json"
  crossing <- list(
    columns = list(2, function() read_table("k.csv")), table_bytes = list(8, function() read_table("k.csv")),
    table_bytes = list(900, function() read_table("k.csv.gz")),
    cells = list(150, function() read_table("k.parquet")), bytes = list(100, function() read_model("k.hylo")),
    values = list(100, function() read_model("k.hylo")), depth = list(2, function() read_model("k.hylo")),
    terms = list(3, function() keep_rows(b, load_kg > 1 & peak_c > 2)),
    layers = list(2, function() wire(b, c(4, 4, 4))),
    parameters = list(50, function() train(b, progress = "none"))
  )
  for (i in seq_along(crossing)) {
    what <- names(crossing)[i]
    try_it <- crossing[[i]][[2]]
    expect_no_error <- function(code, info) expect_true(is.null(tryCatch({
      code
      NULL
    }, error = function(e) conditionMessage(e))), info = info)
    expect_no_error(try_it(), what)
    withr::with_options(
      stats::setNames(list(crossing[[i]][[1]]), paste0("hylomath.most_", what)),
      expect_error(try_it(), "limit|nested too deep", class = "hylomath_error", info = what)
    )
    withr::with_envvar(
      stats::setNames(as.character(crossing[[i]][[1]]), paste0("HYLOMATH_MOST_", toupper(what))),
      expect_error(try_it(), "limit|nested too deep", class = "hylomath_error", info = what)
    )
  }
  expect_fails(withr::with_options(list(hylomath.most_columns = "many"), read_table("k.csv")), "most_columns")
})

test_that("a matrix in a document has as many values as it says", {
  expect_error(from_stored(jsonlite::parse_json(
    "{\"$matrix\":{\"size\":{\"$integers\":\"QEIPAEBCDwA=\"},\"sides\":{\"$texts\":[\"\",\"\"]},\"values\":1.0}}"
  )), "more or fewer")
})

test_that("sums of many terms and sets of many constants are no trouble", {
  b <- brief(small_kilns(60), target = "outcome")
  long <- add_columns(b, s = !!str2lang(paste(rep("load_kg", 400), collapse = " + ")))
  expect_equal(working_table_of(long, long$table)$s, 400 * small_kilns(60)$load_kg)
  many <- seq_len(20000)
  # of the processor: what else a shared machine does is not counted
  seconds <- sum(system.time(keep_rows(b, load_kg %in% !!many))[1:2])
  expect_lt(seconds, 5)  # it was quadratic once: a minute for as many
  printed <- format(keep_rows(b, load_kg %in% !!many))
  expect_lt(sum(nchar(printed)), 5000)
})

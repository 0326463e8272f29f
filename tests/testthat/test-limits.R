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

test_that("what is small and would become large, deep or endless is refused before it is made", {
  withr::local_dir(withr::local_tempdir())
  of <- letters[2:20]
  aliases <- c("a: &a [x, x]", sprintf("%s: &%s [*%s, *%s]", of, of, letters[1:19], letters[1:19]))
  refused <- list(
    list(function() read_brief(text = aliases), "anchors and aliases"),
    list(function() read_brief(text = paste0("target: ", strrep("[", 30000))), "nested too deep"),
    list(function() read_brief(text = strrep("%", 3e7)), "too large to be a brief"),
    list(function() wire(brief(boats, "litres_mile"), paste(rep("2 relu", 1e5), collapse = " > ")), "layers"),
    list(function() from_stored(list("$table" = list(columns = list(), count = 2e9))), "limit"),
    list(function() withr::with_options(
      list(hylomath.most_bytes = 1e6), parse_json_text(paste0("[\"", strrep("%", 5e5), "\"]"))
    ), "limit")
  )
  writeLines(paste(rep("a", 4e5), collapse = " "), "wide.csv")
  refused <- c(refused, list(list(function() read_table("wide.csv"), "columns; the limit")))
  for (case in refused) {
    took <- system.time(expect_error(case[[1]](), case[[2]], class = "hylomath_error"))
    expect_lt(sum(took[1:2]), 20)
  }
  skip_on_os("windows")
  dir.create("piped.table")
  system2("mkfifo", "piped.table/table.json")
  expect_fails(read_table("piped.table"), "is a pipe")
})

test_that("foreign files that are damaged end their reader, and not R", {
  withr::local_dir(withr::local_tempdir())
  nanoparquet::write_parquet(small_kilns(200), "k.parquet")
  expect_equal(nrow(read_table("k.parquet")), 200)
  bytes <- readBin("k.parquet", "raw", 1e6)
  spoilt <- withr::with_seed(3, lapply(1:8, function(i) {
    at <- sample(length(bytes), 3)
    replace(bytes, at, as.raw(sample(0:255, 3)))
  }))
  for (one in c(spoilt, list(bytes[1:500]))) {
    writeBin(one, "k.parquet")
    tryCatch(expect_s3_class(read_table("k.parquet"), "data.frame"), error = function(e) {
      expect_s3_class(e, "hylomath_error")
    })
  }
  killed <- function(file) tools::pskill(Sys.getpid(), 9)
  expect_fails(read_apart("k.parquet", killed), "the process that reads it ended")
  skip_on_os(c("windows", "mac"))
  expect_fails(read_apart("k.parquet", function(file) length(numeric(1e9))), "far more memory")
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

test_that("a text of a million letters and ten thousand columns of text cost what they are", {
  skip_on_os(c("windows", "mac", "solaris"))
  long <- c("b", strrep("9", 1e6), "a\u00e4", "a", NA)
  expect_identical(hylomath:::order_texts(long), order(long, method = "radix"))
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("x,c", rep(c(paste0("1,", strrep("9", 1e6)), "2,b", "1,a"), 10)), file)
  wide <- withr::local_tempfile(fileext = ".csv")
  writeLines(vapply(c("c%d", "a", "b"), function(cell) {
    paste(if (cell == "c%d") sprintf(cell, 1:20000) else rep(cell, 20000), collapse = ",")
  }, ""), wide)
  spent <- callr::r(function(files) {
    library(hylomath)
    for (file in files) {
      utils::capture.output(print(look(file)))
      brief(file, target = names(data.table::fread(file = file, nrows = 0))[2])
    }
    status <- grep("^VmHWM", readLines("/proc/self/status"), value = TRUE)
    c(seconds = sum(proc.time()[1:2]), mib = as.numeric(gsub("[^0-9]", "", status)) / 1024)
  }, list(c(file, wide)), libpath = .libPaths())
  expect_lt(spent[["mib"]], 700)
  # it took two minutes
  expect_lt(spent[["seconds"]], 40)
})

test_that("a view without an end is refused", {
  skip_if_not_installed("RSQLite")
  file <- withr::local_tempfile(fileext = ".sqlite")
  db <- DBI::dbConnect(RSQLite::SQLite(), file)
  endless <- "with recursive n(i) as (select 1 union all select i + 1 from n) select i from n"
  DBI::dbExecute(db, paste("create view endless as", endless))
  DBI::dbDisconnect(db)
  expect_fails(read_source(list(sqlite = file, query = "select i, i as j from endless")), "more than 5,000,000 rows")
  some <- function(n) nrow(read_source(list(sqlite = file, query = sprintf("select i from endless limit %d", n))))
  expect_equal(some(70), 70)
  withr::local_options(hylomath.most_query_cells = 50000)
  expect_fails(some(100000), "options(hylomath.most_query_cells = ...)")
  withr::local_options(hylomath.most_query_cells = 200000)
  expect_equal(some(100000), 100000)
})

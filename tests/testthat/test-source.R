file_of <- function(lines, ending = ".csv", encoding = "UTF-8", frame = parent.frame()) {
  file <- withr::local_tempfile(fileext = ending, .local_envir = frame)
  text <- paste0(paste(lines, collapse = "\n"), "\n")
  writeBin(
    if (encoding == "UTF-8") charToRaw(enc2utf8(text)) else iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]], file
  )
  file
}

test_that("separators, decimal commas, quotes and encodings are guessed or given", {
  expect_equal(read_table(file_of(c("a\tb", "1.5\tx")))$a, 1.5)
  t <- read_table(file_of(c("menge;ort", "1,5;K\u00f6ln", "-2,25;\"a; b\"")))
  expect_equal(t, data.frame(menge = c(1.5, -2.25), ort = c("K\u00f6ln", "a; b")), ignore_attr = "decimal")
  t <- read_table(file_of(c("menge;ort", "1,5;K\u00f6ln"), encoding = "latin1"))
  expect_equal(t$ort, "K\u00f6ln")
  expect_equal(read_table(file_of(c("a|b", "1,5|2")), how = list(separator = "|", decimal = ","))$a, 1.5)
  expect_equal(read_table(file_of(c("a,b", "\"1\",\"say \"\"hm\"\"\"")))$b, "say \"hm\"")
  expect_equal(read_table(file_of(c("a,b", "\"two", "lines\",2")))$a, "two\nlines")
})

test_that("compressed files are read as they are", {
  file <- withr::local_tempfile(fileext = ".csv.gz")
  connection <- gzfile(file, "w")
  utils::write.csv(small_kilns(), connection, row.names = FALSE, na = "")
  close(connection)
  expect_equal(read_table(file), small_kilns(), ignore_attr = TRUE)
})

test_that("what was cut off or changed in a compressed file is no table, and members one behind the other are one", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(data.frame(x = seq_len(20000), y = withr::with_seed(1, rnorm(20000))), file = "whole.csv")
  lines <- readLines("whole.csv")
  pack <- function(lines, file) {
    connection <- gzfile(file, "wb")
    writeLines(lines, connection)
    close(connection)
    readBin(file, "raw", 1e7)
  }
  bytes <- pack(lines, "whole.csv.gz")
  writeBin(c(pack(lines[1:9000], "a.gz"), pack(lines[-(1:9000)], "b.gz"), raw(512)), "two.csv.gz")
  expect_equal(nrow(read_table("whole.csv.gz")), 20000)
  expect_equal(read_table("two.csv.gz"), read_table("whole.csv.gz"), ignore_attr = TRUE)
  cuts <- withr::with_seed(2, sample(length(bytes) - 20, 25)) + 19
  broken <- c(
    lapply(c(cuts, length(bytes) - 1:8), function(at) bytes[seq_len(at)]),
    lapply(cuts, function(at) replace(bytes, at, xor(bytes[at], as.raw(1)))),
    list(c(bytes, as.raw(1:40)), c(bytes, bytes[1:5]))
  )
  for (one in broken) {
    writeBin(one, "broken.csv.gz")
    expect_fails(read_table("broken.csv.gz"), "can't be unpacked to its end")
  }
  source <- text_source("broken.csv.gz", 1e5)
  expect_fails(while (!is.null(source$next_block())) NULL, "can't be unpacked to its end")
  source$close()
})

test_that("a name that is code or a line break is a name, and a temporary file without room is told", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("a,b", "1,2"), "touch ran; x.csv")
  expect_equal(nrow(read_table("touch ran; x.csv")), 1)
  unlink("touch ran; x.csv")
  expect_fails(read_table("touch ran"), "There is no file")
  expect_fails(read_table("a,b\n1,2"), "control character")
  expect_false(file.exists("ran"))
  skip_if_not(file.exists("/dev/full"))
  file.symlink("/dev/full", "full")
  expect_fails(add_to_temporary(charToRaw("a,b"), "full"), "no room for a temporary file")
})

test_that("only the wanted columns are read", {
  file <- file_of(c("a,b,c", "1,2,3"))
  expect_named(read_table(file, columns = c("c", "a")), c("a", "c"))
  folder <- withr::local_tempdir()
  utils::write.csv(kilns, file.path(folder, "k.csv"), row.names = FALSE, na = "")
  b <- brief(kilns, "outcome") |>
    set_columns(drop = c(kiln, humidity_pct)) |> add_columns(heat = peak_c / ramp_c_h) |>
    set_columns(drop = ramp_c_h) |>
    keep_rows(humidity_pct < 95)
  b$data <- list(file = "k.csv")
  write_brief(without_table(b), file.path(folder, "k.yml"))
  again <- read_brief(file.path(folder, "k.yml"))
  expect_setequal(names(again$table), setdiff(names(kilns), "kiln"))
  briefly <- function(b) trained_network(single(regimen(b, epochs = 2, seed = 1), progress = "none"))
  expect_identical(briefly(again), briefly(b))
})

test_that("Parquet files are read, all or some columns", {
  skip_if_not_installed("nanoparquet")
  file <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(small_kilns(), file)
  expect_equal(read_table(file), small_kilns(), ignore_attr = TRUE)
  expect_named(read_table(file, columns = c("glaze", "outcome")), c("glaze", "outcome"))
  expect_equal(brief(file, "outcome")$columns$kinds, brief(small_kilns(), "outcome")$columns$kinds)
  writeLines("no parquet", file)
  expect_fails(read_table(file), "can't be read as a table")
})

test_that("Excel sheets are read", {
  skip_if_not_installed("readxl")
  file <- test_path("tides.xlsx")
  expect_equal(read_table(file, how = list(sheet = "tides"))$height_m, c(1.2, 3.4, 0.9))
  expect_fails(read_table(file, how = list(sheet = "nope")), "can't be read as a table")
})

test_that("SQLite is read by query, from R, a brief file and the command", {
  skip_if_not_installed("RSQLite")
  folder <- withr::local_tempdir()
  connection <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "works.db"))
  withr::defer(DBI::dbDisconnect(connection))
  table <- transform(small_kilns(), fired_on = format(fired_on))
  DBI::dbWriteTable(connection, "firings", table)
  query <- "select * from firings where load_kg > 200;"
  b <- brief(connection, target = "outcome", query = query)
  expect_equal(b$table, subset(small_kilns(), load_kg > 200), ignore_attr = TRUE)
  file <- file.path(folder, "k.yml")
  writeLines(
    c(
      "data: {sqlite: works.db, query: \"select * from firings where load_kg > 200\"}", "target: outcome",
      "columns: {drop: [kiln]}"
    ),
    file
  )
  expect_equal(nrow(read_brief(file)$table), nrow(b$table))
  settled <- set_columns(b, drop = kiln)
  settled$data <- list(sqlite = "works.db", query = query)
  write_brief(without_table(settled), file)
  expect_false("kiln" %in% names(read_brief(file)$table))
  expect_fails(brief(connection, target = "outcome", query = "select * from firngs"), "no such table: firngs")
  expect_fails(brief(connection, target = "outcome", query = "select * from firings where 1 = 0"), "gives no rows")
  expect_fails(brief(connection, target = "outcome"), "`query` is missing")
})

test_that("PostgreSQL is read by query, with everything secret from the environment", {
  local_postgres()
  connection <- DBI::dbConnect(RPostgreSQL::PostgreSQL(), dbname = "postgres")
  DBI::dbWriteTable(connection, "firings", small_kilns(), row.names = FALSE)
  DBI::dbDisconnect(connection)
  b <- read_brief(
    text = "data: {postgres: postgres, query: \"select * from firings order by firing\"}\ntarget: outcome\n"
  )
  expect_equal(b$table, small_kilns(), ignore_attr = TRUE)
  expect_equal(b$columns$kinds$fired_on, "date")
  expect_s3_class(single(regimen(b, epochs = 1), progress = "none"), "hylomath_model")
  expect_fails(
    read_brief(text = "data: {postgres: nowhere, query: select 1}\ntarget: y"), "database `nowhere` can't be reached"
  )
})

test_that("a password stands in no brief, model, table, report, error or list of processes", {
  local_postgres()
  secret <- "sesame-4711"
  withr::local_envvar(PGPASSWORD = secret)
  connection <- DBI::dbConnect(RPostgreSQL::PostgreSQL(), dbname = "postgres")
  DBI::dbWriteTable(connection, "firings", small_kilns(300), row.names = FALSE)
  DBI::dbDisconnect(connection)
  withr::local_dir(withr::local_tempdir())
  select <- c("--query", "select * from firings order by firing")
  said <- unlist(c(
    hylomath("brief", "postgres", select, "-t", "outcome", "-o", "k.yml"),
    hylomath("train", "k.yml", "--quick", "-o", "k.hylo"),
    hylomath("predict", "k.hylo", "postgres", select, "--key", "firing", "--into", "predictions"),
    hylomath("report", "k.hylo"), hylomath("brief", "postgres", "--query", "select nothing", "-t", "y", "-o", "x.yml"),
    hylomath("brief", "nowhere", "--query", "select 1", "-t", "y", "-o", "x.yml"), hylomath("show", "k.hylo", "--json")
  ))
  training <- callr::process$new(
    file.path(R.home("bin"), "Rscript"), c(program, "train", "k.yml", "-o", "l.hylo", "--set=regimen.epochs=2000"),
    env = c("current", R_LIBS = library_paths)
  )
  Sys.sleep(2)
  processes <- system2("ps", c("-eo", "args"), stdout = TRUE)
  expect_true(any(grepl("l.hylo", processes, fixed = TRUE)))
  training$kill()
  files <- unlist(lapply(c("k.yml", "k.html"), readLines))
  expect_length(grep(secret, c(said, processes, files, read_compressed("k.hylo")), fixed = TRUE), 0)
  expect_true(any(grepl("300 rows", said)))
})

test_that("a source says one thing, and holds no secret", {
  reading <- function(data) read_brief(text = sprintf("data: {%s}\ntarget: y", data))
  expect_fails(
    reading("postgres: \"dbname=x password=y\", query: select 1"), "is the name of a database and nothing else",
    "PGPASSWORD"
  )
  expect_fails(reading("file: a.csv, sqlite: b.db"), "must name one source")
  expect_fails(reading("sqlite: b.db"), "`data.query` must say")
  expect_fails(reading("file: a.csv, query: select 1"), "for databases")
  expect_fails(reading("sqlite: none.db, query: select 1"), "There is no file")
})

test_that("tables of all makes are understood", {
  like <- function(x) as_table(x)
  expect_equal(class(like(tibble::as_tibble(boats))), "data.frame")
  expect_equal(like(data.table::as.data.table(boats))$litres_mile, boats$litres_mile)
  odd <- data.frame(row = 1:2)
  odd$labelled <- structure(c(1, 2), labels = c(low = 1, high = 2), class = c("haven_labelled", "vctrs_vctr", "double"))
  odd$partly <- structure(c(1, 7), labels = c(low = 1), class = c("haven_labelled", "vctrs_vctr", "double"))
  odd$wait <- as.difftime(c(36, 12), units = "hours")
  odd$scaled <- scale(c(1, 3))
  t <- like(odd)
  expect_equal(t$labelled, c("low", "high"))
  expect_equal(t$partly, c(1, 7))
  expect_equal(t$wait, c(1.5, 0.5))
  expect_equal(t$scaled, c(-1, 1) / sqrt(2))
  skip_if_not_installed("bit64")
  expect_equal(like(data.frame(big = bit64::as.integer64(c("4503599627370496", NA))))$big, c(2^52, NA))
})

test_that("broken files are refused within seconds, or read as the page says", {
  expect_fails(read_table(file_of(c("a,b", "1,2", "3", "4,5"))), "can't be read as a table")
  zero <- withr::local_tempfile()
  writeBin(c(charToRaw("a,b\n1,"), as.raw(0), charToRaw("\n")), zero)
  expect_fails(read_table(zero), "holds a zero byte at position 7")
  wide <- withr::local_tempfile()
  writeBin(iconv("a,b\n1,2\n", "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]], wide)
  expect_fails(read_table(wide), "not a text file")
  bom <- withr::local_tempfile()
  writeBin(c(as.raw(c(0xff, 0xfe)), iconv("a,b\n1,2\n", "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]), bom)
  expect_equal(read_table(bom), data.frame(a = 1L, b = 2L), ignore_attr = TRUE)
  expect_fails(read_table(file_of(c("a,a", "1,2"))), "Two columns are called `a`")
  expect_fails(read_table(file_of(c("a,b", "\"1,2", "3,4"))), "can't be read as a table")
  many <- file_of(c(paste0("c", 1:100000, collapse = ","), paste(rep("1", 100000), collapse = ",")))
  expect_lt(system.time(t <- read_table(many))[["elapsed"]], 30)
  expect_equal(ncol(t), 100000)
  long <- withr::local_tempfile()
  writeBin(c(charToRaw("a,b\n"), rep(charToRaw("x"), 2e8), charToRaw(",1\n")), long)
  took <- system.time(result <- tryCatch(read_table(long), hylomath_error = identity))[["elapsed"]]
  expect_lt(took, 60)
  expect_true(inherits(result, "hylomath_error") || nchar(result$a) == 2e8)
})

test_that("a quote within a cell and a letter that is no UTF-8 far down a file are both read as they are", {
  file <- withr::local_tempfile(fileext = ".csv")
  lines <- c("id,what", sprintf("%d,plain", 1:40000), "40001,\"the \"\"caf\u00e9\"\"\"")
  connection <- file(file, "wb")
  for (line in iconv(lines, "UTF-8", "latin1")) writeBin(c(charToRaw(line), as.raw(10)), connection)
  close(connection)
  expect_equal(read_table(file)$what[40001], "the \"caf\u00e9\"")
})

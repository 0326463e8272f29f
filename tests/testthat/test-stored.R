# Tables that lie in a folder, a file a column.

stored <- function(from, env = parent.frame(), ...) {
  folder <- withr::local_tempfile(fileext = ".table", .local_envir = env)
  store_table(from, folder, progress = "none", ...)
  folder
}

mixed_table <- function(n = 700) {
  withr::with_seed(2, {
    table <- data.frame(
      x = round(rnorm(n), 4), gap = ifelse(runif(n) < 0.2, NA, runif(n)), n = sample(0:9, n, TRUE),
      flag = sample(c(TRUE, FALSE, NA), n, TRUE), word = sample(c("ash", "\u00e6ble", "x \"y\", z", NA), n, TRUE),
      code = sample(c("007", "010", "100"), n, TRUE), day = as.Date("2024-01-01") + sample(0:400, n, TRUE),
      at = as.POSIXct("2024-01-01 10:00", tz = "UTC") + 60 * sample(0:9999, n, TRUE), empty = NA
    )
    table$y <- ifelse(table$x + (table$word %in% "ash") + rnorm(n) > 0.3, "yes", "no")
    table
  })
}

test_that("a stored table is the table that it was made of, and gives the same network to the bit", {
  table <- mixed_table()
  csv <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(table, csv, dateTimeAs = "ISO")
  read <- read_table(csv)
  folder <- stored(csv)
  kept <- read_table(folder)
  expect_equal(dim(kept), dim(read))
  for (name in names(read)) {
    same <- if (inherits(kept[[name]], "hylomath_text")) as.character(kept[[name]]) else kept[[name]]
    expect_equal(same, if (name == "empty") as.numeric(read[[name]]) else read[[name]], info = name)
  }
  train_on <- function(file) {
    brief(file, target = "y") |> set_columns(drop = empty) |> hold_out(seed = 1) |> quick() |>
      regimen(epochs = 4, seed = 1) |> train(progress = "none")
  }
  one <- train_on(csv)
  other <- train_on(folder)
  expect_identical(identity_of(other), identity_of(one))
  expect_equal(appraise(other)$measures, appraise(one)$measures)
  expect_equal(predict(other, read_table(folder)), predict(one, read))
})

test_that("a stored table is taken wherever a file is", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(small_kilns(), "k.csv")
  expect_equal(hylomath("store", "k.csv", "-o", "k.table")$status, 0)
  calls <- list(
    c("look", "k.table", "-t", "outcome"), c("brief", "k.table", "-t", "outcome", "-o", "k.yml", "-q"),
    c("train", "k.yml", "--quick", "-q", "--set", "regimen.epochs=2", "-o", "k.hylo"),
    c("appraise", "k.hylo", "k.table", "--rows", "test"),
    c("folds", "k.yml", "--k", "2", "--quick", "--set", "regimen.epochs=2"),
    c("importance", "k.hylo", "k.table", "--repeats", "2"), c("predict", "k.hylo", "k.table", "-o", "s.csv")
  )
  for (words in calls) expect_equal(do.call(hylomath, as.list(words))$status, 0, info = words[1])
  again <- hylomath("predict", "k.hylo", "k.csv", "-o", "t.csv")
  expect_identical(readLines("s.csv"), readLines("t.csv"))
})

test_that("rows come from pipes, databases, Parquet and data frames too", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(300)
  data.table::fwrite(table, "k.csv")
  nanoparquet::write_parquet(table, "k.parquet")
  connection <- DBI::dbConnect(RSQLite::SQLite(), "k.sqlite")
  DBI::dbWriteTable(connection, "k", transform(table, fired_on = as.character(fired_on)))
  DBI::dbDisconnect(connection)
  command <- sprintf("env %s %s %s", libraries, file.path(R.home("bin"), "Rscript"), shQuote(program))
  system(sprintf("cat k.csv | %s store - -o piped.table -q", command))
  whole <- as.data.frame(lapply(read_table(stored("k.csv")), as.vector))
  others <- list(
    "piped.table", stored("k.parquet"), stored(table), stored(list(sqlite = "k.sqlite", query = "select * from k;"))
  )
  for (folder in others) expect_equal(as.data.frame(lapply(read_table(folder), as.vector)), whole)
})

test_that("a column is what all of its rows say", {
  csv <- withr::local_tempfile(fileext = ".csv")
  lines <- c("a,b,c,d", rep("1,2024-01-01,TRUE,", 3), "x,soon,7,5", "2,2024-01-02,FALSE,6")
  writeLines(lines, csv)
  withr::local_options(hylomath.most_block_bytes = 25)  # a row or two at a time
  kept <- read_table(stored(csv))
  read <- read_table(csv)
  for (name in c("a", "b", "c")) expect_equal(as.character(kept[[name]]), as.character(read[[name]]), info = name)
  expect_equal(kept$d, as.numeric(read$d))
})

test_that("a column of nearly as many texts as rows is left out, and said", {
  withr::local_options(hylomath.most_texts = 50)
  folder <- withr::local_tempfile(fileext = ".table")
  expect_message(store_table(small_kilns(100), folder), "Left out, .*`firing`", class = "hylomath_message_left_out")
  expect_equal(names(read_table(folder)), setdiff(names(kilns), "firing"))
})

test_that("a folder is made whole, replaces only what it may, and damage is seen", {
  withr::local_dir(withr::local_tempdir())
  dir.create("mine")
  expect_fails(store_table(kilns, "mine"), "`mine` is there already")
  expect_fails(store_table(kilns, "nowhere/k.table"), "There is no folder `nowhere`")
  store_table(small_kilns(100), "k.table")
  expect_fails(store_table(data.frame(x = complex(3)), "k.table"), "can't be stored")
  expect_equal(nrow(read_table("k.table")), 100)
  store_table(small_kilns(50), "k.table")
  expect_equal(nrow(read_table("k.table")), 50)
  expect_setequal(list.files(all.files = TRUE, no.. = TRUE), c("k.table", "mine"))
  damage <- list(
    "damaged: its file 2 has another length" = function() writeBin(raw(8), "k.table/2"),
    "no stored table" = function() writeLines("{\"format\": \"other\"}", "k.table/table.json"),
    "and no stored table" = function() {
      text <- readLines("k.table/table.json", warn = FALSE)
      writeLines(sub("\"name\":", "\"named\":", text, fixed = TRUE), "k.table/table.json")
    },
    "is not a text file|no stored table" = function() writeBin(raw(80), "k.table/table.json"),
    "damaged: its file 3.json" = function() writeLines("{}", "k.table/3.json")
  )
  for (what in names(damage)) {
    store_table(small_kilns(50), "k.table")
    damage[[what]]()
    expect_error(read_table("k.table"), what, class = "hylomath_error")
  }
})

test_that("a stored table is there all the while that another takes its place", {
  skip_on_os("windows")
  folder <- stored(small_kilns(100))
  stop_file <- withr::local_tempfile()
  watcher <- parallel::mcparallel({
    looks <- 0
    gone <- 0
    while (!file.exists(stop_file)) {
      looks <- looks + 1
      gone <- gone + !file.exists(file.path(folder, "table.json"))
    }
    c(looks = looks, gone = gone)
  })
  for (i in 1:20) store_table(small_kilns(100 + i), folder, progress = "none")
  file.create(stop_file)
  found <- parallel::mccollect(watcher)[[1]]
  expect_gt(found[["looks"]], 100)
  expect_equal(found[["gone"]], 0)
  expect_length(list.files(dirname(folder), all.files = TRUE, pattern = paste0("^[.]", basename(folder))), 0)
  # what can't be done in one step is left to two
  expect_false(core_swap_paths(folder, file.path(folder, "nothing")))
})

test_that("what R writes into a mapped column stays with R", {
  folder <- stored(small_kilns(100))
  table <- read_table(folder)
  column <- table$peak_c
  column[1] <- -1
  table$peak_c[2] <- -2
  expect_equal(read_table(folder)$peak_c, small_kilns(100)$peak_c)
  expect_equal(unserialize(serialize(read_table(folder)$peak_c, NULL)), small_kilns(100)$peak_c)
})

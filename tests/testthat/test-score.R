# Scoring tables of any size: files in blocks, and databases by a key.

scored_cells <- function(file) data.table::fread(file, data.table = FALSE, colClasses = "character")

test_that("a file's rows are predicted as predict() does, whatever the block", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(500)
  table$remark <- rep(c("plain", "a, comma", "two \"quotes\"", "a line\nand another", ""), 100)
  model <- quick_model(table[names(table) != "remark"])
  data.table::fwrite(table, "in.csv")
  whole <- augment(model, read_table("in.csv"), flags = TRUE, identity = TRUE)
  for (block in c(200, 5000, 2^24)) {
    done <- score_table(model, "in.csv", "out.csv", flags = TRUE, identity = TRUE, block = block, progress = "none")
    expect_equal(done$rows, 500)
    out <- scored_cells("out.csv")
    expect_identical(out[names(table)], scored_cells("in.csv"))
    expect_equal(as.numeric(out$probability_sound), whole$probability_sound, tolerance = 1e-12)
    expect_equal(out$prediction, whole$prediction)
    expect_equal(out$unusual, whole$unusual)
    expect_equal(unique(out$network), identity_of(model))
  }
  # the file's own bytes stand there still
  expect_true(all(startsWith(readLines("out.csv"), readLines("in.csv"))))
})

test_that("separators, decimal marks, line ends, compression and Parquet are kept", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(200)
  model <- quick_model(table)
  predictions <- predict(model, table, "both")
  forms <- list(
    semicolon.csv = function(f) data.table::fwrite(table, f, sep = ";", dec = ","),
    windows.csv = function(f) data.table::fwrite(table, f, eol = "\r\n"), tab.tsv = function(f) {
      data.table::fwrite(table, f, sep = "\t")
    },
    small.csv.gz = function(f) data.table::fwrite(table, f), table.parquet = function(f) {
      nanoparquet::write_parquet(table, f)
    }
  )
  for (name in names(forms)) {
    forms[[name]](name)
    into <- paste0("scored-", name)
    score_table(model, name, into, block = 4000, progress = "none")
    scored <- read_table(into, unlist(model$brief$columns$kinds))
    expect_equal(scored$prediction, predictions$prediction, label = name)
    expect_equal(scored$probability_sound, predictions$probability_sound, tolerance = 1e-12, label = name)
    expect_equal(scored$peak_c, table$peak_c, label = name)
  }
  expect_true(grepl(";0,", readLines("scored-semicolon.csv", 2)[2]))
  bytes <- readBin("scored-windows.csv", "raw", 1e6)
  expect_equal(sum(bytes == as.raw(13)), 201)
  score_table(model, "tab.tsv", "text.parquet", block = 3000, progress = "none")
  expect_equal(as.data.frame(nanoparquet::read_parquet("text.parquet"))$prediction, predictions$prediction)
})

test_that("what is wrong is said with its row, and nothing is left half-written", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(300)
  model <- quick_model(table)
  data.table::fwrite(table, "in.csv")
  lines <- readLines("in.csv")
  lines[251] <- sub("^(([^,]*,){5})[^,]*", "\\1warm", lines[251])
  writeLines(lines, "bad.csv")
  score <- function(from, ...) score_table(model, from, "out.csv", progress = "none", ...)
  expect_fails(score("bad.csv", block = 5000), "peak_c", "warm", "counted from row")
  expect_equal(list.files(all.files = TRUE, no.. = TRUE), c("bad.csv", "in.csv"))
  expect_message(done <- score("bad.csv", block = 5000, bad_cells = "missing"), "1 of `peak_c`")
  expect_equal(done$bad_cells, c(peak_c = 1))
  writeLines(c(lines[1], paste0("\"", lines[2])), "open.csv")
  expect_fails(score("open.csv"), "never closed")
  writeLines(sub("peak_c", "peak", readLines("in.csv")), "other.csv")
  expect_fails(score("other.csv"), "no column `peak_c`")
  writeLines(lines[1], "header.csv")
  expect_fails(score("header.csv"), "no rows")
  file.create("empty.csv")
  expect_fails(score("empty.csv"), "is empty")
  expect_fails(score("none.csv"), "There is no file")
  expect_fails(score("in.csv", key = "firing"), "databases")
})

test_that("probabilities are put right for other shares of the classes", {
  # a table whose truth is known: one normal input, two classes a distance of 1.5 apart
  draw <- function(n, share) {
    yes <- stats::runif(n) < share
    data.frame(x = stats::rnorm(n, ifelse(yes, 1.5, 0)), y = ifelse(yes, "yes", "no"))
  }
  withr::local_seed(4)
  model <- brief(draw(4000, 0.5), target = "y") |> wire("linear") |> train(progress = "none")
  new <- draw(2000, 0.1)
  trained <- model$baseline$share$yes
  p <- predict(model, new, "both", shares = c(yes = 0.1))
  plain <- predict(model, new, "probability")$probability_yes
  odds <- plain / (1 - plain) * 0.1 / 0.9 * (1 - trained) / trained
  expect_equal(p$probability_yes, odds / (1 + odds))
  expect_equal(mean(p$probability_yes), mean(new$y == "yes"), tolerance = 0.1)
  expect_equal(p$prediction, ifelse(p$probability_yes > 0.5, "yes", "no"))
  for (wrong in list(c(yes = 2), c(maybe = 0.5), c(yes = 0.5, no = 0.6), "a")) {
    expect_fails(predict(model, new, shares = wrong), "shares")
  }
  expect_fails(predict(model, new, "set", shares = c(yes = 0.1)), "Sets promise")
})

kilns_in <- function(connection, table) {
  table$fired_on <- as.character(table$fired_on)
  DBI::dbWriteTable(connection, "kilns", table, row.names = FALSE)
}

test_that("two that predict into one database don't spoil each other's table", {
  skip_if_not_installed("RSQLite")
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(2000)
  write_model(quick_model(table), "k.hylo")
  connection <- DBI::dbConnect(RSQLite::SQLite(), "t.sqlite")
  withr::defer(DBI::dbDisconnect(connection))
  DBI::dbWriteTable(connection, "kilns", transform(table, fired_on = as.character(fired_on)))
  args <- c("predict", "k.hylo", "t.sqlite", "--query", "select * from kilns", "--key", "firing", "--into", "scored")
  both <- lapply(1:2, function(i) {
    words <- sprintf("words-%d", i)
    callr::r_bg(function(args) hylomath::run_command(args), list(args), stderr = words, supervise = TRUE)
  })
  for (one in both) one$wait(120000)
  words <- unlist(lapply(sprintf("words-%d", 1:2), readLines))
  expect_false(any(grepl("fault of hylomath", words)), label = paste(words, collapse = "\n"))
  expect_true(any(grepl("Predicted 2,000 rows", words)), label = paste(words, collapse = "\n"))
  expect_equal(DBI::dbGetQuery(connection, "select count(*) as n from scored")$n, 2000)
  DBI::dbExecute(connection, "begin exclusive")
  failure <- expect_error(
    score_table(read_model("k.hylo"), list(sqlite = "t.sqlite", query = "select * from kilns"), list(table = "other"),
      key = "firing", progress = "none"), class = "hylomath_error"
  )
  expect_match(conditionMessage(failure), "database is locked")
  DBI::dbExecute(connection, "rollback")
})

test_that("a query's rows are predicted into a table, and a broken run goes on", {
  table <- small_kilns(500)
  model <- quick_model(table)
  predictions <- predict(model, table, "both")
  check <- function(connection, from, cut) {
    score <- function(...) score_table(model, from, list(table = "scored"), key = "firing", progress = "none", ...)
    expect_equal(score(block = 120)$rows, 500)
    read <- function() DBI::dbGetQuery(connection, "select * from scored order by firing")
    scored <- read()
    expect_equal(scored$probability_sound[order(order(table$firing))], predictions$probability_sound, tolerance = 1e-12)
    expect_equal(scored$prediction, predictions$prediction[order(table$firing)])
    DBI::dbExecute(connection, cut)
    expect_message(done <- score(block = 33), "Goes on behind")
    expect_true(done$rows > 0)
    expect_equal(read(), scored)
    expect_equal(suppressMessages(score())$rows, 0)
    other <- set_coef(model, lapply(coef(model), function(b) b * 0.9))
    expect_fails(
      score_table(other, from, list(table = "scored"), key = "firing", progress = "none"), identity_of(model)
    )
    expect_fails(score_table(model, from, list(table = "kilns"), key = "firing", progress = "none"), "other columns")
    expect_fails(score_table(model, from, list(table = "s"), key = "kiln", progress = "none"), "not unique")
    expect_fails(score_table(model, from, list(table = "s"), key = "kil", progress = "none"), "kil")
    expect_fails(score_table(model, from, "out.csv", key = "firing"), "table of its database")
  }
  path <- withr::local_tempfile()
  connection <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(DBI::dbDisconnect(connection))
  kilns_in(connection, table)
  check(
    connection, list(sqlite = path, query = "select * from kilns;"),
    "delete from scored where firing > (select firing from scored order by firing limit 1 offset 200)"
  )
  # numbers that are kept as text, as an import of a CSV file leaves them
  as_text <- as.data.frame(lapply(table, as.character))
  as_text[is.na(as_text)] <- ""
  DBI::dbWriteTable(connection, "texts", as_text, row.names = FALSE)
  score_table(
    model, list(sqlite = path, query = "select * from texts"), list(table = "of_texts"), key = "firing",
    progress = "none"
  )
  of_texts <- DBI::dbGetQuery(connection, "select * from of_texts order by firing")
  expect_equal(of_texts$probability_sound, predictions$probability_sound[order(table$firing)], tolerance = 1e-12)
  local_postgres()
  server <- DBI::dbConnect(postgres_driver(), dbname = "postgres")
  withr::defer(DBI::dbDisconnect(server))
  kilns_in(server, table)
  check(
    server, list(postgres = "postgres", query = "select * from kilns"),
    "delete from scored where firing > (select firing from scored order by firing limit 1 offset 200)"
  )
})

test_that("the command scores files, streams and databases", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(600)
  model <- quick_model(table)
  table <- table[1:100, ]
  write_model(model, "k.hylo")
  data.table::fwrite(table, "k.csv")
  out <- hylomath("predict", "k.hylo", "k.csv", "--identity", "--shares", "sound=0.5,burst=0.2,warped=0.1", "-q")$out
  read <- utils::read.csv(text = out)
  shares <- c(sound = 0.5, burst = 0.2, warped = 0.1)
  expect_equal(read$probability_sound, predict(model, table, "both", shares = shares)$probability_sound)
  expect_equal(unique(read$network), identity_of(model))
  # standard input is read by a shell
  piped <- system2("sh", c("-c", shQuote(sprintf(
    "%s %s predict k.hylo - -q < k.csv", shQuote(file.path(R.home("bin"), "Rscript")), shQuote(program)
  ))), stdout = TRUE, env = libraries)
  expect_identical(piped, hylomath("predict", "k.hylo", "k.csv", "-q")$out)
  connection <- DBI::dbConnect(RSQLite::SQLite(), "k.db")
  kilns_in(connection, table)
  DBI::dbDisconnect(connection)
  args <- c("predict", "k.hylo", "k.db", "--query", "select * from kilns", "--key", "firing")
  expect_match(do.call(hylomath, as.list(c(args, "--into", "scored")))$err, "Predicted 100 rows", all = FALSE)
  expect_match(do.call(hylomath, as.list(args))$err, "Tried 100 rows", all = FALSE)
  expect_equal(hylomath("predict", "k.hylo", "k.csv", "--into", "x")$status, 2)
  expect_equal(hylomath("predict", "k.hylo", "k.csv", "--shares", "sound")$status, 2)
})

# The desk: its record, its sentences, what clicks do, and the page as a process. The way through it in a browser is
# desk/journey.js.

new_folder <- function(frame = parent.frame()) withr::local_tempdir(.local_envir = frame)

# Lets time pass until something is so.
until <- function(desk, is_so, seconds = 120) {
  ends <- proc.time()[["elapsed"]] + seconds
  while (!is_so()) {
    if (proc.time()[["elapsed"]] > ends) stop("It never came. The desk says: ", desk$parts$says$html$text)
    desk_tick(desk)
    Sys.sleep(0.02)
  }
}

do_at <- function(desk, ...) {
  before <- desk$state$draft
  desk_act(desk, list(...))
  until(desk, function() !desk$worker$is_busy())
  invisible(desk$state)
}

ended <- function(desk, id) {
  until(desk, function() length(desk$state$sheets) >= id && !is.null(desk$state$sheets[[id]]$end))
}

said_by <- function(desk) desk$parts$says$html

# A desk with a brief that trains in a moment.
desk_of <- function(name = "recovery", target = "returned", folder = new_folder(frame), frame = parent.frame()) {
  desk <- new_desk(folder, frame)
  do_at(desk, act = "demo", name = name)
  do_at(desk, act = "target", column = target)
  do_at(desk, act = "set", key = "hold_out.folds", value = "0")
  do_at(desk, act = "set", key = "regimen.epochs", value = "6")
  desk
}

test_that("the whole way from a table to a list leaves a script that gives the same bits, in R and as commands", {
  folder <- new_folder()
  desk <- desk_of(folder = folder)
  do_at(desk, act = "column", column = "patient", of = "role", value = "group")
  do_at(desk, act = "column", column = "age", of = "kind", value = "number")
  expect_match(desk$state$draft, "group: patient")
  expect_match(desk$parts$brief$html, "from <b>10 columns</b>")
  desk_act(desk, list(act = "train"))
  # the second waits, and goes on until it is stopped by hand
  do_at(desk, act = "set", key = "regimen.epochs", value = "1000000")
  do_at(desk, act = "set", key = "regimen.stop", value = "none")
  desk_act(desk, list(act = "train"))
  ended(desk, 1)
  until(desk, function() any(grepl("\"epoch\":[0-9]{2}", desk$curves[["2"]])))
  desk_act(desk, list(act = "stop", sheet = 2))
  ended(desk, 2)
  expect_equal(vapply(desk$state$sheets, function(sheet) sheet$end$how, ""), c("done", "stopped"))
  expect_match(paste(readLines(file.path(folder, "briefs/2.yml")), collapse = " "), "epoch: [0-9]+")
  # judged, with a rule, compared, explained, listed
  expect_match(desk$bodies[["1"]], "evaluated on 500 test rows")
  body <- desk$bodies[["1"]]
  values <- jsonlite::fromJSON(regmatches(body, regexpr("[{]\"class\":\"yes\".*?[}]", body, perl = TRUE)))
  do_at(desk, act = "rule", sheet = 1, threshold = values$threshold[20], class = "yes")
  ended(desk, 3)
  decided <- read_model(file.path(folder, "models/3.hylo"))
  expect_equal(sum(decision_of(decided)$after[, "yes"]), values$taken[20])
  for (id in 1:2) do_at(desk, act = "pin", sheet = id)
  do_at(desk, act = "compare")
  do_at(desk, act = "row", sheet = 3, row = "V00007")
  do_at(desk, act = "list", sheet = 3, ending = "csv", learned = "marked")
  desk_act(desk, list(act = "importance", sheet = 3))
  ended(desk, 7)
  how <- vapply(desk$state$sheets, function(sheet) sheet$end$how, "")
  expect_equal(how, c("done", "stopped", rep("done", 5)))
  listed <- read_rows(file.path(folder, "lists/6.csv"))
  expect_equal(nrow(listed), 2500)
  expect_false(is.unsorted(-listed$probability_yes))
  # both scripts, each in a copy that has the tables and briefs alone
  same_again <- function(run) {
    copy <- new_folder()
    file.copy(file.path(folder, c("tables", "briefs", "script.R", "script.sh")), copy, recursive = TRUE)
    for (name in c("models", "lists")) dir.create(file.path(copy, name))
    withr::with_dir(copy, run())
    for (id in 1:3) {
      file <- sprintf("models/%d.hylo", id)
      again <- read_model(file.path(copy, file))$predictor
      expect_identical(again, read_model(file.path(folder, file))$predictor)
    }
    expect_identical(readLines(file.path(copy, "lists/6.csv")), readLines(file.path(folder, "lists/6.csv")))
  }
  same_again(function() {
    callr::rscript("script.R", show = FALSE, libpath = .libPaths())
  })
  commands <- grep("^hylomath", readLines(file.path(folder, "script.sh")), value = TRUE)
  expect_length(commands, 7)
  same_again(function() for (command in commands) {
    words <- scan(text = command, what = "", quote = "'", quiet = TRUE)[-1]
    expect_equal(do.call(hylomath, as.list(words))$status, 0, label = command)
  })
})

test_that("a desk begins with a data frame, a table, a brief, a model or a folder", {
  place <- new_folder()
  write_rows(small_kilns(), file.path(place, "firings.csv"))
  b <- brief(file.path(place, "firings.csv"), target = "outcome") |> quick() |> regimen(epochs = 2)
  b$data <- list(file = "firings.csv")
  write_brief(b, file.path(place, "firings.yml"))
  model <- train(read_brief(file.path(place, "firings.yml")), progress = "none")
  write_model(model, file.path(place, "firings.hylo"))
  for (what in list(small_kilns(), "firings.csv", "firings.yml", "firings.hylo")) {
    start <- desk_begun_with(if (is.character(what)) file.path(place, what) else what)
    desk <- new_desk(new_folder())
    start$act(desk)
    until(desk, function() !desk$worker$is_busy())
    expect_match(desk$parts$table$html, "moisture_pct")
    if (is.character(what) && what != "firings.csv") expect_match(desk$state$draft, "epochs: 2")
  }
  expect_equal(desk_begun_with(place)$folder, place)
  expect_error(desk_begun_with(file.path(place, "nothing.csv")), "nothing.csv")
  expect_error(desk_begun_with(7), "table or a path")
  expect_error(check_desk_folder(file.path(place, "firings.csv")), "is a file")
})

test_that("the slider shows what the rule does, for ensembles and counted rows too", {
  # of an ensemble decide() looks at out-of-fold predictions that are brought to the ensemble's scale
  b <- brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(folds = 3, seed = 1) |>
    regimen(epochs = 30, seed = 1)
  counted <- transform(recovery, times = rep(1:2, 1250))
  cases <- list(
    ensemble = train(b, progress = "none"), one = train(quick(b), progress = "none"),
    counts = brief(counted, target = "returned") |> quick() |> hold_out(seed = 1) |> regimen(epochs = 30, seed = 1) |>
      set_columns(group = patient, weight = times, weight_is = "counts") |> train(progress = "none")
  )
  for (name in names(cases)) {
    html <- as_html(threshold_tool(cases[[name]]))
    values <- jsonlite::fromJSON(regmatches(html, regexpr("[{].*[}]", html)))
    for (i in c(3, length(values$taken) %/% 2)) {
      after <- decision_of(decide(cases[[name]], threshold = values$threshold[i]))$after
      expect_equal(c(sum(after[, "yes"]), after["yes", "yes"]), c(values$taken[i], values$found[i]), label = name)
    }
    # where the page puts the slider for what a miss costs
    at <- sum(values$score >= 1 / (1 + 4))
    between <- values$taken[c(at, min(at + 1, length(values$taken)))]
    looked_at <- sum(decision_of(decide(cases[[name]], miss = 4))$after[, "yes"])
    expect_true(looked_at >= between[1] && looked_at <= between[2], label = name)
  }
})

test_that("tables that come from elsewhere take no other's place", {
  folder <- new_folder()
  desk <- new_desk(folder)
  drop <- function(rows) {
    file <- withr::local_tempfile(fileext = ".csv")
    write_rows(rows, file)
    take_file_dropped(desk, "firings.csv", file)
    until(desk, function() !desk$worker$is_busy())
  }
  drop(small_kilns(300))
  do_at(desk, act = "target", column = "outcome")
  draft <- desk$state$draft
  drop(small_kilns(300))
  expect_identical(desk$state$draft, draft)
  drop(small_kilns(200))
  expect_identical(desk$state$draft, draft)
  expect_match(said_by(desk)$text, "firings-2.csv is kept")
  do_at(desk, act = "open", table = "tables/firings-2.csv")
  expect_equal(desk$state$data$file, "tables/firings-2.csv")
  expect_equal(nrow(read_rows(file.path(folder, "tables/firings.csv"))), 300)
  # numbers can be classes
  do_at(desk, act = "target", column = "soak_min")
  expect_match(desk$state$draft, "task: count")
  do_at(desk, act = "set", key = "task", value = "regression")
  expect_match(desk$state$draft, "task: regression")
  # nor does a desk write over a script that is somebody's own
  own <- new_folder()
  writeLines("precious()", file.path(own, "script.R"))
  expect_error(check_desk_folder(own), "script.R")
})

test_that("sheets of a workbook and tables of a database are offered, and opened by their names", {
  folder <- new_folder()
  skip_if_not_installed("writexl")
  writexl::write_xlsx(list(first = head(boats, 30), "the \"fired\"" = small_kilns(40)), file.path(folder, "both.xlsx"))
  database <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "harbour.sqlite"))
  DBI::dbWriteTable(database, "fired; drop", small_kilns(50))
  DBI::dbWriteTable(database, "boats", boats)
  DBI::dbDisconnect(database)
  writeLines("no database", file.path(folder, "broken.db"))
  desk <- new_desk(folder)
  until(desk, function() !desk$worker$is_busy())
  labels <- vapply(desk$files, `[[`, "", "label")
  expect_setequal(labels, c(
    "both.xlsx, first", "both.xlsx, the \"fired\"", "harbour.sqlite, fired; drop", "harbour.sqlite, boats", "broken.db"
  ))
  for (case in list(list("both.xlsx, the \"fired\"", 40), list("harbour.sqlite, fired; drop", 50))) {
    do_at(desk, act = "open", table = case[[1]])
    do_at(desk, act = "target", column = "outcome")
    expect_match(desk$parts$table$html, sprintf("%d rows, 12 columns", case[[2]]))
    expect_match(desk$state$draft, "outcome")
  }
  do_at(desk, act = "open", table = "broken.db")
  expect_match(said_by(desk)$text, "not a SQLite database")
  do_at(desk, act = "open", table = "harbour.sqlite", query = "select * from boats limit 7")
  expect_match(desk$parts$table$html, "7 rows")
})

test_that("a PostgreSQL query is opened, trained on and taken away", {
  skip_unless_hard()
  local_postgres()
  server <- DBI::dbConnect(RPostgreSQL::PostgreSQL(), dbname = "postgres")
  withr::defer(DBI::dbDisconnect(server))
  DBI::dbWriteTable(server, "firings", small_kilns(300), row.names = FALSE)
  desk <- new_desk(new_folder())
  do_at(desk, act = "open", postgres = "postgres", query = "select * from firings order by firing")
  do_at(desk, act = "target", column = "outcome")
  do_at(desk, act = "set", key = "hold_out.folds", value = "0")
  do_at(desk, act = "set", key = "regimen.epochs", value = "3")
  desk_act(desk, list(act = "train"))
  ended(desk, 1)
  do_at(desk, act = "list", sheet = 1, ending = "csv", learned = "marked")
  expect_equal(nrow(read_rows(file.path(desk$folder, "lists/2.csv"))), 300)
  expect_match(paste(readLines(file.path(desk$folder, "script.sh")), collapse = "\n"), "in R only")
})

test_that("whatever makes it better or explains it is a sheet, and is taken into the brief by a button", {
  skip_unless_hard()
  folder <- new_folder()
  desk <- desk_of("kilns", "outcome", folder)
  for (column in c("humidity_pct", "soak_min", "gas_mbar", "load_kg", "fired_on")) {
    do_at(desk, act = "column", column = column, of = "role", value = "drop")
  }
  do_at(desk, act = "set", key = "regimen.epochs", value = "2")
  desk_act(desk, list(act = "train"))
  desk_act(desk, list(act = "vary", setting = "batch_size", values = "64, 256"))
  desk_act(desk, list(act = "folds"))
  desk_act(desk, list(act = "sift"))
  desk_act(desk, list(act = "scout", budget = "2"))
  ended(desk, 5)
  do_at(desk, act = "subgroups", sheet = 1, column = "glaze")
  do_at(desk, act = "form", sheet = 1)
  expect_equal(vapply(desk$state$sheets, function(sheet) sheet$end$how, ""), rep("done", 7))
  expect_match(desk$bodies[["6"]], "celadon")
  expect_true(file.exists(file.path(folder, "reports/7.html")))
  do_at(desk, act = "adopt", key = "batch_size", value = "256", sheet = 2)
  expect_match(desk$state$draft, "batch_size: 256")
  do_at(desk, act = "adopt-inputs", sheet = 4)
  kept <- brief_inputs(best_brief(read_result(file.path(folder, "results/4.found"))))
  expect_setequal(brief_inputs(read_brief(text = desk$state$draft, read = FALSE)), kept)
  do_at(desk, act = "adopt-best", sheet = 5)
  best <- best_brief(read_result(file.path(folder, "results/5.scout")))
  expect_equal(read_brief(text = desk$state$draft, read = FALSE)$wiring, best$wiring)
  do_at(desk, act = "adopt-trial", sheet = 5, trial = "2")
  expect_match(desk$state$draft, "wiring")
  expect_match(desk$bodies[["2"]], "circle data-act='adopt' data-key='batch_size' data-value='256'", fixed = TRUE)
  for (act in list(list(act = "effect", input = "peak_c"), list(act = "row", row = "3"), list(act = "importance"))) {
    do.call(do_at, c(list(desk, sheet = 1), act))
  }
  write_rows(tail(kilns, 500), file.path(folder, "newer.csv"))
  do_at(desk, act = "watch", sheet = 1, table = "newer.csv")
  do_at(desk, act = "report", sheet = 1)
  ended(desk, 12)
  do_at(desk, act = "try-row", sheet = 9, columns = list("peak_c", "glaze"), values = list("1200", "ash"))
  do_at(desk, act = "try-row", sheet = 13, columns = list("peak_c"), values = list("1201.5"))
  ended(desk, 14)
  expect_match(desk$bodies[["14"]], "1,20[12]")
  do_at(desk, act = "try-row", sheet = 1, columns = list("peak_c"), values = list("1201.5"))
  expect_match(said_by(desk)$text, "Explain a row first")
  expect_equal(vapply(desk$state$sheets, function(sheet) sheet$end$how, ""), rep("done", 14))
  # all of it by the shell
  # a sheet is shown though its table has changed
  kept <- file.path(folder, "tables/kilns.csv")
  file.rename(kept, paste0(kept, ".kept"))
  write_rows(head(kilns, 9), kept)
  expect_match(desk_task(folder, "sheet", list(desk$state, 1))$value$page, "Class by class")
  file.rename(paste0(kept, ".kept"), kept)
  copy <- new_folder()
  file.copy(file.path(folder, c("tables", "briefs", "newer.csv", "script.sh")), copy, recursive = TRUE)
  for (name in c("models", "results", "reports", "lists")) dir.create(file.path(copy, name))
  bin <- new_folder()
  suppressMessages(install_command(bin))
  shell <- callr::run("sh", "script.sh", wd = copy, error_on_status = FALSE, env = c(
    "current", PATH = paste(bin, Sys.getenv("PATH"), sep = ":"), R_LIBS = paste(.libPaths(), collapse = ":")
  ))
  expect_equal(shell$status, 0, label = shell$stderr)
  expect_identical(
    read_model(file.path(copy, "models/1.hylo"))$predictor, read_model(file.path(folder, "models/1.hylo"))$predictor
  )
  # the looks of two trainings at one set of test rows are counted
  desk_act(desk, list(act = "train"))
  ended(desk, 15)
  expect_length(read_model(file.path(folder, "models/15.hylo"))$looks, 2)
})

test_that("a desk opens again as it was left, and a training that was killed goes on to the same weights", {
  folder <- new_folder()
  desk <- desk_of(folder = folder)
  do_at(desk, act = "name", sheet = 1, value = "none yet")
  expect_match(said_by(desk)$text, "sheet")
  do_at(desk, act = "set", key = "regimen.epochs", value = "8000")
  do_at(desk, act = "set", key = "regimen.stop", value = "none")
  desk_act(desk, list(act = "train"))
  until(desk, function() file.exists(file.path(folder, "jobs/1.checkpoint")) || !is.null(desk$state$sheets[[1]]$end))
  expect_null(desk$state$sheets[[1]]$end)
  # another process can't open it meanwhile
  other <- callr::r(function(folder) {
    tryCatch(get("new_desk", asNamespace("hylomath"))(folder), error = conditionMessage)
  }, list(folder), libpath = .libPaths())
  expect_match(other, "being written by another process")
  do_at(desk, act = "name", sheet = 1, value = "Long <one>")
  do_at(desk, act = "note", sheet = 1, value = "a note")
  do_at(desk, act = "pin", sheet = 1)
  desk$job$process$kill()
  state <- desk$state
  again <- callr::r(function(folder) {
    e <- asNamespace("hylomath")
    desk <- e$new_desk(folder)
    first <- desk$state
    while (is.null(desk$state$sheets[[1]]$end)) {
      e$desk_tick(desk)
      Sys.sleep(0.05)
    }
    list(first = first, last = desk$state, folder = folder)
  }, list(local({
    copy <- file.path(new_folder(parent.frame(2)), "copy")
    dir.create(copy)
    file.copy(list.files(folder, full.names = TRUE), copy, recursive = TRUE)
    copy
  })), libpath = .libPaths())
  expect_identical(again$first, state)
  expect_equal(again$last$sheets[[1]]$end$how, "done")
  expect_equal(sheet_name(again$last$sheets[[1]]), "Long <one>")
  model <- read_model(file.path(again$folder, "models/1.hylo"))
  whole <- train(read_brief(file.path(folder, "briefs/1.yml")), progress = "none")
  expect_identical(model$predictor$network, whole$predictor$network)
})

test_that("the record is read as data: what was cut off is left, what was changed is refused", {
  folder <- new_folder()
  local({
    desk <- new_desk(folder)
    do_at(desk, act = "demo", name = "kilns")
    do_at(desk, act = "target", column = "outcome")
  })
  file <- file.path(folder, "record.jsonl")
  whole <- readLines(file)
  state <- read_state(file)
  expect_equal(state$data$file, "tables/kilns.csv")
  cat(paste0(c(whole, "{\"line\":\"draft\",\"text\":\"tar"), collapse = "\n"), file = file)
  expect_identical(read_state(file), state)
  writeLines(sub("kilns", "other", whole), file)
  expect_error(read_state(file), "is damaged")
  lines <- list(
    list(line = "begin", sheet = 1, kind = "system", of = integer(), asks = list(), made = "now"),
    list(line = "begin", sheet = 2, kind = "train", of = integer(), asks = list(), made = "now"),
    list(line = "begin", sheet = 1, kind = "rule", of = 1L, asks = list(threshold = 0.5), made = "now"),
    list(line = "begin", sheet = 1, kind = "train", of = integer(), asks = list(run = "q()"), made = "now"),
    list(
      line = "begin", sheet = 1, kind = "vary", of = integer(), made = "now",
      asks = list(setting = "checkpoint", values = c("a", "b"))
    ),
    list(line = "begin", sheet = 1, kind = "watch", of = integer(), asks = list(table = "../x.csv"), made = "now"),
    list(line = "end", sheet = 7, how = "done", says = character(), seconds = 1), list(line = "run", code = "q()")
  )
  for (line in lines) {
    writeLines(whole, file)
    cat(json_line(line), file = file, append = TRUE)
    expect_error(read_state(file), "is damaged", label = line$line)
  }
})

test_that("every setting of a brief stands on the page, with its help and its own errors", {
  settings <- desk_settings()
  for (section in c("prepare", "hold_out", "regimen", "about")) {
    expect_true(all(paste0(section, ".", names(brief_schema[[section]])) %in% names(settings)))
  }
  silent <- names(Filter(function(setting) !nzchar(setting$meaning), settings))
  expect_equal(silent, character())
  desk <- desk_of()
  page <- desk$parts$brief$html
  for (key in names(settings)) expect_match(page, sprintf("data-key=\"%s\"", key), fixed = TRUE)
  wrong <- list(
    regimen.epochs = "-3", hold_out.test = "2", wiring = "24 relo", prepare.numbers = "big",
    regimen.class_weights = "odd", keep_rows = "system('x')"
  )
  for (key in names(wrong)) {
    before <- desk$state$draft
    do_at(desk, act = "set", key = key, value = wrong[[key]])
    expect_equal(said_by(desk)$key, key)
    expect_true(nzchar(said_by(desk)$text), label = key)
    expect_identical(desk$state$draft, before)
  }
  right <- list(
    regimen.epochs = "7", wiring = "24 relu > 12 tanh", regimen.class_weights = "{yes: 3, no: 1}",
    prepare.missing_codes = "-9, -99", keep_rows = "age > 40", add_columns = "{ratio: bmi / age}",
    regimen.schedule = "cosine", hold_out.test_where = "visited_on >= \"2025-06-01\""
  )
  for (key in names(right)) {
    do_at(desk, act = "set", key = key, value = right[[key]])
    expect_equal(said_by(desk)$text, "", label = key)
    said <- function(b) value_at(brief_settings(b), desk_settings()[[key]]$path)
    b <- read_brief(text = desk$state$draft)
    expect_equal(said(b), said(brief_with(b, key, right[[key]])), label = key)
    expect_false(identical(said(b), value_at(brief_defaults, desk_settings()[[key]]$path)), label = key)
  }
  # and back to the default
  do_at(desk, act = "set", key = "keep_rows", value = "")
  expect_null(read_brief(text = desk$state$draft)$keep_rows)
})

test_that("notes are done by a button, and levels that are the same thing are put together", {
  table <- small_kilns()
  table$glaze <- as.character(table$glaze)
  table$glaze[1:40] <- "tenmocu"
  table$site <- rep(1:60, 10)
  folder <- new_folder()
  data.table::fwrite(table, file.path(folder, "firings.csv"))
  desk <- new_desk(folder)
  do_at(desk, act = "open", table = "firings.csv")
  do_at(desk, act = "target", column = "outcome")
  do_at(desk, act = "merge", column = "glaze", levels = list("tenmocu", "tenmoku"))
  b <- read_brief(text = desk$state$draft)
  expect_match(b$add_columns$glaze, "tenmocu")
  do_at(desk, act = "merge", column = "glaze", levels = list("ash", "celadon"))
  merged <- working_table_of(with_table(read_brief(text = desk$state$draft), table))$glaze
  most <- names(which.max(table(table$glaze[table$glaze %in% c("ash", "celadon")])))
  expect_setequal(unique(merged), c(setdiff(table$glaze, c("tenmocu", "ash", "celadon")), most))
  # rows are those that the brief makes of the file
  do_at(desk, act = "rows", where = "glaze == \"tenmocu\"")
  expect_match(desk$parts$rows$html, "0 rows")
  advised <- advised_calls("Keep its rows together: set_columns(group = patient). Or drop.")
  expect_equal(advised, list(quote(set_columns(group = patient))))
  expect_equal(advised_calls("regimen(epochs = system(\"x\")), set_columns(drop = ...), quit()"), list())
  desk <- desk_of()
  page <- gsub("\n", " ", desk$parts$table$html)
  note <- sub(".*patient names [0-9]+ units.*?data-note=\"([0-9a-f]+)\".*", "\\1", page, perl = TRUE)
  do_at(desk, act = "advice", note = note)
  expect_match(desk$state$draft, "group: patient")
  do_at(desk, act = "rows", where = "age > 80", sort = "bmi", down = "true")
  expect_match(desk$parts$rows$html, "Page 1 of")
  do_at(desk, act = "rows", where = "unknown > 80")
  expect_match(said_by(desk)$text, "unknown")
})

test_that("whatever a note's button does, it does", {
  n <- 600
  table <- withr::with_seed(5, transform(
    small_kilns(n), glaze = ifelse(runif(n) < 0.1, paste0(toupper(glaze), " "), as.character(glaze)),
    kiln = ifelse(runif(n) < 0.1, toupper(kiln), as.character(kiln)), crew = sample(80, n, TRUE),
    load_kg = ifelse(runif(n) < 0.1, -999, load_kg), empty = NA, same = 1, fee = round(rlnorm(n, 3, 2), 2),
    told = ifelse(outcome == "burst", 1, 0), gas_mbar = ifelse(outcome == "burst" & runif(n) < 0.7, NA, gas_mbar)
  ))
  folder <- new_folder()
  write_rows(table, file.path(folder, "firings.csv"))
  desk <- new_desk(folder)
  do_at(desk, act = "open", table = "firings.csv")
  do_at(desk, act = "target", column = "outcome")
  pressed <- character()
  repeat {
    shown <- paste(desk$parts$table$html, desk$parts$brief$html)
    offered <- regmatches(shown, gregexpr("(?<=data-note=\")[0-9a-f]+", shown, perl = TRUE))[[1]]
    left <- setdiff(offered, pressed)
    if (length(left) == 0) break
    before <- desk$state$draft
    do_at(desk, act = "advice", note = left[1])
    expect_equal(said_by(desk)$text, "")
    expect_false(identical(desk$state$draft, before))
    pressed <- c(pressed, left[1])
  }
  expect_gte(length(pressed), 3)
  for (setting in c("merge|ifelse", "missing_codes")) expect_match(desk$state$draft, setting)
})

test_that("files from outside of the folder and things that are none are refused", {
  desk <- desk_of()
  secret <- withr::local_tempfile(fileext = ".csv")
  writeLines("a,b\n1,2", secret)
  for (file in list(secret, file.path("..", basename(secret)), "../../etc/passwd", "", 7, "nothing.csv", NULL)) {
    before <- desk$state
    do_at(desk, act = "open", table = file)
    expect_true(nzchar(said_by(desk)$text))
    expect_identical(desk$state, before)
  }
  for (act in list(
    list(act = "system"), list(), list(act = "rule", sheet = 1, threshold = 0.5),
    list(act = "vary", setting = "checkpoint", values = "a, b"),
    list(act = "stop", sheet = -1), list(act = list("a", 1)), list(act = "set", key = list(1), value = list(2)),
    list(act = "demo", name = "../x"), list(act = "pin", sheet = list(1, 2))
  )) {
    before <- length(desk$state$sheets)
    do.call(do_at, c(list(desk), act))
    expect_length(desk$state$sheets, before)
  }
  take_file_dropped(desk, "../../evil.R", secret)
  expect_match(said_by(desk)$text, "no table")
  take_file_dropped(desk, "../..//up.csv", secret)
  until(desk, function() file.exists(file.path(desk$folder, "tables/up.csv")))
})

test_that("names, levels and notes that are markup stay text", {
  evil <- "<script>alert(1)</script><img src=x onerror=alert(2)>\"'&"
  n <- 120
  table <- stats::setNames(
    data.frame(seq_len(n) / 7, rep(c(evil, "b", "c</table>"), n / 3), rep(c("no\"><b>", "yes"), n / 2)),
    c(evil, "lev", "y")
  )
  folder <- new_folder()
  data.table::fwrite(table, file.path(folder, "evil.csv"))
  desk <- new_desk(folder)
  do_at(desk, act = "open", table = "evil.csv")
  do_at(desk, act = "target", column = "y")
  do_at(desk, act = "rows", where = "")
  do_at(desk, act = "set", key = "hold_out.folds", value = "0")
  do_at(desk, act = "set", key = "regimen.epochs", value = "2")
  desk_act(desk, list(act = "train"))
  ended(desk, 1)
  for (what in c("name", "note")) do_at(desk, act = what, sheet = 1, value = evil)
  shown <- c(unlist(lapply(desk$parts, `[[`, "html")), unlist(desk$bodies))
  for (part in shown) {
    expect_false(grepl("<script>alert|<img src=x|<b>|c</table>|onerror=alert\\(2\\)>", part) && !grepl("&lt;", part))
    expect_no_match(part, "<script>alert", fixed = TRUE)
    expect_no_match(part, "<img", fixed = TRUE)
    expect_no_match(part, "no\"><b>", fixed = TRUE)
  }
  script <- parse(text = desk_script(desk$state))
  expect_true(all(vapply(script, is.call, NA)))
})

# ---- as a process ----------------------------------------------------------------------------------------------------

# A desk that was started by the command: list(port, token).
started_desk <- function(folder, frame = parent.frame()) {
  code <- sprintf("hylomath::run_command(c('desk', '--folder', %s))", deparse(folder))
  process <- callr::process$new(
    file.path(R.home("bin"), "Rscript"), c("-e", code), stderr = "2>&1", stdout = "|",
    env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
  )
  withr::defer(process$kill_tree(), envir = frame)
  said <- character()
  for (i in 1:300) {
    said <- c(said, process$read_output_lines())
    found <- regmatches(said, regexpr("http://[^ ]+", said))
    if (length(found) || !process$is_alive()) break
    Sys.sleep(0.1)
  }
  if (length(found) == 0) stop(paste(said, collapse = "\n"))
  list(
    address = found, port = as.integer(sub(".*:([0-9]+)/.*", "\\1", found)), token = sub(".*token=", "", found),
    process = process
  )
}

# What comes back for bytes that are sent, until nothing more comes for so many seconds.
talk <- function(port, text, frames = raw(), quiet = 0.1) {
  socket <- socketConnection("127.0.0.1", port, open = "r+b", blocking = FALSE, timeout = 5)
  on.exit(close(socket))
  writeBin(charToRaw(gsub("\n", "\r\n", text, fixed = TRUE)), socket)
  if (length(frames)) {
    Sys.sleep(0.2)
    writeBin(frames, socket)
  }
  came <- raw()
  last <- began <- proc.time()[["elapsed"]]
  repeat {
    new <- tryCatch(readBin(socket, "raw", 1e6), error = function(e) raw())
    now <- proc.time()[["elapsed"]]
    if (length(new)) last <- now
    came <- c(came, new)
    if (now - last > (if (length(came)) quiet else 3) || now - began > 6) break
    Sys.sleep(0.005)
  }
  text <- rawToChar(came[came != 0])
  Encoding(text) <- "bytes"
  text
}

test_that("two hundred requests of strangers are refused, and a page of its own is given", {
  server <- started_desk(new_folder())
  ask <- function(path, host, origin, token, method, more = "") {
    query <- if (nzchar(token)) paste0("?token=", token) else ""
    sprintf(
      "%s %s%s HTTP/1.1\nHost: %s\n%sConnection: close\n%s\n", method, path, query, host,
      if (nzchar(origin)) sprintf("Origin: %s\n", origin) else "", more
    )
  }
  own <- sprintf("127.0.0.1:%d", server$port)
  page <- talk(server$port, ask("/", own, "", server$token, "GET"))
  head <- substr(page, 1, 1500)
  expect_match(head, "^HTTP/1.1 200")
  expect_match(head, "Content-Security-Policy: default-src 'none'", fixed = TRUE)
  expect_false(grepl("(src|href)=\"https?:", page, perl = TRUE, useBytes = TRUE))
  cookie <- sub(".*Set-Cookie: ([^;]+);.*", "\\1", head)
  wrong <- expand.grid(
    path = c("/", "/shared/shiny.min.js", "/session/x/upload/y", "/file/script.R", "/file/../record.jsonl", "/health"),
    host = c(own, "evil.example", sprintf("evil.example:%d", server$port)),
    origin = c(
      "", "https://evil.example", sprintf("http://127.0.0.1:%d", server$port + 1), "http://127.0.0.1", "null"
    ),
    token = c("", "0123456789abcdef0123456789abcdef", server$token), stringsAsFactors = FALSE
  )
  wrong$method <- rep(c("GET", "POST", "HEAD"), length.out = nrow(wrong))
  allowed <- wrong$host == own & wrong$origin == "" & wrong$token == server$token
  refused <- wrong[!allowed, ]
  # a part of them where time is short, of every path, host, origin, token and method some
  if (!is_hard_run()) refused <- refused[seq(1, nrow(refused), by = 5), ]
  for (i in seq_len(nrow(refused))) {
    said <- do.call(ask, c(as.list(refused[i, ]), if (refused$method[i] == "POST") "Content-Length: 0\n"))
    status <- substr(talk(server$port, said), 1, 12)
    expect_match(status, "^HTTP/1.1 (401|403|421)", label = paste(refused[i, ], collapse = " "))
  }
  # with the token, but for what is not there
  nowhere <- c(
    "/file/record.jsonl", "/file/../record.jsonl", "/file/%2e%2e/record.jsonl", "/shared/shiny.min.js", "/x"
  )
  for (path in nowhere) {
    said <- talk(server$port, ask(path, own, "", server$token, "GET"))
    expect_match(substr(said, 1, 12), "HTTP/1.1 404", label = path)
  }
  # sockets: the page's own state comes to those alone who may have it
  frame <- function(text) {
    bytes <- charToRaw(text)
    c(as.raw(c(0x81, 0xfe, length(bytes) %/% 256, length(bytes) %% 256)), as.raw(rep(0, 4)), bytes)
  }
  socket <- function(host, origin, cookie) {
    head <- sprintf(
      paste0(
        "GET /websocket/ HTTP/1.1\nHost: %s\nOrigin: %s\nConnection: Upgrade\nUpgrade: websocket\n%s",
        "Sec-WebSocket-Version: 13\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\n\n"
      ), host, origin, if (nzchar(cookie)) sprintf("Cookie: %s\n", cookie) else ""
    )
    data <- list(
      .clientdata_pixelratio = 1, .clientdata_url_protocol = "http:", .clientdata_url_hostname = "127.0.0.1",
      .clientdata_url_port = "1", .clientdata_url_pathname = "/", .clientdata_url_search = "",
      .clientdata_url_hash_initial = "", .clientdata_url_hash = "", .clientdata_singletons = ""
    )
    init <- jsonlite::toJSON(list(method = "init", data = data), auto_unbox = TRUE)
    talk(server$port, head, frame(init), quiet = 0.5)
  }
  home <- sprintf("http://%s", own)
  expect_match(socket(own, home, cookie), "What you do|\"parts\"")
  strangers <- list(
    c(own, home, ""), c(own, home, paste0(cookie, "0")), c(own, "https://evil.example", cookie),
    c(own, sprintf("http://127.0.0.1:%d", server$port + 1), cookie),
    c("evil.example", home, cookie), c("evil.example", "http://evil.example", cookie), c(own, "null", cookie)
  )
  for (one in strangers) {
    expect_no_match(socket(one[1], one[2], one[3]), "\"parts\"", label = paste(one, collapse = " "))
  }
})

test_that("somebody who types nothing goes the whole way in a browser, for each demo table and one from elsewhere", {
  skip_unless_hard()
  skip_if(Sys.which("chromium") == "" || Sys.which("node") == "", "there is no browser")
  modules <- file.path(testthat::test_path(), "../../.build/node_modules/puppeteer-core")
  skip_if_not(dir.exists(modules), "puppeteer-core is not here")
  build <- normalizePath(dirname(dirname(modules)))
  elsewhere <- withr::local_tempfile(pattern = "export", fileext = ".csv")
  set.seed(5)
  size <- round(stats::runif(700, 1, 9), 2)
  rows <- data.frame(
    Nr = sprintf("A%04d", 1:700), Gewicht = size, Art = sample(c("rot", "Rot ", "blau"), 700, TRUE),
    Dauer = round(3 * size + stats::rnorm(700), 2)
  )
  data.table::fwrite(rows, elsewhere, sep = ";", dec = ",")
  cases <- list(
    c("kilns", "outcome"), c("recovery", "returned"), c("crossings", "passengers"), c(elsewhere, "Dauer")
  )
  for (case in cases) {
    folder <- new_folder()
    server <- started_desk(folder)
    said <- callr::run(
      "node", c(test_path("desk/journey.js"), server$address, case), env = c("current", DESK_MODULES = build),
      error_on_status = FALSE
    )
    expect_equal(said$status, 0, label = paste(case[2], said$stderr))
    seen <- jsonlite::fromJSON(said$stdout)
    expect_length(seen$wrong, 0)
    expect_length(seen$faults, 0)
    expect_length(seen$foreign, 0)
    expect_length(seen$unreachable, 0)
    expect_length(seen$barriers, 0)
    expect_match(seen$stopped, "^stopped")
    server$process$kill_tree()
    again <- new_folder()
    file.copy(file.path(folder, c("tables", "briefs", "script.R")), again, recursive = TRUE)
    for (name in c("models", "lists", "results", "reports")) dir.create(file.path(again, name))
    withr::with_dir(again, callr::rscript("script.R", show = FALSE, libpath = .libPaths()))
    for (file in list.files(file.path(folder, "models"))) {
      expect_identical(
        read_model(file.path(again, "models", file))$predictor, read_model(file.path(folder, "models", file))$predictor
      )
    }
  }
})

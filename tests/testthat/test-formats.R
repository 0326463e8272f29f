# Exports as they come: thirty files, written in the ways of ten countries and of programs, whose cells are known.

country <- function(decimal, group, money, date, separator, ...) {
  list(decimal = decimal, group = group, money = money, date = date, separator = separator, places = c(...))
}

countries <- list(
  states = country(".", ",", "$%s", "%m/%d/%Y", ",", "Oak", "Elm"),
  britain = country(".", ",", "£%s", "%d/%m/%Y", ",", "Kirk", "Bay"),
  germany = country(",", ".", "%s €", "%d.%m.%Y", ";", "Süd", "Höhe"),
  france = country(",", " ", "%s €", "%d/%m/%Y", ";", "Été", "Lac"),
  switzerland = country(".", "'", "CHF %s", "%d.%m.%Y", ";", "Zürich", "Thun"),
  sweden = country(",", " ", "%s kr", "%Y-%m-%d", ";", "Å", "Öst"),
  poland = country(",", " ", "%s zł", "%d.%m.%Y", ";", "Łódź", "Gdańsk"),
  spain = country(",", ".", "%s €", "%d-%m-%Y", ";", "Año", "Sol"),
  india = country(".", ",", "₹%s", "%d-%b-%Y", ",", "Goa", "Pune"),
  brazil = country(",", ".", "R$ %s", "%d/%m/%Y", ";", "São", "Rio")
)

true_rows <- withr::with_seed(7, data.frame(
  order = sprintf("A%04d", 1:80), place = rep(1:2, 40), amount = round(rlnorm(80, 7, 2), 2),
  pieces = as.numeric(sample(c(3:9, 1200:98000), 80)), share = round(runif(80, 0, 100), 1),
  balance = round(rnorm(80, 0, 3000), 2), bought = as.Date("2016-01-05") + sample(2000, 80),
  outcome = rep(c("kept", "sent back"), length.out = 80)
))

grouped <- function(x, how, digits) {
  text <- formatC(abs(x), format = "f", digits = digits, big.mark = ",", decimal.mark = ".")
  text <- chartr(",.", "#@", text)
  gsub("@", how$decimal, gsub("#", how$group, text, fixed = TRUE), fixed = TRUE)
}

# Cells as people see them, in one of three manners: with everything, sparse, and as an accounting program has them.
cells_of <- function(rows, how, manner) {
  plain <- function(x, digits) sub(".", how$decimal, formatC(abs(x), format = "f", digits = digits), fixed = TRUE)
  number <- if (manner == 2) plain else function(x, digits) grouped(x, how, digits)
  sign <- function(x, text) {
    below <- x < 0
    text[below] <- switch(manner, paste0("-", text[below]), paste0("-", text[below]), paste0("(", text[below], ")"))
    text
  }
  gap <- c("n/a", "", "-")[manner]
  cells <- data.frame(
    order = rows$order, place = how$places[rows$place],
    amount = if (manner == 2) number(rows$amount, 2) else sprintf(how$money, number(rows$amount, 2)),
    pieces = if (manner == 2) format(rows$pieces, trim = TRUE) else number(rows$pieces, 0),
    share = if (manner == 1) paste(plain(rows$share, 1), "%") else plain(rows$share, 1),
    balance = sign(rows$balance, number(rows$balance, 2)), bought = format(rows$bought, how$date),
    outcome = rows$outcome
  )
  if (manner == 3) cells$balance <- sub("^[(](.*)[)]$", "\\1-", cells$balance)
  cells$amount[5] <- gap
  cells$share[9] <- gap
  cells
}

# With a mark of its encoding, as UTF-16 behind tabs, or in a code page behind a line that names the separator.
write_export <- function(cells, how, manner, file) {
  separator <- if (manner == 2) "\t" else how$separator
  quoted_cell <- function(x) if (separator == ",") paste0("\"", x, "\"") else x
  body <- do.call(paste, c(lapply(cells, quoted_cell), sep = separator))
  text <- enc2utf8(paste0(paste(c(paste(names(cells), collapse = separator), body), collapse = "\r\n"), "\r\n"))
  page <- if (grepl("Łódź", text)) "WINDOWS-1250" else "WINDOWS-1252"
  bytes <- switch(manner,
    c(as.raw(c(0xef, 0xbb, 0xbf)), charToRaw(text)),
    c(as.raw(c(0xff, 0xfe)), iconv(text, "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]),
    {
      in_page <- iconv(text, "UTF-8", page, toRaw = TRUE)[[1]]
      if (is.null(in_page)) in_page <- charToRaw(text)  # a currency that the page lacks
      c(charToRaw(sprintf("sep=%s\r\n", separator)), in_page)
    }
  )
  writeBin(bytes, file)
}

test_that("thirty exports of ten countries are read with every cell right, or asked about in words", {
  withr::local_locale(LC_TIME = "C")
  asked <- 0
  for (name in names(countries)) for (manner in 1:3) {
    how <- countries[[name]]
    file <- withr::local_tempfile(fileext = ".csv")
    write_export(cells_of(true_rows, how, manner), how, manner, file)
    info <- sprintf("%s, manner %d", name, manner)
    b <- tryCatch(brief(file, target = "outcome"), hylomath_error = identity)
    if (inherits(b, "condition")) {
      asked <- asked + 1
      expect_match(conditionMessage(b), "can be read in", info = info)
      next
    }
    read <- working_table_of(b)
    wanted <- true_rows
    wanted$place <- how$places[true_rows$place]
    wanted$amount[5] <- NA
    wanted$share[9] <- NA
    for (column in names(wanted)) expect_equal(read[[column]], wanted[[column]], info = paste(info, column))
  }
  expect_lte(asked, 3)
})

test_that("columns are found by names in any code page: by a brief, in training, and by blocks", {
  rows <- withr::with_seed(3, data.frame(
    id = sprintf("r%03d", 1:240), size = round(rnorm(240), 2), town = sample(c("Ayre", "Sound"), 240, TRUE),
    outcome = ifelse(seq_len(240) %% 3 > 0, "ja", "nein")
  ))
  names_of <- list(
    c("L\u00e4nge (m)", "Gek\u00fcndigt"), c("D\u0142ugo\u015b\u0107", "Zdarzy\u0142o si\u0119 \u0141\u00f3d\u017a")
  )
  for (words in names_of) {
    # the likeliest class has letters of the page too
    rows[[4]] <- ifelse(rows[[4]] == "nein", "nein", substr(words[1], 1, 5))
    names(rows)[c(2, 4)] <- words
    for (manner in 1:3) {
      file <- withr::local_tempfile(fileext = ".csv")
      write_export(rows, list(separator = ";"), manner, file)
      info <- paste(words[1], manner)
      expect_equal(table_columns(file), names(rows), info = info)
      expect_equal(names(read_table(file, columns = words)), words, info = info)
      b <- brief(file, target = words[2]) |> quick() |> regimen(epochs = 2, seed = 1) |> hold_out(seed = 1)
      again <- read_brief(text = brief_yaml(b))
      model <- train(again, progress = "none")
      expect_equal(target_in(model)$columns, words[2], info = info)
      scored <- withr::local_tempfile(fileext = ".csv")
      score_table(model, file, scored, block = 2000, progress = "none")
      expect_equal(read_table(scored)$prediction, predict(model, rows)$prediction, info = info)
      expect_equal(table_columns(scored)[1:4], names(rows), info = info)
      stored <- withr::local_tempfile(pattern = "stored")
      store_table(file, stored)
      expect_equal(table_columns(stored), names(rows), info = info)
    }
  }
})

test_that("dates are dates and times times, whatever rows are missing or at midnight, from text and workbooks", {
  rows <- withr::with_seed(3, data.frame(
    id = sprintf("r%03d", 1:200), when = as.Date("2024-01-01") + sample(500, 200, TRUE), size = rnorm(200),
    outcome = sample(c("yes", "no"), 200, TRUE)
  ))
  rows$when[c(7, 200)] <- NA
  text <- transform(rows, when = format(when, "%m/%d/%Y"))
  files <- c(withr::local_tempfile(fileext = ".csv"), withr::local_tempfile(fileext = ".xlsx"))
  write_rows(text, files[1])
  write_rows(rows, files[2])
  quickly <- function(from) {
    brief(from, target = "outcome") |> quick() |> hold_out(seed = 1) |> regimen(epochs = 2, seed = 1) |>
      train(progress = "none")
  }
  for (from in c(list(rows), as.list(files))) {
    model <- quickly(from)
    expect_equal(model$brief$columns$kinds$when, "date")
    for (new in c(list(rows, text), lapply(files, read_rows, model))) {
      expect_equal(predict(model, new)$prediction, predict(model, rows)$prediction)
    }
  }
  # times of which some new rows have none
  at <- function(seconds) .POSIXct(as.numeric(rows$when) * 86400 + seconds, "UTC")
  timed <- quickly(transform(rows, when = at(seq_along(id) * 60)))
  expect_equal(predict(timed, rows), predict(timed, transform(rows, when = at(0))))
})

test_that("what can be read in two ways is asked about, and what is said is done", {
  two <- data.frame(
    when = rep(c("03/02/2016", "01/02/2017", "04/12/2018"), 20), weight = rep(c("1.234", "2.345", "17.001"), 20),
    y = rep(c("a", "b"), 30)
  )
  expect_fails(brief(two["weight"] |> cbind(two["y"]), "y"), "`weight` can be read in 2 ways", "columns.formats.weight")
  expect_fails(brief(two[c("when", "y")], "y"), "`when` can be read in 2 ways", "03 February 2016", "02 March 2016")
  said <- brief(two, "y", formats = c(when = "m/d/y", weight = "1.234,5"))
  expect_equal(working_table_of(said)$weight[1:2], c(1234, 2345))
  expect_equal(working_table_of(said)$when[1], as.Date("2016-03-02"))
  expect_identical(read_brief(text = brief_yaml(said))$columns$formats, said$columns$formats)
  expect_output(print(said), "written +when m/d/y; weight 1.234,5")
  expect_true("read_in_two_ways" %in% notes(look(two, target = "y"))$code)
  # new rows are read as those of training
  model <- train(quick(said) |> regimen(epochs = 2), progress = "none")
  expect_equal(predict(model, two[1:3, ]), predict(model, working_table_of(said)[1:3, ]))
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(two, "t.csv", sep = ";")
  expect_equal(hylomath("brief", "t.csv", "-t", "y", "-o", "t.yml")$status, 1)
  done <- hylomath(
    "brief", "t.csv", "-t", "y", "-o", "t.yml", "--set", "columns.formats.when=d/m/y", "--set", "data.decimal=,", "-q"
  )
  expect_equal(done$status, 0)
  expect_equal(working_table_of(read_brief("t.yml"))$weight[1], 1234)
})

test_that("codes for missing go together with a decimal comma", {
  table <- data.frame(x = rep(c("1,5", "2,25", "-999", "3"), 20), y = rep(c("a", "b"), 40))
  b <- brief(table, "y") |> prepare(missing_codes = "-999")
  expect_equal(working_table_of(b)$x[1:4], c(1.5, 2.25, NA, 3))
})

test_that("one cell among many that is no number leaves a column text, wherever it stands", {
  for (place in c(1, 2, 501, 999, 1000)) {
    cells <- sprintf("%d,%02d", 1:1000, 1:1000 %% 100)
    expect_identical(formats_of(cells)$formats, "1234,5")
    cells[place] <- "about 7"
    expect_null(formats_of(cells))
  }
})

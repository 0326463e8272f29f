round_trip <- function(b) {
  file <- withr::local_tempfile(fileext = ".yml")
  write_brief(b, file)
  read_brief(file)
}

hostile <- c(
  "yes", "no", "y", "n", "Y", "N", "on", "off", "true", "False", "null", "~", "1e-4", "010", "0x1F", "1_000", "12:30",
  "12:30:45", ".inf", ".nan",
  "=", "<<", "- a", "? b", "a: b", "a #b", "#c", "&d", "*e", "!f", "%g", "@h", "`i`", "[j]", "{k}", "'", "\"q\"",
  "it's", " lead", "trail ", "", "a\nb",
  "tab\there", "\\n", "d\u00e9j\u00e0 vu", "\u7a93", "2025-01-01", "3", "-0", "1.50", "|", ">", ",", "NA", "target",
  "a.b", "$x"
)

test_that("written and read again a brief is identical", {
  b <- brief(kilns, target = "outcome") |>
    set_columns(drop = fired_on) |> prepare(rare = 0.1 + 0.2, numbers = "none") |>
    hold_out(validation = 1 / 3, seed = 2^40 + 1) |> wire("24 relu l2=1e-4 > dropout 0.2 > 12 tanh") |>
    regimen(
      method = "momentum", momentum = 0.85, stop = "none",
      class_weights = c(burst = 5, crazed = 2, sound = 1, warped = 3.3), seed = 7
    )
  expect_identical(round_trip(b), without_table(b))
  others <- list(
    brief(recovery, "returned") |> set_columns(group = patient),
    brief(crossings, "passengers") |> set_columns(order = sails_on), brief(boats, "litres_mile")
  )
  for (other in others) {
    expect_identical(round_trip(other), without_table(other))
  }
})

test_that("hostile column names and classes survive the file", {
  for (seed in 1:20) {
    withr::local_seed(seed)
    columns <- sample(setdiff(hostile, ""), 8)
    classes <- sample(setdiff(hostile, ""), 4)
    table <- as.data.frame(matrix(rnorm(40 * 8), 40))
    names(table) <- columns
    table[[1]] <- rep(classes, 10)
    b <- brief(table, target = columns[1]) |>
      set_columns(drop = tidyselect::all_of(columns[2:3]), id = tidyselect::all_of(columns[4])) |>
      regimen(class_weights = setNames(runif(4), classes))
    expect_identical(round_trip(b), without_table(b))
  }
})

test_that("a short file is enough, and what it leaves out has the defaults", {
  b <- read_brief(text = "target: outcome\nregimen: {epochs: 50, class_weights: {no: 1, yes: 4.5}}\nwiring: 8 relu\n")
  expect_equal(b$regimen$epochs, 50)
  expect_equal(b$regimen$class_weights, list(no = 1, yes = 4.5))
  expect_equal(b$regimen$method, "auto")
  expect_null(b$task)
  expect_match(paste(format(b), collapse = " "), "guessed when the table is read")
})

test_that("the table that a file names is read from beside the file", {
  folder <- withr::local_tempdir()
  utils::write.csv(small_kilns(), file.path(folder, "k.csv"), row.names = FALSE, na = "")
  writeLines(c("data: {file: k.csv}", "target: outcome", "hold_out: {seed: 3}"), file.path(folder, "k.yml"))
  b <- read_brief(file.path(folder, "k.yml"))
  expect_equal(nrow(b$table), 600)
  expect_equal(b$columns$kinds$fired_on, "date")
  expect_equal(b$hold_out$seed, 3)
})

test_that("mistakes in a file name their key", {
  reading <- function(...) read_brief(text = paste(c("target: outcome", ...), collapse = "\n"))
  expect_fails(reading("wirring: linear"), "The brief has no setting `wirring`", "Did you mean `wiring`?")
  expect_fails(reading("regimen: {epoch: 5}"), "`regimen` has no setting `epoch`", "Did you mean `epochs`?")
  expect_fails(reading("regimen: {epochs: many}"), "`regimen.epochs` can't be", "\"many\"")
  expect_fails(reading("hold_out: {test: 2}"), "`hold_out.test`")
  expect_fails(reading("wiring: 24 rellu"), "character 4")
  expect_fails(reading("regimen: 5"), "`regimen` must hold settings")
  expect_fails(reading("hold_out: [a"), "is not YAML")
  expect_fails(read_brief(text = "- a\n- b\n"), "no keys")
  expect_fails(read_brief(text = "wiring: linear"), "no `target`")
  expect_fails(read_brief("no/such/brief.yml"), "There is no file")
  expect_fails(read_brief(tempdir()), "is a folder")
})

test_that("nothing in a file is run", {
  withr::local_dir(withr::local_tempdir())
  expect_equal(read_brief(text = "target: !expr file.create('ran')\n")$target, "file.create('ran')")
  expect_false(file.exists("ran"))
})

test_that("the script of a brief runs as it stands and gives the same bits", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(small_kilns(), "kilns.csv")
  b <- brief("kilns.csv", target = "outcome") |> add_columns(note = ifelse(kiln == "Gannet", "a \")--- b", "c")) |>
    quick() |> hold_out(seed = 2) |> regimen(epochs = 3, seed = 1)
  model <- train(b, progress = "none")
  here <- new.env()
  utils::capture.output(suppressMessages(eval(parse(text = as_code(b)), here)), type = "message")
  expect_identical(here$model$predictor, model$predictor)
  write_model(model, "k.hylo")
  script <- hylomath("show", "k.hylo", "--code")$out
  suppressMessages(eval(parse(text = script), here))
  expect_identical(here$model$predictor, model$predictor)
  expect_match(as_code(brief(small_kilns(), "outcome")), "names no table")
})

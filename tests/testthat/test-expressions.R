table <- data.frame(
  a = c(1, -2.5, NA, 2.5), b = c(2, 3, 4, -3), word = c("north", NA, "South", "sun"), yes = c(TRUE, FALSE, NA, TRUE),
  day = as.Date(c("2024-12-30", "2021-01-03", NA, "2024-02-29")),
  at = as.POSIXct(c("2025-03-30 00:30", "2025-06-01 23:59", "2025-01-01 12:00", NA), tz = "UTC")
)
value <- function(text, on = table) evaluate_expression(parse_expression(text, "x"), on, "x")

test_that("arithmetic, remainders and rounding mean what the page says", {
  expect_equal(value("a + b * 2 - -1"), table$a + table$b * 2 + 1)
  expect_equal(value("7 %% b"), c(1, 1, 3, -2))
  expect_equal(value("-7 %/% b"), c(-4, -3, -2, 2))
  expect_equal(value("round(a)"), c(1, -3, NA, 3))
  expect_equal(value("round(a * 1.1, 1)"), c(1.1, -2.8, NA, 2.8))
  expect_equal(value("2^b^1"), 2^table$b)
  expect_equal(value("pmin(a, b, 0)"), c(0, -2.5, NA, -3))
  expect_equal(value("log1p(abs(b)) + sqrt(b * b)"), log1p(abs(table$b)) + abs(table$b))
  expect_equal(value("yes + 1"), c(2, 1, NA, 2))
})

test_that("logic is three-valued", {
  expect_equal(value("yes & FALSE"), c(FALSE, FALSE, FALSE, FALSE))
  expect_equal(value("yes | TRUE"), rep(TRUE, 4))
  expect_equal(value("!yes"), c(FALSE, TRUE, NA, FALSE))
  expect_equal(value("word %in% c(\"north\", \"sun\")"), c(TRUE, NA, FALSE, TRUE))
  expect_equal(value("ifelse(a > 0, b, 0)"), c(2, 0, NA, -3))
  expect_equal(value("ifelse(is.na(word), \"none\", word)"), c("north", "none", "South", "sun"))
  expect_equal(value("coalesce(a, b)"), c(1, -2.5, 4, 2.5))
})

test_that("dates have ISO weeks, Monday first, and distances in days", {
  expect_equal(value("week(day)"), as.numeric(format(table$day, "%V")))
  all_days <- data.frame(day = as.Date("2015-01-01") + 0:4500)
  expect_equal(value("week(day)", all_days), as.numeric(format(all_days$day, "%V")))
  expect_equal(value("weekday(day)", all_days), as.numeric(format(all_days$day, "%u")))
  expect_equal(value("yearday(day)", all_days), as.numeric(format(all_days$day, "%j")))
  expect_equal(value("year(day) * 10 + quarter(day)"), c(20244, 20211, NA, 20241))
  expect_equal(value("day - date(\"2024-01-01\")"), as.numeric(table$day - as.Date("2024-01-01")))
  expect_equal(value("day >= \"2024-02-29\""), c(TRUE, FALSE, NA, TRUE))
  expect_equal(value("hour(at) * 100 + minute(at)"), c(30, 2359, 1200, NA))
})

test_that("parts of a time are those of its own zone", {
  berlin <- data.frame(at = as.POSIXct("2025-06-30 23:30", tz = "UTC"))
  attr(berlin$at, "tzone") <- "Europe/Berlin"
  expect_equal(value("hour(at)", berlin), 1)
  expect_equal(value("month(at)", berlin), 7)
})

test_that("text is compared by code point and tested against fixed text", {
  expect_equal(value("word < \"a\""), c(FALSE, NA, TRUE, FALSE))
  expect_equal(value("starts_with(word, \"s\")"), c(FALSE, NA, FALSE, TRUE))
  expect_equal(value("contains(lower(word), \"out\")"), c(FALSE, NA, TRUE, FALSE))
  expect_equal(value("upper(trim(\" x\t\"))"), rep("X", 4))
  expect_equal(value("rank_in(word, \"sun\", \"north\")"), c(2, NA, NA, 1))
  expect_equal(value("nchar(word)"), c(5, NA, 5, 3))
})

test_that("an expression has one text, which reads back as itself", {
  texts <- c(
    "a + b", "-(a - b)^2", "!(yes | is.na(a)) & word %in% c(\"x\", \"y \\\"q\\\"\")", "`odd name` / 1e-04",
    "ifelse(a > (-1), 0.1, NA)", "a %/% 2 %% 3"
  )
  for (text in texts) {
    tree <- parse_expression(text, "x")
    expect_identical(parse_expression(format_expression(tree), "x"), tree)
    expect_identical(format_expression(parse_expression(format_expression(tree), "x")), format_expression(tree))
  }
})

test_that("values of the session go in as constants", {
  limit <- 250
  kinds <- c("ash", "clear")
  since <- as.Date("2025-01-01")
  b <- brief(kilns, "outcome") |> keep_rows(load_kg > !!limit & glaze %in% .env$kinds & fired_on >= !!since)
  expect_equal(b$keep_rows, "load_kg > 250 & glaze %in% c(\"ash\", \"clear\") & fired_on >= date(\"2025-01-01\")")
  expect_equal(
    keep_rows(keep_rows(b, NULL), fired_on < as.Date("2025-01-01"))$keep_rows, "fired_on < date(\"2025-01-01\")"
  )
})

test_that("what is not on the list is refused when it is written, with the reason", {
  b <- brief(kilns, "outcome")
  expect_fails(add_columns(b, x = load_kg / mean(load_kg)), "uses `mean`", "looks at other rows")
  expect_fails(add_columns(b, x = max(load_kg, 3)), "pmax(a, b)")
  expect_fails(add_columns(b, x = system("true")), "uses `system`", "not on the list")
  expect_fails(add_columns(b, x = lodge(load_kg)), "uses `lodge`")
  expect_fails(add_columns(b, x = round(load_kg, digits = 2)), "gives names to the arguments of `round`")
  expect_fails(add_columns(b, x = sqrt(load_kg, 2)), "gives `sqrt` 2 arguments", "sqrt(x)")
  expect_fails(add_columns(b, x = lod_kg + 1), "reads the column `lod_kg`", "Did you mean `load_kg`?", ".env$x")
  expect_fails(add_columns(b, x = glaze + 1), "`+` needs numbers, not text")
  expect_fails(add_columns(b, x = log(load_kg - 340)), "is not finite in rows")
  expect_fails(add_columns(b, load_kg), "needs a name")
  expect_fails(keep_rows(b, load_kg * 2), "must be a condition")
  expect_fails(keep_rows(b, fired_on > "soon"), "\"soon\" is not a date")
  expect_fails(hold_out(b, test_where = peak > 3), "the column `peak`")
  expect_fails(read_brief(text = "target: y\nadd_columns: {x: \"a +\"}"), "`add_columns.x` can't be read")
  expect_fails(read_brief(text = "target: y\nkeep_rows: \"file.remove('x')\""), "uses `file.remove`")
})

test_that("derived columns are inputs, go with the model, and ask for what they are made of", {
  b <- withr::with_seed(1, brief(small_kilns(), "outcome")) |>
    add_columns(heat = peak_c / ramp_c_h, load_kg = log(load_kg), deep = heat * 2) |>
    set_columns(drop = c(peak_c, moisture_pct)) |> regimen(epochs = 3, seed = 1)
  expect_true(all(c("heat", "deep", "load_kg") %in% brief_inputs(b)))
  model <- single(b, progress = "none")
  expect_named(predict(model, kilns), "prediction")
  expect_identical(predict(model, kilns[-c(1, 5)], "probability"), predict(model, kilns, "probability"))
  expect_fails(predict(model, kilns[-6]), "no column `peak_c`")
  by_hand <- transform(small_kilns(), heat = peak_c / ramp_c_h, load_kg = log(load_kg), deep = 2 * peak_c / ramp_c_h)
  expect_identical(encode_inputs(
    model$predictor$preparation,
    working_table(small_kilns(), model$predictor$preparation$rules, c("heat", "load_kg", "deep", brief_inputs(b)))
  ),
                   encode_inputs(model$predictor$preparation, by_hand))
  expect_null(add_columns(b, deep = NULL)$add_columns$deep)
})

test_that("what a derived target is made of is no input", {
  table <- small_kilns()
  b <- brief(table, "outcome") |> add_columns(outcome = ifelse(outcome == "sound", "good", "bad"), late = peak_c > 1260)
  expect_false("outcome" %in% brief_inputs(b))
  b <- brief(transform(table, hot = peak_c > 1260), target = "hot") |> add_columns(hot = peak_c > 1255)
  expect_false("peak_c" %in% brief_inputs(b))
  expect_match(paste(format(b), collapse = " "), "not used +peak_c")
})

test_that("filtered rows are in no part, and are predicted all the same", {
  b <- brief(small_kilns(), "outcome") |> keep_rows(load_kg > 300) |> keep_rows(kiln != "Petrel") |> regimen(epochs = 2)
  part <- part_along(b)
  expect_equal(is.na(part), !(small_kilns()$load_kg > 300 & small_kilns()$kiln != "Petrel"))
  model <- single(b, progress = "none")
  expect_equal(parts_of(model)$rows[parts_of(model)$part == "set aside: filtered"], sum(is.na(part)))
  expect_false(anyNA(predict(model, small_kilns())$prediction))
})

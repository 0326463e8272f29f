# What an audit found wrong, by the numbers of its list (A): each promise with its test.

fitted <- function(table, target, ..., task = NULL) {
  brief(table, target = target, task = task) |> regimen(seed = 1, ...) |> single(progress = "none")
}

# ---- A1 -----------------------------------------------------------------------------------------------------------

test_that("A1: the linear model is found where inputs nearly repeat each other", {
  table <- withr::with_seed(1, {
    x <- rnorm(600)
    x2 <- x + 0.03 * rnorm(600)
    data.frame(x, x2, y = (x - x2) / 0.03 + 0.1 * rnorm(600))
  })
  a <- appraise(fitted(table, "y"))
  expect_lt(a$measures$linear[1], 0.12)
  expect_equal(a$hidden_layers$verdict, "worse")
})

test_that("A1: without a penalty coefficients are those of lm and glm, to a millionth of their standard errors", {
  t <- withr::with_seed(3, {
    n <- 300
    t <- data.frame(a = rnorm(n), b = runif(n))
    t$c <- t$a + 0.05 * rnorm(n)
    t$number <- 2 + t$a - 3 * t$b + rnorm(n)
    t$yes <- ifelse(runif(n) < plogis(0.4 + t$a - t$b), "yes", "no")
    t$count <- rpois(n, exp(0.7 + 0.4 * t$a))
    t
  })
  z <- data.frame(scale(t[c("a", "b", "c")]), t[c("number", "yes", "count")])
  exact <- list(epsilon = 1e-14, maxit = 50)
  cases <- list(
    number = lm(number ~ a + b + c, z), yes = glm(factor(yes) ~ a + b + c, binomial, z, control = exact),
    count = glm(count ~ a + b + c, poisson, z, control = exact)
  )
  for (target in names(cases)) {
    b <- brief(t, target = target) |> set_columns(keep = c(a, b, c)) |> hold_out(validation = 0, test = 0)
    model <- b |> wire("linear") |> regimen(l2 = 0, seed = 1) |> single(progress = "none")
    expect_equal(model$brief$regimen$method, "newton")
    w <- coef(model)$output
    own <- c(w[4, ], w[1:3, ])
    if (target == "number") {
      own <- own * model$predictor$preparation$target$scale
      own[1] <- own[1] + mean(t$number)
    }
    reference <- summary(cases[[target]])$coefficients
    expect_lt(max(abs(own - reference[, 1]) / reference[, 2]), 1e-6)
  }
})

test_that("A1: with its own penalty it is as good on fresh rows, at any number of rows", {
  for (n in c(100, 1000)) {
    all <- withr::with_seed(n, {
      x <- rnorm(n + 4000)
      x2 <- x + 0.1 * rnorm(n + 4000)
      data.frame(x, x2, y = 5 * (x - x2) + rnorm(n + 4000))
    })
    new <- all[-seq_len(n), ]
    b <- brief(all[seq_len(n), ], target = "y") |> hold_out(validation = 0, test = 0) |> wire("linear")
    own <- mean((new$y - predict(single(regimen(b, seed = 1), progress = "none"), new)$prediction)^2)
    expect_lt(log(own / mean((new$y - predict(lm(y ~ x + x2, all[seq_len(n), ]), new))^2)), 0.05)
  }
})

# ---- A2 to A5 -----------------------------------------------------------------------------------------------------

test_that("A2: targets of small spread beside their size are evaluated, and bands told apart", {
  t <- withr::with_seed(1, data.frame(x = rnorm(300), u = 10000 + rnorm(300)))
  targets <- list(10000 + t$x, 1 + 1e-4 * t$x, 1e9 + t$x)
  for (y in targets) {
    table <- transform(t, y = y)
    model <- fitted(table, "y", epochs = 5)
    expect_false(anyDuplicated(appraise(model)$bands$band) > 0)
    expect_s3_class(appraise(model, table, rows = "test", by = u), "hylomath_appraisal")
  }
  f <- folds(brief(transform(t, y = targets[[1]]), target = "y") |> regimen(epochs = 3), k = 2, progress = "none")
  expect_false(anyDuplicated(f$pooled$bands$band) > 0)
})

small_folds <- function(b, ...) folds(quick(b), k = 3, progress = "none", ...)

test_that("A3: a model that was calibrated by folds can be recalibrated", {
  b <- brief(small_kilns(), target = "outcome") |> hold_out(seed = 2) |> regimen(epochs = 10, seed = 3)
  model <- recalibrate(calibrate(single(b, progress = "none"), small_folds(b)))
  expect_equal(model$predictor$recalibration$method, "platt")
  expect_false(is.null(model$linear$recalibration))
  expect_s3_class(appraise(model), "hylomath_appraisal")
})

test_that("A4: folds of anything else are refused", {
  b <- brief(boats, target = "litres_mile") |> hold_out(seed = 2) |> wire("linear") |> regimen(seed = 3)
  model <- single(b, progress = "none")
  others <- list(
    regimen = regimen(b, l2 = 0.3), columns = set_columns(b, drop = crew), hold_out = hold_out(b, seed = 9),
    wiring = wire(b, "2 tanh"), prepare = prepare(b, numbers = "robust")
  )
  for (key in names(others)) expect_fails(calibrate(model, small_folds(others[[key]])), "another brief", key)
  elsewhere <- single(b, data = transform(boats, crew = rev(crew)), progress = "none")
  expect_fails(calibrate(elsewhere, small_folds(b)), "another table")
  expect_length(calibrate(model, small_folds(regimen(b, seed = 8)))$evaluated$calibration$key, 26)
})

test_that("A5: no split in time tears a group, and nothing is learned from rows after the evaluated ones", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient, order = visited_on)
  parts <- parts_of(hold_out(b, by = "ordered"), each = TRUE)
  parts$patient <- recovery$patient
  expect_true(all(tapply(parts$part, parts$patient, function(p) length(unique(p))) == 1))
  expect_true("out_of_fold" %in% parts$part)
  last <- max(recovery$visited_on[parts$part == "out_of_fold"])
  expect_true(all(tapply(recovery$visited_on, parts$patient, max)[unique(parts$patient[parts$part == "test"])] > last))
  f <- folds(regimen(hold_out(b, by = "ordered"), epochs = 2), k = 3, by = "ordered", progress = "none")
  evaluated <- merge(f$predictions[c("key", "fold")], data.frame(key = recovery$visit, patient = recovery$patient))
  expect_true(all(tapply(evaluated$fold, evaluated$patient, function(k) length(unique(k))) == 1))
  torn <- transform(recovery, part = ifelse(visited_on < as.Date("2024-06-01"), "training", "test"))
  by_part <- brief(torn, target = "returned") |> set_columns(group = patient) |> hold_out(parts = "part")
  expect_fails(parts_of(by_part), "The column `part` parts the rows of the group")
})

# ---- A6 -----------------------------------------------------------------------------------------------------------

weighted_table <- function() withr::with_seed(3, {
  n <- 240
  t <- data.frame(
    a = rnorm(n), b = runif(n), g = sample(c("u", "v", "w"), n, TRUE, c(0.7, 0.2, 0.1)),
    d = as.Date("2024-01-01") + sample(900, n, TRUE)
  )
  t$a[sample(n, 9)] <- NA
  t$y <- exp(1 + 0.5 * ifelse(is.na(t$a), 0, t$a) - t$b + rnorm(n, 0, 0.3))
  t$class <- ifelse(t$y > 2, "yes", "no")
  t$count <- rpois(n, t$y)
  t$w <- sample(0:3, n, TRUE)
  t$part <- sample(c("training", "validation", "test"), n, TRUE, c(0.6, 0.2, 0.2))
  t
})

of_weights <- function(table, target, weight_is = NULL) {
  b <- brief(table, target = target) |> set_columns(keep = c(a, b, g, d)) |> hold_out(parts = "part")
  if (!is.null(weight_is)) b <- set_columns(b, weight = w, weight_is = weight_is)
  b |>
    prepare(dates = c("year", "month"), numbers = "robust", target = if (target == "y") "log" else "zscore") |>
    wire("4 tanh") |>
    regimen(seed = 1, epochs = 20, method = "lbfgs", class_weights = if (target == "class") "even") |>
    single(progress = "none")
}

# What was learned, but for how many rows and missing values were counted.
learned_of <- function(model) {
  p <- model$predictor$preparation
  plans <- lapply(p$columns, function(plan) plan[!names(plan) %in% c("seen_missing", "level_rows")])
  list(plans, p$target, model$baseline)
}

test_that("A6: weights that count are rows written out, in preparation, rule, loss, baseline, measures and intervals", {
  t <- weighted_table()
  for (target in c("y", "class", "count")) {
    weighted <- of_weights(t, target, "counts")
    written <- of_weights(t[rep(seq_len(nrow(t)), t$w), ], target)
    expect_equal(learned_of(weighted), learned_of(written), tolerance = 1e-10)
    expect_equal(weighted$brief$regimen, written$brief$regimen)
    expect_equal(weighted$curves$training, written$curves$training, tolerance = 1e-6)
    expect_equal(appraise(weighted)$measures, appraise(written)$measures, tolerance = 1e-4)
  }
})

test_that("A6: a factor of all weights of importance changes nothing, and rows of weight 0 are not there", {
  t <- weighted_table()
  for (target in c("y", "class", "count")) {
    once <- of_weights(t, target, "importance")
    thrice <- of_weights(transform(t, w = 3.7 * w), target, "importance")
    without <- of_weights(t[t$w > 0, ], target, "importance")
    for (other in list(thrice, without)) {
      expect_equal(learned_of(once), learned_of(other), tolerance = 1e-10)
      expect_equal(once$curves$training, other$curves$training, tolerance = 1e-6)
      expect_equal(appraise(once)$measures, appraise(other)$measures, tolerance = 1e-4)
    }
  }
  parts <- parts_of(brief(t, target = "y") |> set_columns(weight = w))
  expect_equal(parts$rows[parts$part == "set aside: weight 0"], sum(t$w == 0))
  halves <- brief(transform(t, w = w / 2), target = "y") |> set_columns(weight = w, weight_is = "counts")
  expect_fails(parts_of(halves), "counts rows, but is not whole", "importance")
  expect_fails(parts_of(set_columns(brief(transform(t, w = 0), target = "y"), weight = w)), "0 in every row")
})

# ---- A7 to A11 ----------------------------------------------------------------------------------------------------

test_that("A7: the interval of an importance heeds who gives the values too", {
  # a rise is what the receiver and what the giver bring: var(o + d) is what the mean of all has
  found <- withr::with_seed(2, replicate(60, {
    n <- 200
    o <- rnorm(n)
    d <- rnorm(n, 0, 2)
    received <- given <- squares <- numeric(n)
    for (r in 1:10) {
      order <- sample(n)
      rise <- o + d[order] + rnorm(n)
      received <- received + rise / 10
      given[order] <- given[order] + rise / 10
      squares <- squares + rise^2 / 10
    }
    share <- donor_share(received, given, squares, 10, rep(1, n), seq_len(n))
    var(received + share * given)
  }))
  expect_equal(mean(found), 1 + 4 + 1 / 10, tolerance = 0.05)
  # what is the same for all rows of a group is drawn with the group: the mean's variance is that of groups
  found <- withr::with_seed(3, replicate(100, {
    unit <- rep(1:40, each = 8)
    d <- rnorm(40, 0, 2)[unit]
    received <- given <- squares <- numeric(320)
    for (r in 1:10) {
      order <- sample(320)
      rise <- d[order] + rnorm(320, 0, 4)
      received <- received + rise / 10
      given[order] <- given[order] + rise / 10
      squares <- squares + rise^2 / 10
    }
    share <- donor_share(received, given, squares, 10, rep(1, 320), unit)
    var(rowsum(received + share * (given - mean(given)), unit)[, 1] / 8) / 40
  }))
  expect_equal(mean(found), 4 / 40 + 16 / 320 / 10, tolerance = 0.06)
})

test_that("A8: a wrong prediction costs the same on either side", {
  t <- withr::with_seed(1, data.frame(x = rnorm(400), error = rnorm(400)))
  t <- transform(t, y = ifelse(x + 0.2 * error > 0, "in", "out"), error = NULL)
  model <- brief(t, target = "y", positive = "out") |> wire("linear") |> hold_out(seed = 1) |>
    regimen(seed = 1, l2 = 0) |>
    single(progress = "none")
  far <- data.frame(x = c(-60, 60))
  p <- suppressWarnings(predict(model, far, type = "probability"), classes = "hylomath_warning_far")
  scores <- abs(log(p$probability_in / p$probability_out))
  expect_equal(scores[1], scores[2], tolerance = 0.05)
  expect_true(all(scores > 17))
})

test_that("A9: an id that several rows have picks no row", {
  t <- withr::with_seed(1, data.frame(who = rep(1:150, 2), x = rnorm(300)))
  t$y <- t$x + rnorm(300)
  b <- brief(t, target = "y") |> set_columns(id = who)
  model <- b |> regimen(seed = 1, epochs = 5) |> single(progress = "none")
  a <- appraise(model)
  # in the table itself rows are known by their place
  expect_equal(augment(a, t)$observed, augment(a, t)$y)
  shuffled_rows <- t[300:1, ]
  expect_fails(augment(a, shuffled_rows), "Several rows have the id", "another one in every row")
  expect_fails(importance(model, shuffled_rows), "Several rows have the id")
})

test_that("A10: a time given for a date is its day where it was written, and times are taken by the table's zone", {
  t <- withr::with_seed(1, data.frame(day = as.Date("2024-01-01") + 0:499))
  t$y <- as.POSIXlt(t$day)$wday + rnorm(500) / 10
  model <- brief(t, target = "y") |> regimen(seed = 1, epochs = 5) |> single(progress = "none")
  as_time <- as.POSIXct("2024-06-01 00:00", tz = "Asia/Tokyo")
  expect_identical(predict(model, data.frame(day = as_time)), predict(model, data.frame(day = as.Date("2024-06-01"))))
  at <- as.POSIXct("2024-01-01", tz = "UTC") + 3600 * (0:499)
  timed <- data.frame(at = at, y = as.POSIXlt(at)$hour + 0)
  model <- brief(timed, target = "y") |> regimen(seed = 1, epochs = 5) |> single(progress = "none")
  elsewhere <- timed
  attr(elsewhere$at, "tzone") <- "Asia/Tokyo"
  expect_warning(there <- predict(model, elsewhere), "time zone Asia/Tokyo", class = "hylomath_warning_zone")
  expect_identical(there, predict(model, timed))
})

test_that("A11: a short brief loses no column, and what it names must be there", {
  folder <- withr::local_tempdir()
  write.csv(boats, file.path(folder, "boats.csv"), row.names = FALSE)
  said <- function(...) {
    file <- file.path(folder, "b.yml")
    writeLines(c("target: litres_mile", "data:", "  file: boats.csv", ...), file)
    read_brief(file)
  }
  b <- said("columns:", "  kinds:", "    crew: category")
  expect_setequal(brief_inputs(b), setdiff(names(boats), "litres_mile"))
  expect_equal(b$columns$kinds$crew, "category")
  expect_fails(said("columns:", "  drop: [crw]"), "names the column `crw`", "Did you mean `crew`?")
  expect_fails(said("columns:", "  kinds:", "    beem_m: number"), "names the column `beem_m`")
  expect_setequal(brief_inputs(said("columns:", "  drop: [crew]")), setdiff(names(boats), c("litres_mile", "crew")))
})

# ---- A12 to A19 ---------------------------------------------------------------------------------------------------

test_that("A12: small hard files hold what they hold", {
  read <- function(text, encoding = "UTF-8") {
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]], file)
    read_table(file)
  }
  cases <- list(
    list("a,b\n\"x \"\"y\"\" z\",1\n", list(a = "x \"y\" z", b = 1)),
    list("\"the \"\"a\"\"\",b\nu,1\n", list("the \"a\"" = "u", b = 1)),
    list("a,b\n\"1,5\",2\n\"x\",3\n", list(a = c("1,5", "x"), b = 2:3)),
    list("a,b\n\"two\nlines\",2\n", list(a = "two\nlines", b = 2)),
    list("a,b\r\nx,1\r\ny,2\r\n", list(a = c("x", "y"), b = 1:2)),
    list("\ufeffa,b\nx,1\n", list(a = "x", b = 1)),
    list("a,b\nx,\ny,2\n", list(a = c("x", "y"), b = c(NA, 2))),
    list("a,b\nx,1", list(a = "x", b = 1))
  )
  for (case in cases) expect_equal(as.list(read(case[[1]])), case[[2]])
  # the first bytes that are no UTF-8 stand behind the part by which the encoding is guessed
  long <- paste0("a,b\n", strrep("plain,1\n", 9000), "K\u00f6ln,2\n")
  expect_equal(tail(read(long, "latin1")$a, 1), "K\u00f6ln")
  expect_fails(read("a,b\nx,1\nx,1,2\n"), "can't be read as a table")
  utf16 <- withr::local_tempfile(fileext = ".csv")
  writeBin(c(as.raw(c(0xff, 0xfe)), iconv("a,b\n\u00e9,2\n", "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]), utf16)
  expect_equal(read_table(utf16)$a, "\u00e9")
})

test_that("A13: many levels that come again are a category, with the encoding of the rule; what is dropped is named", {
  t <- withr::with_seed(1, data.frame(harbour = sprintf("h%03d", sample(150, 3000, TRUE)), x = rnorm(3000)))
  t$y <- as.integer(substring(t$harbour, 2)) / 50 + rnorm(3000)
  t$note <- sprintf("%s %d", t$harbour, sample(2000, 3000, TRUE))
  t$declared <- factor(sprintf("%d", sample(1400, 3000, TRUE)))
  b <- brief(t, target = "y")
  expect_equal(b$columns$kinds[c("harbour", "note", "declared")], list(
    harbour = "category", note = "text", declared = "category"
  ))
  expect_match(paste(format(b), collapse = " "), "not used +note \\(text\\)")
  model <- b |> regimen(seed = 1, epochs = 20) |> single(progress = "none")
  encodings <- vapply(model$predictor$preparation$columns, `[[`, "", "encoding")
  expect_equal(sum(encodings == "code"), 2)
  few <- brief(transform(t, harbour = substr(harbour, 1, 3)), target = "y") |> set_columns(keep = harbour)
  expect_equal(single(regimen(few, epochs = 2), progress = "none")$predictor$preparation$columns[[1]]$encoding, "level")
})

test_that("A14: an ordered input keeps its order", {
  grades <- c("poor", "fair", "good", "fine")
  t <- withr::with_seed(1, data.frame(grade = factor(sample(grades, 200, TRUE), grades, ordered = TRUE)))
  t$y <- as.integer(t$grade) + rnorm(200)
  model <- brief(t, target = "y") |> prepare(categories = "ordinal") |> regimen(epochs = 5) |> single(progress = "none")
  plan <- model$predictor$preparation$columns[[1]]
  expect_equal(plan$levels, grades)
  expect_false(is.unsorted(plan$scores))
})

test_that("A15: reading and using a model opens no table, and a query can do nothing but read", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  write.csv(boats, "boats.csv", row.names = FALSE)
  writeLines(c("target: litres_mile", "data:", "  file: boats.csv"), "b.yml")
  write_model(single(regimen(read_brief("b.yml"), epochs = 2), progress = "none"), "b.hylo")
  writeLines("nothing,here\n1,2", "boats.csv")
  model <- read_model("b.hylo")
  expect_null(model$brief$table)
  expect_equal(nrow(suppressWarnings(predict(model, boats), classes = "hylomath_warning_far")), 32)
  skip_if_not_installed("RSQLite")
  file.create("t.sqlite")
  db <- DBI::dbConnect(RSQLite::SQLite(), "t.sqlite")
  DBI::dbWriteTable(db, "boats", boats)
  DBI::dbDisconnect(db)
  from <- function(query) read_source(list(sqlite = "t.sqlite", query = query))
  expect_equal(nrow(from("select * from boats -- all of them")), 32)
  expect_equal(nrow(from("select * from boats where crew <> ';';")), 32)
  expect_fails(from("select load_extension('x')"), "refused the query")
  hostile <- c(
    "select 1; drop table boats", "select 1) as q; drop table boats; --", "select '\\'; drop table boats; --'",
    "/* /* */ ' */ ; drop table boats; --'", "select $$;$$; drop table boats"
  )
  for (query in hostile) expect_fails(from(query), "more than one statement")
  for (name in c("a b", "host=evil", "postgres://x", "dbname='x'")) {
    expect_fails(check_source(list(postgres = name, query = "select 1")), "the name of a database and nothing else")
  }
})

test_that("A16: every function gives a row alone what it gives it in its table", {
  t <- data.frame(
    x = c(1.5, -2, NA, 0, 7), n = c(1, 2, 3, NA, 5), s = c("ab", "b", NA, "c", "abc"),
    f = c(TRUE, FALSE, NA, TRUE, FALSE),
    d = as.Date("2024-01-30") + c(0, 1, NA, 400, 9), u = c("b", "ab", "c", "c", NA)
  )
  texts <- c(
    "(x)", "x + n", "-x", "x - n", "d - d", "x * n", "x / (n + 1)", "n ^ 2", "n %/% 2", "x %% 2", "x == n", "s != u",
    "x < n", "s <= u", "x > n", "x >= n", "s %in% c(\"ab\", \"c\")", "x %in% c(0, 7)", "!f", "f & x > 0", "f | x > 0",
    "abs(x)", "sign(x)", "sqrt(n)", "exp(x)", "log(n)", "log2(n)", "log10(n)", "log1p(n)", "expm1(x)", "floor(x)",
    "ceiling(x)", "trunc(x)", "round(x)", "round(x, 1)", "pmin(x, n)", "pmax(x, n)", "ifelse(f, x, n)",
    "ifelse(f, NA, d)", "ifelse(f, d, NA)", "ifelse(f, NA, s)", "is.na(x)", "coalesce(x, n)", "coalesce(NA, d)",
    "coalesce(s, u)", "year(d)", "quarter(d)", "month(d)", "week(d)", "weekday(d)", "day(d)", "yearday(d)",
    "hour(d)", "minute(d)", "date(\"2024-02-01\") > d", "starts_with(s, \"a\")", "ends_with(s, \"b\")",
    "contains(s, \"b\")", "lower(s)", "upper(s)", "trim(s)", "nchar(s)", "rank_in(s, \"c\", \"b\", \"ab\")"
  )
  value <- function(text, table) suppressWarnings(evaluate_expression(parse_expression(text, "it"), table, "it"))
  for (text in texts) {
    whole <- value(text, t)
    alone <- lapply(seq_len(nrow(t)), function(i) value(text, t[i, , drop = FALSE]))
    expect_identical(as.character(do.call(c, alone)), as.character(whole), info = text)
  }
  named <- unlist(lapply(names(the_functions), function(f) any(grepl(f, texts, fixed = TRUE))))
  expect_true(all(named | names(the_functions) == "c"))
  expect_s3_class(value("ifelse(f, NA, d)", t), "Date")
  refused <- c(
    "s %in% u" = "in all rows", "rank_in(s, u, \"b\")" = "in all rows", "coalesce(s, d)" = "chooses among",
    "ifelse(f, s, x)" = "branches", "c(1, 2) + x" = "one value a row", "c(1, 2)" = "one value a row"
  )
  for (text in names(refused)) expect_fails(value(text, t), refused[[text]])
})

test_that("A17: a role can be taken away", {
  b <- brief(recovery, target = "returned") |> set_columns(group = patient, order = visited_on)
  b <- set_columns(b, order = NULL, group = NULL)
  expect_null(b$columns$order)
  expect_null(b$columns$group)
  expect_equal(b$columns$id, "visit")
})

test_that("A18: a table that was scored is scored again, by R and by the command", {
  withr::local_dir(withr::local_tempdir())
  write_model(quick_model(), "k.hylo")
  write.csv(head(kilns), "k.csv", row.names = FALSE)
  expect_equal(hylomath("predict", "k.hylo", "k.csv", "-o", "s.csv")$status, 0)
  again <- hylomath("predict", "k.hylo", "s.csv", "-o", "t.csv")
  expect_match(paste(again$err, collapse = " "), "from an earlier scoring; replaced")
  expect_identical(read_table("t.csv"), read_table("s.csv"))
  hylomath("predict", "k.hylo", "s.csv", "-o", "u.csv", "--as", "new_")
  expect_true(all(c("prediction", "new_prediction") %in% names(read.csv("u.csv"))))
})

test_that("A19: the smaller things", {
  # the highest score has no weight
  ranked <- ranked_scores(c(3, 2, 1), c(FALSE, TRUE, FALSE), c(0, 1, 1))
  expect_equal(precision_area(ranked, c(FALSE, TRUE, FALSE), c(0, 1, 1))$value, 1)
  expect_equal(calibration_needed(0.8), 4)
  expect_equal(calibration_needed(0.9), 9)
  expect_equal(weighted_median(c(1, 2, 9), c(1, 0, 1)), 5)
  expect_s3_class(look(data.frame(x = c(5, 5, 5, Inf), y = 1:4)), "hylomath_look")
  expect_fails(
    brief(transform(boats, crew = replace(crew, 3, 1e200)), target = "litres_mile") |> single(progress = "none"),
    "too large to compute with"
  )
  counts <- brief(transform(small_crossings(), days = 1 + hour), target = "passengers") |>
    add_columns(longer = days * 2) |> set_columns(exposure = days) |> regimen(epochs = 2) |> single(progress = "none")
  expect_false(anyDuplicated(needed_columns(counts$predictor)) > 0)
  # the commonest level, whatever the encoding
  t <- data.frame(g = rep(c("a", "b", NA), c(60, 30, 10)), y = rnorm(100))
  for (categories in c("ordinal", "frequency", "hash", "embedding", "indicator")) {
    model <- brief(t, target = "y") |> prepare(categories = categories, missing = "common") |>
      regimen(epochs = 3, seed = 1) |> single(progress = "none")
    expect_identical(predict(model, data.frame(g = NA_character_)), predict(model, data.frame(g = "a")))
  }
  b <- brief(transform(boats, twice = 0 * crew + rev(crew)), target = "twice") |> add_columns(twice = litres_mile * 2)
  more <- boats[setdiff(names(boats), "litres_mile")]
  expect_equal(sum(is.na(with_unlabelled(b, more)$table$litres_mile)), 32)
})

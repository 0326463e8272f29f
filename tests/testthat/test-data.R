written <- function(..., frame = parent.frame()) {
  file <- withr::local_tempfile(fileext = ".csv", .local_envir = frame)
  writeLines(c(...), file, useBytes = TRUE)
  file
}

test_that("a table is read with the types that its cells have", {
  t <- read_table(
    written(
      "id,x,day,at,code,word", "a,1.5,2025-01-03,2025-01-03T10:30:00Z,010,yes",
      "b,,2025-02-28,2025-01-03T11:00:00Z,002,"
    )
  )
  expect_equal(t$x, c(1.5, NA))
  expect_equal(t$day, as.Date(c("2025-01-03", "2025-02-28")))
  expect_equal(t$at, as.POSIXct(c("2025-01-03 10:30:00", "2025-01-03 11:00:00"), tz = "UTC"))
  expect_equal(t$code, c("010", "002"))
  expect_equal(t$word, c("yes", NA))
})

test_that("what only looks like a date stays text", {
  expect_type(read_table(written("day", "2025-02-28", "2025-02-30"))$day, "character")
})

test_that("known kinds decide over looks", {
  t <- read_table(written("zone,x", "1,2", "2,3"), c(zone = "category", x = "number", gone = "category"))
  expect_equal(t$zone, c("1", "2"))
  expect_equal(t$x, 2:3)
})

test_that("broken files are refused with their name", {
  expect_fails(read_table("no/such.csv"), "There is no file `no/such.csv`")
  empty <- withr::local_tempfile()
  file.create(empty)
  expect_fails(read_table(empty), "is empty")
  expect_fails(read_table(written("a,b")), "no rows")
  expect_fails(read_table(written("a,b", "1,2", "3,4,5,6", "1,2")), "can't be read as a table")
})

test_that("look() names kinds, missing values and shares, and notes what is odd", {
  seen <- look(kilns, target = "outcome")
  expect_equal(seen$columns$missing[seen$columns$column == "gas_mbar"], sum(is.na(kilns$gas_mbar)))
  expect_equal(seen$shares$share, as.numeric(sort(prop.table(table(kilns$outcome)), decreasing = TRUE)))
  expect_equal(notes(seen)$code, "id_like")
  odd <- look(data.frame(y = rep(c("n", "y"), c(97, 3)), k = 1, e = NA, x = sin(1:100)), target = "y")
  expect_setequal(notes(odd)$code, c("nearly_one_class", "no_values", "constant"))
  expect_match(notes(odd)$note[1], "97.0 % of the rows")
  expect_equal(nrow(notes(look(boats))), 0)
  expect_fails(look(kilns, target = "otcome"), "Did you mean `outcome`?")
})

test_that("a wide table prints short, and whole on request", {
  wide <- as.data.frame(matrix(rnorm(600), 2))
  expect_lt(length(format(look(wide))), 60)
  expect_gt(length(format(look(wide), all = TRUE)), 300)
})

test_that("the shipped tables and files are the same, with the promised shares", {
  for (name in c("kilns", "recovery", "crossings")) {
    expect_equal(
      read_table(system.file("extdata", paste0(name, ".csv"), package = "hylomath")), get(name), ignore_attr = TRUE
    )
  }
  expect_equal(mean(kilns$outcome == "sound"), 0.83, tolerance = 0.02)
  expect_equal(mean(recovery$returned == "yes"), 0.12, tolerance = 0.1)
})

test_that("the generators make the shipped tables again", {
  generators <- "../../data-raw/generators.R"
  skip_if_not(file.exists(generators), "outside the repository")
  here <- new.env()
  sys.source(generators, here)
  expect_equal(withr::with_preserve_seed(here$kilns_table()), kilns)
  expect_equal(withr::with_preserve_seed(here$crossings_table()), crossings)
  # observed frequencies agree with the rule's probabilities: z scores of the class counts
  p <- here$kilns_rule(kilns)
  z <- (table(kilns$outcome) - colSums(p)) / sqrt(colSums(p * (1 - p)))
  expect_true(all(abs(z) < 3.5))
})

test_that("each note of a look is given when there is reason, and not otherwise", {
  withr::local_seed(5)
  n <- 400
  base <- data.frame(y = sample(c("no", "yes"), n, TRUE), x = rnorm(n), w = sample(letters[1:4], n, TRUE))
  codes <- function(table, target = "y") notes(look(table, target = target))$code
  expect_equal(codes(base), character())
  expect_equal(codes(rbind(base, base[1:3, ])), "duplicate_rows")
  expect_match(notes(look(rbind(base, base[1:3, ])))$note, "^3 rows are an exact copy")
  expect_equal(codes(transform(base, late = ifelse(y == "yes", "L", "E"))), "gives_target_away")
  expect_equal(codes(transform(base, score = (y == "yes") * 10 + runif(n))), "gives_target_away")
  expect_equal(codes(transform(base, copy = exp(x)), "x"), "gives_target_away")
  half <- function(cell) transform(base, load = replace(as.character(round(rnorm(n), 2)), 7, cell))
  expect_equal(codes(half("n/a")), "read_as_written")
  expect_match(notes(look(half("n/a")))$note, "load (as `1234.5`, \"n/a\" missing)", fixed = TRUE)
  expect_equal(codes(half("plenty")), "numbers_as_text")
  expect_match(notes(look(half("plenty")))$note, "but \"plenty\"")
  dotted <- format(as.Date("2025-01-01") + seq_len(n) %% 60, "%d.%m.%Y")
  expect_equal(codes(transform(base, day = dotted)), "read_as_written")
  expect_equal(codes(transform(base, day = replace(dotted, 3, "31.02.2025"))), "dates_as_text")
  expect_equal(codes(transform(base, w = replace(w, 1:5, " A"))), "alike_levels")
  often <- ifelse(base$y == "yes", 0.4, 0.1)
  expect_equal(codes(transform(base, g = replace(rnorm(n), runif(n) < often, NA))), "informative_missing")
  expect_equal(codes(transform(base, g = replace(rnorm(n), runif(n) < 0.2, NA))), character())
  expect_equal(notes(look(recovery, "returned"))$code, c("id_like", "rows_belong_together", "informative_missing"))
})

test_that("outliers and skew are told", {
  seen <- look(data.frame(a = c(seq(-1, 1, length.out = 100), 50, -60), b = rexp(102)^3))
  expect_equal(seen$columns$outliers[1], 2)
  expect_gt(seen$columns$skew[2], 2)
  expect_match(seen$columns$values[2], "skew")
})

test_that("pairs show the chosen columns, and rare classes more often than they occur", {
  skip_if_not_installed("ggplot2")
  d <- pairs_data(kilns, "outcome", c("load_kg", "soak_min"), most = 1000)
  expect_equal(nrow(d), 4 * 1000)
  expect_gt(mean(d$group == "burst"), 2 * mean(kilns$outcome == "burst"))
  expect_identical(pairs_data(kilns, "outcome", "load_kg"), pairs_data(kilns, "outcome", "load_kg"))
  figure <- plot_pairs(kilns, "outcome")
  expect_s3_class(figure, "ggplot")
  expect_true(all(c("moisture_pct", "ramp_c_h") %in% levels(figure$data$row)))
  expect_s3_class(plot_pairs(small_crossings(), "passengers", c("hour", "fare")), "ggplot")
  expect_fails(plot_pairs(kilns["outcome"], "outcome"), "two columns of numbers")
  expect_fails(plot_pairs(kilns, "outcome", "loadkg"), "no column `loadkg`")
})

test_that("a very wide table and a very long cell are looked at in a moment", {
  wide <- as.data.frame(matrix(rep(c(1.5, 2, 7, NA), 3000), 4))
  seen <- look(wide)
  expect_equal(nrow(seen$columns), 3000)
  expect_equal(which(seen$columns$values == ""), 1001:2000)
  expect_equal(seen$columns$missing, rep(1L, 3000))
  long <- data.frame(a = 1:3 + 0.5, b = c(strrep("x", 1e6), "y", "Y"))
  seen <- look(long)
  expect_lt(max(nchar(seen$columns$values)), 400)
  expect_equal(notes(seen)$code, "alike_levels")
})

test_that("outliers and missing values of a column don't depend on the columns beside it", {
  x <- c(1:30 + 0.5, 500, NA)
  alone <- look(data.frame(x))$columns
  beside <- look(data.frame(a = letters[rep(1:4, 8)], x, n = 32:1 + 0.25))$columns
  expect_equal(alone$outliers, 1)
  expect_equal(beside[2, -1], alone[-1], ignore_attr = "row.names")
})

test_that("a large file is told of while it is read, and a small one is not", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(data.frame(x = rep(1234567.25, long_to_read / 10)), "large.csv")
  data.table::fwrite(data.frame(x = 1:3), "small.csv")
  told <- list()
  withr::local_options(hylomath.progress = function(event) told <<- c(told, list(event)))
  read_table("small.csv")
  expect_length(told, 0)
  read_table("large.csv")
  expect_equal(vapply(told, `[[`, "", "event"), c("doing", "done"))
  expect_equal(told[[1]]$bytes, file.size("large.csv"))
})

test_that("an empty text is a missing value, wherever it comes from", {
  t <- small_kilns()
  t$glaze[1:5] <- ""
  t$kiln <- factor(t$kiln)
  levels(t$kiln)[1] <- ""
  gone <- t
  gone$glaze[1:5] <- NA
  levels(gone$kiln)[1] <- NA
  model <- quick_model(t)
  expect_identical(model$predictor, quick_model(gone)$predictor)
  expect_false("" %in% unlist(lapply(model$predictor$preparation$columns, `[[`, "levels")))
  expect_identical(predict(model, t), predict(model, gone))
  # the table itself stays what it was
  expect_identical(augment(model, t)[names(t)], t)
  expect_fails(augment(model, t, ranked = "sound"), "`ranked` must be TRUE or FALSE")
})

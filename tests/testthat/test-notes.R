codes <- function(x) notes(x)$code
note_of <- function(x, code) notes(x)$note[notes(x)$code == code]
noise <- withr::with_seed(
  2, data.frame(x = rnorm(400), y = sample(c("no", "yes"), 400, replace = TRUE, prob = c(0.9, 0.1)))
)
plenty <- withr::with_seed(
  4, { x <- rnorm(3000); data.frame(x = x, y = ifelse(runif(3000) < plogis(3 * x), "yes", "no")) }
)

test_that("a good network on a plain table is left in peace", {
  expect_equal(setdiff(codes(appraise(quick_model(plenty, "y", epochs = 100))), "linear_is_as_good"), character())
})

test_that("predictions of one class only, and classes never predicted, are told", {
  one <- appraise(quick_model(noise, "y", epochs = 30))
  expect_match(note_of(one, "one_class_only"), "predicts \"no\" for all 80 rows")
  expect_false(any(c("accuracy_misleads", "class_never_predicted") %in% codes(one)))
  three <- appraise(quick_model(kilns, epochs = 3))
  never <- setdiff(three$evaluated$observed, three$evaluated$prediction)
  expect_gt(length(unique(three$evaluated$prediction)), 1)
  expect_equal("class_never_predicted" %in% codes(three), length(never) > 0)
  made <- appraise(quick_model(kilns, epochs = 30))
  made$confusion[, "burst"] <- 0
  expect_match(note_never_predicted(made)$note, "\"burst\" is never predicted")
  expect_null(note_never_predicted(appraise(quick_model(kilns, epochs = 60))))
})

test_that("networks that are no better than nothing, or than no hidden layers, are told", {
  number <- withr::with_seed(2, data.frame(x = rnorm(200), y = rnorm(200)))
  bad <- withr::with_seed(
    1, brief(number, "y") |> hold_out(validation = 0) |> regimen(epochs = 300, l2 = 0) |> single(progress = "none")
  )
  expect_true("no_better_than_baseline" %in% codes(appraise(bad)))
  line <- withr::with_seed(3, { d <- as.data.frame(matrix(rnorm(2400), 120)); d$y <- rowSums(d) + rnorm(120); d })
  worse <- appraise(
    withr::with_seed(
      1,
      brief(line, "y") |>
        hold_out(validation = 0, test = 0.4) |> wire("64 relu > 64 relu") |>
        regimen(epochs = 200, l2 = 0, method = "adam") |> single(progress = "none")
    )
  )
  expect_true(all(c("linear_is_better", "overfits") %in% codes(worse)))
  expect_false(any(c("linear_is_better", "linear_is_as_good") %in% codes(appraise(quick_model(kilns, epochs = 60)))))
})

test_that("epochs that were too few, or too many, are told", {
  expect_true("still_falling" %in% codes(quick_model(kilns, epochs = 2)))
  expect_match(paste(format(quick_model(kilns, epochs = 2)), collapse = "\n"), "\\[still_falling\\]")
  # nothing is left to fall where all is learned from the first epoch on, and a loss may be below 0
  falling <- function(loss) {
    note_still_falling(list(stopped = "epochs", epochs = 2, best = 2, curves = data.frame(validation = loss)))
  }
  expect_null(falling(c(0, 0)))
  expect_null(falling(c(1, 1e-7)))
  expect_equal(falling(c(1, -1))$code, "still_falling")
  expect_equal(falling(c(-1, -2))$code, "still_falling")
  rose <- withr::with_seed(
    1,
    brief(small_kilns(), "outcome") |>
      wire("64 relu > 64 relu") |> regimen(method = "adam", l2 = 0, epochs = 60, stop = "none") |>
      single(progress = "none")
  )
  expect_match(note_of(rose, "validation_rose"), sprintf("From epoch %d on the validation loss rose", rose$best_epoch))
  expect_false(any(c("validation_rose", "overfits") %in% codes(appraise(quick_model(plenty, "y", epochs = 100)))))
})

test_that("inputs that give the target away, and ids, are told", {
  leak <- transform(
    kilns,
    verdict = ifelse(outcome == "sound", "A", ifelse(outcome == "crazed", "B", ifelse(outcome == "warped", "C", "D")))
  )
  expect_match(note_of(quick_model(leak, epochs = 2), "gives_target_away"), "verdict alone gives outcome away")
  named <- withr::with_seed(1, brief(small_kilns(), "outcome")) |>
    set_columns(id = fired_on, kinds = c(firing = "category"))
  named <- single(regimen(named, epochs = 2), progress = "none")
  expect_match(note_of(named, "id_as_input"), "firing has another value in every row and is used as an input")
  expect_false(any(c("gives_target_away", "id_as_input") %in% codes(quick_model(kilns, epochs = 2))))
})

test_that("few rows, bad probabilities and meaningless relative errors are told", {
  a <- appraise(quick_model(small_kilns(), epochs = 20))
  expect_match(note_of(a, "few_rows"), "of the class \"burst\"")
  expect_false("few_rows" %in% codes(appraise(quick_model(plenty, "y"))))
  expect_match(note_of(appraise(quick_model(boats, "litres_mile")), "few_rows"), "Only 6 rows are evaluated")
  bold <- appraise(quick_model(plenty, "y", epochs = 100))
  expect_false("probabilities_off" %in% codes(bold))
  bold$evaluated$probability_yes <- bold$evaluated$probability_yes^3 / (
    bold$evaluated$probability_yes^3 + bold$evaluated$probability_no^3
  )
  expect_match(note_probabilities_off(bold)$note, "are not right")
  some <- transform(small_crossings(), passengers = ifelse(seq_len(600) %% 7 == 0, 0, passengers))
  expect_match(
    note_of(appraise(quick_model(some, "passengers")), "relative_error_meaningless"),
    "observed values of passengers are 0"
  )
  near <- withr::with_seed(5, data.frame(x = rnorm(400)))
  near$y <- near$x + rnorm(400, 0, 0.1)
  near$y[seq(1, 400, 40)] <- 1e-5
  expect_match(note_of(appraise(quick_model(near, "y"), near), "relative_error_meaningless"), "nearest to 0")
  expect_false("relative_error_meaningless" %in% codes(appraise(quick_model(small_crossings(), "passengers"))))
})

test_that("rows that were learned from, or lie outside, are told", {
  model <- quick_model(kilns, epochs = 20)
  expect_match(note_of(appraise(model, kilns), "rows_seen"), "3,200 rows of the table were used in training and left")
  own <- kilns[match(model$evaluated$test$key, kilns$firing), ]
  expect_false("rows_seen" %in% codes(appraise(model, own)))
  unusual <- transform(own, peak_c = peak_c + 500)
  expect_match(note_of(appraise(model, unusual), "outside_range"), "in peak_c")
  inside <- own[unusual_rows(model, own)$rows == "", ]
  expect_false("outside_range" %in% codes(appraise(model, inside)))
  # without an id, row numbers alone prove nothing
  nameless <- quick_model(plenty[1:1500, ], "y")
  expect_true("rows_seen" %in% codes(appraise(nameless, plenty[1:1500, ])))
  expect_false("rows_seen" %in% codes(appraise(nameless, plenty[1501:3000, ])))
})

test_that("copies that straddle the parts and classes that a part lacks are noted", {
  twice <- rbind(small_kilns(), transform(small_kilns(), firing = sub("F", "G", firing)))
  model <- withr::with_seed(1, brief(twice, "outcome") |> regimen(epochs = 100) |> single(progress = "none"))
  expect_match(note_of(model, "copies_straddle"), "test rows have an exact copy")
  lacking <- hold_out(brief(small_kilns(), "outcome"), test_where = outcome != "burst" & moisture_pct < 2)
  model <- withr::with_seed(1, single(regimen(lacking, epochs = 100), progress = "none"))
  expect_match(note_of(model, "part_lacks_class"), "The test part has no row of the class \"burst\"")
})

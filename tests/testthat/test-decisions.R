# Evaluated rows of a known kind, as far as decisions look at them.
rows_decided <- function(p, y, unit = seq_along(p), linear_p = NULL, called = p >= 0.5) {
  list(
    class = "yes", is_class = y, p = p, called = called, linear_p = linear_p, weight = rep(1, length(p)), unit = unit,
    level = 0.95, plain = !anyDuplicated(unit)
  )
}

returns <- function(...) {
  withr::with_seed(
    1,
    brief(recovery, target = "returned") |> set_columns(drop = patient) |> set_decisions(...) |>
      hold_out(seed = 1) |> regimen(epochs = 30) |> single(progress = "none")
  )
}

model <- returns(top = c(20, 60), gains = c(found = 120, false_alarm = -15), thresholds = c(0.1, 0.2))
appraisal <- appraise(decide(model, threshold = 0.15))
seen <- data.frame(
  y = appraisal$evaluated$observed == "yes", p = appraisal$evaluated$probability_yes,
  linear = appraisal$linear$probability_yes
)

test_that("diagnostic accuracy is what prop.test says of the confusion matrix", {
  found <- diagnostic_accuracy(appraisal)
  called <- seen$p >= 0.15
  counts <- list(
    c(sum(called & seen$y), sum(seen$y)), c(sum(!called & !seen$y), sum(!seen$y)),
    c(sum(called & seen$y), sum(called)), c(sum(!called & !seen$y), sum(!called))
  )
  expect_equal(found$measure, c("sensitivity", "specificity", "positive predictive value", "negative predictive value"))
  for (i in 1:4) {
    test <- suppressWarnings(prop.test(counts[[i]][1], counts[[i]][2], correct = FALSE))
    expect_equal(unlist(found[i, c("right", "of")], use.names = FALSE), counts[[i]])
    expect_equal(found$value[i], test$estimate[[1]])
    expect_equal(c(found$low[i], found$high[i]), as.numeric(test$conf.int))
  }
  expect_equal(found$linear[1], sum(seen$linear >= 0.15 & seen$y) / sum(seen$y), tolerance = 0.2)
  own <- appraisal$classes[appraisal$classes$class == "yes", ]
  expect_equal(own$negative_predictive_value, found$value[4])
  expect_equal(own$negative_predictive_value_low, found$low[4])
  # another threshold, another class, and a share of no rows
  expect_equal(diagnostic_accuracy(appraisal, threshold = 0.3)$of[3], sum(seen$p >= 0.3))
  expect_equal(diagnostic_accuracy(appraisal, "no")$right[1], sum(!called & !seen$y))
  expect_true(is.na(diagnostic_accuracy(appraisal, threshold = 1)$value[3]))
})

test_that("the calibration line is that of glm", {
  data <- withr::with_seed(3, data.frame(x = rnorm(400, -1)))
  uneven <- withr::with_seed(2, runif(400, 0.5, 2))
  data$y <- withr::with_seed(4, rbinom(400, 1, plogis(0.4 + 0.7 * data$x)))
  for (weight in list(rep(1, 400), uneven)) {
    found <- calibration_line(plogis(data$x), data$y == 1, weight)
    fit <- function(formula) suppressWarnings(glm(formula, binomial, data, weights = weight, epsilon = 1e-14))
    line <- fit(y ~ x)
    expect_equal(found$values[["calibration slope"]], coef(line)[["x"]], tolerance = 1e-8)
    expect_equal(found$values[["calibration intercept"]], coef(fit(y ~ offset(x)))[[1]], tolerance = 1e-8)
    # the sandwich's variance
    scores <- cbind(1, data$x) * weight * (data$y - fitted(line))
    sandwich <- vcov(line) %*% crossprod(scores) %*% vcov(line)
    expect_equal(sum(found$influence[, 2]^2), sandwich[2, 2], tolerance = 1e-6)
  }
  m <- appraisal$measures
  expect_equal(
    m$value[m$measure == "calibration slope"], coef(glm(y ~ qlogis(p), binomial, seen, epsilon = 1e-14))[[2]],
    tolerance = 1e-7
  )
  expect_true(all(c("low", "linear", "difference_high", "baseline") %in% names(m)))
  expect_false(is.na(m$baseline[m$measure == "calibration intercept"]))
  # rows that the probabilities separate, and probabilities that do not vary, have no slope
  apart <- calibration_line(c(0.1, 0.2, 0.8, 0.9), c(FALSE, FALSE, TRUE, TRUE), rep(1, 4))
  expect_identical(unname(is.na(apart$values)), c(FALSE, TRUE))
  expect_true(is.na(calibration_line(rep(0.3, 10), rep(c(TRUE, FALSE), 5), rep(1, 10))$values[[2]]))
  expect_true(all(is.na(calibration_line(c(0.2, 0.4), c(FALSE, FALSE), c(1, 1))$values)))
})

test_that("the smooth calibration curve is a logistic regression on a natural spline", {
  data <- withr::with_seed(5, data.frame(x = rnorm(900, -0.5)))
  data$y <- withr::with_seed(6, rbinom(900, 1, plogis(data$x + 0.4 * sin(2 * data$x)))) == 1
  as_appraisal <- list(weight = rep(1, 900), unit = 1:900, level = 0.95)
  found <- smooth_calibration_of(as_appraisal, plogis(data$x), data$y)
  knots <- quantile(data$x, seq(0.05, 0.95, length.out = 5), names = FALSE)
  fit <- glm(y ~ splines::ns(x, knots = knots[2:4], Boundary.knots = knots[c(1, 5)]), binomial, data, epsilon = 1e-12)
  expect_equal(
    found$observed, unname(predict(fit, data.frame(x = qlogis(found$probability)), type = "response")), tolerance = 1e-6
  )
  expect_true(all(found$low < found$observed & found$observed < found$high))
  # with few rows of a class it is the calibration line
  few <- smooth_calibration_of(lapply(as_appraisal, utils::head, 60), plogis(data$x[1:60]), seq_len(60) %% 6 == 0)
  line <- glm(I(seq_len(60) %% 6 == 0) ~ x, binomial, data[1:60, ])
  ends <- data.frame(x = qlogis(few$probability[c(1, 100)]))
  expect_equal(qlogis(few$observed[c(1, 100)]), unname(predict(line, ends)), tolerance = 1e-5)
  # many knots, whose coefficients are large, have an end too
  many <- withr::with_seed(7, data.frame(x = rnorm(3000)))
  all_there <- vapply(1:20, function(seed) {
    y <- withr::with_seed(seed, runif(3000) < plogis(many$x))
    !is.null(smooth_calibration_of(list(weight = rep(1, 3000), unit = 1:3000, level = 0.95), plogis(many$x), y))
  }, NA)
  expect_true(all(all_there))
  curve <- calibration_curve(appraisal, smooth = TRUE)
  expect_equal(dim(curve), c(100, 5))
  expect_s3_class(plot_calibration(appraisal), "ggplot")
})

test_that("net benefit is what its formula says", {
  found <- net_benefit(appraisal)
  expect_equal(unique(found$threshold), c(0.1, 0.2))
  n <- nrow(seen)
  for (t in c(0.1, 0.2)) {
    benefit <- function(treated) sum(treated & seen$y) / n - sum(treated & !seen$y) / n * t / (1 - t)
    own <- found[found$threshold == t, ]
    expect_equal(
      own$net_benefit, c(benefit(seen$p >= t), benefit(seen$linear >= t), benefit(TRUE), 0)
    )
    expect_equal(own$difference[-1], own$net_benefit[1] - own$net_benefit[-1])
    expect_true(all(own$low <= own$net_benefit & own$net_benefit <= own$high))
    expect_true(all((own$difference_low <= own$difference & own$difference <= own$difference_high)[-1]))
  }
  # treating all: the interval of the class's share, moved
  share <- as.numeric(prop.test(sum(seen$y), n, correct = FALSE)$conf.int)
  all <- found[found$strategy == "all" & found$threshold == 0.2, ]
  expect_equal(c(all$low, all$high), share * 1.25 - 0.25)
})

test_that("the list of the highest probabilities counts what is found", {
  found <- top_rows(appraisal)
  order <- order(-seen$p)
  expect_equal(found$n, c(20, 60))
  expect_equal(found$found, c(sum(seen$y[order[1:20]]), sum(seen$y[order[1:60]])))
  expect_equal(found$linear[2], sum(seen$y[order(-seen$linear)[1:60]]), tolerance = 0.05)
  expect_equal(found$chance, c(20, 60) * mean(seen$y))
  expect_equal(found$threshold[1], seen$p[order[20]])
  expect_true(all(found$low <= found$found & found$found <= found$high))
  # of ties as many as are wanted, by chance
  tied <- rows_decided(rep(c(0.9, 0.4, 0.1), c(2, 4, 4)), rep(c(TRUE, FALSE), 5))
  expect_equal(found_on_top(tied$p, tied, 4)$found, 1 + 2 * 2 / 4)
  expect_fails(top_rows(appraisal, 1e6), "only", "rows are evaluated")
  expect_fails(top_rows(appraisal, 0), "`n` must be a whole number from 1")
})

test_that("profit adds up what the four outcomes earn", {
  gains <- c(found = 100, false_alarm = -20, missed = -50, left_alone = 1)
  found <- profit_curve(appraisal, gains, thresholds = c(0.1, 0.3))
  profit <- function(treated) {
    sum(ifelse(seen$y, ifelse(treated, 100, -50), ifelse(treated, -20, 1)))
  }
  expect_equal(found$profit, c(profit(seen$p >= 0.15), profit(seen$p >= 0.1), profit(seen$p >= 0.3)))
  expect_equal(found$all[1], profit(rep(TRUE, nrow(seen))))
  expect_equal(found$none[1], profit(rep(FALSE, nrow(seen))))
  expect_equal(found$linear[2], profit(seen$linear >= 0.1))
  expect_equal(found$a_row, found$profit / nrow(seen))
  expect_true(all(found$low < found$profit & found$profit < found$high))
  # Elkan's threshold is where the expected profits of treating a row and of leaving it are the same
  t <- attr(found, "best_threshold")
  expect_equal(t * 100 - (1 - t) * 20, t * -50 + (1 - t) * 1)
  expect_fails(profit_curve(appraise(returns())), "`gains` is missing")
  expect_fails(profit_curve(appraisal, c(found = -1, false_alarm = -15)), "does not pay")
  expect_fails(profit_curve(appraisal, c(found = 1, false_alarm = 15)), "false_alarm` less than one `left_alone")
  expect_fails(profit_curve(appraisal, c(fund = 100)), "Did you mean `found`")
})

# Each row: rows, log-odds of the class, rows in a group.
cells <- rbind(c(300, -2, 1), c(300, -2, 3), c(800, 0, 1))

test_that("intervals of decisions hold the truth as often as they say", {
  skip_on_cran()
  thresholds <- c(0.1, 0.3)
  gains <- whole_gains(list(found = 100, false_alarm = -15, missed = -40))
  draw <- function(n, at, size) {
    eta <- at + rnorm(n)
    shared <- if (size > 1) rep(rnorm(n / size, 0, 0.7), each = size) else 0
    list(p = plogis(eta), linear = plogis(eta + rnorm(n)), y = runif(n) < plogis(0.1 + 0.9 * eta + shared))
  }
  values <- function(d) {
    rows <- rows_decided(d$p, d$y)
    n <- round(length(d$p) / 10)
    c(
      vapply(thresholds, function(t) benefit_of(rows, d$p >= t, t)[[1]], 0),
      vapply(thresholds, function(t) benefit_apart(rows, d$p >= t, d$linear >= t, t)[[1]], 0),
      gains_of(rows, d$p >= 0.2, gains)[[1]], found_on_top(d$p, rows, n)$found / n,
      calibration_line(d$p, d$y, rows$weight)$values
    )
  }
  held <- vapply(seq_len(nrow(cells)), function(i) {
    n <- cells[i, 1]
    size <- cells[i, 3]
    truth <- withr::with_seed(i, values(draw(3e5, cells[i, 2], size)))
    hits <- vapply(1:200, function(seed) withr::with_seed(1000 * i + seed, {
      d <- draw(n, cells[i, 2], size)
      rows <- rows_decided(d$p, d$y, rep(seq_len(n / size), each = size))
      rows$place <- rank(d$p)
      top <- top_interval(found_on_top(d$p, rows, n / 10), rows, n / 10) / (n / 10)
      line <- calibration_line(d$p, d$y, rows$weight)
      half <- student_half(
        unit_sums(line$influence, rows$unit, max(rows$unit)), 0.95, min(sum(d$y), sum(!d$y)), 2
      )
      ends <- rbind(
        t(vapply(thresholds, function(t) benefit_of(rows, d$p >= t, t), numeric(3)))[, -1],
        t(vapply(thresholds, function(t) benefit_apart(rows, d$p >= t, d$linear >= t, t), numeric(3)))[, -1],
        gains_of(rows, d$p >= 0.2, gains)[-1], top, cbind(line$values - half, line$values + half)
      )
      ends[, 1] <= truth & truth <= ends[, 2]
    }), logical(length(truth)))
    rowMeans(hits)
  }, numeric(8))
  expect_gt(mean(held), 0.94)
  expect_lt(mean(held), 0.965)
  expect_gt(min(held), 0.9)
})

test_that("a brief says what decisions are for, and training stays the same", {
  b <- model$brief
  again <- read_brief(text = brief_yaml(b))
  expect_identical(again$decisions, b$decisions)
  expect_match(brief_yaml(b), "gains:\n    found: 120\n    false_alarm: -15")
  expect_identical(predict(returns(), recovery), predict(model, recovery))
  expect_null(set_decisions(b, top = numeric(), gains = list(), thresholds = numeric())$decisions)
  expect_identical(set_decisions(b, top = 5)$decisions$gains, b$decisions$gains)
  plain <- brief(kilns, target = "outcome")
  with_class <- set_decisions(plain, top = 10, class = "burst")
  expect_identical(read_brief(text = brief_yaml(with_class))$decisions$class, "burst")
  expect_fails(set_decisions(plain, top = 10, class = "bust"), "Did you mean `burst`")
  expect_fails(set_decisions(brief(crossings, target = "passengers"), top = 10), "`decisions` are about a class")
  expect_fails(read_brief(text = "target: y\ndecisions: {topp: 3}"), "`decisions` has no setting `topp`")
  expect_fails(set_decisions(plain, top = 1.5), "whole number")
  expect_fails(set_decisions(plain, thresholds = 1), "between 0 and 1")
  expect_fails(set_decisions(recovery), "a brief or a model")
})

test_that("of several classes decisions are about the one that is named", {
  four <- appraise(set_decisions(quick_model(kilns, epochs = 20), top = 30, class = "burst"))
  expect_equal(top_rows(four)$class, "burst")
  expect_equal(top_rows(four)$of, sum(four$evaluated$observed == "burst"))
  expect_match(paste(format(four), collapse = " "), "30 rows with the highest probability of \"burst\"")
  plain <- appraise(quick_model(kilns, epochs = 20))
  expect_fails(top_rows(plain, 30), "about one class", "class = \"warped\"")
  expect_no_match(paste(format(plain), collapse = " "), "sensitivity")
})

test_that("rows that count several are decided on like rows written out", {
  table <- transform(recovery[1:600, ], times = rep(1:3, 200), patient = NULL)
  settings <- function(b) b |> regimen(epochs = 10, seed = 1) |> single(progress = "none")
  counted <- settings(brief(table, target = "returned") |>
    set_columns(weight = times, weight_is = "counts") |> hold_out(seed = 2))
  fresh <- transform(recovery[1001:1300, ], times = rep(1:3, 100))
  long <- fresh[rep(seq_len(300), fresh$times), ]
  long$times <- 1
  long$visit <- paste0(long$visit, "-", seq_along(long$visit))
  gains <- c(found = 120, false_alarm = -15)
  of <- function(data) {
    a <- appraise(counted, data)
    list(
      diagnostic_accuracy(a, threshold = 0.1), net_benefit(a, c(0.1, 0.2)), top_rows(a, 40),
      profit_curve(a, gains, thresholds = 0.1), calibration_curve(a, smooth = TRUE)
    )
  }
  expect_equal(of(fresh), of(long))
})

test_that("the rule in force stands wherever predicted classes do", {
  ruled <- decide(model, threshold = 0.15)
  says <- function(x) expect_match(paste(cli::ansi_strip(format(x)), collapse = " "), "0.15", fixed = TRUE)
  says(ruled)
  says(appraisal)
  says(lineup(plain = model, ruled = ruled))
  says(watch_model(ruled, recovery[1:200, ]))
  says(try_row(ruled, recovery, recovery$visit[1], list(age = 50)))
  expect_match(served_model(ruled)$rule, "0.15")
  for (to in c("page", "sql")) expect_match(paste(transcribe(ruled, to), collapse = " "), "0.15", fixed = TRUE)
  expect_null(served_model(model)$rule)
})

test_that("prints, reports, figures and the command say what decisions come to", {
  expect_snapshot(cat(cli::ansi_strip(decisions_text(appraisal)), sep = "\n"))
  page <- withr::local_tempfile(fileext = ".html")
  write_report(decide(model, threshold = 0.15), page)
  text <- paste(readLines(page, encoding = "UTF-8"), collapse = " ")
  for (said in c(
    "What decisions come to", "negative predictive value", "returned: profit by the threshold",
    "net benefit: rows found"
  )) {
    expect_match(text, said, fixed = TRUE)
  }
  for (figure in list(plot_net_benefit, plot_top, plot_profit)) expect_s3_class(figure(appraisal), "ggplot")
  folder <- withr::local_tempdir()
  write_model(model, file.path(folder, "m.hylo"))
  withr::local_dir(folder)
  run <- function(...) lapply(hylomath("appraise", "m.hylo", ...), paste, collapse = " ")
  said <- run("--top", "10,9999", "--gains", "found=9,false_alarm=-1", "--figures", "drawn")
  expect_equal(said$status, "0")
  expect_match(said$out, "Of the 10 rows with the highest +probability")
  expect_match(said$out, "With 9 for each +\"yes\" +that is +found and -1 for each +false +alarm")
  expect_true(all(c("net-benefit.png", "top.png", "profit.png") %in% list.files("drawn")))
  # what is asked for once is not kept
  expect_identical(read_model("m.hylo")$brief$decisions, model$brief$decisions)
  wrong <- run("--gains", "found")
  expect_equal(wrong$status, "2")
  expect_match(wrong$err, "found=120,false_alarm=-15")
  facts <- jsonlite::fromJSON(run("--json")$out)
  expect_equal(facts$decisions$top, c(20, 60))
})

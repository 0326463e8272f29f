# The class turns at a line that is known: 2 a + b > 1, with c of no weight.
line <- withr::with_seed(2, {
  d <- data.frame(a = round(rnorm(1200), 2), b = round(rnorm(1200), 2), c = sample(c("p", "q"), 1200, TRUE))
  d$class <- ifelse(2 * d$a + d$b > 1, "over", "under")
  d
})

test_that("the smallest change is as small as a search of all values finds", {
  model <- quick_model(line, "class", epochs = 100)
  for (row in c(1, 5, 9)) {
    found <- smallest_change(model, line, row)
    expect_true(all(found$predictions$prediction[-1] != found$predictions$prediction[1]))
    expect_false("c" %in% found$changes$column)
    own <- line[row, ]
    scale <- vapply(c("a", "b"), function(column) mad(explained_table(model, line, 2000)[[column]], constant = 1), 0)
    # every value of each column alone, in its hundredths
    alone <- vapply(c("a", "b"), function(column) {
      seen <- range(line[[column]])
      tried <- own[rep(1, 1501), ]
      tried[[column]] <- pmin(pmax(round(own[[column]] + (-750:750) / 100, 2), seen[1]), seen[2])
      turned <- predict(model, tried)$prediction != found$predictions$prediction[1]
      if (any(turned)) min(abs(tried[[column]][turned] - own[[column]])) / scale[[column]] else Inf
    }, 0)
    expect_lte(sum(found$changes$distance[found$changes$way == 1]), min(alone) + 1e-9)
    expect_equal(found$changes$distance, found$changes$distance[order(found$changes$way)])
    # in the units of its column
    expect_true(all(abs(found$rows$a * 100 - round(found$rows$a * 100)) < 1e-6))
  }
})

test_that("changes keep to the columns that one may change, and to what was seen; or there is none", {
  model <- quick_model(line, "class", epochs = 60)
  row <- which.min(line$a)
  only <- smallest_change(model, line, row, columns = "b")
  none <- smallest_change(model, line, row, columns = "c")
  expect_equal(nrow(none$changes), 0)
  expect_match(gsub("\\s+", " ", paste(format(none), collapse = " ")), "no change of c within what was seen")
  expect_true(all(only$changes$column == "b"))
  expect_true(all(only$rows$b <= max(line$b)))
  expect_fails(smallest_change(model, line, row, to = "under"), "already predicted as \"under\"")
  expect_fails(smallest_change(model, line, row, columns = "d"), "doesn't take in")
  expect_fails(smallest_change(model, line, row, to = "ovr"), "Did you mean `over`")
})

test_that("numbers take a range, several targets one of theirs, and dates whole days", {
  numbers <- transform(line, y = 2 * a + b, z = a - b)
  one <- quick_model(numbers[c("a", "b", "y")], "y", epochs = 60)
  found <- smallest_change(one, numbers, 1, to = c(3, 4))
  expect_true(all(found$predictions$prediction[-1] >= 3 & found$predictions$prediction[-1] <= 4))
  expect_fails(smallest_change(one, numbers, 1), "`to` must say in which range")
  expect_fails(smallest_change(one, numbers, 1, to = c(4, 3)), "`to` must say in which range")
  two <- train(
    brief(numbers[c("a", "b", "y", "z")], target = c("y", "z")) |> hold_out(seed = 1) |> quick() |>
      regimen(seed = 1, epochs = 60),
    progress = "none"
  )
  several <- smallest_change(two, numbers, 1, to = list(z = c(2, Inf)))
  expect_true(all(several$predictions$prediction_z[-1] >= 2))
  sailing <- quick_model(small_crossings(), "passengers", epochs = 20)
  now <- predict(sailing, small_crossings()[1, ])$prediction
  days <- smallest_change(sailing, small_crossings(), 1, columns = "sails_on", to = c(now * 1.01, Inf))
  if (nrow(days$changes)) expect_false(is.na(as.Date(days$changes$changed_to[1])))
  expect_s3_class(days$rows$sails_on, "Date")
})

test_that("of many columns the pairs are those that move the prediction, and a row's own decimals are kept", {
  wide <- withr::with_seed(4, as.data.frame(matrix(round(rnorm(16 * 1000), 1), 1000)))
  wide$class <- ifelse(wide$V15 + wide$V16 > 1, "over", "under")
  model <- quick_model(wide, "class", epochs = 100)
  row <- wide[1, 1:16]
  row[c("V15", "V16")] <- c(-0.4321, -0.5678)
  found <- smallest_change(model, wide, row, columns = names(row))
  expect_true(all(found$predictions$prediction == c("under", rep("over", nrow(found$rows)))))
  expect_true(all(found$changes$column[found$changes$way == 1] %in% c("V15", "V16")))
  searched <- list(columns = names(row), moves = function(rows) cbind(rows$V15 + rows$V16))
  one <- lapply(names(row), function(column) transform(row[rep(1, 5), ], V1 = V1) |> replace(column, list(-2:2)))
  pairs <- pairs_that_move(searched, one)
  expect_length(pairs, 66)
  expect_true(list(c("V15", "V16")) %in% pairs || list(c("V16", "V15")) %in% pairs)
})

test_that("a change stands in a document, or that there is none", {
  model <- quick_model(line, "class", epochs = 60)
  row <- which.min(line$a)
  shown <- in_document(smallest_change(model, line, row))
  expect_match(shown$said, "is predicted as \"under\"")
  expect_named(shown$tables[[1]][[1]], c("way", "column", "as it is", "changed to", "then predicted"))
  expect_match(in_document(smallest_change(model, line, row, columns = "c"))$said, "no change of c")
})

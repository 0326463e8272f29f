# What a table gives away before anything is trained: columns that tell the target, names of units, codes for missing.

visits <- function(n = 900, seed = 3) {
  withr::local_seed(seed)
  patient <- sample(n %/% 2, n, TRUE)
  left <- ifelse(runif(n) < 0.15, "yes", "no")
  data.frame(
    patient, sex = ifelse((patient * 7919) %% 2 == 0, "f", "m"), age = round(50 + 10 * rnorm(n %/% 2))[patient],
    load = rpois(n, 40), left, exit_days = ifelse(left == "yes", rpois(n, 30), NA)
  )
}

test_that("what separates the target gives it away, whatever form it has, and is no information to keep", {
  table <- visits()
  for (found in list(notes(look(table, target = "left")), notes(brief(table, target = "left")))) {
    leak <- found[found$code == "gives_target_away", ]
    expect_match(leak$note, "Whether exit_days is missing gives left away", fixed = TRUE)
    expect_match(leak$try, "set_columns(drop = exit_days)", fixed = TRUE)
    expect_false("informative_missing" %in% found$code)
  }
  expect_output(print(brief(table, target = "left")), "Whether exit_days is missing gives left away")
  model <- train(quick(brief(table, target = "left")) |> regimen(epochs = 2), progress = "none")
  expect_true("gives_target_away" %in% notes(model)$code)
  # nor is what is there for some of one class, and nobody else
  some <- withr::with_seed(6, transform(table, exit_days = ifelse(runif(nrow(table)) < 0.4, exit_days, NA)))
  expect_match(notes(look(some, "left"))$note, "Whether exit_days is missing gives left away", all = FALSE)
  # a level of one class only, of a class that is rare
  rare <- withr::with_seed(1, data.frame(x = rnorm(2000), y = c(rep("bad", 30), rep("good", 1970))))
  rare$state <- ifelse(rare$y == "bad", "closed", sample(c("open", "new"), 2000, TRUE))
  expect_true("gives_target_away" %in% notes(look(rare, target = "y"))$code)
  expect_false("gives_target_away" %in% notes(look(transform(rare, state = sample(state)), target = "y"))$code)
  expect_false("gives_target_away" %in% notes(brief(kilns, target = "outcome"))$code)
})

test_that("columns that name units are no inputs, and are proposed as groups", {
  table <- visits()
  b <- brief(table, target = "left")
  expect_equal(b$columns$kinds$patient, "id")
  expect_null(b$columns$id)
  expect_false("patient" %in% brief_inputs(b))
  expect_match(notes(b)$try[notes(b)$code == "rows_belong_together"], "set_columns(group = patient)", fixed = TRUE)
  expect_false("rows_belong_together" %in% notes(set_columns(b, group = patient))$code)
  # numbers of customers, drawn at random, one a row
  drawn <- withr::with_seed(5, transform(
    table, customer_id = sample(1e6, 900), income = sample(1e6, 900), NO = unique(round(rnorm(2000, 5e4, 1e4)))[1:900]
  ))
  expect_equal(unlist(brief(drawn, "left")$columns$kinds)[c("customer_id", "income", "NO")],
    c(customer_id = "id", income = "count", NO = "count")
  )
  # without a telling name, by what is the same for all rows of a unit
  plainly <- brief(stats::setNames(table, sub("patient", "p", names(table))), "left")
  expect_equal(plainly$columns$kinds$p, "id")
  as_words <- transform(table, patient = sprintf("P%04d", patient))
  expect_equal(brief(as_words, "left")$columns$kinds$patient, "id")
  # quantities stay quantities
  for (column in c("age", "load")) expect_equal(b$columns$kinds[[column]], "count")
  for (demo in list(kilns, crossings)) {
    kinds <- unlist(brief(demo, names(demo)[ncol(demo)])$columns$kinds)
    expect_lte(sum(kinds == "id"), 1)
  }
  expect_equal(unlist(brief(recovery, "returned")$columns$kinds)[["patient"]], "id")
})

test_that("few whole numbers are asked about, and codes for missing are pointed out", {
  table <- withr::with_seed(2, data.frame(x = rnorm(200), v = sample(0:2, 200, TRUE), w = rpois(200, 30)))
  expect_true("few_values" %in% notes(brief(table, "v"))$code)
  expect_true("few_values" %in% notes(look(table, target = "v"))$code)
  expect_false("few_values" %in% notes(brief(table, "w"))$code)
  coded <- transform(table, x = ifelse(seq_along(x) %% 20 == 0, -999, abs(round(x, 2))), v = NULL,
    w = ifelse(w > 38, 9999, w), town = rep(c("Stromness", "unbekannt", "Birsay", "Finstown"), 50))
  found <- notes(look(coded))
  said <- found[found$code == "codes_for_missing", ]
  for (part in c("x (\"-999\")", "w (\"9999\")", "town (\"unbekannt\")")) expect_match(said$note, part, fixed = TRUE)
  expect_match(said$try, "prepare(only = x, missing_codes = -999)", fixed = TRUE)
  expect_equal(look(data.frame(grade = c(rep(1, 500), 2, 3, 2)))$columns$outliers, 0L)
})

test_that("a row that adds up the others is noted, and left out by what the note says", {
  table <- small_kilns(200)
  table$firing <- as.character(table$firing)
  table[201, ] <- NA
  table[201, c("firing", "load_kg")] <- list("Total:", sum(table$load_kg, na.rm = TRUE))
  table$outcome[201] <- "sound"
  found <- look(table)$notes
  expect_match(found$note[found$code == "total_row"], "Row 201 seems to add up the others: its firing is \"Total:\"")
  b <- brief(table, target = "outcome")
  said <- brief_notes(b, settle(b))
  expect_match(said$try[said$code == "total_row"], "keep_rows(firing != \"Total:\")", fixed = TRUE)
  without <- keep_rows(b, firing != "Total:")
  expect_false("total_row" %in% brief_notes(without, settle(without))$code)
  expect_false("total_row" %in% look(table[-201, ])$notes$code)
  # the name alone is no total
  named <- transform(small_kilns(200), kiln = replace(as.character(kiln), 200, "Total"))
  expect_false("total_row" %in% look(named)$notes$code)
})

test_that("levels that are one thing in several writings are put together, in transcripts too", {
  table <- small_kilns(300)
  table$glaze[1:60] <- paste0(toupper(table$glaze[1:60]), " ")
  table$glaze <- sub("a", "\u00e4", table$glaze)
  table$glaze[101:120] <- chartr("\u00e4", "\u00c4", table$glaze[101:120])
  found <- notes(look(table))
  expect_match(found$try[found$code == "alike_levels"], "merge_levels(glaze)", fixed = TRUE)
  table$kiln[1:5] <- toupper(table$kiln[1:5])
  both <- look(table)$notes
  expect_match(both$note[both$code == "alike_levels"], "glaze have levels")
  expect_match(both$try[both$code == "alike_levels"], "merge_levels(kiln, glaze)", fixed = TRUE)
  b <- merge_levels(brief(table, target = "outcome"), glaze)
  expect_length(unique(working_table_of(b)$glaze), length(unique(small_kilns(300)$glaze)))
  expect_identical(read_brief(text = brief_yaml(b))$add_columns, b$add_columns)
  expect_fails(merge_levels(brief(kilns, target = "outcome"), kiln), "no levels that differ only in case")
  expect_identical(merge_levels(brief(kilns, target = "outcome") |> hold_out(seed = 1))$add_columns, NULL)
})

test_that("a look prints as before", {
  expect_snapshot(look(kilns, target = "outcome"))
})

# Advice where it is read, and pointers for people who come from elsewhere.

test_that("advice is a call in R, a command in a shell, and words on a page", {
  cases <- list(
    list("Keep its rows together: set_columns(group = pid). A group is not used as an input.",
      "Keep its rows together: --set columns.group=pid. A group is not used as an input.",
      "Keep its rows together. A group is not used as an input."),
    list("If not, drop them: set_columns(drop = c(a, b)).", "If not, drop them: --set columns.drop=[a, b].",
      "If not, drop them."),
    list("Hold some out: hold_out(calibration = 0.15).", "Hold some out: --set hold_out.calibration=0.15.",
      "Hold some out."),
    list("If they do: prepare(only = lab, missing_codes = -999).",
      "If they do: --set prepare.only.lab.missing_codes=-999.", ""),
    list("Wire fewer units, or evaluate by folds() whether it helps.",
      "Wire fewer units, or evaluate by hylomath folds BRIEF.yml whether it helps.", "Wire fewer units."),
    list("Choose a threshold with decide(model, recall = 0.8).",
      "Choose a threshold with hylomath decide MODEL.hylo --recall 0.8.", "Choose a threshold."),
    list("Use fewer units.", "Use fewer units.", "Use fewer units.")
  )
  for (case in cases) {
    expect_equal(advice_here(case[[1]]), case[[1]])
    expect_equal(advice_for_shell(case[[1]]), case[[2]])
    expect_equal(advice_in_words(case[[1]]), case[[3]])
  }
  withr::local_dir(withr::local_tempdir())
  table <- transform(small_kilns(300), tells = outcome)
  data.table::fwrite(table, "k.csv")
  said <- paste(hylomath("look", "k.csv", "-t", "outcome")$out, collapse = " ")
  expect_match(said, "--set columns.drop=tells", fixed = TRUE)
  expect_no_match(said, "set_columns", fixed = TRUE)
})

test_that("a formula or a bare name starts a brief", {
  expect_identical(brief(outcome ~ ., data = kilns)$target, "outcome")
  expect_identical(brief(kilns, outcome)$columns, brief(kilns, target = "outcome")$columns)
  expect_setequal(brief_inputs(brief(outcome ~ load_kg + glaze, kilns)), c("load_kg", "glaze"))
  expect_false("glaze" %in% brief_inputs(brief(outcome ~ . - glaze, data = kilns)))
  expect_equal(brief(kilns, c(load_kg, peak_c))$target, c("load_kg", "peak_c"))
  wanted <- "outcome"
  expect_equal(brief(kilns, wanted)$target, "outcome")
  expect_fails(brief(outcome ~ log(load_kg), kilns), "log()", "add_columns(b, name = expression)")
  expect_fails(brief(outcome ~ lode_kg, kilns), "no column `lode_kg`", "load_kg")
})

test_that("words of the trade that are said otherwise here are predicted by where they are said", {
  b <- brief(small_kilns(), target = "outcome")
  cases <- list(
    list(quote(regimen(b, iterations = 5)), "regimen(epochs = )"), list(quote(regimen(b, neurons = 5)), "wire(b"),
    list(quote(hold_out(b, k = 5)), "folds(b, k = )"), list(quote(regimen(b, ridge = 1)), "regimen(l2 = )"),
    list(quote(wire(b, "8 sigmoid")), "`logistic`"), list(quote(regimen(b, loss = "mse")), "`squared`"),
    list(quote(regimen(b, class_weights = "balanced")), "`even`"), list(quote(prepare(b, impute = 1)), "prepare()")
  )
  for (case in cases) expect_fails(eval(case[[1]]), case[[2]])
  model <- train(quick(brief(recovery, target = "returned")) |> regimen(epochs = 2), progress = "none")
  expect_fails(decide(model, costs = 5), "doesn't say of which mistake", "miss = 5, class = \"yes\"")
})

test_that("no export has a name that base R or a package that is loaded beside ours exports, but generics", {
  beside <- c(
    rownames(utils::installed.packages(priority = c("base", "recommended"))), "ggplot2", "dplyr", "tidyr", "data.table",
    "purrr", "stringr", "lubridate"
  )
  own <- setdiff(getNamespaceExports("hylomath"), getNamespaceExports("generics"))
  for (package in Filter(function(package) suppressWarnings(rlang::is_installed(package)), beside)) {
    expect_identical(intersect(own, getNamespaceExports(package)), character(), info = package)
  }
})

test_that("rows are named by their id, and lists are ranked, rounded and marked", {
  table <- small_kilns(300)
  model <- train(quick(brief(table, target = "outcome")) |> regimen(epochs = 3, seed = 1), progress = "none")
  expect_equal(contributions(model, table, table$firing[7])$columns, contributions(model, table, 7)$columns)
  expect_fails(contributions(model, table, "nobody"), "No row has the firing")
  two <- train(quick(brief(recovery, target = "returned") |> set_columns(group = patient)) |> regimen(epochs = 2),
    progress = "none"
  )
  listed <- augment(two, recovery[1:200, ], ranked = TRUE, digits = 3, learned = TRUE)
  expect_false(is.unsorted(-listed$probability_yes))
  expect_true(all(listed$probability_yes == signif(listed$probability_yes, 3)))
  expect_equal(
    sum(listed$learned), sum(was_learned(two, evaluated_table(two, as_table(recovery[1:200, ]), "returned")))
  )
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(table, "k.csv")
  write_model(model, "k.hylo")
  done <- hylomath("predict", "k.hylo", "k.csv", "--ranked", "--digits", "2", "--mark-learned", "-o", "list.csv")
  expect_equal(done$status, 0)
  expect_true("learned" %in% names(read.csv("list.csv")))
  expect_equal(hylomath("contributions", "k.hylo", "k.csv", "--row", table$firing[7])$status, 0)
  expect_equal(hylomath("predict", "k.hylo", "k.csv", "-o", "list.xls")$status, 1)
  skip_if_not_installed("writexl")
  expect_equal(hylomath("predict", "k.hylo", "k.csv", "-o", "list.xlsx")$status, 0)
  expect_equal(nrow(readxl::read_excel("list.xlsx")), 300)
})

test_that("refusals say what they say", {
  b <- brief(kilns, target = "outcome")
  expect_snapshot(error = TRUE, {
    brief(kilns, target = "outcom")
    brief(kilns, target = c("outcome", "peak_c"))
    wire(b, "8 tanhh")
    regimen(b, method = "adm")
    regimen(b, epochs = -1)
    hold_out(b, test = 2)
    prepare(b, numbers = "robus")
    set_columns(b, drop = nothing_so_called)
    add_columns(b, heat = system("ls"))
    appraise(b)
    predict(settled_model(b), kilns[, -3])
  })
})

# The guide: every page of it runs, with real output, and objects print as tables and figures there.

test_that("every page of the guide runs", {
  skip_unless_hard()
  skip_if_not_installed("knitr")
  pages <- normalizePath(list.files(test_path("..", "..", "vignettes"), "[.]Rmd$", full.names = TRUE))
  skip_if(length(pages) == 0, "the sources are not here")
  expect_gte(length(pages), 7)
  for (page in pages) {
    folder <- withr::local_tempdir()
    withr::with_dir(folder, suppressMessages(knitr::knit(page, "page.md", quiet = TRUE, envir = new.env())))
    text <- readLines(file.path(folder, "page.md"))
    expect_false(any(grepl("^(Error( in|:)|Warning)", text)), info = basename(page))
  }
})

test_that("whatever prints as a result stands in a document too", {
  methods <- getNamespaceInfo("hylomath", "S3methods")
  classes_of <- function(generic) methods[methods[, 1] == generic, 2]
  # these are no results, and print as they are
  others <- paste0("hylomath_", c("bounds", "brief", "decision", "look", "summary"))
  expect_setequal(setdiff(classes_of("format"), others), classes_of("in_document"))
})

test_that("objects become tables and figures in a document, and what is marks stays text", {
  skip_if_not_installed("knitr")
  withr::local_pdf(NULL)
  table <- small_kilns(300)
  table$outcome <- sub("sound", "so_un|d<b>", table$outcome, fixed = TRUE)
  b <- withr::with_seed(1, brief(table, "outcome") |> quick() |> regimen(epochs = 3) |> hold_out(seed = 1))
  model <- withr::with_seed(1, train(b, progress = "none"))
  objects <- list(
    model = model, appraisal = appraise(model), folds = folds(b, k = 2, progress = "none"),
    lineup = lineup(a = model, b = withr::with_seed(2, train(wire(b, "linear"), progress = "none"))),
    scouting = withr::with_seed(1, scout(b, units = c(2, 4), budget = 2, progress = "none")),
    watch = watch_model(model, table), importance = importance(model, table, repeats = 2),
    effect = effect_of(model, table, "peak_c"), contributions = contributions(model, table, 3),
    many = contributions(model, table, 1:12), pairs = interactions(model, table, columns = c("peak_c", "glaze")),
    change = smallest_change(model, table, 3), tried = try_row(model, table, 3, list(peak_c = 1300)),
    needed = rows_needed(10, share = 0.2, auc = 0.8)
  )
  for (name in names(objects)) {
    text <- knitr::knit_print(objects[[name]])
    expect_s3_class(text, "knit_asis")
    expect_false(grepl("[^\\\\]\\|d<b>", text), info = name)
    rows <- grep("^\\|", strsplit(text, "\n")[[1]], value = TRUE)
    # every table has the same number of cells in each row
    if (!name %in% c("importance", "effect", "contributions", "many", "pairs", "change")) expect_gt(length(rows), 2)
    cells <- lengths(regmatches(rows, gregexpr("(?<!\\\\)\\|", rows, perl = TRUE)))
    expect_lte(length(unique(cells)), 2)
  }
})

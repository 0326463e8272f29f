# Checkpoints and searches: files of lines that grow while work goes on, and what comes of one that was changed.

b <- withr::with_seed(1, quick(brief(small_kilns(300), target = "outcome"))) |> regimen(epochs = 2, seed = 1) |>
  hold_out(seed = 1)

# By kind a file, and what reads it.
kept <- withr::local_tempdir(.local_envir = testthat::teardown_env())
files <- list(
  search = list(path = file.path(kept, "search"), read = read_result),
  checkpoint = list(
    path = file.path(kept, "checkpoint"), read = function(file) train(b, checkpoint = file, progress = "none")
  )
)
scout(b, units = c(2, 3), k = 2, budget = 2, file = files$search$path, progress = "none")
train(b, checkpoint = files$checkpoint$path, every = 0, progress = "none")

# The lines of a file after `change`, each with the checksum that belongs to it.
sealed <- function(lines) {
  bodies <- sub(",\"checksum\":\"[0-9a-f]{64}\"}$", "", lines)
  vapply(bodies, function(body) paste0(body, checksum_end(body)), "", USE.NAMES = FALSE)
}

written_lines <- function(lines) withr::local_tempfile(lines = lines, .local_envir = parent.frame())

test_that("a line that was changed anywhere is known by its checksum", {
  for (kind in names(files)) {
    lines <- readLines(files[[kind]]$path)
    expect_identical(sealed(lines), lines)
    last <- length(lines)
    for (i in c(1, 2, last)) {
      changed <- lines
      # a digit of a number or a letter of a name; a bracket less, and a header would not be one at all
      at <- max(which(grepl("[[:alnum:]]", strsplit(substr(lines[i], 1, nchar(lines[i]) - 120), "")[[1]])))
      substr(changed[i], at, at) <- if (substr(lines[i], at, at) == "1") "2" else "1"
      expect_fails(files[[kind]]$read(written_lines(changed)), sprintf("its line %d is not that of a %s", i, kind))
    }
  }
})

test_that("what a kill left of the last line is no line", {
  for (kind in names(files)) {
    lines <- readLines(files[[kind]]$path)
    file <- written_lines(lines)
    cat(substr(lines[2], 1, 50), file = file, append = TRUE)
    expect_no_error(suppressMessages(files[[kind]]$read(file)))
  }
})

test_that("behind a right checksum stands what belongs there, or it is refused", {
  cases <- list(
    list("search", 1, "\"base\":", "\"basis\":", "its line 1 is not that of a search"),
    list("search", 1, "\"repeats\":", "\"repeatsX\":", "is damaged"),
    list("search", 1, "\"k\":", "\"kX\":", "is damaged"),
    list("search", 1, "\"folds\":", "\"foldsX\":", "is damaged"),
    list("search", 1, "\"kind\":\"values\"", "\"kind\":\"bounds\"", "is damaged"),
    list("search", 2, "\"loss\":", "\"lost\":", "its line 2 is not that of a search"),
    list("search", 1, "\"format_version\":4", "\"format_version\":3", "by another version of hylomath (format 3)"),
    list("checkpoint", 1, "\"brief\":", "\"breif\":", "its line 1 is not that of a checkpoint"),
    list("checkpoint", 1, "\"table\":\"", "\"table\":\"0", "it was of other rows"),
    list("checkpoint", 2, "\"start\":1", "\"start\":4294967296", "its line 2 is not that of a checkpoint"),
    list("checkpoint", 2, "\"key\":\"network\"", "\"key\":1", "its line 2 is not that of a checkpoint"),
    list("checkpoint", 1, "\"format\":\"hylomath checkpoint\"", "\"format\":\"\"", "holds no checkpoint")
  )
  for (case in cases) {
    lines <- readLines(files[[case[[1]]]]$path)
    expect_match(lines[case[[2]]], case[[3]], fixed = TRUE)
    lines[case[[2]]] <- sub(case[[3]], case[[4]], lines[case[[2]]], fixed = TRUE)
    expect_fails(files[[case[[1]]]]$read(written_lines(sealed(lines))), case[[5]])
  }
})

test_that("every number reads back as the same bits, where R's own reading is off by one too", {
  x <- c(withr::with_seed(2, c(runif(5000), rnorm(5000), exp(rnorm(2000, 0, 30)))), 0.26316078812529897, 5e-324)
  text <- vapply(x, function(value) json_text(list(value)), "")
  expect_identical(unlist(lapply(text, parse_json_text)), x)
  texts <- format_number(c(a = 0.1 + 0.2, b = NA, c = -Inf))
  expect_identical(texts, c(a = "0.30000000000000004", b = "NA", c = "-Inf"))
})

# What is said, read as a whole: printed objects, messages and the command's help. A change of wording shows as a
# difference to tests/testthat/_snaps, to be read and accepted.

# Trained to the end and by one kind of arithmetic, so that every machine prints the same digits.
settled_model <- function(b) {
  withr::local_envvar(HYLOMATH_KERNEL = "generic")
  single(wire(b, "linear") |> regimen(epochs = 30, method = "adam", seed = 1) |> hold_out(seed = 1), progress = "none")
}

test_that("briefs print as before", {
  expect_snapshot({
    brief(kilns, target = "outcome") |> hold_out(seed = 1)
    brief(recovery, target = "returned") |> set_columns(group = patient) |> hold_out(seed = 1)
    brief(crossings, target = "passengers") |> hold_out(seed = 1)
    brief(crossings, target = "passengers", task = "regression") |> regimen(loss = "huber") |> hold_out(seed = 1)
  })
})

test_that("a look prints as before", {
  expect_snapshot(look(kilns, target = "outcome"))
})

test_that("models and what becomes of them print as before", {
  model <- settled_model(brief(kilns, target = "outcome"))
  timeless <- function(lines) sub("[0-9.]+ s;", "<time> s;", lines)
  expect_snapshot(model, transform = timeless)
  expect_snapshot(appraise(model))
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

test_that("the command's help prints as before", {
  skip_if_not_installed("optparse")
  shown <- function(words) utils::capture.output(expect_equal(cli_run(c(words, "--help")), 0))
  run <- list(out = shown(character()))
  expect_identical(hylomath("--help")$out, run$out)
  expect_snapshot(writeLines(run$out))
  for (verb in names(cli_verbs())) {
    run$out <- shown(verb)
    expect_snapshot(writeLines(run$out))
  }
})

test_that("words that the package has left behind are nowhere in print, help or guide", {
  left <- c(
    "answer(s|ed|ing)?", "committee", "longest_(gradient|weights)", "kept epochs?", "by heart", "judge[ds]?", "judging",
    "earns? (its|their) keep", "careful colleague", "without looking", "told apart", "false alarms? for each",
    "direct (network|wiring|model)", "`direct`", "[+] direct", "straight path", "rotat(e|es|ed|ing|ion|ions)",
    "(take|takes|took|taking) turns", "in (its|their) turns?", "strange(ness)?", "reckon(s|ed|ing)?", "bold(er)?",
    "timid", "keeps? (its|their) word", "at (its|their) word", "is had", "as it were"
  )
  pattern <- sprintf("(^|[^A-Za-z_])(%s)([^A-Za-z_]|$)", paste(left, collapse = "|"))
  expect_clean <- function(lines, where) {
    expect_identical(grep(pattern, lines, ignore.case = TRUE, value = TRUE), character(), label = where)
  }
  pages <- tools::Rd_db("hylomath")
  expect_gt(length(pages), 60)
  for (name in names(pages)) {
    # code of an example may say what it likes
    text <- capture.output(tools::Rd2txt(pages[[name]], options = list(underline_titles = FALSE)))
    expect_clean(gsub("_\b", "", text), name)
  }
  expect_clean(readLines(test_path("_snaps", "said.md")), "said.md")
  guide <- Sys.glob(file.path(test_path("..", ".."), c("README.md", "vignettes/*.Rmd", "docs/*.md")))
  skip_if(length(guide) == 0, "the guide's sources are not here")
  for (page in guide) expect_clean(readLines(page), basename(page))
})

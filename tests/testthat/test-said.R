# Words that the package has left behind, looked for in all that is printed, helped and written. What is printed stands
# in _snaps, by topic: a change of wording shows as a difference there, to be read and accepted.

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
  snapshots <- list.files(test_path("_snaps"), full.names = TRUE)
  expect_gte(length(snapshots), 5)
  for (file in snapshots) expect_clean(readLines(file), basename(file))
  guide <- Sys.glob(file.path(test_path("..", ".."), c("README.md", "vignettes/*.Rmd", "docs/*.md")))
  skip_if(length(guide) == 0, "the guide's sources are not here")
  for (page in guide) expect_clean(readLines(page), basename(page))
})

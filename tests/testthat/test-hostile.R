# Names and levels that are meant for the terminal and not for the reader.

attacks <- c(
  title = "\033]0;owned\007", clipboard = "\033]52;c;cm0gLXJm\007", clear = "\033[2J\033[H", c1 = "\u009b31m",
  bell = "\a", backspace = "ok\b\b\bno", carriage = "right\rwrong", bidi = "\u202egpj.exe", isolate = "\u2067x\u2069"
)
moves_a_terminal <- function(text) {
  pattern <- "[\\x{01}-\\x{08}\\x{0b}-\\x{1f}\\x{7f}-\\x{9f}\\x{200e}\\x{200f}\\x{202a}-\\x{202e}\\x{2066}-\\x{2069}]"
  any(grepl(paste0("(*UTF)", pattern), text, perl = TRUE))
}

test_that("what moves a terminal is shown as what it is, and all else stays", {
  for (name in names(attacks)) {
    expect_true(moves_a_terminal(attacks[[name]]), info = name)
    expect_false(moves_a_terminal(harmless(attacks[[name]])), info = name)
  }
  expect_equal(harmless(attacks[["title"]]), "\\u001b]0;owned\\u0007")
  plain <- c("a b", "\u00e6\u00f8\u00e5 \u4e2d\u6587 \u0639\u0631\u0628\u064a", "tab\tand\nline", NA, "")
  expect_identical(harmless(plain), plain)
  expect_identical(harmless("\033[1mbold\033[0m", styled = TRUE), "\033[1mbold\033[0m")
  expect_false(grepl("\033]", harmless("\033]0;x\007", styled = TRUE), fixed = TRUE))
  broken <- "caf\xe9\033[2J"
  expect_false(grepl("\033", harmless(broken), fixed = TRUE))
})

test_that("no verb writes what a name or a level says to the terminal", {
  withr::local_dir(withr::local_tempdir())
  n <- 300
  table <- withr::with_seed(1, data.frame(x = rnorm(n), g = sample(attacks[c(1, 3, 6, 8)], n, TRUE)))
  table$y <- ifelse(table$x > 0, paste0("yes", attacks[["clipboard"]]), paste0("no", attacks[["bidi"]]))
  names(table)[1:2] <- c(paste0("x", attacks[["title"]]), paste0("g", attacks[["isolate"]]))
  data.table::fwrite(table, "t.csv")
  hylomath("brief", "t.csv", "-t", "y", "-o", "t.yml", "-q", "--set", "regimen.epochs=3")
  hylomath("train", "t.yml", "-o", "t.hylo", "--quick", "-q")
  expect_true(file.exists("t.hylo"))
  calls <- list(
    c("look", "t.csv", "-t", "y"), c("look", "t.csv", "-t", "z"), c("brief", "t.csv", "-t", "y", "-o", "u.yml"),
    c("train", "t.yml", "--quick", "-o", "v.hylo"), c("appraise", "t.hylo"), c("appraise", "t.hylo", "--json"),
    c("appraise", "t.hylo", "t.csv", "--rows", "test", "--by", names(table)[2]), c("show", "t.hylo"),
    c("show", "t.hylo", "--json"), c("importance", "t.hylo", "t.csv"),
    c("contributions", "t.hylo", "t.csv", "--row", "3"),
    c("effect", "t.hylo", "t.csv", "--input", names(table)[2]), c("decide", "t.hylo", "--recall", "0.5"),
    c("folds", "t.yml", "--k", "2", "--set", "hold_out.folds=0"), c("watch", "t.hylo", "t.csv"),
    c("predict", "t.hylo", "nothing\033[2J.csv"), c("lineup", "t.hylo", "v.hylo"),
    c("effect", "t.hylo", "t.csv", "--input", "q")
  )
  for (words in calls) {
    run <- do.call(hylomath, as.list(words))
    expect_false(moves_a_terminal(c(run$out, run$err)), info = paste(words[1:2], collapse = " "))
  }
})

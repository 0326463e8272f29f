# `hylomath demo`: the whole story, inst/story/skerrow.txt, as the commands that an analyst would type.

cli_demo_verb <- function() {
  cli_command(
    "Run the whole example on made-up data and leave its files in a folder.", takes = "", files = 0, run = cli_demo,
    example = "hylomath demo -o demo",
    cli_options(
      cli_option(c("-o", "--output"), "The folder.", metavar = "FOLDER", default = "hylomath-demo"), "progress"
    )
  )
}

cli_demo <- function(files, options) {
  folder <- options$output
  if (file.exists(folder) && !dir.exists(folder)) {
    fail(sprintf("%s is a file; the demo needs a folder.", quoted(folder)))
  }
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  former <- setwd(folder)
  on.exit(setwd(former))
  for (name in c("kilns", "recovery", "crossings")) {
    file.copy(system.file("extdata", paste0(name, ".csv"), package = "hylomath"), ".", overwrite = TRUE)
  }
  began <- proc.time()[["elapsed"]]
  for (text in demo_paragraphs()) demo_paragraph(text, options$progress)
  took <- format_seconds(proc.time()[["elapsed"]] - began)
  write_lines("", sprintf("Done in %s. The files and figures are in %s:", took, folder))
  write_lines(wrapped(paste(list.files(recursive = TRUE), collapse = ", "), 2))
}

# The paragraphs of the story: a command behind "$ ", which is shown and run, or what is said before it.
demo_paragraphs <- function() {
  lines <- readLines(system.file("story", "skerrow.txt", package = "hylomath"))
  parts <- split(trimws(lines), cumsum(lines == ""))
  trimws(vapply(parts, paste, "", collapse = " ", USE.NAMES = FALSE))
}

demo_paragraph <- function(text, progress) {
  if (!startsWith(text, "$ ")) return(write_lines("", strwrap(text, min(80, cli::console_width()))))
  words <- scan(text = substr(text, 3, nchar(text)), what = "", quiet = TRUE)
  shows <- "progress" %in% vapply(cli_verbs()[[words[1]]]$options, option_key, "") && !"--quiet" %in% words
  if (shows && progress != "auto") words <- c(words, "--progress", progress)
  write_lines("", cli::style_bold(paste("$ hylomath", paste(demo_quote(words), collapse = " "))))
  status <- cli_call(cli_verbs(), words)
  if (status != 0L) fail(sprintf("The demo's step `hylomath %s` ended with status %d.", words[1], status))
}

demo_quote <- function(words) ifelse(grepl("[ >*]", words), shQuote(words), words)

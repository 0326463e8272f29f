# `hylomath demo`: the whole story as the commands that an analyst would type, each shown and then run.

cli_demo_verb <- function() {
  list(
    does = "Run the whole example on made-up data and leave its files in a folder.", takes = "", run = cli_demo, least = 0, most = 0,
    options = list(cli_option(c("-o", "--output"), "The folder.", metavar = "FOLDER", default = "hylomath-demo"), cli_progress_option()),
    example = "hylomath demo -o demo"
  )
}

cli_demo <- function(files, options) {
  folder <- options$output
  if (file.exists(folder) && !dir.exists(folder)) fail(sprintf("%s is a file; the demo needs a folder.", quoted(folder)))
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  former <- setwd(folder)
  on.exit(setwd(former))
  for (name in c("kilns", "recovery", "crossings")) {
    file.copy(system.file("extdata", paste0(name, ".csv"), package = "hylomath"), ".", overwrite = TRUE)
  }
  began <- proc.time()[["elapsed"]]
  for (step in demo_steps(options$progress)) demo_step(step)
  write_lines("", sprintf("Done in %s. The files and figures are in %s:", format_seconds(proc.time()[["elapsed"]] - began), folder))
  write_lines(wrapped(paste(list.files(recursive = TRUE), collapse = ", "), 2))
}

demo_step <- function(step) {
  if (!is.null(step$say)) write_lines("", strwrap(step$say, min(80, cli::console_width())))
  if (is.null(step$run)) return()
  write_lines("", cli::style_bold(paste("$ hylomath", paste(demo_quote(step$run), collapse = " "))))
  status <- cli_call(cli_verbs(), step$run)
  if (status != 0L) fail(sprintf("The demo's step `hylomath %s` ended with status %d.", step$run[1], status))
}

demo_quote <- function(words) ifelse(grepl("[ >*]", words), shQuote(words), words)

demo_steps <- function(progress) {
  train <- function(name) c("train", paste0(name, ".yml"), "-o", paste0(name, ".hylo"), "--progress", progress)
  if (progress == "auto") train <- function(name) c("train", paste0(name, ".yml"), "-o", paste0(name, ".hylo"))
  list(
    list(
      say = "A tile works on the island of Skerrow wants to know which firings go wrong. Most of them don't: 83 % of the tiles come out sound, so a network that always says \"sound\" would look good.",
      run = c("look", "kilns.csv", "--target", "outcome")
    ),
    list(
      say = "The brief says what to predict and how. Everything in it was guessed from the table and can be changed. The seeds make every run the same.",
      run = c("brief", "kilns.csv", "--target", "outcome", "-o", "kilns.yml", "--set", "hold_out.seed=11", "--set", "regimen.seed=11")
    ),
    list(say = "Training stops by itself once the validation rows say that it no longer gets better.", run = train("kilns")),
    list(say = "The judgement is made on the test rows, which nothing has touched until now: every measure with its interval, beside the baseline and beside a network without hidden layers.", run = c("appraise", "kilns.hylo", "--figures", "kilns-figures")),
    list(say = "Which columns does it go by, and how?", run = c("importance", "kilns.hylo", "kilns.csv", "--figure", "kilns-figures/importance.png")),
    list(run = c("effect", "kilns.hylo", "kilns.csv", "--input", "peak_c", "--with", "glaze", "--of", "crazed", "--figure", "kilns-figures/effect.png", "--quiet")),
    list(say = "Why was the fifth firing answered as it was?", run = c("contributions", "kilns.hylo", "kilns.csv", "--row", "5", "--figure", "kilns-figures/contributions.png")),
    list(
      say = "Can it be better? A search starts from the brief's own settings and tries others, each judged by folds of the training and validation rows; the test rows have no part in it.",
      run = c("scout", "kilns.yml", "layers=1..3", "units=8..64", "activation=relu,tanh,elu", "--budget", "16", "--k", "3", "--repeats", "1", "-o", "better.yml", "--figures", "kilns-figures", if (progress != "auto") c("--progress", progress))
    ),
    list(run = c("train", "better.yml", "-o", "better.hylo", "--quiet")),
    list(say = "Its own score was the best of many. What it is worth is said by the test rows, beside the first network.", run = c("lineup", "kilns.hylo", "better.hylo")),
    list(
      say = "A network of ten units is quicker to read and to run. It learns from the better one's probabilities as well as from the labels; both, and the same small network without a teacher, are compared on the same folds.",
      run = c("distil", "better.hylo", "kilns.yml", "--set", "wiring=10 silu", "-o", "small.hylo", "--figure", "kilns-figures/taught.png", "--quiet")
    ),
    list(run = c("show", "small.hylo")),
    list(say = "The model file goes to work on a table: the answers stand behind its own columns.", run = c("predict", "kilns.hylo", "kilns.csv", "-o", "kilns-scored.csv")),
    list(
      say = "The clinic wants to know who will be back within 30 days. Only 12 % are, so an accuracy of 88 % is had by saying no to everybody. Visits of one patient stay together, and some rows are kept for calibration.",
      run = c("brief", "recovery.csv", "--target", "returned", "-o", "recovery.yml", "--set", "columns.group=patient", "--set", "hold_out.calibration=0.15", "--set", "hold_out.seed=11", "--set", "regimen.seed=11", "--quiet")
    ),
    list(run = train("recovery")),
    list(say = "On the validation rows a threshold is chosen that finds four returns in five. What that costs is seen at once.", run = c("decide", "recovery.hylo", "--recall", "0.8")),
    list(run = c("appraise", "recovery.hylo", "--figures", "recovery-figures")),
    list(
      say = "The ferry counts passengers. Departures are ordered in time, so the last months are the test: the network has to predict a season that it has not seen.",
      run = c("brief", "crossings.csv", "--target", "passengers", "-o", "crossings.yml", "--set", "columns.order=sails_on", "--set", "hold_out.by=ordered", "--set", "hold_out.seed=11", "--set", "regimen.seed=11", "--quiet")
    ),
    list(run = train("crossings")),
    list(run = c("appraise", "crossings.hylo", "--figures", "crossings-figures"))
  )
}

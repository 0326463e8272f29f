# `hylomath demo`: the whole story as the commands that an analyst would type, each shown and then run.

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
  for (step in demo_steps(options$progress)) demo_step(step)
  took <- format_seconds(proc.time()[["elapsed"]] - began)
  write_lines("", sprintf("Done in %s. The files and figures are in %s:", took, folder))
  write_lines(wrapped(paste(list.files(recursive = TRUE), collapse = ", "), 2))
}

demo_step <- function(step) {
  if (!is.null(step$say)) write_lines("", strwrap(step$say, min(80, cli::console_width())))
  write_lines("", cli::style_bold(paste("$ hylomath", paste(demo_quote(step$run), collapse = " "))))
  status <- cli_call(cli_verbs(), step$run)
  if (status != 0L) fail(sprintf("The demo's step `hylomath %s` ended with status %d.", step$run[1], status))
}

demo_quote <- function(words) ifelse(grepl("[ >*]", words), shQuote(words), words)

# `say` is told before the command `run` is shown and run; its words are parted by blanks, quotes hold them together.
told_step <- function(say = NULL, run, more = NULL) {
  list(say = say, run = c(scan(text = run, what = "", quiet = TRUE), more))
}

demo_steps <- function(progress) {
  shown <- if (progress != "auto") c("--progress", progress)
  c(demo_of_kilns(shown), demo_of_recovery(shown), demo_of_crossings(shown))
}

demo_of_kilns <- function(shown) {
  list(
    told_step(
      paste(
        "A tile works on the island of Skerrow wants to know which firings go wrong. Most of them don't: 83 % of the",
        "tiles come out sound, so a network that always says \"sound\" would look good."
      ),
      "look kilns.csv --target outcome"
    ),
    told_step(
      paste(
        "The brief says what to predict and how. Everything in it was guessed from the table and can be changed.",
        "The seeds make every run the same."
      ),
      "brief kilns.csv --target outcome -o kilns.yml --set hold_out.seed=11 --set regimen.seed=11"
    ),
    told_step(
      paste(
        "The other rows are dealt into eight folds: each network learns from six of them, stops once its",
        "error on another fold no longer falls, and predicts the last fold, which it has not seen."
      ),
      "train kilns.yml -o kilns.hylo", shown
    ),
    told_step(
      paste(
        "The evaluation is made on the test rows, which nothing has touched until now: every measure with its",
        "interval, beside the baseline and beside a network without hidden layers."
      ),
      "appraise kilns.hylo --figures kilns-figures"
    ),
    told_step(
      "Which columns does it go by, and how?",
      "importance kilns.hylo kilns.csv --figure kilns-figures/importance.png"
    ),
    told_step(run = paste(
      "effect kilns.hylo kilns.csv --input peak_c --with glaze --of crazed",
      "--figure kilns-figures/effect.png --quiet"
    )),
    told_step(
      "Why was the fifth firing predicted as it was?",
      "contributions kilns.hylo kilns.csv --row 5 --figure kilns-figures/contributions.png"
    ),
    told_step(
      paste(
        "Can it be better? A search starts from the brief's own settings and tries others, each evaluated by folds of",
        "all rows but the test rows, by one network each."
      ),
      paste(
        "scout kilns.yml layers=1..3 units=8..64 activation=relu,tanh,elu --budget 10 --k 3 --repeats 1 -o better.yml",
        "--figures kilns-figures"
      ),
      shown
    ),
    told_step(run = "train better.yml -o better.hylo --quiet"),
    told_step(
      paste(
        "Its own score was the best of many. How good it really is, the test rows show,",
        "beside the first network."
      ),
      "lineup kilns.hylo better.hylo"
    ),
    told_step(
      paste(
        "One network is quicker to run than several. It learns from what they predicted for rows that they had not",
        "seen, as well as from the labels; the test rows show what that costs."
      ),
      "distil kilns.hylo kilns.csv -o small.hylo", shown
    ),
    told_step(
      "The model file goes to work on a table: the predictions stand behind its own columns.",
      "predict kilns.hylo kilns.csv -o kilns-scored.csv"
    ),
    told_step(
      "And a page for those who will not open R: the prediction in words, figures, the rows to look at, the brief.",
      "report kilns.hylo kilns.csv -o kilns.html"
    )
  )
}

demo_of_recovery <- function(shown) {
  list(
    told_step(
      paste(
        "The clinic wants to know who will be back within 30 days. Only 12 % are, so an accuracy of 88 % is reached by",
        "saying no to everybody. Visits of one patient stay together."
      ),
      paste(
        "brief recovery.csv --target returned -o recovery.yml --set columns.group=patient",
        "--set hold_out.seed=11 --set regimen.seed=11 --quiet"
      )
    ),
    told_step(run = "train recovery.yml -o recovery.hylo", more = shown),
    told_step(
      paste(
        "On the out-of-fold rows a threshold is chosen that finds four returns in five.",
        "What that costs is seen at once."
      ),
      "decide recovery.hylo --recall 0.8"
    ),
    told_step(run = "appraise recovery.hylo --figures recovery-figures")
  )
}

demo_of_crossings <- function(shown) {
  list(
    told_step(
      paste(
        "The ferry counts passengers. Departures are ordered in time, so the last months are the test: the network has",
        "to predict a season that it has not seen."
      ),
      paste(
        "brief crossings.csv --target passengers -o crossings.yml --set columns.order=sails_on",
        "--set hold_out.by=ordered --set hold_out.seed=11 --set regimen.seed=11 --quiet"
      )
    ),
    told_step(run = "train crossings.yml -o crossings.hylo", more = shown),
    told_step(run = "appraise crossings.hylo --figures crossings-figures")
  )
}

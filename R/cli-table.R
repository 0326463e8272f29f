# The subcommands: what each takes and how its help reads. What each does stands in cli-verbs.R.

cli_verbs <- function() {
  output <- cli_option(c("-o", "--output"), "Where to write the result.", metavar = "FILE")
  set <- cli_option("--set", "Override a key of the brief, such as regimen.epochs=50. May be given again.", metavar = "KEY=VALUE", action = "append")
  json <- cli_option("--json", "Give the result as JSON on standard output.", action = "store_true")
  quiet <- cli_option(c("-q", "--quiet"), "Say nothing but errors.", action = "store_true")
  progress <- cli_progress_option()
  list(
    look = list(
      does = "Look at a table: kinds of columns, gaps, class shares, odd things.", takes = "TABLE.csv", run = cli_look, least = 1, most = 1,
      options = list(cli_option(c("-t", "--target"), "The column to predict.", metavar = "COLUMN"), cli_option("--all", "Show every column of a wide table.", action = "store_true"), json),
      example = "hylomath look kilns.csv --target outcome"
    ),
    brief = list(
      does = "Start a brief: guess kinds and task, and write the file that describes the analysis.", takes = "TABLE.csv", run = cli_brief, least = 1, most = 1,
      options = list(
        cli_option(c("-t", "--target"), "The column to predict; several numbers with commas between them. Needed.", metavar = "COLUMN"),
        cli_option("--query", "SQL for a database in place of a table: a SQLite file, or the name of a PostgreSQL database (PGHOST, PGUSER, ... are heeded).", metavar = "SQL"), output, set, json, quiet
      ),
      example = "hylomath brief kilns.csv --target outcome -o kilns.yml"
    ),
    train = list(
      does = "Train the network of a brief and keep the model. Ctrl-C or SIGTERM ends training; the best network so far is written, marked as interrupted, and the exit status is 1.",
      takes = "BRIEF.yml", run = cli_train, least = 1, most = 1,
      options = list(output, set, progress, json, quiet), example = "hylomath train kilns.yml -o kilns.hylo --set regimen.epochs=100"
    ),
    appraise = list(
      does = "Judge a model on its test rows, or on the rows of another table.", takes = "MODEL.hylo [TABLE.csv]", run = cli_appraise, least = 1, most = 2,
      options = list(
        cli_option("--rows", "Which held-out rows: test or validation.", metavar = "PART"),
        cli_option("--figures", "A folder to draw the loss curves, the confusion matrix and the ROC curves (or observed against predicted) into.", metavar = "FOLDER"), json
      ),
      example = "hylomath appraise kilns.hylo --figures figures"
    ),
    predict = list(
      does = "Put a model's answers beside the rows of a table.", takes = "MODEL.hylo TABLE.csv", run = cli_predict, least = 2, most = 2,
      options = list(output, cli_option("--flags", "Add a column that names what is strange about each row.", action = "store_true"), json, quiet), example = "hylomath predict kilns.hylo new.csv -o scored.csv"
    ),
    show = list(
      does = "Show what a model or brief file holds.", takes = "MODEL.hylo|BRIEF.yml", run = cli_show, least = 1, most = 1,
      options = list(
        cli_option("--brief", "Give the model's brief as YAML.", action = "store_true"), cli_option("--curves", "Give the loss curves as CSV.", action = "store_true"),
        cli_option("--layers", "Give the layers and their parameters.", action = "store_true"), cli_option("--weights", "Give all weights and biases, as JSON.", action = "store_true"),
        cli_option("--network", "Draw the network into a PNG file.", metavar = "FILE"), json
      ),
      example = "hylomath show kilns.hylo --brief > again.yml"
    ),
    probe = list(
      does = "Give what a layer of a model makes of the rows of a table.", takes = "MODEL.hylo TABLE.csv", run = cli_probe, least = 2, most = 2,
      options = list(cli_option("--layer", "The number of the layer, from 1; the last hidden one when it is not given.", metavar = "N"), output, json, quiet),
      example = "hylomath probe kilns.hylo kilns.csv --layer 1 -o units.csv"
    )
  )
}

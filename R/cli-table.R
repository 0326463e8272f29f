# The subcommands: what each does and takes, and how its help reads. What each runs stands in cli-verbs.R, cli-explain.R
# and cli-improve.R.

# `files` is the number of arguments, or the fewest and the most.
# `statuses` are exit statuses beside the usual ones, by number; `input` says how standard input can be given as a table
# (-): not at all, `whole`, or as a `stream` that is read as it comes.
cli_command <- function(does, takes, files, run, example, options, statuses = NULL, input = "none") {
  list(
    does = does, takes = takes, least = min(files), most = max(files), run = run, example = example, options = options,
    statuses = statuses, input = input
  )
}

# The subcommands by when they are needed.
cli_groups <- function() {
  list(
    "To begin" = commands_to_begin(), "To evaluate and explain" = commands_to_evaluate(),
    "To improve" = commands_to_improve(), "To keep and put to work" = commands_to_use()
  )
}

cli_verbs <- function() unlist(unname(cli_groups()), recursive = FALSE)

commands_to_begin <- function() {
  list(
    look = cli_command(
      "Look at a table: kinds of columns, missing values, class shares, odd things.",
      takes = "TABLE.csv", files = 1, run = cli_look, input = "whole",
      example = c(
        "hylomath look kilns.csv --target outcome", "hylomath look kilns.csv --target outcome --figure pairs.png",
        "zcat kilns.csv.gz | hylomath look -"
      ),
      cli_options(
        cli_option(c("-t", "--target"), "The column to predict.", "COLUMN"),
        cli_flag("--all", "Show every column of a wide table."),
        cli_option("--figure", "Draw pairs of inputs by the target into a file (.png, .pdf or .svg).", "FILE"),
        "json"
      )
    ),
    brief = cli_command(
      "Start a brief: guess kinds and task, and write the file that describes the analysis.",
      takes = "TABLE.csv", files = 1, run = cli_brief,
      example = c(
        "hylomath brief kilns.csv --target outcome -o kilns.yml",
        "hylomath brief firings.sqlite --query \"select * from firings\" --target outcome -o kilns.yml"
      ),
      cli_options(
        cli_option(
          c("-t", "--target"), "The column to predict; several numbers with commas between them. Needed.", "COLUMN"
        ),
        cli_option(
          "--merge-levels", "Put levels of these columns together that differ in case, blanks or accents only.",
          "COLUMNS"
        ),
        "query",
        "output", "set", "json", "quiet"
      )
    ),
    "rows-needed" = cli_command(
      "Say how many rows a prediction model needs beforehand, by the criteria of Riley et al. (2020).",
      takes = "", files = 0, run = cli_rows_needed,
      example = "hylomath rows-needed --inputs 20 --share 0.12 --auc 0.75",
      cli_options(
        cli_option("--inputs", "The number of inputs after preparation. Needed.", "N", type_count(1e6)),
        cli_option("--share", "Of two classes the share of the positive one.", "SHARE", type_share()),
        cli_option("--auc", "Of two classes the area under the ROC curve that is expected.", "AUC", type_share()),
        cli_option("--r-squared", "Of numbers the R-squared that is expected.", "R2", type_share()),
        cli_option("--mean", "Of numbers the target's mean.", "MEAN", type_number()),
        cli_option("--sd", "Of numbers the target's standard deviation.", "SD", type_number(0)), "json"
      )
    ),
    desk = cli_command(
      paste(
        "Open a desk: a page in the browser with the same verbs for those who do not write code. It prints the",
        "address; Ctrl-C ends it. Everything lives in the folder, also a script that does the same again."
      ),
      takes = "[TABLE | BRIEF.yml | MODEL.hylo | FOLDER]", files = 0:1, run = cli_desk,
      example = c("hylomath desk kilns.csv", "hylomath desk --folder audit"),
      cli_options(
        cli_option("--folder", "The desk's folder; `desk` here, or beside the file.", "FOLDER"),
        cli_option("--port", "Where it listens; a free one when it is not given.", "N", type_count(65535, from = 0)),
        cli_flag("--open", "Open it in the browser.")
      )
    ),
    store = cli_command(
      paste(
        "Store a table that is larger than memory: a folder with a file for each column, which every command then",
        "takes as a table."
      ),
      takes = "TABLE", files = 1, run = cli_store, input = "stream",
      example = c(
        "hylomath store crossings.csv -o crossings.table",
        "zcat large.csv.gz | hylomath store - -o large.table",
        "hylomath store large.sqlite --query \"select * from firings\" -o large.table"
      ),
      cli_options(
        cli_option(c("-o", "--output"), "The folder. Needed.", "PLACE"), "query", "progress", "quiet"
      )
    ),
    train = cli_command(
      paste(
        "Train the network of a brief and keep the model. Ctrl-C or SIGTERM ends training; the best network so far is",
        "written, marked as interrupted, and the exit status is 1."
      ),
      takes = "BRIEF.yml", files = 1, run = cli_train,
      example = c(
        "hylomath train kilns.yml -o kilns.hylo",
        "hylomath train kilns.yml --set regimen.epochs=100 --set wiring=\"32 relu\"",
        "hylomath train kilns.yml --checkpoint kilns.kept --every 60"
      ),
      cli_options(
        "output", "set", "quick", "progress",
        cli_flag("--watch-test", "Measure the loss of the test rows after each epoch too."),
        cli_option(
          "--checkpoint",
          paste(
            "Keep the state of training in this file; killed and called again, it goes on from there to the same",
            "bits. Removed once the model is written. Without this option it is the model's name with .kept, written",
            "when training has taken a minute. `none` keeps nothing, nor does --bare."
          ),
          "FILE"
        ),
        cli_option(
          "--every", "Seconds between two writes; 30.", "SECONDS", type_number(0, 1e6)
        ),
        cli_flag("--resumable", "Keep the optimiser's state in the model, so that `hylomath resume` goes on from it."),
        cli_flag(
          "--bare", "Write nothing of single rows: no keys, observed values, predictions, hashes or rare levels."
        ),
        "json", "quiet"
      )
    )
  )
}

commands_to_evaluate <- function() {
  list(
    appraise = cli_command(
      paste(
        "Evaluate a model on its test rows, or on the rows of another table.",
        "The model's file notes that its test rows were looked at."
      ),
      takes = "MODEL.hylo [TABLE.csv]", files = 1:2, run = cli_appraise, input = "whole",
      example = c(
        "hylomath appraise kilns.hylo", "hylomath appraise kilns.hylo kilns.csv --rows test --by glaze",
        "hylomath appraise kilns.hylo newer.csv --json"
      ),
      cli_options(
        cli_option(
          c("-o", "--output"), "Write the evaluated rows, with what was observed and predicted, as CSV.", "FILE"
        ),
        cli_option(
          "--rows",
          paste(
            "Which rows of the model: test, validation, out_of_fold, calibration or training.",
            "With a table, it is the one that the model was trained on."
          ),
          "PART", type_choice(evaluated_parts)
        ),
        cli_option("--by", "A column of the table: the measures by subgroup.", "COLUMN"),
        cli_option("--level", "The level of the intervals; 0.95 when it is not given.", "SHARE", type_level()),
        cli_option(
          "--figures",
          paste(
            "A folder to draw into: loss curves, and for classes the confusion matrix, the curves over all thresholds,",
            "calibration and scores; for numbers the fit and the errors, along the column of --by too."
          ),
          "FOLDER"
        ),
        cli_option(
          "--thresholds", "A CSV file for what each threshold of a class's probability finds.", "FILE"
        ),
        cli_option(
          "--top", "How many rows of the class are found among so many with the highest probabilities: 50,200.", "N,..."
        ),
        cli_option(
          "--gains",
          paste(
            "What each outcome earns, for the profit: found=120,false_alarm=-15; `missed` and `left_alone` can be",
            "named too."
          ),
          "OUTCOME=AMOUNT,..."
        ),
        cli_option("--net-benefit", "The net benefit at these thresholds, as in 0.1,0.2.", "P,..."),
        cli_option("--class", "The class that --top, --gains and --net-benefit are about.", "CLASS"),
        "spreadsheet", "json"
      )
    ),
    decide = cli_command(
      paste(
        "Set the rule by which classes are predicted: a threshold, chosen on the validation rows, or costs.",
        "Without any of them the rule is removed."
      ),
      takes = "MODEL.hylo", files = 1, run = cli_decide,
      example = "hylomath decide recovery.hylo --recall 0.8",
      cli_options(
        cli_option("--recall", "The share of the class's rows to find.", "SHARE",
          type_number(0, 1, open_low = TRUE)
        ),
        cli_option("--best", "F1: the threshold with the highest F1.", "MEASURE", type_choice("F1")),
        cli_option("--threshold", "A probability, to set the threshold by hand.", "P", type_number(0, 1)),
        cli_option(
          "--costs",
          "A CSV: the observed classes in the first column, a column for each prediction, and what it costs.", "TABLE"
        ),
        cli_option(
          "--miss", "How many times as much as any other mistake it costs to miss a row of the class.", "N",
          type_number(0, open_low = TRUE)
        ),
        cli_option("--class", "The class that a threshold or --miss is about; of two the positive one.", "CLASS"),
        "output_model", "json", "quiet"
      )
    ),
    recalibrate = cli_command(
      "Recalibrate a model's probabilities on its calibration rows.",
      takes = "MODEL.hylo", files = 1, run = cli_recalibrate,
      example = "hylomath recalibrate recovery.hylo --method platt",
      cli_options(
        cli_option("--method", "platt (the default), isotonic, temperature, or none to take it away.", "METHOD",
          type_choice(recalibration_methods)
        ),
        "output_model", "json", "quiet"
      )
    ),
    importance = cli_command(
      "Show which columns matter: how much worse the network gets when one is shuffled.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_importance, input = "whole",
      example = "hylomath importance kilns.hylo kilns.csv --figure importance.png",
      cli_options(
        cli_option(
          "--rows",
          "Which rows of the table that the model was trained on; its test rows when it is not given.", "PART",
          type_choice(evaluated_parts)
        ),
        cli_option("--repeats", "How often each column is shuffled; 10 when it is not given.", "N", type_count(1000)),
        cli_option(
          "--group", "Columns that are shuffled together, by a name, as in firing=peak_c,soak_min. May be given again.",
          "NAME=COLUMNS", action = "append"
        ),
        cli_flag("--among-alike", "Give values only to rows that are alike in the other columns."),
        "figure", "json"
      )
    ),
    effect = cli_command(
      "Show how the prediction changes with an input, or with a pair of them.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_effect, input = "whole",
      example = "hylomath effect kilns.hylo kilns.csv --input peak_c --of crazed --figure effect.png",
      cli_options(
        cli_option("--input", "The column. Needed.", "COLUMN"),
        cli_option("--with", "A second column, for the effect of the pair.", "COLUMN"),
        "of",
        cli_flag("--local", "Leave rows where they are: move each within its own step of the column alone."),
        "figure", "json", "quiet"
      )
    ),
    contributions = cli_command(
      "Show which inputs moved the prediction for one row, or for all, and by how much.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_contributions, input = "whole",
      example = "hylomath contributions kilns.hylo kilns.csv --row 5",
      cli_options(
        cli_option("--row", "The id of the row, its number from 1, or all. Needed.", "ROW", type_text()),
        cli_option(c("-o", "--output"), "A table to write them into: a line a column, or a line a row of all.", "FILE"),
        cli_option("--of", "A class or target.", "NAME"),
        cli_option(
          "--passes",
          "Of more than ten columns, how often the other rows are gone through; 20 when it is not given.", "N",
          type_count(1e4, from = 2)
        ),
        "figure", "spreadsheet", "json", "quiet"
      )
    ),
    interactions = cli_command(
      "Show which columns act together: how far two columns' mean effect is from the sum of their own.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_interactions, input = "whole",
      example = "hylomath interactions kilns.hylo kilns.csv --of crazed --figure interactions.png",
      cli_options(
        cli_option(
          "--columns", "Columns whose pairs are looked at, with commas between them; when not given, ten at most.",
          "COLUMNS"
        ),
        "of",
        "figure", "json", "quiet"
      )
    ),
    "smallest-change" = cli_command(
      "Show the smallest change of a row's values that turns its prediction, within what was seen.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_smallest_change, input = "whole",
      example = "hylomath smallest-change kilns.hylo kilns.csv --row 5 --columns peak_c,soak_min",
      cli_options(
        "row", cli_option("--columns", "The columns that may be changed, with commas between them.", "COLUMNS"),
        cli_option(
          "--to", "The class that is to be predicted, or the range of a number, as in -Inf,20 (TARGET=-Inf,20).", "WHAT"
        ),
        cli_option("--most", "How many ways are given; 3 when it is not given.", "N", type_count(20)),
        "json"
      )
    ),
    "try-row" = cli_command(
      "Show what would be predicted for a row if some of its values were others, beside its prediction as it is.",
      takes = "MODEL.hylo TABLE.csv COLUMN=VALUE ...", files = c(3, 100), run = cli_try_row, input = "whole",
      example = "hylomath try-row kilns.hylo kilns.csv --row 5 peak_c=1300",
      cli_options("row", "json")
    )
  )
}

commands_to_improve <- function() {
  list(
    folds = cli_command(
      paste(
        "Evaluate a brief by cross-validation: every training and validation row is predicted by a network that had",
        "not learned from it. The test rows stay out of it."
      ),
      takes = "BRIEF.yml", files = 1, run = cli_folds,
      example = "hylomath folds kilns.yml --k 10 -o out-of-fold.csv",
      cli_options(
        "folds_10", "repeats", "by",
        cli_option(
          "--window", "With --by ordered, how far back each fold learns from, as in \"365 days\".", "DURATION"
        ),
        "checkpoint", cli_option(c("-o", "--output"), "A CSV to write the predictions for every row into.", "FILE"),
        cli_option("--figures", "A folder to draw into, as with appraise.", "FOLDER"),
        "keep", "set", "quick", "workers", "progress", "spreadsheet", "json", "quiet"
      )
    ),
    "more-rows" = cli_command(
      paste(
        "Show whether more rows would help: the error of networks that learn from fewer of the rows, by folds, and a",
        "power law that goes on to more rows than there are."
      ),
      takes = "BRIEF.yml", files = 1, run = cli_more_rows,
      example = "hylomath more-rows kilns.yml --figure rows.png",
      cli_options(
        cli_option("--shares", "Which shares of the rows are learned from, as in 0.1,0.3,1.", "SHARE,..."),
        cli_option(
          "--ahead", "How many times the rows that there are the law goes on to; 2.", "N", type_number(1, 100)
        ),
        "folds_5", "repeats", "by", "checkpoint", "figure", "keep", "set", "workers", "progress", "json", "quiet"
      )
    ),
    vary = cli_command(
      paste(
        "Vary one setting of a brief over values, everything else fixed, evaluated by folds:",
        "units, rows, batch_size, or any other key."
      ),
      takes = "BRIEF.yml SETTING=VALUE,VALUE,...", files = 2, run = cli_vary,
      example = "hylomath vary kilns.yml batch_size=16,64,256",
      cli_options(
        "folds_5", "repeats", "by", "checkpoint", "figure", "keep", "set", "workers", "progress", "json", "quiet"
      )
    ),
    sift = cli_command(
      paste(
        "Sift the inputs of a brief: drop (or add) them one by one, evaluated by folds, and write the brief with those",
        "that are needed."
      ),
      takes = "BRIEF.yml", files = 1, run = cli_sift,
      example = "hylomath sift kilns.yml -o fewer.yml",
      cli_options(
        cli_option("--direction", "backward (the default), forward or ranking.", "HOW",
          type_choice(sifting_directions)
        ),
        "folds_5", "repeats", "by", "checkpoint",
        cli_option("--which", "Which set the brief is written with: small (the default) or best.", "SET",
          type_choice(sifting_sets)
        ),
        "output", "figure", "keep", "set", "workers", "progress", "json", "quiet"
      )
    ),
    scout = cli_command(
      paste(
        "Search for better settings, on out-of-fold rows or by folds, and write the brief with the best. Every fit is",
        "kept as it ends: a search that was killed goes on where it was when it is called again, and so does one",
        "whose budget is raised."
      ),
      takes = "BRIEF.yml [SETTING=LOW..HIGH | SETTING=VALUE,VALUE,...] ...", files = c(1, 30), run = cli_scout,
      example = paste(
        "hylomath scout kilns.yml units=4..64 activation=relu,tanh learning_rate=1e-3..0.03",
        "--budget 30 -o better.yml"
      ),
      cli_options(
        cli_option("--budget", "The number of trials; 40 when it is not given.", "N", type_count(1e5, from = 2)),
        cli_option("--seconds", "Begin no round after so many seconds.", "S", type_number(0, open_low = TRUE)),
        cli_option(
          "--evaluate",
          paste(
            "out_of_fold where an ensemble is trained (the default there, unless folds are asked for), folds, or",
            "validation for the brief's own validation rows."
          ),
          "HOW", type_choice(search_evaluations)
        ),
        "folds_5", "repeats", "by",
        cli_option("--where", "A condition between settings, such as \"units * layers <= 64\".", "CONDITION"),
        cli_option(
          "--keep",
          paste(
            "The file that keeps the search; the brief's name with .scout when it is not given.",
            "`hylomath show` opens it."
          ),
          "FILE"
        ),
        cli_option(
          "--figures",
          "A folder to draw into: the measure by each setting, the best so far, and layers by units.", "FOLDER"
        ),
        "output", "set", "workers", "progress", "json", "quiet"
      )
    ),
    distil = cli_command(
      paste(
        "Teach a small network by a large one, and compare teacher, student, and the student taught by labels alone on",
        "the same folds. With the table that an ensemble was trained on in place of a student, one",
        "network is made of them."
      ),
      takes = "TEACHER.hylo STUDENT.yml|TABLE.csv [UNLABELLED.csv]", files = 2:3, run = cli_distil,
      example = "hylomath distil big.hylo small.yml -o small.hylo --temperature 2",
      cli_options(
        cli_option(
          "--temperature", "The temperature: it divides the scores behind the probabilities; 2 when it is not given.",
          "T", type_temperature()
        ),
        cli_option(
          "--label-share", "How much the labels count, from 0 to 1; 0.5 when it is not given.", "SHARE",
          type_number(0, 1)
        ),
        cli_option("--teacher-data", "The table that the teacher was trained on, where it is another one.", "TABLE"),
        cli_option("--k", "The number of folds of the comparison; 5 when it is not given, 0 for none.", "N",
          type_count(1000, from = 0)
        ),
        "repeats", "by", "output", "figure", "set", "workers", "progress", "json", "quiet"
      )
    ),
    resume = cli_command(
      paste(
        "Train a network further: on the table that it was trained on for more epochs, or on newer rows with its",
        "preparation kept."
      ),
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_resume, input = "whole",
      example = "hylomath resume kilns.hylo newer.csv -o kilns-2.hylo",
      cli_options(
        cli_option("--epochs", "How many more epochs there may be; as many as the brief says.", "N", type_count(1e7)),
        "output_model", "progress", "json", "quiet"
      )
    ),
    refit = cli_command(
      paste(
        "Train an evaluated network on all rows of its table, for use: the brief in force, for the epochs that were",
        "right. It keeps the measures of the former network."
      ),
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_refit, input = "whole",
      example = "hylomath refit kilns.hylo kilns.csv -o kilns-all.hylo",
      cli_options("output_model", "progress", "json", "quiet")
    ),
    lineup = cli_command(
      paste(
        "Line up models or folds side by side: the same rows, the same measures, differences with their intervals."
      ),
      takes = "A.hylo B.hylo ... [TABLE.csv] | A.folds B.folds ...", files = c(2, 100), run = cli_lineup,
      input = "whole",
      example = "hylomath lineup small.hylo large.hylo",
      cli_options(
        cli_option("--rows", "Which rows they share: test, validation or calibration.", "PART",
          type_choice(c("test", "validation", "calibration"))
        ),
        "figure", "json"
      )
    )
  )
}

commands_to_use <- function() {
  list(
    predict = cli_command(
      paste(
        "Put a model's predictions beside the rows of a table of any size: a file, - for standard input, or a database",
        "with --query. Without -o they go to standard output."
      ),
      takes = "MODEL.hylo TABLE", files = 2, run = cli_predict,
      example = c(
        "hylomath predict kilns.hylo new.csv -o scored.csv", "cat new.csv | hylomath predict kilns.hylo - --flags",
        "hylomath predict kilns.hylo firings.sqlite --query \"select * from new\" --key firing --into predictions"
      ),
      cli_options(
        "output",
        cli_option(
          "--type",
          paste(
            "What is put beside the rows: prediction, probability, both, interval (numbers) or set (classes).",
            "Intervals and sets need calibration rows or out-of-fold predictions."
          ),
          "TYPE", type_choice(c("auto", prediction_types))
        ),
        cli_option(
          "--level",
          "The share of rows whose value an interval or set is to hold; 0.9 when it is not given.", "SHARE",
          type_share()
        ),
        cli_flag("--flags", "Add a column that names what is unusual about each row."),
        cli_flag("--ranked", "The rows with the highest probability or number first; the table is read whole."),
        cli_flag("--mark-learned", "Add a column that says which rows the network has learned from."),
        cli_option("--digits", "Significant digits of probabilities and numbers.", "N", type_count(15)),
        cli_option(
          "--reasons", "Add so many columns with what moved a row's prediction most; the table is read whole.", "N",
          type_count(20)
        ),
        cli_option(
          "--reasons-for", "For how many rows, the first of the list; 200 when it is not given.", "N", type_count()
        ),
        cli_flag("--identity", "Add a column with the network's identity."),
        cli_option(
          "--shares",
          "The shares of the classes where rows come from, if they are others than in training: yes=0.3,no=0.7.",
          "CLASS=SHARE,..."
        ),
        cli_option(
          "--bad-cells", "What to do with cells that are not numbers where numbers are needed: refuse or missing.",
          "HOW", type_choice(ways_with_bad_cells)
        ),
        cli_option("--as", "What the new columns' names begin with; nothing when it is not given.", "PREFIX"),
        "query",
        cli_option("--into", "With --query, the database's table that takes the predictions; made if need be.", "NAME"),
        cli_option("--key", "With --query, the column that names each row; a broken run goes on behind it.", "COLUMN"),
        "progress", "spreadsheet", "json", "quiet"
      ),
      input = "stream"
    ),
    show = cli_command(
      "Show what a file holds: a model, a brief, or a result that was kept (of folds, vary, sift or scout).",
      takes = "MODEL.hylo|BRIEF.yml|RESULT", files = 1, run = cli_show,
      example = "hylomath show kilns.hylo --brief > again.yml",
      cli_options(
        cli_flag("--brief", "Give the model's brief as YAML."),
        cli_flag("--code", "Give the R script that rebuilds the brief and trains it."),
        cli_flag("--curves", "Give the loss curves as CSV."),
        cli_flag("--layers", "Give the layers and their parameters."),
        cli_flag("--weights", "Give all weights and biases as JSON, or with -o as one long table."),
        cli_option(c("-o", "--output"), "With --weights, the table to write (.csv or .parquet).", "FILE"),
        cli_option("--network", "Draw the network into a PNG file.", "FILE"),
        "spreadsheet", "json"
      )
    ),
    report = cli_command(
      paste(
        "Write a report: a page for readers who will not open R. Of a model, with the table that it was trained on",
        "also what each input does and the rows to look at; of several models side by side; of a result that was",
        "kept by folds or scout. The model's file notes that test rows were looked at."
      ),
      takes = "MODEL.hylo [TABLE.csv] | MODEL.hylo ... | RESULT", files = c(1, 20), run = cli_report, input = "whole",
      example = c(
        "hylomath report kilns.hylo kilns.csv -o kilns.html", "hylomath report kilns.hylo kilns.csv --pdf",
        "hylomath report small.hylo large.hylo -o side-by-side.html"
      ),
      cli_options(
        cli_option(
          c("-o", "--output"), "The page (.html or .pdf); beside the model when it is not given.", "FILE"
        ),
        cli_flag("--pdf", "Print it to a PDF, by the browser Chromium."),
        cli_flag("--without-rows", "Leave out all that shows single rows: keys, values, points of figures."), "quiet"
      )
    ),
    transcribe = cli_command(
      paste(
        "Write a model as code that runs elsewhere. It holds 50 made-up rows and their predictions, as a test that",
        "it runs by itself."
      ),
      takes = "MODEL.hylo", files = 1, run = cli_transcribe,
      example = c(
        "hylomath transcribe kilns.hylo --to c -o kilns.c",
        "hylomath transcribe kilns.hylo --to sql --dialect postgres --table firings --key firing",
        "hylomath transcribe kilns.hylo --to page -o kilns.html"
      ),
      cli_options(
        cli_option("--to", "The language: sql, c, javascript or r; or page, a form to try it by hand. Needed.", "WHAT",
          type_choice(transcript_targets())
        ),
        cli_option("--dialect", "Of SQL: standard, sqlite or postgres.", "DIALECT", type_choice(sql_dialects)),
        cli_option("--table", "Of SQL: the table that is read.", "NAME"),
        cli_option("--key", "Of SQL: the columns that name its rows, with commas between; the brief's id.", "NAMES"),
        cli_option("--level", "Put intervals beside numbers that hold this share of new rows, of one width.", "SHARE",
          type_share()
        ),
        cli_flag("--check", "Of SQL: a query that predicts the made-up rows, and says how far off it is (below 1)."),
        cli_option(c("-o", "--output"), "Write the code into a file; standard output when it is not given.", "FILE"),
        "quiet"
      )
    ),
    serve = cli_command(
      paste(
        "Serve a network's predictions over HTTP, on this machine alone: POST rows as JSON or CSV to /predict; a form",
        "to try it by hand is at /. Ctrl-C or SIGTERM ends it after the requests that have come in."
      ),
      takes = "MODEL.hylo", files = 1, run = cli_serve,
      example = "hylomath serve kilns.hylo --port 8010",
      cli_options(
        cli_option("--port", "Where it listens; 8010, and 0 for a free one.", "N", type_count(65535, from = 0)),
        cli_option(
          "--host", "The address that it listens at; 127.0.0.1, this machine alone. Others need a token.", "ADDRESS"
        ),
        cli_option(
          "--called", "Another host name that it responds to, such as a front server's. May be given again.", "NAME",
          action = "append"
        ),
        cli_option("--token", "The token that every request needs; better in the variable HYLOMATH_TOKEN.", "TEXT"),
        cli_option("--most-bytes", "A larger body is refused; 10,000,000.", "N", type_limit()),
        cli_option("--most-rows", "More rows at a time are refused; 100,000.", "N", type_limit()),
        cli_option("--most-seconds", "A request that takes longer is given up; 30.", "SECONDS", type_limit()),
        cli_option(
          "--most-idle", "Seconds after which a connection without a whole request is closed; 60.", "SECONDS",
          type_limit()
        ),
        cli_option("--log", "A file for a line of JSON a request, never with values; standard error.", "FILE"), "quiet"
      )
    ),
    watch = cli_command(
      paste(
        "Watch a network at work: have inputs, predictions or errors of newer rows moved since training? The exit",
        "status says what is to be done."
      ),
      takes = "MODEL.hylo NEWER.csv", files = 2, run = cli_watch, input = "whole",
      example = "hylomath watch kilns.hylo autumn.csv --by \"month(fired_on)\" --figure watch.png",
      cli_options(
        cli_option("--by", "An expression that parts the rows into periods, such as month(fired_on).", "EXPRESSION"),
        cli_option(c("-o", "--output"), "Write all comparisons as CSV.", "FILE"), "figure",
        cli_option("--report", "Write a report of it (.html or .pdf).", "FILE"),
        cli_flag(
          "--adapt", "Of rows in order of time, let the model's intervals follow these rows: its file is written anew."
        ),
        "spreadsheet", "json", "quiet"
      ),
      statuses = c("3" = "look closer", "4" = "retrain")
    ),
    adapt = cli_command(
      paste(
        "Let intervals follow later rows: of a model whose rows are in order of time, its intervals and sets rest on",
        "these rows too, now that their outcome is known. The network stays as it is."
      ),
      takes = "MODEL.hylo NEWER.csv", files = 2, run = cli_adapt, input = "whole",
      example = "hylomath adapt crossings.hylo october.csv",
      cli_options("output_model", "json", "quiet")
    ),
    probe = cli_command(
      "Give the outputs of a model's layer for the rows of a table.",
      takes = "MODEL.hylo TABLE.csv", files = 2, run = cli_probe, input = "whole",
      example = "hylomath probe kilns.hylo kilns.csv --layer 1 -o units.csv",
      cli_options(
        cli_option("--layer", "The number of the layer, from 1; the last hidden one when it is not given.", "N",
          type_count()
        ),
        "output", "spreadsheet", "json", "quiet"
      )
    )
  )
}

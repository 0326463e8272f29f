# The subcommands: what each takes and how its help reads. What each does stands in cli-verbs.R.

cli_verbs <- function() {
  output <- cli_option(c("-o", "--output"), "Where to write the result.", metavar = "FILE")
  set <- cli_option("--set", "Override a key of the brief, such as regimen.epochs=50. May be given again.", metavar = "KEY=VALUE", action = "append")
  json <- cli_option("--json", "Give the result as JSON on standard output.", action = "store_true")
  quiet <- cli_option(c("-q", "--quiet"), "Say nothing but errors.", action = "store_true")
  progress <- cli_progress_option()
  workers <- cli_option("--workers", "Spread the fits: a number of processes here, or host names with commas between them. The environment variable R_FUTURE_PLAN is heeded too.", metavar = "WHO")
  keep <- cli_option("--keep", "A file to keep the whole result in; `hylomath show` opens it, and `hylomath lineup` compares folds.", metavar = "FILE")
  figure <- cli_option("--figure", "Draw it into a PNG file.", metavar = "FILE")
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
      options = list(output, set, progress, cli_option("--watch-test", "Measure the loss of the test rows after each epoch too.", action = "store_true"), json, quiet), example = "hylomath train kilns.yml -o kilns.hylo --set regimen.epochs=100"
    ),
    appraise = list(
      does = "Judge a model on its test rows, or on the rows of another table. That its test rows were looked at is noted in the model's file.",
      takes = "MODEL.hylo [TABLE.csv]", run = cli_appraise, least = 1, most = 2,
      options = list(
        cli_option("--rows", "Which rows of the model: test, validation, calibration or training. With a table, it is the one that the model was trained on.", metavar = "PART"),
        cli_option("--by", "A column of the table: the measures by subgroup.", metavar = "COLUMN"), cli_option("--level", "The level of the intervals; 0.95 when it is not given.", metavar = "SHARE"),
        cli_option("--figures", "A folder to draw into: loss curves, and for classes the confusion matrix, the curves over all thresholds, calibration and scores; for numbers the fit and the errors, along the column of --by too.", metavar = "FOLDER"),
        cli_option("--thresholds", "A CSV to write what each threshold of a class's probability finds into.", metavar = "FILE"), json
      ),
      example = "hylomath appraise kilns.hylo kilns.csv --rows test --by glaze"
    ),
    decide = list(
      does = "Set the rule by which classes are answered: a threshold, chosen on the validation rows, or costs. Without any of them the rule is taken away.", takes = "MODEL.hylo", run = cli_decide, least = 1, most = 1,
      options = list(
        cli_option("--recall", "The share of the class's rows that is to be found.", metavar = "SHARE"), cli_option("--best", "F1: the threshold with the highest F1.", metavar = "MEASURE"),
        cli_option("--threshold", "A probability, to set the threshold by hand.", metavar = "P"),
        cli_option("--costs", "A CSV: the observed classes in the first column, a column for each answer, and what it costs.", metavar = "FILE"),
        cli_option("--class", "The class that a threshold is about; of two the positive one.", metavar = "CLASS"), cli_option(c("-o", "--output"), "Where to write the model; over the former one when it is not given.", metavar = "FILE"), json, quiet
      ),
      example = "hylomath decide recovery.hylo --recall 0.8"
    ),
    recalibrate = list(
      does = "Put a model's probabilities right by its calibration rows.", takes = "MODEL.hylo", run = cli_recalibrate, least = 1, most = 1,
      options = list(
        cli_option("--method", "platt (the default), isotonic, temperature, or none to take it away.", metavar = "METHOD"),
        cli_option(c("-o", "--output"), "Where to write the model; over the former one when it is not given.", metavar = "FILE"), json, quiet
      ),
      example = "hylomath recalibrate recovery.hylo --method platt"
    ),
    importance = list(
      does = "Tell which columns matter: how much worse the network gets when one is shuffled.", takes = "MODEL.hylo TABLE.csv", run = cli_importance, least = 2, most = 2,
      options = list(cli_option("--rows", "Which rows of the table that the model was trained on; its test rows when it is not given.", metavar = "PART"), cli_option("--repeats", "How often each column is shuffled; 10 when it is not given.", metavar = "N"), figure, json),
      example = "hylomath importance kilns.hylo kilns.csv --figure importance.png"
    ),
    effect = list(
      does = "Show how the answer goes with an input, or with a pair of them.", takes = "MODEL.hylo TABLE.csv", run = cli_effect, least = 2, most = 2,
      options = list(
        cli_option("--input", "The column. Needed.", metavar = "COLUMN"), cli_option("--with", "A second column, for the effect of the pair.", metavar = "COLUMN"),
        cli_option("--of", "Classes or targets to look at, with commas between them.", metavar = "NAMES"), figure, json, quiet
      ),
      example = "hylomath effect kilns.hylo kilns.csv --input peak_c --of crazed --figure effect.png"
    ),
    contributions = list(
      does = "Tell which inputs moved the answer to one row, and by how much.", takes = "MODEL.hylo TABLE.csv", run = cli_contributions, least = 2, most = 2,
      options = list(cli_option("--row", "The number of the row, from 1. Needed.", metavar = "N"), cli_option("--of", "A class or target.", metavar = "NAME"), figure, json),
      example = "hylomath contributions kilns.hylo kilns.csv --row 5"
    ),
    folds = list(
      does = "Judge a brief by cross-validation: every training and validation row is judged by a network that had not learned from it. The test rows stay out of it.", takes = "BRIEF.yml", run = cli_folds, least = 1, most = 1,
      options = list(
        cli_option("--k", "The number of folds; 10 when it is not given.", metavar = "N"), cli_option("--repeats", "How often the rows are dealt anew.", metavar = "N"),
        cli_option("--by", "How rows are dealt: stratified, random, ordered or group.", metavar = "HOW"), cli_option(c("-o", "--output"), "A CSV to write the answers to every row into.", metavar = "FILE"),
        cli_option("--figures", "A folder to draw into, as with appraise.", metavar = "FOLDER"), keep, set, workers, progress, json, quiet
      ),
      example = "hylomath folds kilns.yml --k 10 -o out-of-fold.csv"
    ),
    vary = list(
      does = "Vary one setting of a brief over values, everything else fixed, judged by folds: units, rows, batch_size, or any other key.", takes = "BRIEF.yml SETTING=VALUE,VALUE,...", run = cli_vary, least = 2, most = 2,
      options = list(
        cli_option("--k", "The number of folds; 5 when it is not given.", metavar = "N"), cli_option("--repeats", "How often the rows are dealt anew.", metavar = "N"),
        cli_option("--by", "How rows are dealt: stratified, random, ordered or group.", metavar = "HOW"), figure, keep, set, workers, progress, json, quiet
      ),
      example = "hylomath vary kilns.yml batch_size=16,64,256"
    ),
    sift = list(
      does = "Sift the inputs of a brief: drop (or add) them one by one, judged by folds, and write the brief with those that are needed.", takes = "BRIEF.yml", run = cli_sift, least = 1, most = 1,
      options = list(
        cli_option("--direction", "backward (the default), forward or ranking.", metavar = "HOW"), cli_option("--k", "The number of folds; 5 when it is not given.", metavar = "N"),
        cli_option("--repeats", "How often the rows are dealt anew.", metavar = "N"), cli_option("--by", "How rows are dealt: stratified, random, ordered or group.", metavar = "HOW"),
        cli_option("--which", "Which set the brief is written with: small (the default) or best.", metavar = "SET"), output, figure, keep, set, workers, progress, json, quiet
      ),
      example = "hylomath sift kilns.yml -o fewer.yml"
    ),
    scout = list(
      does = "Search for better settings, judged by folds, and write the brief with the best. Every fit is kept as it ends: a search that was killed goes on where it was when it is called again, and so does one whose budget is raised.",
      takes = "BRIEF.yml [SETTING=LOW..HIGH | SETTING=VALUE,VALUE,...] ...", run = cli_scout, least = 1, most = 30,
      options = list(
        cli_option("--budget", "The number of trials; 40 when it is not given.", metavar = "N"), cli_option("--seconds", "Begin no round after so many seconds.", metavar = "S"),
        cli_option("--judge", "folds (the default), or validation for the brief's own validation rows.", metavar = "HOW"), cli_option("--k", "The number of folds; 5 when it is not given.", metavar = "N"),
        cli_option("--repeats", "How often the rows are dealt anew.", metavar = "N"), cli_option("--by", "How rows are dealt: stratified, random, ordered or group.", metavar = "HOW"),
        cli_option("--where", "A condition between settings, such as \"units * layers <= 64\".", metavar = "CONDITION"),
        cli_option("--keep", "The file that keeps the search; the brief's name with .scout when it is not given. `hylomath show` opens it.", metavar = "FILE"),
        cli_option("--figures", "A folder to draw into: the measure by each setting, the best so far, and layers by units.", metavar = "FOLDER"), output, set, workers, progress, json, quiet
      ),
      example = "hylomath scout kilns.yml units=4..64 activation=relu,tanh learning_rate=1e-3..0.03 --budget 30 -o better.yml"
    ),
    distil = list(
      does = "Teach a small network by a large one, and compare teacher, student, and the student taught by labels alone on the same folds.",
      takes = "TEACHER.hylo STUDENT.yml [UNLABELLED.csv]", run = cli_distil, least = 2, most = 3,
      options = list(
        cli_option("--temperature", "What scores are divided by before they are probabilities; 2 when it is not given.", metavar = "T"),
        cli_option("--label-share", "How much the labels count, from 0 to 1; 0.5 when it is not given.", metavar = "SHARE"),
        cli_option("--teacher-data", "The table that the teacher was trained on, where it is another one.", metavar = "TABLE"),
        cli_option("--k", "The number of folds of the comparison; 5 when it is not given, 0 for none.", metavar = "N"), cli_option("--repeats", "How often the rows are dealt anew.", metavar = "N"),
        cli_option("--by", "How rows are dealt: stratified, random, ordered or group.", metavar = "HOW"), output, figure, set, workers, progress, json, quiet
      ),
      example = "hylomath distil big.hylo small.yml -o small.hylo --temperature 2"
    ),
    lineup = list(
      does = "Put models, or folds that were kept, side by side: the same rows, the same measures, differences with their intervals.", takes = "A.hylo B.hylo ... [TABLE.csv] | A.folds B.folds ...", run = cli_lineup, least = 2, most = 100,
      options = list(cli_option("--rows", "Which rows they share: test, validation or calibration.", metavar = "PART"), figure, json),
      example = "hylomath lineup small.hylo large.hylo"
    ),
    predict = list(
      does = "Put a model's answers beside the rows of a table.", takes = "MODEL.hylo TABLE.csv", run = cli_predict, least = 2, most = 2,
      options = list(
        output, cli_option("--type", "What is put beside the rows: answer, probability, both, interval (numbers) or set (classes). Intervals and sets need calibration rows.", metavar = "TYPE"),
        cli_option("--level", "The share of rows whose value an interval or set is to hold; 0.9 when it is not given.", metavar = "SHARE"),
        cli_option("--flags", "Add a column that names what is strange about each row.", action = "store_true"), json, quiet
      ),
      example = "hylomath predict kilns.hylo new.csv -o scored.csv"
    ),
    show = list(
      does = "Show what a file holds: a model, a brief, or a result that was kept (of folds, vary, sift or scout).", takes = "MODEL.hylo|BRIEF.yml|RESULT", run = cli_show, least = 1, most = 1,
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

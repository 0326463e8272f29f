# Whether the parts of a result that was read from a file are what those of its kind are: what prints, draws and
# compares results takes them at their word.

# What is broken about it, in a word; NULL where nothing is.
broken_in_result <- function(x) {
  if (length(tasks_called(x$task)) == 0) return("task")
  checks <- result_checks(x)
  for (part in names(checks)) {
    holds <- tryCatch(isTRUE(checks[[part]](x[[part]])), error = function(e) FALSE, warning = function(w) FALSE)
    if (!holds) return(part)
  }
  NULL
}

# A check for each part, by its name; `x` is asked where one part has to fit another.
result_checks <- function(x) {
  judged <- list(
    target = check_texts(least = 1), primary = check_text,
    notes = check_maybe(check_columns(c("code", "note", "try")))
  )
  dealt <- list(k = check_place(1), repeats = check_place(1), left_out = check_place(0))
  own <- switch(class(x)[1],
    hylomath_folds = list(
      measures = check_columns("measure", measured_numbers), level = check_share, brief = check_brief,
      each = check_columns(character(), c("repeat", "fold", "rows", "training", "best_epoch")),
      pooled = function(pooled) identical(class(pooled), "hylomath_appraisal") && is.null(broken_in_result(pooled)),
      predictions = check_columns("key", c("repeat", "fold")), rows = is_numbers, by = check_text,
      regimen = function(regimen) identical(settle_settings(regimen, regimen_schema(), "regimen"), regimen),
      fingerprint = check_text, group = check_maybe(function(group) is_texts(as.character(group)))
    ),
    hylomath_variation = list(
      values = check_columns(c("value", "measure"), varied_numbers, least = 1), setting = check_text,
      numeric = is_flag, against = function(against) sum(x$values$value == against) == 1, level = check_share,
      folds = function(folds) {
        all(vapply(folds, function(f) inherits(f, "hylomath_folds") && is.null(broken_in_result(f)), NA)) &&
          setequal(names(folds), x$values$value)
      }
    ),
    hylomath_sifting = list(
      path = check_columns("column", c("inputs", "mean", "sd", "difference", "error"), least = 1),
      direction = function(way) way %in% c("backward", "forward", "ranking"), best = check_texts(least = 1),
      small = check_texts(least = 1), dropped = check_texts(), brief = check_brief
    ),
    hylomath_lineup = list(
      models = check_columns("model", lined_up_numbers, least = 1), measures = check_columns(c("model", "measure"),
        setdiff(lined_up_numbers, c("parameters", "training_seconds"))
      ), settings = function(settings) is.data.frame(settings) && all(vapply(settings, is.character, NA)),
      rows = check_text, n = check_place(0), level = check_share, first = function(first) first %in% x$models$model,
      units = check_text, paired = check_text, looks = is_numbers
    ),
    hylomath_appraisal = c(appraisal_checks(x), if (answers_classes(x$task)) answered_classes_checks(x))
  )
  c(judged, if (inherits(x, c("hylomath_folds", "hylomath_variation", "hylomath_sifting"))) dealt, own)
}

measured_numbers <- c("value", "low", "high", "baseline", "mean", "sd", "error")
varied_numbers <- c(
  "mean", "error", "sd", "difference", "difference_low", "difference_high", "parameters", "rows", "updates", "seconds"
)
lined_up_numbers <- c(
  "value", "low", "high", "difference", "difference_low", "difference_high", "parameters", "training_seconds"
)

appraisal_checks <- function(x) {
  classes <- answers_classes(x$task)
  list(
    measures = check_columns("measure", c("value", "low", "high", "baseline")), rows = check_text, n = check_place(0),
    level = check_share, units = check_text, weighted = is_flag, wiring = check_text, looks = is_numbers,
    positive = check_maybe(function(positive) positive %in% rownames(x$confusion)),
    bands = if (classes) is.null else check_columns("band", c("rows", "answer", "bias", "MAE", "RMSE")),
    worth = check_maybe(check_worth), coverage = check_maybe(check_columns("of", coverage_numbers, least = 1)),
    by = check_maybe(check_columns(c("group", "measure"), c("rows", "value", "low", "high"))),
    by_column = if (is.null(x$by)) is.null else check_text,
    baseline_answer = if (classes) check_text else function(answer) is_numbers(answer, length(x$target)),
    baseline_is = check_maybe(check_text), baseline_rate = check_maybe(is_numbers),
    judged = function(judged) is.data.frame(judged) && is.character(judged$key),
    weight = check_numbers, unit = check_numbers
  )
}

coverage_numbers <- c("wanted", "held", "low", "high", "size")

check_worth <- function(worth) {
  check_columns(c("measure", "verdict"), c("value", "direct", "difference", "low", "high"))(worth) &&
    all(worth$verdict %in% c("better", "worse", "same"))
}

answered_classes_checks <- function(x) {
  shares <- c("support", "recall", "precision", "f1")
  list(
    confusion = function(confusion) {
      of <- rownames(confusion)
      is.matrix(confusion) && is_numbers(as.vector(confusion)) && all(confusion >= 0) && length(of) >= 2 &&
        is_texts(of) && identical(of, colnames(confusion)) && x$baseline_answer %in% of
    },
    classes = function(classes) check_columns("class", shares)(classes) &&
      identical(classes$class, rownames(x$confusion))
  )
}

# ---- checks that are asked for by what they want --------------------------------------------------------------------

check_brief <- function(x) inherits(x, "hylomath_brief")

check_maybe <- function(check) function(x) is.null(x) || check(x)

check_text <- function(x) is_text(x, 1)

check_texts <- function(least = 0) function(x) is_texts(x) && length(x) >= least

check_numbers <- function(x) is_numbers(x)

check_place <- function(least) function(x) is_place(x, least, Inf)

check_share <- function(x) is_numbers(x, 1) && x > 0 && x < 1

# A table with these columns of texts and of numbers, of so many rows at least.
check_columns <- function(texts, numbers = character(), least = 0) {
  function(x) {
    of_numbers <- function(column) is.numeric(column) || all(is.na(column))
    is.data.frame(x) && nrow(x) >= least && all(c(texts, numbers) %in% names(x)) &&
      all(vapply(x[texts], is.character, NA)) && all(vapply(x[numbers], of_numbers, NA))
  }
}

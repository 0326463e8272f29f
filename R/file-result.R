#' Keep a result in a file
#'
#' What [folds()], [vary()], [more_rows()], [sift()], [lineup()] and [appraise()] return, to be opened later. A
#' [scout()] keeps itself: `read_result()` opens its `file` too, finished or not.
#'
#' @section Format: A gzip-compressed JSON document in UTF-8 whose top level has `format` (`"hylomath result"`),
#'   `format_version` (5), `checksum` (of the text behind it) and `content`, in the form of a model file's values, see
#'   [write_model()]; what has a class is
#'   `{"$object": {class, value}}`, and a brief its text without its table. Reading never runs code.
#' @param x A result.
#' @param file A path. It is written whole or not at all.
#' @return `write_result()` returns `x` invisibly, `read_result()` the result; its brief has no table, so give one to
#'   what trains: `train(best_brief(x), data = )`.
#' @section Errors: A file that can't be read, is damaged, or holds something else.
#' @examples
#' set.seed(1)
#' f <- folds(brief(kilns, target = "outcome") |> regimen(epochs = 10), k = 3, progress = "none")
#' file <- tempfile(fileext = ".folds")
#' write_result(f, file)
#' identical(read_result(file)$measures, f$measures)
#' @export
write_result <- function(x, file) {
  if (!inherits(x, kept_classes())) {
    what <- paste(
      "Only results of folds(), vary(), more_rows(), sift(), lineup() and appraise() can be written this way,",
      "not %s."
    )
    hint <- if (is_model(x)) {
      "Models go by write_model()."
    } else if (inherits(x, "hylomath_scouting")) {
      "Give scout() a `file`, which keeps every fit."
    }
    fail(sprintf(what, describe_class(x)), hint)
  }
  write_document(result_document, briefs_as_text(x), file)
  invisible(x)
}

kept_classes <- function() paste0("hylomath_", stored_results)

result_document <- list(
  format = "hylomath result", version = 5L, foreign = "holds no result",
  hint = "Results are written by write_result(), scout(file = ) or the command's `--keep`.",
  again = "Make the result again."
)

#' @rdname write_result
#' @export
read_result <- function(file) {
  check_file(file)
  if (is_store(file)) {
    search <- read_scouting(file)
    if (!is.null(broken_in_result(search))) fail_damaged_search(file)
    return(search)
  }
  content <- read_document(result_document, file)
  result <- made_of_content(result_document, file, text_as_briefs(from_stored(content)))
  if (!inherits(result, kept_classes())) fail_foreign(result_document, file, "it holds something else")
  broken <- broken_in_result(result)
  if (is.null(broken)) return(result)
  fail_foreign(result_document, file, sprintf("it is damaged, its `%s` is not that of one", broken))
}

# Whether a file holds a result, as against a model.
is_result <- function(file) is_store(file) || is_document(result_document, file)

# Briefs anywhere in a result by their text, without their table, and back.
briefs_as_text <- function(x) {
  if (inherits(x, "hylomath_brief")) return(structure(list(text = brief_yaml(x)), class = "brief_text"))
  if (is.list(x) && !is.data.frame(x)) x[] <- lapply(x, briefs_as_text)
  x
}

text_as_briefs <- function(x) {
  if (inherits(x, "brief_text")) return(read_brief(text = x$text, read = FALSE))
  if (is.list(x) && !is.data.frame(x)) x[] <- lapply(x, text_as_briefs)
  x
}

# ---- what a file may hold --------------------------------------------------------------------------------------------

# Whether the parts of a result that was read from a file are what those of its kind are: the code that
# prints, draws and compares results relies on it.

# What is broken about it, in a word; NULL where nothing is.
broken_in_result <- function(x) {
  if (length(tasks_called(x$task)) == 0) return("task")
  first_broken(x, result_checks(x))
}

# A check for each part, by its name; `x` is asked where one part has to fit another.
result_checks <- function(x) {
  evaluated <- list(
    target = wants_texts(least = 1), primary = wants_text,
    notes = wants_maybe(wants_columns(c("code", "note", "try")))
  )
  dealt <- list(k = wants_place(1), repeats = wants_place(1), left_out = wants_place(0))
  own <- switch(class(x)[1],
    hylomath_folds = list(
      measures = wants_columns("measure", measured_numbers), level = wants_share, brief = wants_brief,
      each = wants_columns(character(), c("repeat", "fold", "rows", "training", "best_epoch")),
      pooled = function(pooled) inherits(pooled, "hylomath_appraisal") && is.null(broken_in_result(pooled)),
      predictions = wants_columns("key", c("repeat", "fold")), rows = is_numbers, by = wants_text,
      regimen = function(regimen) identical(settle_settings(regimen, brief_schema$regimen, "regimen"), regimen),
      fingerprint = wants_text, group = wants_maybe(function(group) is_texts(as.character(group)))
    ),
    hylomath_variation = list(
      values = wants_columns(c("value", "measure"), varied_numbers, least = 1), setting = wants_text,
      numeric = is_flag, expected = wants_expected, level = wants_share,
      against = function(against) sum(x$values$value == against) == 1,
      folds = function(folds) {
        all(vapply(folds, function(f) inherits(f, "hylomath_folds") && is.null(broken_in_result(f)), NA)) &&
          setequal(names(folds), x$values$value)
      }
    ),
    hylomath_more_rows = list(
      sizes = wants_columns(character(), c("rows", "value", "low", "high", "seconds"), least = 3),
      curve = wants_columns(character(), c("rows", "value", "low", "high"), least = 3), level = wants_share,
      now = wants_columns(character(), c("rows", "value"), least = 1),
      ahead = wants_columns(character(), c("rows", "value", "low", "high"), least = 1),
      gain = wants_columns(character(), c("value", "low", "high"), least = 1),
      law = wants_columns(character(), c("floor", "exponent"), least = 1), times = is_numbers, units = wants_text
    ),
    hylomath_sifting = list(
      path = wants_columns("column", c("inputs", "mean", "sd", "difference", "error"), least = 1),
      direction = function(way) way %in% c("backward", "forward", "ranking"), best = wants_texts(least = 1),
      small = wants_texts(least = 1), dropped = wants_texts(), expected = wants_expected, brief = wants_brief
    ),
    hylomath_lineup = list(
      models = wants_columns("model", c(apart_numbers, "parameters", "training_seconds"), least = 1),
      measures = wants_columns(c("model", "measure"), apart_numbers),
      settings = function(settings) is.data.frame(settings) && all(vapply(settings, is.character, NA)),
      rows = wants_text, n = wants_place(0), level = wants_share, first = function(first) first %in% x$models$model,
      units = wants_text, paired = wants_text, looks = is_numbers
    ),
    hylomath_scouting = list(
      settings = function(of) is_texts(of) && all(of %in% names(x$rows)) && identical(of, names(x$space)),
      space = function(space) all(vapply(space, dimension_holds, NA)),
      trials = wants_columns("origin", c("trial", "mean", "folds", "epochs", "seconds"), least = 1),
      rows = function(rows) is.data.frame(rows) && max(x$trials$trial) <= nrow(rows),
      best = function(best) best %in% x$trials$trial, folds = wants_place(1),
      k = function(k) x$evaluate != "folds" || is_place(k, 1, Inf),
      repeats = wants_place(1), evaluate = function(evaluate) evaluate %in% c("folds", "out_of_fold", "validation"),
      where = wants_maybe(wants_text), brief = wants_brief, base = wants_brief
    ),
    hylomath_appraisal = c(appraisal_checks(x), if (predicts_classes(x$task)) predicted_classes_checks(x))
  )
  by_folds <- paste0("hylomath_", c("folds", "variation", "sifting", "more_rows"))
  c(evaluated, if (inherits(x, by_folds)) dealt, own)
}

dimension_holds <- function(dimension) {
  switch(dimension$kind,
    bounds = is_numbers(dimension$low, 1) && is_numbers(dimension$high, 1) && dimension$low <= dimension$high &&
      is_flag(dimension$log) && is_flag(dimension$whole),
    values = length(dimension$values) > 0 && is_flag(dimension$numeric)
  )
}

measured_numbers <- c("value", "low", "high", "baseline", "mean", "sd", "error")
varied_numbers <- c(
  "mean", "error", "sd", "difference", "difference_low", "difference_high", "parameters", "rows", "updates", "seconds"
)
apart_numbers <- c("value", "low", "high", "difference", "difference_low", "difference_high")

appraisal_checks <- function(x) {
  classes <- predicts_classes(x$task)
  list(
    measures = wants_columns("measure", c("value", "low", "high", "baseline")), rows = wants_text, n = wants_place(0),
    level = wants_share, units = wants_text, weighted = is_flag, wiring = wants_text, looks = is_numbers,
    positive = wants_maybe(function(positive) positive %in% rownames(x$confusion)),
    bands = if (classes) is.null else wants_columns("band", c("rows", "prediction", "bias", "MAE", "RMSE")),
    hidden_layers = wants_maybe(wants_hidden_layers), coverage = wants_maybe(
      wants_columns("of", coverage_numbers, least = 1)
    ),
    by = wants_maybe(wants_columns(c("group", "measure"), c("rows", "value", "low", "high"))),
    by_column = if (is.null(x[["by"]])) is.null else wants_text,
    baseline_prediction = if (classes) wants_text else function(prediction) is_numbers(prediction, length(x$target)),
    baseline_is = wants_maybe(wants_text), baseline_rate = wants_maybe(is_numbers),
    evaluated = function(evaluated) is.data.frame(evaluated) && is.character(evaluated$key),
    weight = is_numbers, unit = is_numbers
  )
}

coverage_numbers <- c("wanted", "held", "low", "high", "size")

wants_hidden_layers <- function(hidden_layers) {
  wants_columns(c("measure", "verdict"), c("value", "linear", "difference", "low", "high"))(hidden_layers) &&
    all(hidden_layers$verdict %in% c("better", "worse", "same", "mixed"))
}

predicted_classes_checks <- function(x) {
  shares <- c("support", "recall", "precision", "f1")
  list(
    confusion = function(confusion) {
      of <- rownames(confusion)
      is.matrix(confusion) && is_numbers(as.vector(confusion)) && all(confusion >= 0) && length(of) >= 2 &&
        is_texts(of) && identical(of, colnames(confusion)) && x$baseline_prediction %in% of
    },
    classes = function(classes) wants_columns("class", shares)(classes) &&
      identical(classes$class, rownames(x$confusion))
  )
}

wants_brief <- function(x) inherits(x, "hylomath_brief")

wants_expected <- function(x) is.null(x) || (is.list(x) && is_numbers(x$value, 1) && is_numbers(x$gain, 1))

#' Predict new rows
#'
#' @param object A model.
#' @param newdata A data frame with the columns that the network takes in, found by name, in any order. Others are
#'   left alone; the target is not needed.
#' @param type `"answer"`, `"probability"` (classification only: one column a class), `"both"`, `"interval"` (numbers
#'   only) or `"set"` (classification only).
#' @param level The share of new rows whose value an interval or set is to hold.
#' @param ... Not used.
#' @return A data frame with one row for each row of `newdata`, in order. `answer` is the class with the highest score
#'   or the number in the target's unit (`answer_<target>` for each of several targets; with the quantile loss the
#'   middle quantile, and `quantile_<share>` behind it); `probability_<class>` are the classes' probabilities,
#'   corrected for class weights. With class weights the answer need not be the most probable class: it is the one that
#'   the weights favour. A rule of [decide()] and a [recalibrate()]d model are heeded.
#'
#'   An interval is `answer`, `low` and `high` (of each of several targets, each at the level by itself). A set is
#'   `answer`, `set` (the classes that it holds, none to all of them) and `in_<class>`.
#' @section Intervals and sets: Made from the calibration rows by split-conformal prediction (Vovk, Gammerman and
#'   Shafer 2005; Lei et al. 2018): they hold the value in the given share of new rows whatever the network is like, if
#'   new rows come as the calibration rows did. Intervals have one width; one ratio for logarithmic targets and the
#'   gamma loss; a width that grows with the square root of a count; with the quantile loss the outer quantiles, moved
#'   by what they miss (Romano, Patterson and Candes 2019). Sets hold each class in the given share of its own rows
#'   (Vovk 2013; Sadinle, Lei and Wasserman 2019). An appraisal says how often those at 90 % hold.
#' @section Errors: A column that is missing or of another type fails before any work, and so do infinite values.
#'   Intervals and sets are refused without calibration rows, with too few for the level, and where rows are ordered in
#'   time.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 20) |> train(progress = "none")
#' predict(model, head(kilns), type = "both")
#' @importFrom stats predict
#' @export
predict.hylomath_model <- function(object, newdata, type = "answer", level = 0.9, ...) {
  rlang::check_dots_empty()
  check_answer_type(object, type, level)
  answerer <- object$answerer
  network <- answers_of(answerer, rows_to_answer(answerer, as_table(newdata)))
  rownames(network) <- NULL
  result <- answers_now(answerer, network)
  target <- answerer$target
  calibration <- object$judged$calibration
  switch(type,
    interval = interval_answers(target, calibration, result, level),
    set = set_answers(target$classes, calibration, network, result, level),
    answer = if (has_classes(target)) result["answer"] else result,
    probability = result[-1],
    both = result
  )
}

check_answer_type <- function(model, type, level) {
  type_choice(c("answer", "probability", "both", "interval", "set"))(type, "type")
  target <- model$answerer$target
  if (has_classes(target)) {
    if (type == "interval") fail("Intervals are of numbers; this network predicts classes.", "Use type = \"set\".")
  } else {
    if (type %in% c("probability", "both")) {
      what <- "The network predicts a number (task %s), so there are no probabilities."
      fail(sprintf(what, quoted(target$task)), "Use type = \"answer\".")
    }
    if (type == "set") fail("Sets are of classes; this network predicts a number.", "Use type = \"interval\".")
  }
  if (type %in% c("interval", "set")) check_conformal(model, level)
}

#' The table with the network's answers beside it
#'
#' @param x A model.
#' @param data A data frame, see [predict()][predict.hylomath_model].
#' @param type What is put beside the rows: `"auto"` (the answer, and for classes their probabilities), or a type of
#'   [predict()][predict.hylomath_model].
#' @param level See [predict()][predict.hylomath_model].
#' @param flags Whether to add a column `strange` that names, for each row, the columns in which it differs from the
#'   training rows; see [strangeness()].
#' @param ... Not used.
#' @return `data` with the columns `answer` and, for classes, `probability_<class>` behind its own.
#' @section Errors: Those of [predict()][predict.hylomath_model], and a column of `data` that already has one of these
#'   names.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 5) |> train(progress = "none")
#' augment(model, head(crossings))
#' @importFrom generics augment
#' @export
augment.hylomath_model <- function(x, data, flags = FALSE, type = "auto", level = 0.9, ...) {
  rlang::check_dots_empty()
  if (identical(type, "auto")) type <- if (has_classes(x$answerer$target)) "both" else "answer"
  answers <- predict(x, data, type = type, level = level)
  if (flags) answers$strange <- strangeness(x, data)$rows
  check_room(answers, data, "the answers")
  cbind(data, answers)
}

#' The judged rows as a table
#'
#' @param x An appraisal.
#' @param data The table that the rows come from, found by id or by place; without it there are the keys alone.
#' @param ... Not used.
#' @return A data frame with a row for each judged row: the columns of `data`, or `key`; then `observed`, `answer` and
#'   what else was answered, and `error` (answer less observed) for numbers or `right` for classes.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> train(progress = "none")
#' head(augment(appraise(model), kilns))
#' @export
augment.hylomath_appraisal <- function(x, data = NULL, ...) {
  rlang::check_dots_empty()
  rows <- cbind(x$judged, rightness(x))
  if (is.null(data)) return(rows)
  data <- as_table(data)
  rows$key <- NULL
  check_room(rows, data, "that of the appraisal")
  cbind(data[appraised_places(x, data), , drop = FALSE], rows)
}

# Whether each answer is right, or by how much it is off.
rightness <- function(appraisal) {
  judged <- appraisal$judged
  if (answers_classes(appraisal$task)) return(data.frame(right = judged$answer == judged$observed))
  error <- lapply(number_pairs(appraisal), function(pair) pair$answer - pair$observed)
  stats::setNames(as.data.frame(error), if (length(error) == 1) "error" else paste0("error_", appraisal$target))
}

check_room <- function(columns, data, what) {
  taken <- intersect(names(columns), names(data))
  if (length(taken) == 0) return()
  what <- sprintf("The table already has a column %s, where %s would go.", quoted(taken[1]), what)
  fail(what, "Rename it or leave it out.")
}

#' @importFrom generics augment
#' @export
generics::augment

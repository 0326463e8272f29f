#' Predict new rows
#'
#' @param object A model.
#' @param newdata A data frame with the columns that the network takes in, found by name, in any order. Others are
#'   left alone; the target is not needed.
#' @param type `"prediction"`, `"probability"` (classification only: one column a class), `"both"`, `"interval"`
#'   (numbers only) or `"set"` (classification only).
#' @param level The share of new rows whose value an interval or set is to hold.
#' @param bad_cells What to do with cells of a column of numbers that hold something else, or an infinite value:
#'   `"refuse"`, which names the first of them, or `"missing"`, which takes them for missing and says how many.
#' @param shares The shares of the classes among the new rows, by name, where they are others than among the training
#'   rows. Probabilities, and the predictions that follow from them, are corrected for these shares. This assumes that
#'   only the shares differ, not what the rows of a class are like (Saerens, Latinne and Decaestecker 2002).
#' @param ... Not used.
#' @return A data frame with one row for each row of `newdata`, in order. `prediction` is the class with the highest
#'   score or the number in the target's unit (`prediction_<target>` for each of several targets; with the quantile loss
#'   the middle quantile, and `quantile_<share>` behind it); `probability_<class>` are the classes' probabilities,
#'   corrected for class weights. With class weights the prediction need not be the most probable class: it is the one
#'   that the weights favour. A rule of [decide()] and a [recalibrate()]d model are heeded.
#'
#'   An interval is `prediction`, `low` and `high` (of each of several targets, each at the level by itself). A set is
#'   `prediction`, `set` (the classes that it holds, none to all of them) and `in_<class>`.
#' @section Intervals and sets: Made from the calibration rows by split-conformal prediction (Vovk, Gammerman and
#'   Shafer 2005; Lei et al. 2018): they hold the value in the given share of new rows whatever the network is like, if
#'   new rows come as the calibration rows did. Intervals have one width; one ratio for logarithmic targets and the
#'   gamma loss; a width that grows with the standard deviation of a count, whose dispersion the
#'   validation rows show (out-of-fold rows where there are none); with the quantile loss the outer quantiles, moved by
#'   what they miss (Romano, Patterson and Candes 2019). Sets hold each class in the given share of its own rows
#'   (Vovk 2013; Sadinle, Lei and Wasserman 2019). An appraisal says how often those at 90 % hold. A set is made by the
#'   probabilities, the prediction by scores or a rule, so that a prediction can lie outside of its set.
#'
#'   Where rows belong to groups, the promise is for a row of a new group, and each calibration group counts as one
#'   (Dunn, Wasserman and Ramdas 2023). With fewer than 9 of them at 90 % (19 at 95 %) nothing less than everything can
#'   be promised: intervals are infinite, sets hold all classes, and a warning says so.
#' @section Errors: A column that is missing or of another type fails before any work, and so do infinite values.
#'   Intervals and sets are refused without calibration rows, with too few for the level, and where rows are ordered in
#'   time.
#' @references Lei, G'Sell, Rinaldo, Tibshirani and Wasserman (2018) \doi{10.1080/01621459.2017.1307116}; Barber,
#'   Candes, Ramdas and Tibshirani (2021) \doi{10.1214/20-AOS1965}; Saerens, Latinne and Decaestecker (2002)
#'   \doi{10.1162/089976602753284446}.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 20) |> quick() |> train(progress = "none")
#' predict(model, head(kilns), type = "both")
#' @importFrom stats predict
#' @export
predict.hylomath_model <- function(object, newdata, type = "prediction", level = 0.9, bad_cells = "refuse",
                                   shares = NULL, ...) {
  check_others(...)
  if (missing(newdata)) fail("`newdata` is missing: which rows are to be predicted?")
  ratio <- if (!is.null(shares)) share_ratio(object, shares, type)
  check_prediction_type(object, type, level)
  predictor <- object$predictor
  type_choice(ways_with_bad_cells)(bad_cells, "bad_cells")
  newdata <- as_table(newdata)
  if (bad_cells == "missing") newdata <- without_bad_cells(predictor$preparation, newdata)
  table <- rows_to_predict(predictor, newdata)
  warn_far(predictor$preparation, table)
  network <- predictions_of(predictor, table)
  rownames(network) <- NULL
  result <- predictions_now(predictor, network, ratio)
  target <- predictor$target
  few <- if (type %in% c("interval", "set")) too_few_groups(object, level)
  if (!is.null(few)) rlang::warn(few, class = "hylomath_warning_groups")
  switch(type,
    interval = interval_predictions(target, intervals_at(object, table, result, level), result),
    set = set_predictions(target$classes, sets_at(object, table, network, level), result),
    prediction = if (has_classes(target)) result["prediction"] else result,
    probability = result[-1],
    both = result
  )
}

#' @export
predict.hylomath_brief <- function(object, ...) wrong_object("predict", "a model", object)

# Numbers further from those of training than half of their range, where a network is led by nothing.
warn_far <- function(preparation, table) {
  numbers <- Filter(function(plan) plan$encoding == "number", preparation$columns)
  names(numbers) <- vapply(numbers, `[[`, "", "column")
  far <- Map(function(plan, x) {
    x <- as.numeric(x)
    reach <- (plan$seen_high - plan$seen_low) / 2
    which(x < plan$seen_low - reach | x > plan$seen_high + reach)
  }, numbers, columns_of(table, names(numbers)))
  far <- far[lengths(far) > 0]
  if (length(far) == 0) return(invisible())
  rows <- length(unique(unlist(far)))
  what <- "%s far outside the training data, in %s. Do not rely on the %s there: see unusual_rows()."
  rlang::warn(
    sprintf(
      what, if (rows == 1) "1 row lies" else sprintf("%s rows lie", format_count(rows)), enumerate(quoted(names(far))),
      if (rows == 1) "prediction" else "predictions"
    ),
    class = "hylomath_warning_far"
  )
}

check_prediction_type <- function(model, type, level) {
  type_choice(prediction_types)(type, "type")
  target <- target_in(model)
  if (has_classes(target)) {
    if (type == "interval") fail("Intervals are of numbers; this network predicts classes.", "Use type = \"set\".")
  } else {
    if (type %in% c("probability", "both")) {
      what <- "The network predicts a number (task %s), so there are no probabilities."
      fail(sprintf(what, quoted(target$task)), "Use type = \"prediction\".")
    }
    if (type == "set") fail("Sets are of classes; this network predicts a number.", "Use type = \"interval\".")
  }
  if (type %in% c("interval", "set")) check_conformal(model, level)
}

# By class how much more common it is among the new rows than it was among those of training.
share_ratio <- function(model, shares, type) {
  target <- target_in(model)
  if (!has_classes(target)) {
    what <- "`shares` are of classes; the network predicts a number (task %s)."
    fail(sprintf(what, quoted(target$task)))
  }
  if (type == "set") {
    fail("Sets promise to hold for rows with the shares of the calibration rows; `shares` says they are others.")
  }
  shares <- unlist(shares)
  classes <- target$classes
  unknown <- setdiff(names(shares), classes)
  if (length(unknown)) {
    fail(sprintf("`shares` names a class %s, which is none.", describe(unknown[1])), suggestion(unknown[1], classes))
  }
  lacking <- setdiff(classes, names(shares))
  if (length(lacking) == 1 && is.numeric(shares)) shares[[lacking]] <- 1 - sum(shares)
  right <- is.numeric(shares) && all(classes %in% names(shares)) && all(is.finite(shares)) && all(shares >= 0) &&
    abs(sum(shares) - 1) <= 1e-6
  if (!right) {
    fail(
      "`shares` must give each class its share, from 0, with a sum of 1; one may be left out.",
      sprintf("The classes are %s.", enumerate(quoted(classes)))
    )
  }
  trained <- unlist(model$baseline$share)[classes]
  unname(shares[classes] / pmax(trained, 1e-12))
}

#' The table with the network's predictions beside it
#'
#' @param x A model.
#' @param data A data frame, see [predict()][predict.hylomath_model].
#' @param type What is put beside the rows: `"auto"` (the prediction, and for classes their probabilities), or a type of
#'   [predict()][predict.hylomath_model].
#' @param level,bad_cells,shares See [predict()][predict.hylomath_model].
#' @param prefix What the new columns' names begin with.
#' @param flags Whether to add a column `unusual` that names, for each row, the columns in which it differs from the
#'   training rows; see [unusual_rows()].
#' @param identity Whether to add a column `network` that holds the network's identity, the same wherever it is kept.
#' @param ranked Whether the rows with the highest probability (of the positive class of two, else of the prediction) or
#'   number come first.
#' @param digits Significant digits of the numbers that are added; `NULL` for all.
#' @param learned Whether to add a column `learned`: which rows the network has learned from, `NA` where that is
#'   not known.
#' @param reasons How many columns `reason_1`, `reason_2`, ... to add: the columns that moved the row's prediction most,
#'   each with its value and by how much it moved the prediction from that for the table's other rows, as
#'   [contributions()] says of one row; of numbers that for the first target. They are sampled, and those that can't be
#'   told from nothing are left out.
#' @param reasons_for For how many rows, the first of the result; it takes about a second for 200.
#' @param ... Not used.
#' @return `data` with the columns `prediction` and, for classes, `probability_<class>` behind its own.
#'   Columns of these names that an earlier scoring left in `data` are replaced, with a message.
#' @section Errors: Those of [predict()][predict.hylomath_model], and a column of one of these names that the network
#'   takes in, or that is its target.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' augment(model, head(crossings))
#' @aliases augment
#' @importFrom generics augment
#' @rawNamespace export(augment)
#' @export
augment.hylomath_model <- function(x, data, flags = FALSE, type = "auto", level = 0.9, prefix = "",
                                   bad_cells = "refuse", shares = NULL, identity = FALSE, ranked = FALSE, digits = NULL,
                                   learned = FALSE, reasons = 0, reasons_for = 200, ...) {
  check_others(...)
  type_count(20, from = 0)(reasons, "reasons")
  type_count(.Machine$integer.max)(reasons_for, "reasons_for")
  wanted <- list(flags = flags, identity = identity, ranked = ranked, learned = learned)
  for (name in names(wanted)) {
    check_flag(wanted[[name]], name)
  }
  if (identical(type, "auto")) type <- if (has_classes(x$predictor$target)) "both" else "prediction"
  predictions <- predict(x, data, type = type, level = level, bad_cells = bad_cells, shares = shares)
  cleaned <- if (bad_cells == "missing") cleaned_cells(x$predictor$preparation, data) else data
  if (flags) predictions$unusual <- unusual_rows(x, cleaned)$rows
  if (identity) predictions$network <- rep(identity_of(x), nrow(predictions))
  if (learned) predictions$learned <- learned_marks(x, data)
  order <- if (ranked) order(-ranking_of(x, predictions)) else seq_len(nrow(predictions))
  if (reasons > 0) predictions <- cbind(predictions, reasons_of(x, cleaned, utils::head(order, reasons_for), reasons))
  if (!is.null(digits)) {
    type_count(15)(digits, "digits")
    numbers <- vapply(predictions, is.numeric, NA)
    predictions[numbers] <- lapply(predictions[numbers], signif, digits)
  }
  names(predictions) <- paste0(prefix, names(predictions))
  own <- names(data) %in% c(needed_columns(x$predictor), x$predictor$target$columns)
  check_room(predictions, data[own], "the predictions")
  together <- cbind(without_former(data, predictions), predictions)[order, , drop = FALSE]
  if (ranked) rownames(together) <- NULL
  together
}

# What a list of rows is ranked by: the probability of the positive class of two, that of the prediction, or the number.
ranking_of <- function(model, predictions) {
  target <- target_in(model)
  if (!has_classes(target)) return(predictions[[1]])
  p <- predictions[paste0("probability_", target$classes)]
  if (!all(names(p) %in% names(predictions)) || ncol(p) == 0) {
    fail("A list is ranked by probabilities: leave `type` out.")
  }
  if (!is.null(target$positive)) p[[paste0("probability_", target$positive)]] else do.call(pmax, p)
}

# Whether the network has learned from each row, NA where that can't be told.
learned_marks <- function(model, data) {
  if (is.null(model$seen) || !model$seen$tell) return(rep(NA, nrow(data)))
  there <- all(target_in(model)$columns %in% c(names(data), names(model$brief[["add_columns"]])))
  if (!there) return(rep(NA, nrow(data)))
  was_learned(model, evaluated_table(model, as_table(data), target_in(model)$columns))
}

# A table without the columns of an earlier scoring, and a word about it.
without_former <- function(data, predictions) {
  former <- intersect(names(predictions), names(data))
  if (length(former)) {
    what <- "The table has %s from an earlier scoring; replaced. Another `prefix` keeps both."
    rlang::inform(sprintf(what, enumerate(quoted(former))), class = "hylomath_message_replaced")
  }
  data[setdiff(names(data), former)]
}

#' The evaluated rows as a table
#'
#' @param x An appraisal.
#' @param data The table that the rows come from, found by id or by place; without it there are the keys alone.
#' @param ... Not used.
#' @return A data frame with a row for each evaluated row: the columns of `data`, or `key`; then `observed`,
#'   `prediction` and what else was predicted, and `error` (prediction less observed) for numbers or `right` for
#'   classes.
#' @section Errors: A `data` in which evaluated rows are missing, or that has several rows of one id.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' head(augment(appraise(model), kilns))
#' @export
augment.hylomath_appraisal <- function(x, data = NULL, ...) {
  check_others(...)
  rows <- cbind(x$evaluated, rightness(x))
  if (is.null(data)) return(rows)
  data <- as_table(data)
  rows$key <- NULL
  check_room(rows, data, "that of the appraisal")
  cbind(data[appraised_places(x, data), , drop = FALSE], rows)
}

# Whether each prediction is right, or by how much it is off.
rightness <- function(appraisal) {
  evaluated <- appraisal$evaluated
  if (predicts_classes(appraisal$task)) return(data.frame(right = evaluated$prediction == evaluated$observed))
  error <- lapply(number_pairs(appraisal), function(pair) pair$prediction - pair$observed)
  stats::setNames(as.data.frame(error), if (length(error) == 1) "error" else paste0("error_", appraisal$target))
}

check_room <- function(columns, data, what) {
  taken <- intersect(names(columns), names(data))
  if (length(taken) == 0) return()
  what <- sprintf("The table already has a column %s, where %s would go.", quoted(taken[1]), what)
  fail(what, "Rename it or leave it out.")
}

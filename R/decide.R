#' Set the rule by which classes are predicted
#'
#' Without a rule the prediction is the class with the highest score. With one it is taken from the probabilities: a
#' class wherever its probability reaches a threshold, or the class whose expected cost is lowest. A threshold is chosen
#' on the validation rows or out-of-fold rows, never on the test rows.
#'
#' @param model A model of a classification.
#' @param recall The share of the class's rows that is to be found: the highest threshold that finds as many of the
#'   validation rows.
#' @param best `"F1"`: the threshold with the highest F1 of the class on the validation rows.
#' @param threshold A probability, to set the threshold by hand.
#' @param costs What each prediction costs: a matrix with the observed classes as rows and the predictions as columns,
#'   both named by class, and 0 where nothing is lost. The prediction is the class with the lowest expected cost (Elkan
#'   2001).
#' @param miss How many times as much as any other mistake it costs to miss a row of the class: the costs in one number.
#' @param class The class that a threshold or `miss` is about; the default is the positive one of two.
#' @param ... Not used.
#' @return The model with `decision`: `rule` (`class` and `threshold`, or `costs`), `by` (how it was chosen), and what
#'   it did to the validation rows, `before` and `after` (confusion matrices). [decision_of()] shows it.
#'   Without any of the arguments the model has no rule any more.
#' @section Errors: More than one rule; a recall that no threshold reaches; a class that is not there; costs that are
#'   not a matrix of the classes; a model without validation rows, where they are needed.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' careful <- decide(model, recall = 0.8)
#' decision_of(careful)
#' # a return that is missed costs ten times what a needless call does; the same as costs
#' decision_of(decide(model, miss = 10))
#' decision_of(decide(model, costs = rbind(no = c(no = 0, yes = 1), yes = c(10, 0))))
#' @export
decide <- function(model, recall = NULL, best = NULL, threshold = NULL, costs = NULL, miss = NULL, class = NULL, ...) {
  UseMethod("decide")
}

#' @export
decide.hylomath_model <- function(model, recall = NULL, best = NULL, threshold = NULL, costs = NULL, miss = NULL,
                                  class = NULL, ...) {
  check_others(...)
  target <- target_in(model)
  if (!has_classes(target)) fail("Only classes are decided on; this network predicts a number.")
  wanted <- drop_nulls(list(recall = recall, best = best, threshold = threshold, costs = costs, miss = miss))
  if (length(wanted) > 1) fail(sprintf("One rule at a time: %s are given.", enumerate(quoted(names(wanted)))))
  if (length(wanted) == 0) return(without_decision(model))
  with_decision(model, checked_wish(wanted, target, class))
}

#' @export
decide.default <- function(model, ...) wrong_object("decide", "a model", model)

checked_wish <- function(wanted, target, class) {
  if (!is.null(wanted$costs)) return(list(costs = checked_costs(wanted$costs, target$classes)))
  types <- list(
    recall = type_number(0, 1, open_low = TRUE), best = type_choice("F1"), threshold = type_number(0, 1),
    miss = type_number(0, open_low = TRUE)
  )
  for (name in names(wanted)) types[[name]](wanted[[name]], name)
  class <- class_to_decide(target, class)
  if (!is.null(wanted$miss)) return(list(costs = costs_of_miss(wanted$miss, class, target$classes)))
  c(wanted, list(class = class))
}

costs_of_miss <- function(miss, class, classes) {
  costs <- matrix(1, length(classes), length(classes), dimnames = list(classes, classes))
  costs[class, ] <- miss
  diag(costs) <- 0
  costs
}

class_to_decide <- function(target, class) {
  classes <- target$classes
  if (is.null(class) && is.null(target$positive)) {
    fail("`class` is missing: which class is the threshold about?", suggestion("", classes))
  }
  class <- class %||% target$positive
  if (!is_text(class, 1) || !class %in% classes) {
    fail(sprintf("There is no class %s.", describe(class)), suggestion(as.character(class)[1], classes))
  }
  as.character(class)
}

checked_costs <- function(costs, classes) {
  what <- paste(
    "`costs` must be a matrix of numbers with the classes as names of rows (observed)", "and columns (predicted)"
  )
  named <- is.matrix(costs) && is.numeric(costs) && !is.null(dimnames(costs))
  if (is.numeric(costs) && length(costs) == 1 && length(classes) == 2) {
    fail(
      "`costs` is one number, which doesn't say of which mistake.",
      sprintf(
        "If a missed \"%1$s\" costs %2$s times a false alarm: miss = %2$s, class = \"%1$s\".", classes[2],
        format_number(costs)
      )
    )
  }
  if (!named || !all(lengths(dimnames(costs)) == length(classes))) {
    fail(sprintf("%s; there are %d classes.", what, length(classes)))
  }
  for (side in dimnames(costs)) {
    unknown <- setdiff(side, classes)
    if (length(unknown)) {
      fail(sprintf("%s; %s is none.", what, describe(unknown[1])), suggestion(unknown[1], classes))
    }
  }
  if (anyNA(costs) || any(costs < 0) || any(is.infinite(costs))) fail("`costs` must be finite and not negative.")
  costs[classes, classes]
}

# ---- the rule -----------------------------------------------------------------------------------------------------

# A decision is list(spec, rule, by, on, before, after): the wish, list(class, threshold) or list(costs), the wish in
# words, the part that it was chosen on, and the confusion matrices of its rows without and with it. Below, validation
# rows are those of the part, be it "validation" or "out_of_fold".

without_decision <- function(model) {
  change_predictors(model, function(predictor, predictions) {
    predictor["decision"] <- NULL
    predictor
  })
}

# Rows that neither the weights nor a test have seen. Where an ensemble is trained the calibration rows come first, held
# out or had by calibrate(): they were predicted by all networks together.
deciding_part <- function(model) c(intersect(deciding_parts, names(model$evaluated)), NA)[1]

deciding_rows <- function(model, part) if (part == "out_of_fold") calmed_rows(model) else evaluated_in_part(model, part)

# The rule that the wish comes to, for the network and for the one without hidden layers beside it; for each on its own
# probabilities.
with_decision <- function(model, wish) {
  part <- deciding_part(model)
  validation <- if (!is.na(part)) deciding_rows(model, part)
  if (is.null(validation) && is.null(wish$threshold) && is.null(wish$costs)) {
    fail_without_rows(
      model, "The model has no validation rows to choose a threshold on.",
      "Hold some out and train again, or set `threshold` by hand."
    )
  }
  change_predictors(without_decision(model), function(predictor, predictions) {
    predictor$decision <- settled_decision(predictor, wish, validation, validation[[predictions]])
    if (!is.null(validation)) predictor$decision$on <- part
    predictor
  })
}

# `predictions` are the predictor's own to the validation rows; there may be none.
settled_decision <- function(predictor, wish, validation, predictions) {
  if (!is.null(validation)) predictions <- predictions_now(predictor, predictions)
  rule <- if (!is.null(wish$costs)) {
    list(costs = wish$costs)
  } else {
    list(class = wish$class, threshold = wish$threshold %||% chosen_threshold(wish, validation, predictions))
  }
  decision <- list(spec = wish, rule = rule, by = wish_text(wish))
  if (is.null(validation)) return(decision)
  classes <- predictor$target$classes
  confusion <- function(prediction) confusion_matrix(validation$observed, prediction, validation$weight, classes)
  decision$before <- confusion(predictions$prediction)
  decision$after <- confusion(decided(decision, as.matrix(predictions[-1]), classes))
  decision
}

# Of the thresholds that the validation rows' own probabilities give.
chosen_threshold <- function(wish, validation, predictions) {
  class <- wish$class
  is_class <- validation$observed == class
  if (!any(is_class)) {
    fail(sprintf("No validation row is of the class %s, so no threshold can be chosen.", describe(class)))
  }
  ranked <- ranked_scores(predictions[[paste0("probability_", class)]], is_class, validation$weight)
  if (is.null(ranked)) {
    fail(sprintf("All validation rows are of the class %s, so no threshold can be chosen.", describe(class)))
  }
  at <- if (!is.null(wish$recall)) {
    which(ranked$of / max(ranked$of) >= wish$recall - 1e-12)[1]
  } else {
    which.max(2 * ranked$of / (ranked$of + ranked$others + max(ranked$of)))
  }
  below_scores(ranked$score)[at]
}

# A threshold for each of falling scores: halfway to the next lower one, where rounding can't turn it.
below_scores <- function(score) (score + c(score[-1], 0)) / 2

wish_text <- function(wish) {
  if (!is.null(wish$recall)) return(sprintf("recall of at least %s", format_percent_short(wish$recall)))
  if (!is.null(wish$best)) return(sprintf("best %s", wish$best))
  if (!is.null(wish$threshold)) return("set by hand")
  "lowest expected cost"
}

#' The rule by which a model predicts
#'
#' @param model A model.
#' @return An object of class `hylomath_decision`, or `NULL` without a rule: `rule`, `by`, and the confusion matrices
#'   of the validation rows `before` and `after`, from which the rule was chosen; both are too good for it, so
#'   [appraise()] it.
#' @section Errors: An object that is not a model.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' decision_of(decide(model, best = "F1"))
#' @export
decision_of <- function(model) {
  if (!is_model(model)) fail(sprintf("Only a model has a decision rule, not %s.", describe_class(model)))
  predictor <- model$predictor
  if (is.null(predictor$decision)) return(NULL)
  structure(c(predictor$decision, list(positive = predictor$target$positive)), class = "hylomath_decision")
}

# The rule in a sentence, for whoever sees a prediction beside its probability; NULL where the likeliest class is
# predicted.
rule_text <- function(predictor) {
  decision <- predictor$decision
  if (is.null(decision)) return(NULL)
  rule <- decision$rule
  if (!is.null(rule$costs)) {
    return("The prediction is the class with the lowest expected cost, which need not be the likeliest.")
  }
  what <- "The prediction is \"%s\" where its probability is %s or more, and else the likeliest of the other classes."
  sprintf(what, rule$class, format_number(signif(rule$threshold, 4)))
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
print.hylomath_decision <- function(x, ...) print_lines(x)

#' @export
format.hylomath_decision <- function(x, ...) {
  rule <- cli::style_bold(decision_line(x))
  if (is.null(x$before)) return(c(rule, "  There are no validation rows to show what it does."))
  c(
    rule, "",
    wrapped(sprintf("On %s, predictions (columns) against observed classes (rows), before", deciding_rows_text(x)), 0),
    matrix_text(x$before), "",
    "and after", matrix_text(x$after), "", paragraphs(decision_effect(x))
  )
}

deciding_rows_text <- function(x) {
  switch(x$on,
    out_of_fold = "the out-of-fold predictions, brought to the ensemble's scale", calibration = "the calibration rows",
    "the validation rows"
  )
}

decision_line <- function(decision) {
  rule <- decision$rule
  if (!is.null(rule$costs)) {
    return(paste0("The prediction is the class with the lowest expected cost", costs_text(rule$costs)))
  }
  sprintf("The prediction is \"%s\" from a probability of %s (%s)", rule$class, signif(rule$threshold, 4), decision$by)
}

# The costliest mistakes.
costs_text <- function(costs) {
  at <- which(costs > 0, arr.ind = TRUE)
  if (nrow(at) == 0) return("")
  at <- at[order(-costs[at]), , drop = FALSE]
  shown <- utils::head(at, 4)
  said <- sprintf(
    "\"%s\" predicted \"%s\" costs %s", rownames(costs)[shown[, 1]], colnames(costs)[shown[, 2]],
    format_each_short(costs[shown])
  )
  sprintf(" (%s%s)", paste(said, collapse = ", "), if (nrow(at) > 4) ", ..." else "")
}

matrix_text <- function(confusion) {
  found <- format_share(diag(confusion) / rowSums(confusion))
  classes <- list(observed = shorten(rownames(confusion), 20))
  as_text_table(c(classes, confusion_columns(confusion), list(found = found)), 1)
}

decision_effect <- function(x) {
  if (!is.null(x$rule$costs)) {
    cost <- function(confusion) format_measure(sum(confusion * x$rule$costs) / sum(confusion))
    return(sprintf("The mean cost goes from %s to %s.", cost(x$before), cost(x$after)))
  }
  class <- x$rule$class
  hits <- function(confusion) confusion[class, class]
  alarms <- function(confusion) format_weighted_count(sum(confusion[, class]) - hits(confusion))
  sprintf(
    paste(
      "Of %s rows that are \"%s\" it finds %s in place of %s, and predicts %s others so in place of %s.",
      advice_here("The rule was chosen on these rows and does a little worse on others, which appraise(model) shows.")
    ),
    format_weighted_count(sum(x$before[class, ])), class, format_weighted_count(hits(x$after)),
    format_weighted_count(hits(x$before)), alarms(x$after), alarms(x$before)
  )
}

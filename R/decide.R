#' Set the rule by which classes are answered
#'
#' Without a rule the answer is the class with the highest score. With one it is taken from the probabilities: a class wherever
#' its probability reaches a threshold, or the class whose expected cost is lowest. A threshold is chosen on the validation
#' rows, never on the test rows.
#'
#' @param model A model of a classification.
#' @param recall The share of the class's rows that is to be found: the highest threshold that finds as many of the validation
#'   rows.
#' @param best `"F1"`: the threshold with the highest F1 of the class on the validation rows.
#' @param threshold A probability, to set the threshold by hand.
#' @param costs What each answer costs: a matrix with the observed classes as rows and the answers as columns, both named by
#'   class, and 0 where nothing is lost. The answer is the class with the lowest expected cost (Elkan 2001).
#' @param class The class that a threshold is about; the default is the positive one of two.
#' @param ... Not used.
#' @return The model with `decision`: `rule` (`class` and `threshold`, or `costs`), `by` (how it was chosen), and what it did to
#'   the validation rows, `before` and `after` (confusion matrices) and `reached`. [decision_of()] shows it. Without any of
#'   the arguments the model has no rule any more.
#' @section Errors: More than one rule; a recall that no threshold reaches; a class that is not there; costs that are not a
#'   matrix of the classes; a model without validation rows, where they are needed.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> train(progress = "none")
#' careful <- decide(model, recall = 0.8)
#' decision_of(careful)
#' # a return that is missed costs ten times what a needless call does
#' costs <- rbind(no = c(no = 0, yes = 1), yes = c(10, 0))
#' decision_of(decide(model, costs = costs))
#' @export
decide <- function(model, ...) UseMethod("decide")

#' @rdname decide
#' @export
decide.hylomath_model <- function(model, recall = NULL, best = NULL, threshold = NULL, costs = NULL, class = NULL, ...) {
  rlang::check_dots_empty()
  b <- model$brief
  if (b$task != "classification") fail("Only classes are decided on; this network predicts a number.")
  wanted <- drop_nulls(list(recall = recall, best = best, threshold = threshold, costs = costs))
  if (length(wanted) > 1) fail(sprintf("One rule at a time: %s are given.", enumerate(quoted(names(wanted)))))
  if (length(wanted) == 0) {
    model["decision"] <- NULL
    if (!is.null(model$direct)) model$direct$decision <- NULL
    return(model)
  }
  spec <- c(checked_wish(wanted, b), if (is.null(costs)) list(class = class_to_decide(b, class)))
  with_decision(model, spec)
}

checked_wish <- function(wanted, b) {
  switch(names(wanted),
    recall = type_number(0, 1, open_low = TRUE)(wanted$recall, "recall"),
    best = type_choice("F1")(wanted$best, "best"),
    threshold = type_number(0, 1)(wanted$threshold, "threshold"),
    costs = return(list(costs = checked_costs(wanted$costs, b)))
  )
  wanted
}

class_to_decide <- function(b, class) {
  if (is.null(class) && is.null(b$positive)) fail("`class` is missing: which class is the threshold about?", suggestion("", b$classes))
  class <- class %||% b$positive
  if (!is_text(class, 1) || !class %in% b$classes) fail(sprintf("There is no class %s.", describe(class)), suggestion(as.character(class)[1], b$classes))
  as.character(class)
}

checked_costs <- function(costs, b) {
  what <- "`costs` must be a matrix of numbers with the classes as names of rows (observed) and columns (answered)"
  if (!is.matrix(costs) || !is.numeric(costs) || is.null(dimnames(costs)) || !all(lengths(dimnames(costs)) == length(b$classes))) {
    fail(sprintf("%s; there are %d classes.", what, length(b$classes)))
  }
  for (side in dimnames(costs)) {
    strange <- setdiff(side, b$classes)
    if (length(strange)) fail(sprintf("%s; %s is none.", what, describe(strange[1])), suggestion(strange[1], b$classes))
  }
  if (anyNA(costs) || any(costs < 0) || any(is.infinite(costs))) fail("`costs` must be finite and not negative.")
  costs[b$classes, b$classes]
}

# The rule that the wish comes to, for the network and for the one without hidden layers beside it; for each on its own
# probabilities.
with_decision <- function(model, spec) {
  model["decision"] <- NULL
  model$decision <- settled_decision(model, spec)
  if (!is.null(model$direct)) model$direct$decision <- settled_decision(direct_model(model), spec, direct = TRUE)
  model
}

settled_decision <- function(model, spec, direct = FALSE) {
  b <- model$brief
  validation <- model$judged$validation
  if (is.null(validation) && is.null(spec$threshold) && is.null(spec$costs)) {
    fail("The model has no validation rows to choose a threshold on.", "Hold some out and train again, or set `threshold` by hand.")
  }
  if (!is.null(validation)) {
    if (direct) validation$answers <- validation$direct
    plain <- model
    plain["decision"] <- NULL
    validation$answers <- answers_now(plain, validation$answers)
  }
  rule <- if (!is.null(spec$costs)) list(costs = spec$costs) else list(class = spec$class, threshold = spec$threshold %||% chosen_threshold(spec, validation))
  decision <- list(spec = spec, rule = rule, by = spec_text(spec))
  if (is.null(validation)) return(decision)
  before <- validation$answers$answer
  after <- decided(decision, as.matrix(validation$answers[-1]), b$classes)
  confusion <- function(answer) confusion_matrix(validation$observed, answer, validation$weight, b$classes)
  decision$before <- confusion(before)
  decision$after <- confusion(after)
  decision
}

# Of the thresholds that the validation rows' own probabilities give.
chosen_threshold <- function(spec, validation) {
  is_class <- validation$observed == spec$class
  if (!any(is_class)) fail(sprintf("No validation row is of the class %s, so no threshold can be chosen.", describe(spec$class)))
  ranked <- ranked_scores(validation$answers[[paste0("probability_", spec$class)]], is_class, validation$weight)
  if (is.null(ranked)) fail(sprintf("All validation rows are of the class %s, so no threshold can be chosen.", describe(spec$class)))
  found <- ranked$of / max(ranked$of)
  at <- if (!is.null(spec$recall)) which(found >= spec$recall - 1e-12)[1] else which.max(2 * ranked$of / (ranked$of + ranked$others + max(ranked$of)))
  # halfway to the next lower probability, where rounding can't turn it
  below <- if (at < length(ranked$score)) ranked$score[at + 1] else 0
  (ranked$score[at] + below) / 2
}

spec_text <- function(spec) {
  if (!is.null(spec$recall)) return(sprintf("recall of at least %s", format_percent_short(spec$recall)))
  if (!is.null(spec$best)) return(sprintf("best %s", spec$best))
  if (!is.null(spec$threshold)) return("set by hand")
  "lowest expected cost"
}

#' The rule by which a model answers
#'
#' @param model A model.
#' @return An object of class `hylomath_decision`, or `NULL` without a rule: `rule`, `by`, and the confusion matrices of the
#'   validation rows `before` and `after`, from which the rule was chosen; both are too good for it, so [appraise()] it.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> train(progress = "none")
#' decision_of(decide(model, best = "F1"))
#' @export
decision_of <- function(model) {
  if (!is_model(model)) fail(sprintf("Only a model has a decision rule, not %s.", describe_class(model)))
  if (is.null(model$decision)) return(NULL)
  structure(c(model$decision, list(positive = model$brief$positive)), class = "hylomath_decision")
}

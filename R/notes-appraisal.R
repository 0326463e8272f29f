# What is said about an appraisal. Each function returns a note or NULL.

appraisal_notes <- function(appraisal) {
  of_classes <- list(
    note_one_class_only, note_no_better_classes, note_accuracy_misleads, note_never_predicted, note_linear,
    note_overfits,
    note_too_good, note_predictions_unlikely,
    note_few_in_class, note_probabilities_off, note_intervals_miss, note_looked_at
  )
  of_numbers <- list(
    note_no_better_numbers, note_linear, note_overfits, note_too_good, note_errors_go_together, note_few_rows,
    note_relative_error, note_intervals_miss, note_looked_at
  )
  about <- if (predicts_classes(appraisal$task)) of_classes else of_numbers
  do.call(join_notes, lapply(about, function(note_of) note_of(appraisal)))
}

measure_row <- function(appraisal, measure) appraisal$measures[appraisal$measures$measure == measure, ]

# "1 row is", "3 rows are"
rows_are <- function(n) {
  if (n == 1) "1 row is" else paste(n, "rows are")
}

# ---- classes ------------------------------------------------------------------------------------------------------

note_one_class_only <- function(appraisal) {
  if (!predicts_one_class(appraisal)) return(NULL)
  prediction <- appraisal$evaluated$prediction[1]
  right <- appraisal$confusion[prediction, prediction] / sum(appraisal$confusion)
  what <- paste(
    "The network predicts \"%s\" for all %s rows.",
    "That is correct for %s of them and separates none of the others."
  )
  note <- sprintf(what, prediction, format_count(appraisal$n), format_percent(right))
  new_note("one_class_only", note, finding_advice(appraisal))
}

predicts_one_class <- function(appraisal) appraisal$n > 1 && length(unique(appraisal$evaluated$prediction)) == 1

# How rare classes are found more often.
finding_advice <- function(appraisal) {
  if (appraisal$weighted || !is.null(appraisal$decision)) {
    return(paste(
      "Set another threshold with decide(), for example by the recall that you want,",
      "or look at the probabilities in place of the predictions."
    ))
  }
  paste(
    "Choose a threshold with decide(), for example decide(model, recall = 0.8);",
    "or train with class_weights: even."
  )
}

learning_advice <- paste(
  "Check whether the inputs carry information about the target, train longer,",
  "or use fewer units and a penalty."
)

# Probabilities first: an accuracy below the baseline's can be the wanted price of class weights or a threshold.
note_no_better_classes <- function(appraisal) {
  loss <- measure_row(appraisal, "cross-entropy")
  if (loss$value >= loss$baseline) {
    return(no_better(loss, "giving every row the class shares of the training rows", learning_advice))
  }
  accuracy <- measure_row(appraisal, "accuracy")
  if (predicts_one_class(appraisal) || accuracy$value > accuracy$baseline) return(NULL)
  why <- if (!is.null(appraisal$decision)) "decision rule causes" else if (appraisal$weighted) "class weights cause"
  if (!is.null(why)) return(price_of(why, appraisal, accuracy))
  always <- sprintf("always predicting \"%s\"", appraisal$baseline_prediction)
  no_better(accuracy, always, paste("Look at each class's recall.", finding_advice(appraisal)))
}

no_better <- function(row, always, try) {
  value <- signif(row$value, 3)
  what <- "The network is no better than its baseline: its %s is %s, and %s gives %s."
  new_note("no_better_than_baseline", sprintf(what, row$measure, value, always, signif(row$baseline, 3)), try)
}

price_of <- function(why, appraisal, accuracy) {
  balanced <- measure_row(appraisal, "balanced accuracy")
  what <- paste(
    "The accuracy of %s is below the %s of always predicting \"%s\".",
    "The network gives up correct predictions of that class to find more of the others."
  )
  try <- paste(
    "The %s this, and it may be what you want. Compare the balanced accuracy (%s, against %s)",
    "and each class's recall."
  )
  new_note(
    "no_better_than_baseline",
    sprintf(what, format_percent(accuracy$value), format_percent(accuracy$baseline), appraisal$baseline_prediction),
    sprintf(try, why, format_measure(balanced$value), format_measure(balanced$baseline))
  )
}

# Most rows are of one class, and the others are hardly found.
note_accuracy_misleads <- function(appraisal) {
  if (predicts_one_class(appraisal)) return(NULL)
  accuracy <- measure_row(appraisal, "accuracy")
  balanced <- measure_row(appraisal, "balanced accuracy")
  chance <- balanced$baseline
  looks_good <- accuracy$value >= max(0.7, accuracy$baseline - 0.01) && accuracy$baseline >= 0.7
  if (!looks_good || balanced$value > chance + 0.35 * (1 - chance)) return(NULL)
  classes <- appraisal$classes
  others <- classes[classes$class != appraisal$baseline_prediction & classes$support > 0, ]
  worst <- others[which.min(others$recall), ]
  found <- worst$recall * worst$support
  what <- paste(
    "The accuracy of %s looks good because %s of the rows are \"%s\";",
    "of the %s rows that are \"%s\" only %s %s found."
  )
  note <- sprintf(
    what, format_percent(accuracy$value), format_percent(accuracy$baseline), appraisal$baseline_prediction,
    format_weighted_count(worst$support), worst$class, format_weighted_count(found), if (found == 1) "is" else "are"
  )
  try <- paste("Look at the balanced accuracy and at each class's recall.", finding_advice(appraisal))
  new_note("accuracy_misleads", note, try)
}

note_never_predicted <- function(appraisal) {
  if (predicts_one_class(appraisal)) return(NULL)
  classes <- appraisal$classes
  never <- classes[classes$support > 0 & colSums(appraisal$confusion) == 0, ]
  if (nrow(never) == 0) return(NULL)
  named <- enumerate(sprintf("\"%s\" (%s)", never$class, format_weighted_count(never$support)))
  said <- if (nrow(never) == 1) {
    sprintf("The class \"%s\" is never predicted, though %s of it.", never$class, rows_are_weighted(never$support))
  } else {
    sprintf("%d classes are never predicted, though rows are of them: %s.", nrow(never), named)
  }
  new_note(
    "class_never_predicted", said,
    "Class weights (class_weights: even), a threshold with decide(), or more rows of such a class would help."
  )
}

rows_are_weighted <- function(n) if (n == 1) "1 row is" else paste(format_weighted_count(n), "rows are")

enough_rows <- 20

note_few_in_class <- function(appraisal) {
  counts <- table(factor(appraisal$evaluated$observed, appraisal$classes$class))
  few <- names(counts)[counts > 0 & counts < enough_rows]
  if (length(few) == 0) return(NULL)
  own <- appraisal$classes[appraisal$classes$class == few[1], ]
  others <- if (length(few) > 1) sprintf(" (and few of %s)", enumerate(dQuote(few[-1], FALSE), limit = 4)) else ""
  what <- "Only %s of the class \"%s\"%s: its recall may lie anywhere between %s and %s."
  ends <- format_percent_short(c(own$recall_low, own$recall_high))
  new_note(
    "few_rows", sprintf(what, rows_are(counts[[few[1]]]), few[1], others, ends[1], ends[2]),
    "Hold out more rows, or put rare classes together."
  )
}

# More bins than chance would have it lie away from the share that was observed.
note_probabilities_off <- function(appraisal) {
  # out-of-fold probabilities are more extreme than the ensemble's
  if (appraisal$n < 200 || appraisal$rows == "out_of_fold") return(NULL)
  curve <- calibration_curve(appraisal)
  off <- curve$probability < curve$low | curve$probability > curve$high
  class <- factor(curve$class, unique(curve$class))
  shares <- tapply(off, class, mean)
  bins <- tapply(off, class, length)
  # expected is what the intervals leave out; more than this happens by chance once in a thousand times
  bad <- which(shares * bins > stats::qbinom(0.999, bins, 1 - appraisal$level))
  if (length(bad) == 0) return(NULL)
  worst_class <- names(shares)[bad[which.max(shares[bad])]]
  own <- curve[curve$class == worst_class & off, ]
  worst <- own[which.max(abs(own$probability - own$observed)), ]
  what <- "The probabilities of \"%s\" are not right: where they average %s, %s of the rows are of it."
  new_note(
    "probabilities_off",
    sprintf(what, worst_class, format_percent(worst$probability), format_percent(worst$observed)),
    if (is.null(appraisal$recalibrated) && has_out_of_fold(appraisal)) {
      "Recalibrate them: recalibrate(model) takes the out-of-fold rows."
    } else if (is.null(appraisal$recalibrated)) {
      "Recalibrate them: hold_out(calibration = 0.15), train, then recalibrate(model)."
    } else {
      "Try another method of recalibrate(), or more calibration rows."
    }
  )
}

# ---- numbers ------------------------------------------------------------------------------------------------------

note_no_better_numbers <- function(appraisal) {
  row <- measure_row(appraisal, if (appraisal$baseline_is == "median") "MAE" else "RMSE")
  worse <- row[row$value >= row$baseline, ]
  if (nrow(worse) == 0) return(NULL)
  if (length(appraisal$target) > 1) worse$measure <- sprintf("%s of %s", worse$measure, worse$target)
  always <- sprintf("always predicting the %s of the training rows", appraisal$baseline_is)
  no_better(worse[1, ], always, learning_advice)
}

note_few_rows <- function(appraisal) {
  if (appraisal$n >= enough_rows) return(NULL)
  what <- "Only %s evaluated, so none of these figures is reliable."
  new_note("few_rows", sprintf(what, rows_are(appraisal$n)), "Hold out more rows.")
}

note_relative_error <- function(appraisal) {
  found <- drop_nulls(lapply(number_pairs(appraisal), function(pair) relative_error_fault(pair, appraisal$weight)))
  if (length(found) == 0) return(NULL)
  new_note(
    "relative_error_meaningless", found[[1]],
    "Look at the relative mean error: the sum of the errors over the sum of the observed values."
  )
}

# Why a mean relative error says little of a target, NULL where it says something.
relative_error_fault <- function(pair, weight) {
  zero <- sum(pair$observed == 0)
  if (zero > 0) {
    values <- if (zero == 1) "1 observed value" else paste(format_count(zero), "observed values")
    verb <- if (zero == 1) "is" else "are"
    return(sprintf("%s of %s %s 0, so a mean relative error has no meaning.", values, pair$target, verb))
  }
  relative <- abs(pair$prediction - pair$observed) / abs(pair$observed) * weight
  small <- rank(abs(pair$observed), ties.method = "first") <= ceiling(0.05 * length(relative))
  share <- sum(relative[small]) / sum(relative)
  if (length(relative) < 40 || !(sum(relative[small]) > 0.5 * sum(relative))) return(NULL)
  what <- paste(
    "%s of the mean relative error of %s comes from the twentieth of the rows",
    "whose observed values are nearest to 0."
  )
  sprintf(what, format_percent_short(share), pair$target)
}

# ---- both ---------------------------------------------------------------------------------------------------------

# Whether the hidden layers help.
note_linear <- function(appraisal) {
  hidden_layers <- appraisal$hidden_layers
  if (is.null(hidden_layers)) return(NULL)
  hidden_layers <- hidden_layers[hidden_layers$verdict != "better", ]
  if (nrow(hidden_layers) == 0) return(NULL)
  worst <- hidden_layers[order(hidden_layers$verdict == "worse", decreasing = TRUE)[1], ]
  figures <- hidden_layers_figures(worst)
  if (worst$verdict == "worse") {
    what <- "The hidden layers do not help. The linear model does better: %s."
    try <- "Use the linear model (wiring `linear`), or train longer, with more starts or a larger penalty."
    return(new_note("linear_is_better", sprintf(what, figures), try))
  }
  if (worst$verdict == "mixed") {
    what <- "The hidden layers improve the %s, which the network was trained for: %s.%s"
    what <- sprintf(what, worst$measure, figures, by_other_measures(appraisal))
    try <- "Decide which measure matters, and compare both networks by it before you choose."
    return(new_note("measures_disagree", what, try))
  }
  what <- paste0(
    "These rows cannot show whether the hidden layers help: %s.", by_other_measures(appraisal)
  )
  try <- "If more rows cannot show it either, the linear model (wiring `linear`) is simpler and easier to explain."
  new_note("linear_is_as_good", sprintf(what, figures), try)
}

# What the other measures say of it, where they are clear.
by_other_measures <- function(appraisal) {
  rows <- appraisal$measures
  rows <- rows[rows$measure != appraisal$primary & !is.na(rows$difference_low), ]
  higher <- rows$difference_low > 0
  lower <- rows$difference_high < 0
  rises <- rows$measure %in% measures_that_rise
  fair <- rows$measure %in% c(measures_that_rise, measures_that_fall)
  better <- rows$measure[fair & ((higher & rises) | (lower & !rises))]
  worse <- rows$measure[fair & ((lower & rises) | (higher & !rises))]
  paste(c(
    if (length(better)) sprintf(" By %s they do better.", enumerate(better, limit = 4)),
    if (length(worse)) sprintf(" By %s they do worse.", enumerate(worse, limit = 4))
  ), collapse = "")
}

hidden_layers_figures <- function(verdict) {
  figures <- "%s is %s, against %s for the linear model on the same rows, a difference of %s (%s to %s)"
  sprintf(
    figures, verdict$measure, format_measure(verdict$value), format_measure(verdict$linear),
    format_signed(verdict$difference), format_signed(verdict$low), format_signed(verdict$high)
  )
}

note_overfits <- function(appraisal) {
  if (appraisal$rows == "training") return(NULL)
  row <- measure_row(appraisal, appraisal$primary)
  row <- row[!is.na(row$training) & row$training < row$low & row$value > 1.3 * pmax(row$training, 0), ]
  if (nrow(row) == 0) return(NULL)
  row <- row[1, ]
  shown <- format_measure(c(row$training, row$value, row$low, row$high))
  what <- "The network has overfitted its training rows: its %s is %s there and %s on these rows (%s to %s)."
  new_note(
    "overfits", sprintf(what, row$measure, shown[1], shown[2], shown[3], shown[4]),
    "Use fewer units, dropout, a larger l2 or more rows."
  )
}

# So good that it asks for a second look; some laws are exact.
note_too_good <- function(appraisal) {
  rows <- appraisal$measures
  rows <- rows[rows$measure %in% c("R\u00b2", "AUC", "mean AUC") & !is.na(rows$value), ]
  rows <- rows[rows$value > 0.995, ]
  if (appraisal$rows == "training" || nrow(rows) == 0) return(NULL)
  of <- if (is.null(rows$target)) "" else sprintf(" of %s", rows$target[1])
  what <- "The %s%s is %s. Do the inputs, alone or together, hold the target, or something that is known only after it?"
  new_note(
    "too_good", sprintf(what, rows$measure[1], of, signif(rows$value[1], 4)),
    paste(
      "If the relation is exact, this is fine; if not, look with importance() at what the predictions rest on,",
      "and drop what comes later."
    )
  )
}

# Predictions that are not the likeliest class, where weights or a rule favour them.
note_predictions_unlikely <- function(appraisal) {
  evaluated <- appraisal$evaluated
  p <- as.matrix(evaluated[paste0("probability_", appraisal$classes$class)])
  own <- p[cbind(seq_len(nrow(p)), match(evaluated$prediction, appraisal$classes$class))]
  unlikely <- own < do.call(pmax, as.data.frame(p)) - 1e-9
  if (mean(unlikely) < 0.02) return(NULL)
  class <- names(which.max(table(evaluated$prediction[unlikely])))
  of <- evaluated$prediction == class
  why <- if (!is.null(appraisal$decision)) "the decision rule favours it" else "the class weights favour it"
  what <- "%s of the %s rows that are predicted \"%s\" have another class as the likelier one: %s."
  new_note(
    "predictions_favoured",
    sprintf(what, format_percent_short(mean(unlikely[of])), format_count(sum(of)), class, why),
    "Read the prediction as a reason to look, and the probability as how likely it is; decide() sets another threshold."
  )
}

# Errors of rows that follow each other in time are alike: intervals that take rows as independent are too short.
note_errors_go_together <- function(appraisal) {
  when <- appraisal$when
  if (is.null(when) || length(when) < 30 || length(appraisal$target) > 1) return(NULL)
  error <- (appraisal$evaluated$prediction - appraisal$evaluated$observed)[order(when)]
  if (stats::sd(error) == 0) return(NULL)
  r <- stats::cor(error[-1], error[-length(error)])
  if (!isTRUE(r > max(0.2, 3.3 / sqrt(length(error))))) return(NULL)
  what <- paste(
    "Errors of rows that follow each other in time are correlated (%s):",
    "the intervals here are too short."
  )
  new_note(
    "errors_go_together", sprintf(what, signif(r, 2)),
    "Give the network values of the previous rows as inputs, or evaluate by group of days: set_columns(group = ...)."
  )
}

note_intervals_miss <- function(appraisal) {
  coverage <- appraisal$coverage
  missed <- coverage[!is.na(coverage$high) & coverage$high < coverage$wanted, ]
  if (NROW(missed) == 0) return(NULL)
  of <- if (missed$of[1] == "all") "" else sprintf(" (%s)", missed$of[1])
  promised <- if (predicts_classes(appraisal$task)) "sets" else "intervals"
  what <- "Prediction %s at %s hold only %s of these rows%s."
  new_note(
    "intervals_miss",
    sprintf(what, promised, format_percent_short(missed$wanted[1]), format_percent(missed$held[1]), of),
    paste(
      "These rows differ from the calibration rows, by time, place or group.",
      "Hold calibration rows out in the same way."
    )
  )
}

# A choice among three networks by their test results is already a search.
note_looked_at <- function(appraisal) {
  if (appraisal$looks < 3) return(NULL)
  what <- paste(
    "%d different networks have been evaluated on these test rows.",
    "The best of them looks better here than it is."
  )
  new_note(
    "test_looked_at", sprintf(what, appraisal$looks),
    "Choose by validation rows, and evaluate the one that is chosen on test rows that were never looked at."
  )
}

# ---- about a table that was given ---------------------------------------------------------------------------------

new_data_notes <- function(model, data, evaluated) {
  cases <- data[counted_rows(roles_of(model), data), , drop = FALSE]
  join_notes(note_rows_seen(model, evaluated), note_outside_range(unusual_rows(model, cases)))
}

# Rows that the network was trained or stopped by are no test of it.
note_rows_seen <- function(model, evaluated) {
  if (!is.null(model$bare)) {
    return(new_note(
      "rows_not_known",
      "Whether the network has learned from some of these rows is not known: its file holds nothing of single rows.",
      "Make sure that they are newer than its training, or evaluate the model that kept its rows."
    ))
  }
  seen <- attr(evaluated, "seen")
  if (seen == 0) return(NULL)
  n <- length(evaluated$key)
  about <- if (model$seen$all) "" else "At least "
  if (seen == n) {
    what <- "The network was trained or stopped by all of these %s, so this does not evaluate it on new rows."
    return(new_note(
      "rows_seen", sprintf(what, counted(n, "row")),
      "Evaluate the rows that were held out: leave the table out, or say rows = \"test\"."
    ))
  }
  what <- "%s%s of the table %s used in training and left out here; the other %s evaluated."
  new_note(
    "rows_seen",
    sprintf(what, about, counted(seen, "row"), if (seen == 1) "was" else "were", rows_are(n)),
    "The rows that were held out are evaluated without a table, or by rows = \"test\"."
  )
}

note_outside_range <- function(found) {
  unusual <- found$clear
  if (unusual == 0) return(NULL)
  what <- "%s of %s rows have values outside the training data, in %s. Do not rely on predictions there."
  new_note(
    "outside_range",
    sprintf(what, format_count(unusual), format_count(found$n), enumerate(found$columns$column[!found$columns$chance])),
    "See unusual_rows() for what is unusual about each."
  )
}

# What is said about an appraisal. Each function returns a note or NULL.

appraisal_notes <- function(appraisal) {
  join_notes(
    note_one_class_only(appraisal), note_no_better(appraisal), note_accuracy_misleads(appraisal), note_never_answered(appraisal),
    note_direct(appraisal), note_overfits(appraisal), note_few_rows(appraisal), note_probabilities_off(appraisal), note_relative_error(appraisal),
    note_intervals_miss(appraisal), note_looked_at(appraisal)
  )
}

measure_row <- function(appraisal, measure) appraisal$measures[appraisal$measures$measure == measure, ]

note_one_class_only <- function(appraisal) {
  if (!answers_one_class(appraisal)) return(NULL)
  answer <- appraisal$judged$answer[1]
  observed <- appraisal$confusion[answer, answer] / sum(appraisal$confusion)
  new_note(
    "one_class_only",
    sprintf("Every one of the %s rows is answered \"%s\", which is right for %s of them and tells nothing about the others.", format_count(appraisal$n), answer, format_percent(observed)),
    finding_advice(appraisal)
  )
}

answers_one_class <- function(appraisal) appraisal$task == "classification" && appraisal$n > 1 && length(unique(appraisal$judged$answer)) == 1

# How rare classes are found more often.
finding_advice <- function(appraisal) {
  if (appraisal$weighted || !is.null(appraisal$decision)) return("Set another threshold with decide(), for example by the recall that you want, or look at the probabilities in place of the answers.")
  "Choose a threshold with decide(), for example decide(model, recall = 0.8); or train with class_weights: even."
}

# Probabilities first: an accuracy below the baseline's can be the wanted price of class weights or a threshold.
note_no_better <- function(appraisal) {
  row <- function(measure) measure_row(appraisal, measure)
  if (appraisal$task != "classification") {
    worse <- row(if (appraisal$baseline_is == "median") "MAE" else "RMSE")
    worse <- worse[worse$value >= worse$baseline, ]
    if (nrow(worse) == 0) return(NULL)
    if (length(appraisal$target) > 1) worse$measure <- sprintf("%s of %s", worse$measure, worse$target)
    return(no_better(worse[1, ], sprintf("always answering the %s of the training rows", appraisal$baseline_is), "Look whether the inputs tell anything about the target, train longer, or use fewer units and a penalty."))
  }
  if (row("cross-entropy")$value >= row("cross-entropy")$baseline) {
    return(no_better(row("cross-entropy"), "giving every row the class shares of the training rows", "Look whether the inputs tell anything about the target, train longer, or use fewer units and a penalty."))
  }
  if (answers_one_class(appraisal) || row("accuracy")$value > row("accuracy")$baseline) return(NULL)
  why <- if (!is.null(appraisal$decision)) "decision rule" else if (appraisal$weighted) "class weights"
  if (is.null(why)) return(no_better(row("accuracy"), sprintf("always answering \"%s\"", appraisal$baseline_answer), paste("Look at each class's recall.", finding_advice(appraisal))))
  new_note(
    "no_better_than_baseline",
    sprintf("The accuracy of %s is below the %s of always answering \"%s\": right answers on that class are given up to find more of the others.", format_percent(row("accuracy")$value), format_percent(row("accuracy")$baseline), appraisal$baseline_answer),
    sprintf("That is the price of the %s, and may be worth it: judge by the balanced accuracy (%s, against %s) and by each class's recall.", why, format_measure(row("balanced accuracy")$value), format_measure(row("balanced accuracy")$baseline))
  )
}

no_better <- function(row, always, try) {
  new_note(
    "no_better_than_baseline",
    sprintf("The network is no better than its baseline: its %s is %s, and %s gives %s.", row$measure, signif(row$value, 3), always, signif(row$baseline, 3)),
    try
  )
}

# Most rows are of one class, and the others are hardly found.
note_accuracy_misleads <- function(appraisal) {
  if (appraisal$task != "classification" || answers_one_class(appraisal)) return(NULL)
  accuracy <- measure_row(appraisal, "accuracy")
  balanced <- measure_row(appraisal, "balanced accuracy")
  chance <- balanced$baseline
  if (accuracy$value < max(0.7, accuracy$baseline - 0.01) || accuracy$baseline < 0.7 || balanced$value > chance + 0.35 * (1 - chance)) return(NULL)
  others <- appraisal$classes[appraisal$classes$class != appraisal$baseline_answer & appraisal$classes$support > 0, ]
  worst <- others[which.min(others$recall), ]
  new_note(
    "accuracy_misleads",
    sprintf(
      "The accuracy of %s looks good because %s of the rows are \"%s\"; of the %s rows that are \"%s\" only %s %s found.", format_percent(accuracy$value),
      format_percent(accuracy$baseline), appraisal$baseline_answer, format_weighted_count(worst$support), worst$class, format_weighted_count(worst$recall * worst$support), if (worst$recall * worst$support == 1) "is" else "are"
    ),
    paste("Judge by the balanced accuracy and by each class's recall.", finding_advice(appraisal))
  )
}

note_never_answered <- function(appraisal) {
  if (appraisal$task != "classification" || answers_one_class(appraisal)) return(NULL)
  never <- appraisal$classes$class[appraisal$classes$support > 0 & colSums(appraisal$confusion) == 0]
  if (length(never) == 0) return(NULL)
  own <- appraisal$classes[appraisal$classes$class == never[1], ]
  new_note(
    "class_never_answered",
    sprintf("The class \"%s\" is never answered, though %s of the rows %s of it.", never[1], format_weighted_count(own$support), if (own$support == 1) "is" else "are"),
    "Class weights (class_weights: even), a threshold for it with decide(), or more rows of it would help."
  )
}

# Whether hidden layers are worth having.
note_direct <- function(appraisal) {
  worth <- appraisal$worth
  if (is.null(worth)) return(NULL)
  worth <- worth[worth$verdict != "better", ]
  if (nrow(worth) == 0) return(NULL)
  worst <- worth[order(worth$verdict == "worse", decreasing = TRUE)[1], ]
  if (worst$verdict == "worse") {
    return(new_note("direct_is_better", sprintf("The hidden layers don't earn their keep, a network without them does better: %s.", worth_figures(worst)), "Use the wiring `direct`, or train longer, with more starts or a larger penalty."))
  }
  new_note("direct_is_as_good", sprintf("Whether the hidden layers earn their keep can't be told from these rows: %s.", worth_figures(worst)), "If more rows don't tell either, the wiring `direct` is simpler and easier to explain.")
}

worth_figures <- function(worth) {
  sprintf("%s %s against %s without them (`direct`) on the same rows, a difference of %s (%s to %s)", worth$measure, format_measure(worth$value), format_measure(worth$direct), format_signed(worth$difference), format_signed(worth$low), format_signed(worth$high))
}

note_overfits <- function(appraisal) {
  m <- measure_row(appraisal, appraisal$primary)
  if (appraisal$rows == "training") return(NULL)
  m <- m[!is.na(m$training) & m$training < m$low & m$value > 1.3 * pmax(m$training, 0), ]
  if (nrow(m) == 0) return(NULL)
  m <- m[1, ]
  new_note(
    "overfits",
    sprintf("The network has partly learned its training rows by heart: its %s there is %s, on these rows %s (%s to %s).", m$measure, format_measure(m$training), format_measure(m$value), format_measure(m$low), format_measure(m$high)),
    "Fewer units, dropout, a larger l2 or more rows would help."
  )
}

enough_rows <- 20

note_few_rows <- function(appraisal) {
  if (appraisal$task != "classification") {
    if (appraisal$n >= enough_rows) return(NULL)
    return(new_note("few_rows", sprintf("Only %s judged: none of these figures is worth much.", if (appraisal$n == 1) "1 row is" else paste(appraisal$n, "rows are")), "Hold out more rows."))
  }
  counts <- table(factor(appraisal$judged$observed, appraisal$classes$class))
  few <- names(counts)[counts > 0 & counts < enough_rows]
  if (length(few) == 0) return(NULL)
  own <- appraisal$classes[appraisal$classes$class == few[1], ]
  new_note(
    "few_rows",
    sprintf("Only %s of the class \"%s\"%s: its recall may lie anywhere between %s and %s.", if (counts[[few[1]]] == 1) "1 row is" else paste(counts[[few[1]]], "rows are"), few[1], if (length(few) > 1) sprintf(" (and few of %s)", enumerate(dQuote(few[-1], FALSE), limit = 4)) else "", format_percent_short(own$recall_low), format_percent_short(own$recall_high)),
    "Hold out more rows, or put rare classes together."
  )
}

# More bins than chance would have it lie away from the share that was observed.
note_probabilities_off <- function(appraisal) {
  if (appraisal$task != "classification" || appraisal$n < 200) return(NULL)
  curve <- calibration_curve(appraisal)
  off <- curve$probability < curve$low | curve$probability > curve$high
  shares <- tapply(off, factor(curve$class, unique(curve$class)), mean)
  bins <- tapply(off, factor(curve$class, unique(curve$class)), length)
  counts <- shares * bins
  # expected is one in twenty; more than this happens by chance once in a thousand times
  bad <- which(counts > stats::qbinom(0.999, bins, 0.05))
  if (length(bad) == 0) return(NULL)
  class <- names(shares)[bad[which.max(shares[bad])]]
  own <- curve[curve$class == class & off, ]
  worst <- own[which.max(abs(own$probability - own$observed)), ]
  new_note(
    "probabilities_off",
    sprintf("The probabilities of \"%s\" can't be taken at their word: where %s is named on average, %s of the rows are of it.", class, format_percent(worst$probability), format_percent(worst$observed)),
    if (is.null(appraisal$recalibrated)) "Recalibrate them: hold_out(calibration = 0.15), train, then recalibrate(model)." else "Try another method of recalibrate(), or more calibration rows."
  )
}

note_relative_error <- function(appraisal) {
  if (appraisal$task == "classification") return(NULL)
  for (pair in number_pairs(appraisal)) {
    zero <- sum(pair$observed == 0)
    if (zero > 0) {
      return(new_note(
        "relative_error_meaningless", sprintf("%s of %s 0, so a mean relative error has no meaning.", if (zero == 1) "1 observed value" else paste(format_count(zero), "observed values"), paste(pair$target, if (zero == 1) "is" else "are")),
        "Look at the relative mean error: the sum of the errors over the sum of the observed values."
      ))
    }
    relative <- abs(pair$answer - pair$observed) / abs(pair$observed) * appraisal$weight
    small <- rank(abs(pair$observed), ties.method = "first") <= ceiling(0.05 * length(relative))
    if (length(relative) >= 40 && sum(relative[small]) > 0.5 * sum(relative)) {
      return(new_note(
        "relative_error_meaningless",
        sprintf("%s of the mean relative error of %s comes from the twentieth of the rows whose observed values are nearest to 0.", format_percent_short(sum(relative[small]) / sum(relative)), pair$target),
        "Look at the relative mean error: the sum of the errors over the sum of the observed values."
      ))
    }
  }
  NULL
}

note_intervals_miss <- function(appraisal) {
  coverage <- appraisal$coverage
  missed <- coverage[!is.na(coverage$high) & coverage$high < coverage$wanted, ]
  if (NROW(missed) == 0) return(NULL)
  new_note(
    "intervals_miss",
    sprintf("Prediction %s at %s hold only %s of these rows%s.", if (appraisal$task == "classification") "sets" else "intervals", format_percent_short(missed$wanted[1]), format_percent(missed$held[1]), if (missed$of[1] == "all") "" else sprintf(" (%s)", missed$of[1])),
    "These rows come differently from the calibration rows: by time, place or group. Hold calibration rows out in the same way as they."
  )
}

# A choice among three networks by their test results is already a search.
note_looked_at <- function(appraisal) {
  if (appraisal$looks < 3) return(NULL)
  new_note(
    "test_looked_at",
    sprintf("%d different networks have been judged on these test rows. The best of them looks better here than it is.", appraisal$looks),
    "Choose by validation rows, and judge the one that is chosen on test rows that were never looked at."
  )
}

# ---- about a table that was given ---------------------------------------------------------------------------------

new_data_notes <- function(model, data, judged) join_notes(note_rows_seen(model, judged), note_outside_range(model, data))

# Training rows that a model keeps are known by key and target; they tell how many of the judged rows it has learned from.
note_rows_seen <- function(model, judged) {
  training <- model$judged$training
  if (is.null(training)) return(NULL)
  label <- function(part) paste(part$key, if (is.data.frame(part$observed)) do.call(paste, part$observed) else part$observed, sep = "\r")
  known <- label(training) %in% label(judged)
  if (is.null(model$brief$columns$id)) known <- known & mean(known) > 0.9  # row numbers alone prove nothing
  if (!any(known)) return(NULL)
  total <- model$parts$rows[model$parts$part == "training"]
  seen <- round(mean(known) * total)
  new_note(
    "rows_seen",
    sprintf("%s%s of these %s rows were used in training, so this is no judgement on new rows.", if (total > length(known)) "About " else "", format_count(seen), format_count(length(judged$key))),
    "Judge the rows that were held out: leave the table out, or say rows = \"test\"."
  )
}

note_outside_range <- function(model, data) {
  found <- strangeness(model, data)
  strange <- sum(found$rows != "")
  if (strange == 0) return(NULL)
  new_note(
    "outside_range",
    sprintf("%s of %s rows differ from what the network was trained on, in %s; answers there are not to be trusted.", format_count(strange), format_count(found$n), enumerate(found$columns$column)),
    "See strangeness() for what is strange about each."
  )
}

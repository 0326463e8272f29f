#' @export
format.hylomath_appraisal <- function(x, ...) {
  rows <- counted(x$n, paste(part_words(x$rows), "row"))
  c(
    cli::style_bold(sprintf("%s on %s that the network %s", enumerate(x$target), rows, rows_seen(x$rows))),
    "",
    paragraphs(in_words(x)),
    "",
    measures_text(x),
    c("", if (predicts_classes(x$task)) confusion_text(x) else bands_text(x)),
    decisions_text(x),
    if (!is.null(x[["by"]])) c("", by_text(x)),
    "",
    paragraphs(c(hidden_layers_text(x), out_of_fold_text(x), two_classes_text(x), coverage_text(x), interval_text(x))),
    format_notes(x$notes)
  )
}

rows_seen <- function(rows) {
  switch(rows,
    out_of_fold = "was not trained on",
    validation = "was stopped by", new = "was given", training = "was trained on", "never saw"
  )
}

# Out-of-fold figures are of single networks; together they predict new rows only.
out_of_fold_text <- function(x) {
  if (!has_out_of_fold(x)) return(NULL)
  paste(
    "Out-of-fold figures come from single networks, each on rows it was not trained on. Where the wiring is open,",
    "these figures also chose how much each network counts. The ensemble of all networks does slightly better, and its",
    "predictions are less extreme."
  )
}

# ---- in words -----------------------------------------------------------------------------------------------------

in_words <- function(x) if (predicts_classes(x$task)) classes_in_words(x) else numbers_in_words(x)

# What the accuracy hides, for readers who have never heard of it.
classes_in_words <- function(x) {
  total <- sum(x$confusion)
  always <- sum(x$confusion[x$baseline_prediction, ])
  said <- accuracy_in_words(x, total, always)
  rare <- class_to_look_at(x)
  own <- x$classes[x$classes$class %in% rare, ]
  if (nrow(own) == 0 || own$support == 0) return(paste0(said, "."))
  c(
    sprintf(
      "%s, and finds none of the %s \"%s\" %s.", said, format_weighted_count(own$support), rare,
      if (own$support == 1) "row" else "rows"
    ),
    finding_in_words(x, own),
    if (always / total >= 0.7) {
      sprintf(
        "%s of the rows are \"%s\", so the accuracy says little. Look at how many of the others are found.",
        format_percent(always / total), x$baseline_prediction
      )
    }
  )
}

accuracy_in_words <- function(x, total, always) {
  right <- sum(diag(x$confusion))
  weighted <- !all(x$weight == 1) && x$rows != "out-of-fold"
  sprintf(
    "Of %s rows%s %s are predicted correctly (%s). Predicting \"%s\" for every row is correct for %s (%s)",
    format_weighted_count(total), if (weighted) " (case weights counted)" else "", format_weighted_count(right),
    format_percent(right / total), x$baseline_prediction, format_weighted_count(always), format_percent(always / total)
  )
}

# The positive class, or the one of the others that is found least.
class_to_look_at <- function(x) {
  if (!is.null(x$positive) && x$positive != x$baseline_prediction) return(x$positive)
  others <- x$classes[x$classes$class != x$baseline_prediction & x$classes$support > 0, ]
  others$class[which.min(others$recall)]
}

finding_in_words <- function(x, own) {
  class <- own$class
  predicted <- sum(x$confusion[, class])
  hit <- x$confusion[class, class]
  paste0(
    sprintf(
      "The network finds %s of these %s (%s)", format_weighted_count(hit), format_weighted_count(own$support),
      format_percent(hit / own$support)
    ),
    if (is.null(x$positive)) ", its weakest class",
    if (predicted == 0) {
      sprintf(". It predicts \"%s\" for no row.", class)
    } else {
      sprintf(
        ". It predicts \"%s\" for %s: %s, %s not.", class, counted(predicted, "row"), are(hit), are(predicted - hit)
      )
    }
  )
}

are <- function(n) paste(format_weighted_count(n), if (n == 1) "is" else "are")

numbers_in_words <- function(x) {
  mae <- x$measures[x$measures$measure == "MAE", ]
  if (!is.null(x$baseline_rate)) {
    what <- "The predictions are off by %s on average. Predicting %s for each unit of exposure is off by %s."
    return(sprintf(what, format_measure(mae$value), format_measure(x$baseline_rate), format_measure(mae$baseline)))
  }
  who <- if (length(x$target) > 1) sprintf("The predictions for %s", x$target) else "The predictions"
  sprintf(
    "%s are off by %s on average. Predicting %s for every row is off by %s.", who, format_measure(mae$value),
    format_each_short(x$baseline_prediction), format_measure(mae$baseline)
  )
}

# ---- tables -------------------------------------------------------------------------------------------------------

# What always predicting the same is called at the head of a column; `x` is an appraisal.
baseline_heading <- function(x) {
  if (predicts_classes(x$task)) return(sprintf("always %s", shorten(x$baseline_prediction, 10)))
  if (!is.null(x$baseline_rate)) return("by exposure")
  if (length(x$target) > 1) paste("always", x$baseline_is) else sprintf("always %s", signif(x$baseline_prediction, 4))
}

# One table where the console is wide enough, else the parts of the table that tell of over-fitting in a second one.
measures_text <- function(x) {
  cells <- measures_cells(x)
  keys <- length(cells$key)
  whole <- as_text_table(c(cells$key, cells$evaluated, cells$parts), keys)
  if (too_wide(whole) && length(cells$parts)) {
    own <- if (x$rows %in% names(cells$parts)) "network" else x$rows
    beside <- c(cells$parts, stats::setNames(cells$evaluated["network"], own))
    whole <- c(as_text_table(c(cells$key, cells$evaluated), keys), "", as_text_table(c(cells$key, beside), keys))
  }
  c(whole, if (anyNA(x$measures$value)) "  (-: not defined for these rows)")
}

# Columns of cells as text: what is measured, the measures themselves, and those on other rows.
measures_cells <- function(x) {
  rows <- x$measures
  key <- list(measure = rows$measure)
  if (length(x$target) > 1) key <- c(list(target = said_once(rows$target)), key)
  evaluated <- list(
    network = format_measure(rows$value), interval = interval_cell(rows$low, rows$high),
    baseline = format_measure(rows$baseline)
  )
  names(evaluated)[2:3] <- c(interval_heading(x$level), baseline_heading(x))
  if (!is.null(rows$linear)) evaluated$linear <- format_measure(rows$linear)
  parts <- rows[names(rows) %in% c("out_of_fold", "training", "validation")]
  parts <- lapply(Filter(function(part) !all(is.na(part)), parts), format_measure)
  list(key = key, evaluated = evaluated, parts = stats::setNames(parts, part_words(names(parts))))
}

# Counts, then each class's recall, precision and F1 on its row.
confusion_text <- function(x) {
  classes <- rownames(x$confusion)
  if (length(classes) > 12) return(c(classes_text(x$classes), "", largest_confusions_text(x)))
  counts <- c(list(observed = shorten(classes, 20)), confusion_columns(x$confusion))
  lines <- as_text_table(c(counts, class_columns(x$classes)), 1)
  if (too_wide(lines)) lines <- c(as_text_table(counts, 1), "", classes_text(x$classes))
  c("Predicted (columns) against observed (rows)", lines)
}

# The ten cells off the diagonal with most rows.
largest_confusions_text <- function(x) {
  cells <- confusion_table(x)
  wrong <- cells[cells$observed != cells$prediction & cells$weight > 0, ]
  if (nrow(wrong) == 0) return(NULL)
  wrong <- utils::head(wrong[order(-wrong$weight), ], 10)
  c("Most often confused", as_text_table(list(
    observed = shorten(wrong$observed, 24), predicted = shorten(wrong$prediction, 24),
    rows = format_weighted_count(wrong$weight), "of observed" = format_percent_short(wrong$of_observed)
  ), 2))
}

class_columns <- function(classes) {
  list(
    rows = format_weighted_count(classes$support), recall = format_share(classes$recall),
    precision = format_share(classes$precision), F1 = format_share(classes$f1)
  )
}

classes_text <- function(classes) as_text_table(classes_cells(classes), 1)

classes_cells <- function(classes) c(list(class = shorten(classes$class, 20)), class_columns(classes))

# Where the errors lie, by size of the target.
bands_text <- function(x) {
  cells <- bands_cells(x)
  c("Errors by size of what was observed", as_text_table(cells, length(cells) - 5))
}

bands_cells <- function(x) {
  b <- x$bands
  cells <- list(
    "observed" = b$band, rows = format_each_count(b$rows), "mean prediction" = format_measure(b$prediction),
    "mean bias" = format_signed(b$bias), MAE = format_measure(b$MAE), RMSE = format_measure(b$RMSE)
  )
  if (!is.null(b$target)) cells <- c(list(target = said_once(b$target)), cells)
  cells
}

# The measures that tell most, a column each.
by_text <- function(x) {
  several <- length(x$target) > 1
  unlist(lapply(names(by_cells(x)), function(target) {
    c(if (several) target, groups_text(by_cells(x)[[target]]))
  }))
}

# By target the cells of a table of the subgroups.
by_cells <- function(x) {
  measures <- if (!predicts_classes(x$task)) {
    c("MAE", "mean bias", "R\u00b2")
  } else if (is.null(x$positive)) {
    c("accuracy", "balanced accuracy", "cross-entropy")
  } else {
    c("accuracy", sprintf(c("recall of %s", "precision of %s"), x$positive), "AUC")
  }
  lapply(stats::setNames(nm = x$target), function(target) {
    by <- x[["by"]]
    group_cells(if (length(x$target) > 1) by[by$target == target, ] else by, x$by_column, measures)
  })
}

# Of fewer rows little can be said.
few_to_evaluate <- 20

group_cells <- function(by, column, measures) {
  groups <- unique(by$group)
  cells <- lapply(stats::setNames(nm = measures), function(measure) {
    own <- by[by$measure == measure, ]
    sprintf("%s (%s)", format_measure(own$value), interval_cell(own$low, own$high))[match(groups, own$group)]
  })
  number <- by$rows[match(groups, by$group)]
  rows <- paste0(format_each_count(number), ifelse(number < few_to_evaluate, " (few)", ""))
  c(stats::setNames(list(shorten(groups, 24)), column), list(rows = rows), cells)
}

groups_text <- function(cells) {
  lines <- as_text_table(cells, 1)
  if (!too_wide(lines)) return(lines)
  # too wide: the intervals go
  as_text_table(c(cells[1:2], lapply(cells[-(1:2)], function(cell) sub(" .*", "", cell))), 1)
}

# ---- sentences ----------------------------------------------------------------------------------------------------

hidden_layers_text <- function(x) {
  hidden_layers <- x$hidden_layers
  # of a single target the note tells what is not good news
  if (is.null(hidden_layers) || (nrow(hidden_layers) == 1 && hidden_layers$verdict != "better")) return(NULL)
  said <- c(
    better = "The hidden layers help", worse = "The hidden layers do not help",
    same = "These rows cannot show whether the hidden layers help",
    mixed = "The hidden layers improve one measure and worsen others"
  )
  of <- if (is.null(hidden_layers$target)) "" else sprintf(" for %s", hidden_layers$target)
  sprintf("%s%s: %s.", said[hidden_layers$verdict], of, hidden_layers_figures(hidden_layers))
}

# The score of two classes is told in two ways, and the calibration line has no best end.
two_classes_text <- function(x) {
  if (!predicts_classes(x$task) || nrow(x$confusion) != 2) return(NULL)
  c(
    paste(
      "A calibration intercept of 0 means that the probabilities are right on average; above 0 they are too low.",
      "A calibration slope of 1 is right; below 1 they are too extreme, above 1 not extreme enough."
    ),
    "The Brier score is over both classes: twice that of the one class alone."
  )
}

coverage_text <- function(x) {
  if (is.null(x$coverage)) return(NULL)
  found <- if (predicts_classes(x$task)) sets_text(x$coverage) else intervals_text(x$coverage)
  c(found, proven_text(x$coverage), if (!is.null(x$held)) {
    paste(
      "They follow time: each row's is made from the rows before it whose outcome was known by then, and grows where",
      "the last ones missed."
    )
  })
}

# Of an ensemble less is proven than is usual.
proven_text <- function(each) {
  if (is.null(each$proven) || is.na(each$proven[1])) return(NULL)
  sprintf(
    "They are made from out-of-fold predictions. For new rows at least %s are proven to hold the observed value.",
    format_percent(each$proven[1])
  )
}

sets_text <- function(each) {
  all <- each[1, ]
  by_class <- enumerate(sprintf("%s %s", each$of[-1], format_percent(each$held[-1])), limit = 6)
  sprintf(
    paste(
      "Prediction sets at %s hold the observed class in %s of these rows (%s to %s) with %s on average;",
      "by class %s."
    ),
    format_percent_short(all$wanted), format_percent(all$held), format_percent(all$low), format_percent(all$high),
    counted(signif(all$size, 3), "class", "classes"), by_class
  )
}

intervals_text <- function(each) {
  of <- if (nrow(each) > 1) sprintf(" for %s", each$of) else ""
  sprintf(
    "Prediction intervals at %s%s hold %s of these rows (%s to %s); their mean width is %s.",
    format_percent_short(each$wanted), of, format_percent(each$held), format_percent(each$low),
    format_percent(each$high), format_measure(each$size)
  )
}

interval_text <- function(x) {
  sprintf(
    paste(
      "The intervals say how much the figures vary with the %s that happen to be in the evaluated part.",
      "They leave out the chance in training: another start or split gives another network."
    ),
    x$units
  )
}

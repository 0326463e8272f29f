#' @export
print.hylomath_appraisal <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_appraisal <- function(x, ...) {
  c(
    cli::style_bold(sprintf("%s on %s that the network %s", enumerate(x$target), counted(x$n, paste(x$rows, "row")), rows_seen(x$rows))),
    "",
    paragraphs(in_words(x)),
    "",
    measures_text(x),
    c("", if (x$task == "classification") confusion_text(x) else bands_text(x)),
    if (!is.null(x$by)) c("", by_text(x)),
    "",
    paragraphs(c(worth_text(x), coverage_text(x), interval_text(x))),
    format_notes(x$notes)
  )
}

rows_seen <- function(rows) switch(rows, validation = "was stopped by", new = "was given", training = "was trained on", "never saw")

# ---- in words -----------------------------------------------------------------------------------------------------

in_words <- function(x) if (x$task == "classification") classes_in_words(x) else numbers_in_words(x)

# What the accuracy hides, for readers who have never heard of it.
classes_in_words <- function(x) {
  classes <- x$classes
  total <- sum(x$confusion)
  right <- sum(diag(x$confusion))
  always <- sum(x$confusion[x$baseline_answer, ])
  rows <- function(n) format_weighted_count(n)
  rare <- if (!is.null(x$positive) && x$positive != x$baseline_answer) x$positive else {
    others <- classes[classes$class != x$baseline_answer & classes$support > 0, ]
    if (nrow(others)) others$class[which.min(others$recall)]
  }
  said <- sprintf(
    "Of %s rows%s %s are answered rightly (%s). Always saying \"%s\", without looking, is right for %s (%s)", rows(total), if (all(x$weight == 1) || x$rows == "out-of-fold") "" else " (case weights counted)", rows(right), format_percent(right / total),
    x$baseline_answer, rows(always), format_percent(always / total)
  )
  if (is.null(rare) || classes$support[classes$class == rare] == 0) return(paste0(said, "."))
  own <- classes[classes$class == rare, ]
  answered <- sum(x$confusion[, rare])
  hit <- x$confusion[rare, rare]
  c(
    sprintf("%s, and finds none of the %s that are \"%s\".", said, rows(own$support), rare),
    paste0(
      sprintf("The network finds %s of these %s (%s)", rows(hit), rows(own$support), format_percent(hit / own$support)),
      if (is.null(x$positive)) ", the least of all classes" else "",
      if (answered == 0) ", and answers no row so." else sprintf("; of the %s that it answers so, %s right%s.", rows(answered), are(hit), false_alarms(answered - hit, hit))
    ),
    if (always / total >= 0.7) sprintf("With %s of the rows \"%s\" the accuracy says little: look at what is found, and at what price.", format_percent(always / total), x$baseline_answer)
  )
}

are <- function(n) paste(format_weighted_count(n), if (n == 1) "is" else "are")

false_alarms <- function(alarms, hit) {
  if (hit == 0 || alarms < hit) return("")
  sprintf(": %s for each that is found", counted(signif(alarms / hit, 2), "false alarm"))
}

numbers_in_words <- function(x) {
  mae <- x$measures[x$measures$measure == "MAE", ]
  vapply(seq_len(nrow(mae)), function(i) {
    target <- if (length(x$target) > 1) sprintf("The answers for %s", x$target[i]) else "The answers"
    sprintf(
      "%s are off by %s on average; always answering %s, without looking, is off by %s.", target, format_measure(mae$value[i]), format_short(x$baseline_answer[i]), format_measure(mae$baseline[i])
    )
  }, "")
}

# ---- tables -------------------------------------------------------------------------------------------------------

interval_cell <- function(low, high) ifelse(is.na(low) | is.na(high), "-", paste(format_measure(low), "to", format_measure(high)))

# One table where the console is wide enough, else the parts of the table that tell of over-fitting in a second one.
measures_text <- function(x) {
  m <- x$measures
  several <- length(x$target) > 1
  baseline <- if (x$task == "classification") sprintf("always %s", shorten(x$baseline_answer, 10)) else if (several) paste("always", x$baseline_is) else sprintf("always %s", signif(x$baseline_answer, 4))
  key <- list(measure = m$measure)
  if (several) key <- c(list(target = ifelse(duplicated(m$target), "", m$target)), key)
  judged <- list(network = format_measure(m$value), interval = interval_cell(m$low, m$high), baseline = format_measure(m$baseline))
  names(judged)[2:3] <- c(sprintf("%s %% interval", format_number(100 * x$level)), baseline)
  if (!is.null(m$direct)) judged$direct <- format_measure(m$direct)
  parts <- list(training = format_measure(m$training), validation = format_measure(m$validation))
  parts <- parts[c(!all(is.na(m$training)), !all(is.na(m$validation)))]
  whole <- as_text_table(c(key, judged, parts), length(key))
  if (max(cli::ansi_nchar(whole, "width")) > cli::console_width() && length(parts)) {
    beside <- c(parts, stats::setNames(list(format_measure(m$value)), if (x$rows %in% names(parts)) "network" else x$rows))
    whole <- c(as_text_table(c(key, judged), length(key)), "", as_text_table(c(key, beside), length(key)))
  }
  c(whole, if (anyNA(m$value)) "  (-: not defined for these rows)")
}

as_text_table <- function(columns, keys) text_table(columns, right = seq_along(columns)[-seq_len(keys)])

# Counts, then each class's recall, precision and F1 on its row.
confusion_text <- function(x) {
  classes <- rownames(x$confusion)
  if (length(classes) > 12) return(classes_text(x$classes))
  counts <- apply(x$confusion, 2, format_weighted_count, simplify = FALSE)
  names(counts) <- shorten(classes, 12)
  columns <- c(list("observed" = shorten(classes, 20)), counts, class_columns(x$classes))
  lines <- as_text_table(columns, 1)
  if (max(cli::ansi_nchar(lines, "width")) > cli::console_width()) lines <- c(as_text_table(columns[seq_len(1 + length(classes))], 1), "", classes_text(x$classes))
  c("Answered (columns) against observed (rows)", lines)
}

class_columns <- function(classes) {
  list(rows = format_weighted_count(classes$support), recall = format_share(classes$recall), precision = format_share(classes$precision), F1 = format_share(classes$f1))
}

classes_text <- function(classes) as_text_table(c(list(class = shorten(classes$class, 20)), class_columns(classes)), 1)

# Where the errors lie, by size of the target.
bands_text <- function(x) {
  b <- x$bands
  columns <- list("observed" = b$band, rows = format_each_count(b$rows), "mean answer" = format_measure(b$answer), "mean bias" = format_signed(b$bias), MAE = format_measure(b$MAE), RMSE = format_measure(b$RMSE))
  if (!is.null(b$target)) columns <- c(list(target = ifelse(duplicated(b$target), "", b$target)), columns)
  c("Errors by size of what was observed", as_text_table(columns, length(columns) - 5))
}

# The measures that tell most, a column each.
by_text <- function(x) {
  measures <- if (x$task != "classification") c("MAE", "mean bias", "R\u00b2") else if (is.null(x$positive)) c("accuracy", "balanced accuracy", "cross-entropy") else
    c("accuracy", sprintf(c("recall of %s", "precision of %s"), x$positive), "AUC")
  unlist(lapply(x$target, function(target) {
    by <- if (length(x$target) > 1) x$by[x$by$target == target, ] else x$by
    groups <- unique(by$group)
    cells <- lapply(stats::setNames(nm = measures), function(measure) {
      own <- by[by$measure == measure, ]
      sprintf("%s (%s)", format_measure(own$value), interval_cell(own$low, own$high))[match(groups, own$group)]
    })
    lines <- as_text_table(c(stats::setNames(list(shorten(groups, 24)), x$by_column), list(rows = format_each_count(by$rows[match(groups, by$group)])), cells), 1)
    # too wide: the intervals go
    if (max(cli::ansi_nchar(lines, "width")) > cli::console_width()) {
      cells <- lapply(cells, function(cell) sub(" .*", "", cell))
      lines <- as_text_table(c(stats::setNames(list(shorten(groups, 24)), x$by_column), list(rows = format_each_count(by$rows[match(groups, by$group)])), cells), 1)
    }
    c(if (length(x$target) > 1) target, lines)
  }))
}

# ---- sentences ----------------------------------------------------------------------------------------------------

worth_text <- function(x) {
  worth <- x$worth
  # of a single target the note tells what is not good news
  if (is.null(worth) || (nrow(worth) == 1 && worth$verdict != "better")) return(NULL)
  vapply(seq_len(nrow(worth)), function(i) {
    w <- worth[i, ]
    said <- switch(w$verdict,
      better = "The hidden layers earn their keep", worse = "The hidden layers don't earn their keep", same = "Whether the hidden layers earn their keep can't be told from these rows"
    )
    sprintf(
      "%s%s: %s %s against %s without them (`direct`) on the same rows, a difference of %s (%s to %s).", said, if (is.null(w$target)) "" else sprintf(" for %s", w$target),
      w$measure, format_measure(w$value), format_measure(w$direct), format_signed(w$difference), format_signed(w$low), format_signed(w$high)
    )
  }, "")
}

coverage_text <- function(x) {
  if (is.null(x$coverage)) return(NULL)
  classes <- x$task == "classification"
  each <- x$coverage
  first <- each[1, ]
  said <- if (classes) {
    sprintf(
      "Prediction sets at %s hold the observed class in %s of these rows (%s to %s) with %s on average%s.", format_percent_short(first$wanted), format_percent(first$held), format_percent(first$low),
      format_percent(first$high), counted(signif(first$size, 3), "class", "classes"), paste0("; by class ", enumerate(sprintf("%s %s", each$of[-1], format_percent(each$held[-1])), limit = 6))
    )
  } else {
    sprintf(
      "Prediction intervals at %s%s hold %s of these rows (%s to %s); their mean width is %s.", format_percent_short(each$wanted), if (nrow(each) > 1) sprintf(" for %s", each$of) else "", format_percent(each$held),
      format_percent(each$low), format_percent(each$high), format_measure(each$size)
    )
  }
  said
}

interval_text <- function(x) {
  sprintf(
    "The intervals are about which %s came to be judged. They leave out the luck of training: another start or split gives another network.", x$units
  )
}

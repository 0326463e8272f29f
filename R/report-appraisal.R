# What a report says of evaluated rows: measures, figures, and the rows worth looking at.

# `rows` is whether rows are named; `beside` gives the cells of columns that are shown beside evaluated rows, see
# columns_beside().
appraisal_sections <- function(appraisal, rows, beside = columns_beside(NULL)) {
  cells <- measures_cells(appraisal)
  list(
    page_section(
      "measures", "How good it is",
      table_element(
        c(cells$key, cells$evaluated, cells$parts), length(cells$key),
        caption = "Every measure beside simpler alternatives"
      ),
      paragraphs_of(c(out_of_fold_text(appraisal), two_classes_text(appraisal), coverage_text(appraisal))),
      element("p", interval_text(appraisal))
    ),
    if (predicts_classes(appraisal$task)) section_classes(appraisal, rows, beside) else section_errors(appraisal, rows),
    if (predicts_classes(appraisal$task)) section_decisions(appraisal),
    if (drawn_over_time(appraisal)) section_over_time(appraisal)
  )
}

section_over_time <- function(appraisal) {
  held <- !is.null(appraisal$held)
  page_section(
    "over-time", "How it goes on over time", figure_element(plot_over_time(appraisal), "over-time-drawn"),
    if (held) figure_element(plot_over_time(appraisal, what = "held"), "held-over-time")
  )
}

# NULL where there is no class that decisions are about.
section_decisions <- function(appraisal) {
  class <- class_decided_on(appraisal)
  if (is.null(class)) return(NULL)
  benefits <- net_benefit_cells(appraisal)
  page_section(
    "decisions", "What decisions come to", paragraphs_of(rule_in_force(appraisal)),
    table_element(diagnostic_cells(appraisal), 1, caption = sprintf("How right it is about \u201c%s\u201d", class)),
    paragraphs_of(c(top_in_words(appraisal), profit_in_words(appraisal))),
    if (!is.null(benefits)) table_element(benefits, 1, caption = net_benefit_heading(appraisal)),
    if (varies_by_class(appraisal, class)) list(
      figure_element(plot_net_benefit(appraisal, class), "net-benefit"),
      figure_element(plot_top(appraisal, class), "top"),
      if (length(appraisal$decisions$gains)) figure_element(plot_profit(appraisal, class = class), "profit")
    )
  )
}

# Whether there are rows of the class and others.
varies_by_class <- function(appraisal, class) {
  any(appraisal$evaluated$observed == class) && any(appraisal$evaluated$observed != class)
}

section_classes <- function(appraisal, rows, beside) {
  few <- nrow(appraisal$confusion) <= 12
  figures <- list(
    if (!few) figure_element(plot_confusion(appraisal), "confusion"),
    figure_element(plot_roc(appraisal), "roc", square = TRUE),
    figure_element(plot_calibration(appraisal), "calibration", square = !is.null(appraisal$positive))
  )
  page_section(
    "classes", "Class by class",
    if (few) confusion_element(appraisal, rows, beside),
    table_element(classes_cells(appraisal$classes), caption = "Each class by itself"), figures
  )
}

section_errors <- function(appraisal, rows) {
  cells <- bands_cells(appraisal)
  page_section(
    "errors", "Where the errors lie",
    if (rows) figure_element(plot_fit(appraisal), "fit", square = length(appraisal$target) == 1),
    if (rows && length(appraisal$target) == 1) figure_element(plot_errors(appraisal), "errors-drawn"),
    table_element(cells, length(cells) - 5, caption = "Errors by size of what was observed", sorts = FALSE)
  )
}

# ---- the confusion matrix -----------------------------------------------------------------------------------------

# A table whose cells open lists of rows.
confusion_element <- function(appraisal, rows, beside) {
  classes <- rownames(appraisal$confusion)
  cells <- confusion_table(appraisal)
  place <- function(observed, prediction) paste("cell", match(observed, classes), match(prediction, classes), sep = "-")
  body <- lapply(classes, function(observed) {
    element("tr", element("th", observed, scope = "row", class = "key"), lapply(classes, function(prediction) {
      here <- cells$observed == observed & cells$prediction == prediction
      confusion_cell(cells[here, ], place(observed, prediction), rows)
    }))
  })
  listed <- if (rows) lapply(which(cells$weight > 0), function(i) {
    id <- place(cells$observed[i], cells$prediction[i])
    rows_of_cell(appraisal, cells$observed[i], cells$prediction[i], id, beside)
  })
  caption <- paste0(
    "Observed classes in rows, predictions in columns; shares are of the row",
    if (rows) ". A cell opens a list of its rows."
  )
  heads <- c(list(element("td")), lapply(classes, function(class) element("th", class, scope = "col")))
  list(
    in_scroll("Confusion matrix", element(
      "table", class = "confusion", element("caption", caption), element("thead", element("tr", heads)),
      element("tbody", body)
    )),
    listed
  )
}

confusion_cell <- function(cell, id, opens) {
  share <- if (is.na(cell$of_observed)) 0 else cell$of_observed
  shade <- grDevices::rgb(grDevices::colorRamp(c(figure_pale, hue("ink")))(share), maxColorValue = 255)
  look <- sprintf("background:%s;color:%s", shade, text_colour_on(shade))
  count <- format_weighted_count(cell$weight)
  inside <- list(count, element("small", format_percent_short(share)))
  opens <- opens && cell$weight > 0
  what <- "%s %s: observed %s, predicted %s"
  named <- sprintf(what, count, format_percent_short(share), cell$observed, cell$prediction)
  element("td", class = if (cell$observed == cell$prediction) "right", if (opens) {
    element(
      "button", type = "button", style = look, `aria-expanded` = "false", `aria-controls` = id, `aria-label` = named,
      inside
    )
  } else {
    element("div", style = look, inside)
  })
}

# Black or white, whichever stands out more: by relative luminance (WCAG 2.1), at least 4.5 to 1.
text_colour_on <- function(colour) {
  s <- grDevices::col2rgb(colour)[, 1] / 255
  linear <- ifelse(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055)^2.4)
  if (sum(c(0.2126, 0.7152, 0.0722) * linear) > 0.179) "#000000" else "#ffffff"
}

most_examples <- 8

# The rows of which the network was surest.
rows_of_cell <- function(appraisal, observed, prediction, id, beside) {
  evaluated <- appraisal$evaluated
  own <- which(evaluated$observed == observed & evaluated$prediction == prediction)
  sure <- evaluated[[paste0("probability_", prediction)]][own]
  own <- utils::head(own[order(-sure)], most_examples)
  all <- sum(evaluated$observed == observed & evaluated$prediction == prediction, na.rm = TRUE)
  left <- if (all > length(own)) sprintf(" (the %d surest of %s)", length(own), format_count(all)) else ""
  cells <- list(
    row = evaluated$key[own], format_share(evaluated[[paste0("probability_", observed)]][own]),
    format_share(evaluated[[paste0("probability_", prediction)]][own])
  )
  names(cells)[2:3] <- sprintf("probability of %s", c(observed, prediction))
  if (observed == prediction) cells[[3]] <- NULL
  caption <- sprintf("Observed %s, predicted %s%s", observed, prediction, left)
  element("div", id = id, hidden = NA, table_element(c(cells, beside(own)), 1, caption = caption, sorts = FALSE))
}

# ---- rows worth looking at ----------------------------------------------------------------------------------------

most_rows_shown <- 12

most_columns_beside <- 5

# A function that gives of evaluated rows the cells of some columns of `table`, which holds the evaluated rows; nothing
# where that is NULL.
columns_beside <- function(table, columns) {
  if (is.null(table)) return(function(shown) NULL)
  columns <- utils::head(columns, most_columns_beside)
  function(shown) {
    lapply(table[shown, columns, drop = FALSE], function(x) {
      if (is.numeric(x)) format_each_short(signif(x, 5)) else as_label(x)
    })
  }
}

# `table` holds the evaluated rows' columns; NULL without them.
section_rows <- function(model, appraisal, table, beside) {
  page_section(
    "rows", "Rows to look at",
    if (predicts_classes(appraisal$task)) surest_errors(appraisal, beside) else largest_errors(appraisal, beside),
    if (!is.null(table)) unusual_rows_element(model, appraisal, table)
  )
}

surest_errors <- function(appraisal, beside) {
  evaluated <- appraisal$evaluated
  sure <- predicted_probability(evaluated)
  wrong <- which(evaluated$prediction != evaluated$observed)
  shown <- utils::head(wrong[order(-sure[wrong])], most_rows_shown)
  if (length(shown) == 0) return(element("p", "No evaluated row is predicted wrongly."))
  cells <- list(
    row = evaluated$key[shown], observed = evaluated$observed[shown], predicted = evaluated$prediction[shown],
    "its probability" = format_share(sure[shown])
  )
  what <- paste(
    "The wrong predictions with the highest probabilities, of %s. Such rows are wrongly labelled, odd, or teach",
    "something."
  )
  element("div", element("p", sprintf(what, format_count(length(wrong)))), table_element(
    c(cells, beside(shown)), 3, caption = "Surest wrong predictions"
  ))
}

predicted_probability <- function(evaluated) {
  probabilities <- as.matrix(evaluated[startsWith(names(evaluated), "probability_")])
  classes <- sub("^probability_", "", colnames(probabilities))
  probabilities[cbind(seq_len(nrow(evaluated)), match(evaluated$prediction, classes))]
}

largest_errors <- function(appraisal, beside) {
  tables <- lapply(number_pairs(appraisal), function(pair) {
    error <- pair$prediction - pair$observed
    shown <- utils::head(order(-abs(error)), most_rows_shown)
    cells <- list(
      row = appraisal$evaluated$key[shown], observed = format_each_short(signif(pair$observed[shown], 6)),
      predicted = format_each_short(signif(pair$prediction[shown], 6)), error = format_signed(error[shown])
    )
    table_element(c(cells, beside(shown)), 1, caption = "Largest errors")
  })
  element("div", element("p", "The rows whose predictions are furthest off."), tables)
}

unusual_rows_element <- function(model, appraisal, table) {
  unusual <- unusual_rows(model, table)
  odd <- which(unusual$rows != "")
  if (length(odd) == 0) return(element("p", "No evaluated row lies outside the training data."))
  shown <- utils::head(odd, most_rows_shown)
  what <- paste(
    "%s of the evaluated rows differ from the training rows in some column: a level that was not there, a missing",
    "value where it had none, a number out of its range."
  )
  element("div", element("p", sprintf(what, format_count(length(odd)))), table_element(
    list(row = appraisal$evaluated$key[shown], columns = unusual$rows[shown]), 2, caption = "Unusual rows"
  ))
}

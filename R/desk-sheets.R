# What a sheet shows of what was done, as elements made of the figures, cells and sentences of reports and prints. Each
# function takes the value of the sheet's code, the sheet, and the table that its model was trained on, which is read
# when it is used.

# Sections of a report, folded.
folded_sections <- function(sections) {
  lapply(drop_nulls(sections), function(section) {
    element("details", id = section$id, element("summary", section$title), section$content)
  })
}

# Of a report the lead is open.
sheet_of_report <- function(found, sheet, table) {
  parts <- report_parts(found, NULL, TRUE)
  list(element("div", class = "lead", parts$lead), folded_sections(parts$sections))
}

sheet_of_model <- function(model, sheet, table) {
  appraisal <- if (length(model$evaluated)) appraise(model)
  said <- notes(appraisal %||% model)
  # the file may have gone, or hold other rows by now
  evaluated <- if (!is.null(appraisal)) {
    tryCatch(evaluated_part_of(model, table, appraisal), hylomath_error = function(e) NULL)
  }
  beside <- columns_beside(evaluated, intersect(needed_columns(model$predictor), names(evaluated)))
  sections <- c(
    list(page_section("notes", "What to watch out for", desk_notes(said, sheet$id))),
    if (!is.null(appraisal)) appraisal_sections(appraisal, TRUE, beside),
    list(if (!is.null(appraisal)) section_rows(model, appraisal, evaluated, beside), section_training(model))
  )
  list(
    element(
      "div", class = "lead", paragraphs_of(model_lead(model, appraisal)), watch_out(said),
      if (!is.null(appraisal)) cards(appraisal)
    ),
    folded_sections(sections), threshold_tool(model)
  )
}

sheet_of_rule <- function(model, sheet, table) {
  decision <- decision_of(model)
  list(
    element("p", class = "verdict", paste0(decision_line(decision), ".")),
    if (!is.null(decision$before)) paragraphs_of(decision_effect(decision)), sheet_of_model(model, sheet, table)
  )
}

# ---- how many can be looked at ---------------------------------------------------------------------------------------

most_thresholds <- 300

# For two classes: what is found, missed and falsely called over the number of rows that are looked at, on the rows and
# probabilities by which decide() chooses; never on the test rows.
threshold_tool <- function(model) {
  target <- target_in(model)
  part <- deciding_part(model)
  if (!has_classes(target) || is.null(target$positive) || is.na(part)) return(NULL)
  rows <- deciding_rows(model, part)
  predictions <- predictions_now(without_decision(model)$predictor, rows$predictions)
  is_class <- rows$observed == target$positive
  ranked <- ranked_scores(predictions[[paste0("probability_", target$positive)]], is_class, rows$weight)
  if (is.null(ranked)) return(NULL)
  # from none on
  score <- c(1, ranked$score)
  at <- unique(round(seq(1, length(score), length.out = min(length(score), most_thresholds))))
  n <- sum(rows$weight)
  of <- sum(rows$weight[is_class])
  taken <- c(0, ranked$of + ranked$others)[at]
  values <- list(
    class = target$positive, rows = n, of = of,
    part = paste0(part_words(part), " rows", if (any(rows$weight != 1)) " (by case weight)"),
    score = I(score[at]), threshold = I(below_scores(score)[at]), taken = I(round(taken, 2)),
    found = I(round(c(0, ranked$of)[at], 2))
  )
  start <- which.min(abs(taken - of))
  element(
    "section", class = "threshold",
    element("h4", sprintf("How many rows can you look at, the likeliest \u201c%s\u201d first?", target$positive)),
    element("input", type = "range", min = "0", max = as.character(length(at) - 1), value = as.character(start - 1),
      `aria-label` = "Number of rows to look at"),
    element("p", role = "status", class = "reads"),
    element(
      "label", class = "line", sprintf("Or by what it costs: a missed \u201c%s\u201d as much as", target$positive),
      element("input", type = "number", min = "0", step = "any", class = "miss"), "false alarms"
    ),
    element("button", "Predict by this rule", type = "button", `data-act` = "rule"),
    element("script", type = "application/json", htmltools::HTML(script_json(values)))
  )
}

# ---- other kinds -----------------------------------------------------------------------------------------------------

# A figure with what the print says.
figure_and_words <- function(figure, found, id) {
  list(
    if (!is.null(figure)) figure_element(figure, id),
    folded_element(
      "In words and figures", code_element(paste(cli::ansi_strip(format(found)), collapse = "\n"), "Result")
    )
  )
}

sheet_of_variation <- function(found, sheet, table) {
  # how many rows there are is no setting of the brief
  take <- if (sheet$asks$setting != "rows") lapply(sheet$asks$values, function(value) {
    element(
      "button", value, type = "button", `data-act` = "adopt", `data-key` = sheet$asks$setting, `data-value` = value
    )
  })
  shown <- figure_and_words(plot_variation(found), found, "variation")
  list(
    if (length(take)) adopting_points(shown, sheet$asks$setting, as.character(found$values$value)) else shown,
    if (length(take)) {
      element("p", class = "adopt", sprintf("Take this value of %s into the brief: ", sheet$asks$setting), take)
    }
  )
}

# The points of a figure, in the order of `values`, take theirs into the brief.
adopting_points <- function(shown, setting, values) {
  html <- as_html(shown)
  at <- gregexpr("<circle ", html, fixed = TRUE)
  if (lengths(at) != length(values)) return(htmltools::HTML(html))
  title <- htmltools::htmlEscape(sprintf("Take %s %s into the brief", setting, values), attribute = TRUE)
  regmatches(html, at) <- list(sprintf(
    "<circle data-act='adopt' data-key='%s' data-value='%s' aria-label='%s' ", htmltools::htmlEscape(setting, TRUE),
    htmltools::htmlEscape(values, TRUE), title
  ))
  htmltools::HTML(html)
}

sheet_of_sifting <- function(found, sheet, table) {
  kept <- brief_inputs(best_brief(found))
  list(
    figure_and_words(plot_sifting(found), found, "sifting"),
    element(
      "p", class = "adopt",
      sprintf("The small set has %s: %s. ", counted(length(kept), "column"), enumerate(kept, limit = 20)),
      element("button", "Take it into the brief", type = "button", `data-act` = "adopt-inputs")
    )
  )
}

sheet_of_search <- function(found, sheet, table) {
  list(
    sheet_of_report(found, sheet, table),
    element("p", class = "adopt", element(
      "button", "Take the best settings into the brief", type = "button", `data-act` = "adopt-best"
    )),
    trial_buttons(found)
  )
}

most_trials_offered <- 6

# The best trials, each with what it set, to be taken into the brief.
trial_buttons <- function(found) {
  trials <- found$trials[found$trials$whole, ]
  trials <- utils::head(trials[order(trials$mean), ], most_trials_offered)
  folded_element("Take another trial's settings", lapply(seq_len(nrow(trials)), function(i) {
    set <- paste(found$settings, vapply(trials[i, found$settings, drop = FALSE], format_value, ""), collapse = ", ")
    element(
      "p", class = "line", element(
        "button", sprintf("Trial %d", trials$trial[i]), type = "button", `data-act` = "adopt-trial",
        `data-trial` = trials$trial[i]
      ), sprintf("%s %s: %s", found$measure, format_measure(trials$mean[i]), set)
    )
  }))
}

sheet_of_appraisal <- function(appraisal, sheet, table) {
  cells <- by_cells(appraisal)
  lapply(names(cells), function(target) table_element(
    cells[[target]], 2, caption = sprintf("%s by %s, with intervals", target, appraisal$by_column)
  ))
}

sheet_of_form <- function(value, sheet, table) {
  element("p", "A page with a form to try a row. It needs nothing else and sends nothing: download it and open it.")
}

sheet_of_importance <- function(found, sheet, table) {
  columns <- lapply(by_importance(found), function(column) {
    element("button", column, type = "button", `data-act` = "effect", `data-input` = column)
  })
  list(
    figure_and_words(plot_importance(found), found, "importance"),
    element("p", class = "adopt", "Show the effect of ", columns)
  )
}

sheet_of_effect <- function(found, sheet, table) figure_and_words(plot_effect(found), found, "effect")

sheet_of_row <- function(found, sheet, table) {
  columns <- found$columns[order(match(found$columns$column, names(table))), ]
  list(
    figure_and_words(plot_contributions(found), found, "contributions"),
    other_values_form(columns$column, columns$value)
  )
}

# What was tried stays in the form, to be changed further.
sheet_of_tried_row <- function(found, sheet, table) {
  columns <- found$columns[order(match(found$columns$column, names(table))), ]
  tried <- ifelse(columns$column %in% names(found$values), columns$tried, "")
  cells <- tried_cells(found)
  names(cells)[1] <- "what"
  list(
    table_element(
      cells, 4, caption = sprintf("What is predicted for row %s", found$row), sorts = FALSE
    ),
    if (!is.null(found$rule)) element("p", found$rule),
    other_values_form(columns$column, columns$as_it_is, tried, columns$trained_on)
  )
}

# A form with a field a column, beside the value of the row.
other_values_form <- function(columns, values, tried = "", trained_on = NULL) {
  tried <- rep_len(tried, length(columns))
  rows <- lapply(seq_along(columns), function(i) {
    element(
      "tr", element("th", columns[i], scope = "row"), element("td", values[i]),
      element("td", element(
        "input", `data-column` = columns[i], value = tried[i], size = "12", autocomplete = "off",
        `aria-label` = sprintf("Another value of %s", columns[i])
      )),
      if (!is.null(trained_on)) element("td", trained_on[i])
    )
  })
  heads <- c("column", "as it is", "tried", if (!is.null(trained_on)) "trained on")
  folded_element("Try other values", element(
    "form", `data-act` = "try-row",
    in_scroll("Values of the row", element(
      "table", class = "columns", element("thead", element("tr", lapply(heads, element, .tag = "th", scope = "col"))),
      element("tbody", rows)
    )),
    element("button", "Predict it")
  ))
}

most_listed <- 12

sheet_of_list <- function(listed, sheet, table) {
  # what write_rows() gives back is the list
  is_reason <- grepl("^reason_[0-9]+$", names(listed))
  added <- is_reason | grepl("^(prediction$|probability_|learned$)", names(listed))
  own <- names(listed)[!added]
  first <- unique(c(own[1], "prediction", names(listed)[is_reason]))
  columns <- unique(c(first, names(listed)[added], utils::head(own[-1], 4)))
  shown <- lapply(utils::head(listed[columns], most_listed), function(x) {
    if (is.numeric(x)) format_each_short(x) else ifelse(is.na(x), "", as.character(as_label(x)))
  })
  list(
    element("p", sprintf("%s, the highest first, in %s.", counted(nrow(listed), "row"), list_place(sheet))),
    element("div", class = "list", table_element(
      shown, length(first), caption = sprintf("The first %d rows", min(most_listed, nrow(listed))), sorts = FALSE
    ))
  )
}

sheet_of_file <- function(value, sheet, table) element("p", sprintf("The report is in %s.", report_place(sheet)))

# ---- notes -----------------------------------------------------------------------------------------------------------

# Notes that fold; what one advises is done by a button where it is settings of the brief. `sheet` is the sheet that a
# note is of, or NULL for those of the table and the brief.
desk_notes <- function(notes, sheet = NULL) {
  notes <- notes[!duplicated(notes$note), ]
  if (NROW(notes) == 0) return(if (!is.null(sheet)) element("p", "No notes."))
  lapply(seq_len(nrow(notes)), function(i) {
    words <- advice_in_words(notes$try[i])
    element(
      "details", class = "note", element("summary", with_code(notes$note[i])),
      element("p", with_code(if (nzchar(words)) words else notes$try[i])),
      if (length(advised_calls(notes$try[i]))) element(
        "button", "Do that in the brief", type = "button", `data-act` = "advice",
        `data-note` = rlang::hash(notes$note[i]), `data-of` = sheet
      )
    )
  })
}

# The calls of the brief's verbs that an advice holds, each with nothing in it but columns and plain values.
advised_calls <- function(advice) {
  verbs <- c("set_columns", "prepare", "hold_out", "regimen", "merge_levels", "keep_rows")
  pattern <- sprintf("\\b(%s)\\((?:[^()]|\\([^()]*\\))*\\)", paste(verbs, collapse = "|"))
  texts <- regmatches(advice, gregexpr(pattern, advice, perl = TRUE))[[1]]
  calls <- lapply(texts, function(text) tryCatch(str2lang(text), error = function(e) NULL))
  Filter(function(call) is.call(call) && length(call) > 1 && all(vapply(as.list(call)[-1], is_plain_value, NA)), calls)
}

is_plain_value <- function(x) {
  if (is.call(x)) {
    is_negative <- identical(x[[1]], quote(`-`)) && length(x) == 2 && is.numeric(x[[2]])
    is_plain <- identical(x[[1]], quote(c)) || identical(x[[1]], quote(`!=`))
    return(is_negative || (is_plain && all(vapply(as.list(x)[-1], is_plain_value, NA))))
  }
  (is.symbol(x) && !identical(x, quote(...)) && nzchar(as.character(x))) || (is.atomic(x) && length(x) == 1)
}

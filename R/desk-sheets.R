# What a sheet shows of what was done, as elements made of the figures, cells and sentences of reports and prints. Each
# function takes the value of the sheet's code, the sheet, and the state.

# Of a report's parts the first is open and the others fold.
report_folded <- function(parts, sections = parts$sections) {
  folded <- lapply(drop_nulls(sections), function(section) {
    element("details", id = section$id, element("summary", section$title), section$content)
  })
  list(element("div", class = "lead", parts$lead), folded)
}

sheet_of_model <- function(model, sheet, state) {
  parts <- report_parts(model, NULL, TRUE)
  wanted <- c("notes", "measures", "classes", "errors", "rows", "training")
  sections <- Filter(function(section) section$id %in% wanted, drop_nulls(parts$sections))
  said <- if (length(model$evaluated)) notes(appraise(model)) else notes(model)
  sections[[match("notes", vapply(sections, `[[`, "", "id"))]]$content <- desk_notes(said, sheet$id)
  list(report_folded(parts, sections), threshold_tool(model))
}

sheet_of_rule <- function(model, sheet, state) {
  decision <- decision_of(model)
  list(
    element("p", class = "verdict", paste0(decision_line(decision), ".")),
    if (!is.null(decision$before)) paragraphs_of(decision_effect(decision)), sheet_of_model(model, sheet, state)
  )
}

# ---- how many can be looked at ---------------------------------------------------------------------------------------

most_thresholds <- 300

# For two classes: what is found, missed and looked at in vain over the number of rows that are looked at, on the rows
# by which decide() chooses; never on the test rows.
threshold_tool <- function(model) {
  target <- target_in(model)
  part <- intersect(deciding_parts, names(model$evaluated))[1]
  if (!has_classes(target) || is.null(target$positive) || is.na(part)) return(NULL)
  appraisal <- tryCatch(appraise(model, rows = part), hylomath_error = function(e) NULL)
  curve <- if (!is.null(appraisal)) threshold_curve(appraisal, target$positive)
  if (is.null(curve)) return(NULL)
  curve <- curve[is.finite(curve$threshold), ]
  curve <- curve[unique(round(seq(1, nrow(curve), length.out = min(nrow(curve), most_thresholds)))), ]
  n <- sum(appraisal$weight)
  of <- sum(appraisal$weight[appraisal$evaluated$observed == target$positive])
  values <- list(
    class = target$positive, rows = n, of = of, part = paste(part_words(part), "rows"), threshold = I(curve$threshold),
    taken = I(round(curve$taken * n, 2)), found = I(round(curve$recall * of, 2))
  )
  start <- which.min(abs(curve$taken * n - of))
  element(
    "section", class = "threshold",
    element("h4", sprintf("How many rows can you look at, the likeliest \u201c%s\u201d first?", target$positive)),
    element("input", type = "range", min = "0", max = as.character(nrow(curve) - 1), value = as.character(start - 1),
      `aria-label` = "Number of rows to look at"),
    element("p", role = "status", class = "reads"),
    element("button", "Predict by this rule", type = "button", `data-act` = "rule"),
    element("script", type = "application/json", htmltools::HTML(script_json(values)))
  )
}

# ---- other kinds -----------------------------------------------------------------------------------------------------

sheet_of_report <- function(found, sheet, state) report_folded(report_parts(found, NULL, TRUE))

# A figure with what the print says.
figure_and_words <- function(figure, found, id) {
  list(
    if (!is.null(figure)) figure_element(figure, id),
    folded_element(
      "In words and figures", code_element(paste(cli::ansi_strip(format(found)), collapse = "\n"), "Result")
    )
  )
}

sheet_of_variation <- function(found, sheet, state) {
  take <- lapply(sheet$asks$values, function(value) {
    element(
      "button", value, type = "button", `data-act` = "adopt", `data-key` = sheet$asks$setting, `data-value` = value
    )
  })
  list(
    figure_and_words(plot_variation(found), found, "variation"),
    element("p", class = "adopt", sprintf("Take this value of %s into the brief: ", sheet$asks$setting), take)
  )
}

sheet_of_sifting <- function(found, sheet, state) {
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

sheet_of_search <- function(found, sheet, state) {
  list(
    report_folded(report_parts(found, NULL, TRUE)),
    element("p", class = "adopt", element(
      "button", "Take the best settings into the brief", type = "button", `data-act` = "adopt-best"
    ))
  )
}

sheet_of_appraisal <- function(appraisal, sheet, state) {
  cells <- by_cells(appraisal)
  lapply(names(cells), function(target) table_element(
    cells[[target]], 2, caption = sprintf("%s by %s, with intervals", target, appraisal$by_column)
  ))
}

sheet_of_form <- function(value, sheet, state) {
  element("p", "A page with a form to try a row. It needs nothing else and sends nothing: download it and open it.")
}

sheet_of_importance <- function(found, sheet, state) {
  columns <- lapply(by_importance(found), function(column) {
    element("button", column, type = "button", `data-act` = "effect", `data-input` = column)
  })
  list(
    figure_and_words(plot_importance(found), found, "importance"),
    element("p", class = "adopt", "Show the effect of ", columns)
  )
}

sheet_of_effect <- function(found, sheet, state) figure_and_words(plot_effect(found), found, "effect")

sheet_of_row <- function(found, sheet, state) figure_and_words(plot_contributions(found), found, "contributions")

most_listed <- 12

sheet_of_list <- function(listed, sheet, state) {
  added <- grepl("^(prediction|probability_|learned)", names(listed))
  first <- utils::head(names(listed)[!added], 6)
  columns <- c(names(listed)[added], first)
  shown <- lapply(utils::head(listed[columns], most_listed), function(x) {
    if (is.numeric(x)) format_each_short(x) else ifelse(is.na(x), "", as.character(as_label(x)))
  })
  list(
    element("p", sprintf("%s, the highest first, in %s.", counted(nrow(listed), "row"), list_place(sheet))),
    table_element(shown, 1, caption = sprintf("The first %d rows", min(most_listed, nrow(listed))), sorts = FALSE)
  )
}

sheet_of_file <- function(value, sheet, state) element("p", sprintf("The report is in %s.", sheet_file(sheet)))

# The report of a model.

#' @export
report_parts.hylomath_model <- function(x, data, rows) {
  appraisal <- if (length(x$evaluated)) appraise(x)
  table <- if (!is.null(data)) evaluated_part_of(x, as_table(data), appraisal)
  inputs <- if (!is.null(table)) explained_inputs(x, data)
  beside <- columns_beside(table, by_importance(inputs$importance))
  said <- if (is.null(appraisal)) notes(x) else notes(appraisal)
  list(
    title = sprintf("Predicting %s", enumerate(x$brief$target)), kicker = kicker_of("Report on a network"),
    lead = list(paragraphs_of(model_lead(x, appraisal)), watch_out(said), if (!is.null(appraisal)) cards(appraisal)),
    sections = c(
      list(section_notes(said)), if (!is.null(appraisal)) appraisal_sections(appraisal, rows, beside),
      list(
        section_inputs(x, inputs, rows),
        if (!is.null(appraisal) && rows) section_rows(x, appraisal, table, beside),
        section_training(x), section_card(x), section_brief(x$brief, x)
      )
    )
  )
}

# The evaluated rows of the table that a model was trained on.
evaluated_part_of <- function(model, data, appraisal) {
  if (is.null(appraisal)) {
    fail("The model holds no evaluated rows, so it is not clear whether the table is its own.", "Leave `data` out.")
  }
  data[rows_of_part(model, data, appraisal$rows), , drop = FALSE]
}

# ---- the prediction in words --------------------------------------------------------------------------------------

model_lead <- function(model, appraisal) {
  target <- target_in(model)
  learned <- counted(nrow_learned(model), "row")
  inputs <- counted(length(needed_columns(model$predictor)), "column")
  what <- sprintf("This is %s %s from %s.", predicting_words(model), predicted_words(target), inputs)
  if (is.null(appraisal)) {
    none <- "It learned from %s. It holds no rows to evaluate it on, so there are no measures."
    return(c(what, sprintf(none, learned)))
  }
  evaluated <- counted(appraisal$n, paste(part_words(appraisal$rows), "row"))
  c(
    sprintf(
      "%s It learned from %s and is evaluated on %s that it %s.", what, learned, evaluated, rows_seen(appraisal$rows)
    ),
    in_words(appraisal), sure_words(appraisal), hidden_layers_text(appraisal)
  )
}

nrow_learned <- function(model) {
  parts <- model$parts
  sum(parts$rows[parts$part %in% c("training", "out_of_fold")])
}

together_words <- function(model) {
  n <- network_count(model$predictor)
  if (n == 1) "a network" else sprintf("an ensemble of %d networks", n)
}

# "an ensemble of 8 networks that predicts"
predicting_words <- function(model) {
  paste(together_words(model), "that predicts")
}

predicted_words <- function(target) {
  if (!has_classes(target)) return(enumerate(target$columns))
  sprintf("%s (one of %s)", target$columns, enumerate(sprintf("\u201c%s\u201d", target$classes), "or", limit = 6))
}

# How sure the figure is that the network is trained for.
sure_words <- function(appraisal) {
  own <- measure_of(appraisal, appraisal$primary)
  own <- own[!is.na(own$low), ]
  if (nrow(own) == 0) return(NULL)
  of <- if (length(appraisal$target) > 1) sprintf(" of %s", own$target) else ""
  linear <- if (is.null(own$linear)) "" else {
    sprintf(", a linear model %s", format_measure(own$linear))
  }
  sprintf(
    paste(
      "Its %s%s is %s (%s %s to %s).",
      "Predicting the same for every row gives %s%s."
    ),
    appraisal$primary, of, format_measure(own$value), interval_heading(appraisal$level), format_measure(own$low),
    format_measure(own$high), format_measure(own$baseline), linear
  )
}

watch_out <- function(notes) {
  if (nrow(notes) == 0) return(NULL)
  more <- if (nrow(notes) > 1) sprintf(" (and %d more)", nrow(notes) - 1) else ""
  element(
    "p", element("strong", "To watch out for: "), with_code(notes$note[1]), " ",
    element("a", sprintf("What to do about it%s.", more), href = "#notes")
  )
}

# ---- at a glance --------------------------------------------------------------------------------------------------

cards <- function(appraisal) {
  wanted <- if (predicts_classes(appraisal$task)) {
    c("accuracy", "balanced accuracy", "AUC", "mean AUC", "cross-entropy")
  } else {
    c("MAE", "RMSE", "R\u00b2", deviance_measures)
  }
  m <- appraisal$measures
  if (length(appraisal$target) > 1) m <- m[m$measure == appraisal$primary, ] else m <- m[m$measure %in% wanted, ]
  m <- utils::head(m[!is.na(m$value), ], 4)
  names <- if (length(appraisal$target) > 1) paste(m$measure, "of", m$target) else m$measure
  element("div", class = "cards", lapply(seq_len(nrow(m)), function(i) {
    card_element(names[i], format_measure(m$value[i]), c(
      if (!is.na(m$low[i])) sprintf("%s: %s", interval_heading(appraisal$level), interval_cell(m$low[i], m$high[i])),
      if (!is.na(m$baseline[i])) sprintf("%s: %s", baseline_heading(appraisal), format_measure(m$baseline[i]))
    ))
  }))
}

# ---- sections -----------------------------------------------------------------------------------------------------

section_notes <- function(notes) page_section("notes", "What to watch out for", notes_element(notes))

# What the columns do: their importance, and the effects of those that matter most; NULL where nothing can be told.
explained_inputs <- function(model, data) {
  found <- importance(model, data, repeats = if (length(needed_columns(model$predictor)) > 20) 3 else 5)
  most <- utils::head(by_importance(found), 4)
  target <- target_in(model)
  of <- if (has_classes(target) && is.null(target$positive)) utils::head(target$classes, 6)
  effects <- lapply(most, function(column) {
    tryCatch(effect_of(model, data, column, of = of), hylomath_error = function(e) NULL)
  })
  list(importance = found, effects = drop_nulls(effects))
}

section_inputs <- function(model, inputs, rows) {
  title <- "What each input does"
  if (is.null(inputs)) {
    how <- "write_report(model, file, data = ), or hylomath report MODEL TABLE."
    return(page_section("inputs", title, element(
      "p", class = "unsaid",
      "A model keeps no inputs. What each of them does can be shown with the table that it was trained on: ", how
    )))
  }
  effects <- lapply(seq_along(inputs$effects), function(i) {
    effect <- inputs$effects[[i]]
    if (!rows) effect[c("lines", "seen")] <- list(effect$lines[0, ], lapply(effect$seen, `[`, 0))
    figure_element(plot_effect(effect), paste0("effect-", i))
  })
  page_section(
    "inputs", title,
    element("p", paste(
      "How much worse the predictions get when a column is shuffled, so that it carries no information; then",
      "how the prediction changes with each of the columns that matter most. It is about this network on rows like",
      "these, not about causes."
    )),
    figure_element(plot_importance(inputs$importance), "importance"), effects
  )
}

section_training <- function(model) {
  drawn <- if (nrow(model$curves)) plot_curves(model)
  ensemble <- !is.null(model$members) && model$stopped != "set"
  page_section(
    "training", "How it was trained",
    facts_element(list(
      wiring = wiring_text(model), parameters = format_count(all_parameters(model$predictor)),
      method = method_text(regimen_of(model), model$evidence_l2), rows = parts_text(model$parts),
      training = if (!ensemble) stopped_text(training_run(model), model$seconds),
      ensemble = if (ensemble) ensemble_text(model),
      seeds = seeds_text(model$brief)
    )),
    if (!is.null(drawn)) figure_element(drawn, "curves", curves = curve_values(drawn)),
    folded_element("How columns are taken in", table_element(
      preparation_cells(model), caption = "What was learned of each column, on training rows only"
    ))
  )
}

# The brief of an analysis, and of a model where it comes from.
section_brief <- function(b, model = NULL) {
  facts <- if (!is.null(model)) facts_element(list(
    network = identity_of(model), table = sprintf("fingerprint %s", model$fingerprint),
    "trained by" = sprintf("hylomath %s, kernel %s", model$version, model$kernel)
  ))
  page_section(
    "again", "The brief in force, and how to make it again", facts,
    if (is.null(b$data)) {
      element("p", paste(
        "The table was given in R and has no file that the brief could name. With the brief below as brief.yml and the",
        "table as table.csv, by the command, or in R with the table in `data`:"
      ))
    } else {
      element("p", "With the brief below as brief.yml, by the command or in R:")
    },
    code_element(paste0(
      "hylomath train brief.yml", if (is.null(b$data)) " --set data.file=table.csv",
      " -o model.hylo\nhylomath appraise model.hylo"
    ), "Commands"),
    code_element(sprintf(
      "model <- train(read_brief(\"brief.yml\")%s)\nappraise(model)", if (is.null(b$data)) ", data" else ""
    ), "R code"),
    code_element(brief_yaml(b), "The brief in force"),
    folded_element("All of it as one R script", code_element(as_code(b), "R script"), class = "screen-only")
  )
}

# What the analyst says of its use, and what the network itself tells.
section_card <- function(model) {
  about <- model$brief$about
  unsaid <- function(text) if (length(text)) paste(text, collapse = " ") else "not said"
  target <- target_in(model)
  page_section(
    "card", "Model card",
    facts_element(list(
      purpose = unsaid(about$purpose), owner = unsaid(about$owner), limits = about$limits %||% "not said",
      predictions = predicted_words(target),
      kind = sprintf("%s, feedforward, %s", together_words(model), model$brief$task),
      "learned from" = counted(nrow_learned(model), "row"),
      "takes in" = enumerate(needed_columns(model$predictor), limit = 40),
      decision = if (!is.null(model$predictor$decision)) decision_line(model$predictor$decision),
      calibrated = if (!is.null(model$predictor$recalibration)) recalibration_line(model$predictor$recalibration),
      "not to be trusted" = paste(
        "outside the ranges and levels that it was trained on (see how columns are taken in); on rows that come about",
        "in another way than those of the training; as a statement about causes."
      )
    )),
    if (is.null(about)) element(
      "p", class = "unsaid",
      with_code("Purpose, owner and limits come from `about:` in the brief, or from `set_about()`.")
    )
  )
}

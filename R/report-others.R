# Reports of folds, searches, lineups and watches.

#' @export
report_parts.hylomath_folds <- function(x, data, rows) {
  check_no_data(data, "folds")
  pooled <- x$pooled
  cells <- fold_measures_cells(x)
  list(
    title = sprintf("Predicting %s: %d %s", enumerate(x$target), x$k, kind_of_folds(x)),
    kicker = kicker_of("Report on folds"),
    lead = list(
      paragraphs_of(c(
        in_words(pooled), sure_words(pooled), paste(
          "Every row was predicted by a network that had not learned from it; the test rows of the brief had no part",
          "in this."
        )
      )), watch_out(pooled$notes), cards(pooled)
    ),
    sections = c(
      list(section_notes(pooled$notes), page_section(
        "folds", "Fold by fold",
        table_element(cells, length(cells) - 5, caption = "All rows together, and the folds' mean and spread"),
        table_element(each_fold_cells(x), 1, caption = "Each fold")
      )),
      appraisal_sections(pooled, rows)[-1], list(section_brief(x$brief))
    )
  )
}

#' @export
report_parts.hylomath_scouting <- function(x, data, rows) {
  check_no_data(data, "a scouting")
  shown <- scouting_shown(x)
  cells <- scouting_cells(x, shown)
  trials <- unlist(unname(cells), recursive = FALSE)
  names(trials)[names(trials) == ""] <- "remark"
  list(
    title = sprintf("Searching settings to predict %s", enumerate(x$target)), kicker = kicker_of("Report on a search"),
    lead = list(paragraphs_of(c(
      sprintf("%s of %s were made.", counted(nrow(x$trials), "trial"), counted(length(x$settings), "setting")),
      winner_text(x), paste(
        "The lowest of many is lower here than it will be on new rows: train its brief and evaluate it on the test",
        "rows, once."
      )
    ))),
    sections = list(
      page_section(
        "trials", "The trials", figure_element(plot_scouting(x), "trials-drawn"),
        table_element(trials, 1, caption = "The best trials, evaluated in full"), paragraphs_of(scouting_left(x, shown))
      ),
      section_brief(best_brief(x))
    )
  )
}

#' @export
report_parts.hylomath_more_rows <- function(x, data, rows) {
  check_no_data(data, "a learning curve")
  list(
    title = sprintf("Predicting %s: would more rows help?", enumerate(x$target)),
    kicker = kicker_of("Report on a learning curve"), lead = paragraphs_of(learning_in_words(x)),
    sections = list(page_section(
      "sizes", "By number of rows", figure_element(plot_more_rows(x), "learning"),
      table_element(learning_cells(x), 1, caption = "The same rows predicted, more and more learned from"),
      paragraphs_of(learning_notes(x))
    ))
  )
}

#' @export
report_parts.hylomath_lineup <- function(x, data, rows) {
  check_no_data(data, "a lineup")
  cells <- lineup_cells(x)
  best <- x$models[which.min(x$models$value), ]
  list(
    title = sprintf("Predicting %s: %d candidates side by side", enumerate(x$target), nrow(x$models)),
    kicker = kicker_of("Report on a lineup"),
    lead = paragraphs_of(c(
      sprintf(
        "On the same %s, %s has the best %s: %s (%s).", counted(x$n, paste(part_words(x$rows), "row")), best$model,
        x$primary, format_measure(best$value), interval_cell(best$low, best$high)
      ),
      lineup_sentences(x)
    )),
    sections = list(page_section(
      "candidates", "The candidates", figure_element(plot_lineup(x), "lineup"),
      table_element(c(cells$evaluated, cells$beside), 1, caption = "The same rows, the same measures"),
      if (nrow(x$settings)) table_element(as.list(x$settings), 1, caption = "What their briefs differ in")
    ))
  )
}

#' @export
report_parts.hylomath_watch <- function(x, data, rows) {
  check_no_data(data, "a watch")
  shown <- moved_shown(x)
  periods <- periods_cells(x)
  list(
    title = sprintf("%s: has the world changed?", capitalised(x$verdict)), kicker = kicker_of("Report on a watch"),
    lead = list(
      paragraphs_of(c(x$sentence, x$rule, sprintf(
        "%s newer rows against the %s of the training of network %s.", format_count(x$rows), format_count(x$rows_then),
        x$identity
      ))), watch_out(x$notes)
    ),
    sections = list(
      section_notes(x$notes),
      page_section("moved", "What has moved", figure_element(plot_watch(x), "watch"), table_element(
        moved_cells(shown), 1, caption = "The strongest movements"
      )),
      page_section("periods", "Period by period", table_element(periods, 1, caption = "Each period", sorts = FALSE))
    )
  )
}

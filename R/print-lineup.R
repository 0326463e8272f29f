#' @export
print.hylomath_lineup <- function(x, ...) print_lines(x)

#' @export
format.hylomath_lineup <- function(x, ...) {
  what <- if (x$rows == "out-of-fold") "briefs" else "models"
  rows <- counted(x$n, paste(x$rows, "row"))
  c(
    cli::style_bold(sprintf("%s: %d %s on the same %s", enumerate(x$target), nrow(x$models), what, rows)), "",
    lineup_table(x),
    if (nrow(x$settings)) c("", "Their briefs differ in", settings_lines(x$settings)),
    "",
    paragraphs(lineup_sentences(x))
  )
}

lineup_table <- function(x) {
  cells <- lineup_cells(x)
  lines <- as_text_table(c(cells$evaluated, cells$beside), 1)
  if (!too_wide(lines)) return(lines)
  c(as_text_table(cells$evaluated, 1), "", as_text_table(c(cells$evaluated["model"], cells$beside), 1))
}

# Columns of cells as text: the measure, and what stands beside it.
lineup_cells <- function(x) {
  models <- x$models
  apart <- difference_cell(models$difference, models$difference_low, models$difference_high)
  evaluated <- list(
    model = shorten(models$model, 20), format_measure(models$value), interval_cell(models$low, models$high),
    ifelse(is.na(models$difference), "(the first)", apart)
  )
  names(evaluated)[2:4] <- c(x$primary, interval_heading(x$level), paste("less", shorten(x$first, 14)))
  cost <- list(
    parameters = format_each_count(models$parameters), trained = vapply(models$training_seconds, format_seconds, "")
  )
  if (!is.null(models$microseconds)) cost[["us a row"]] <- format_each_short(signif(models$microseconds, 2))
  list(evaluated = evaluated, beside = c(if (predicts_classes(x$task)) accuracy_columns(x), cost))
}

accuracy_columns <- function(x) {
  models <- x$models
  of_models <- function(measure) {
    own <- x$measures[x$measures$measure == measure, ]
    format_measure(own$value[match(models$model, own$model)])
  }
  mcnemar <- if (!is.null(models$mcnemar)) ifelse(is.na(models$mcnemar), "", format_p(models$mcnemar))
  drop_nulls(list(accuracy = of_models("accuracy"), balanced = of_models("balanced accuracy"), McNemar = mcnemar))
}

lineup_sentences <- function(x) {
  luck <- if (x$rows == "out-of-fold") "" else " They leave out the luck of training."
  mcnemar <- if (!is.null(x$models$mcnemar)) {
    " McNemar: the p-value for two networks being right equally often."
  }
  c(
    sprintf(
      "Intervals say how much figures vary with the %s in the evaluated part; those of differences compare %s.%s",
      x$units, x$paired, luck
    ),
    if (predicts_classes(x$task)) paste0("balanced: the mean recall of the classes.", mcnemar),
    if (x$rows == "test") {
      paste(
        "The best of several on the same test rows looks better than it is:",
        "choose on validation rows."
      )
    }
  )
}

settings_lines <- function(settings) {
  lines <- as_text_table(lapply(settings, shorten, 26), ncol(settings))
  if (length(lines) > 31) c(lines[1:31], sprintf("  and %d more", length(lines) - 31)) else lines
}

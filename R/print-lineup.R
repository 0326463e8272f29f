#' @export
print.hylomath_lineup <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_lineup <- function(x, ...) {
  m <- x$models
  apart <- ifelse(is.na(m$difference), "(the first)", sprintf("%s (%s)", format_signed(m$difference), paste(format_signed(m$difference_low), "to", format_signed(m$difference_high))))
  judged <- list(model = shorten(m$model, 20), format_measure(m$value), interval_cell(m$low, m$high), apart)
  names(judged)[2:4] <- c(x$primary, sprintf("%s %% interval", format_number(100 * x$level)), paste("less", shorten(x$first, 14)))
  beside <- if (x$task == "classification") {
    own <- function(measure) with(x$measures[x$measures$measure == measure, ], format_measure(value[match(m$model, model)]))
    list(accuracy = own("accuracy"), balanced = own("balanced accuracy"), McNemar = if (!is.null(m$mcnemar)) ifelse(is.na(m$mcnemar), "", format_p(m$mcnemar))) |> drop_nulls()
  }
  cost <- list(parameters = format_each_count(m$parameters), trained = vapply(m$training_seconds, format_seconds, ""))
  if (!is.null(m$microseconds)) cost[["us a row"]] <- format_each_short(signif(m$microseconds, 2))
  lines <- as_text_table(c(judged, beside, cost), 1)
  if (max(cli::ansi_nchar(lines, "width")) > cli::console_width()) lines <- c(as_text_table(judged, 1), "", as_text_table(c(judged["model"], beside, cost), 1))
  c(
    cli::style_bold(sprintf("%s: %d %s on the same %s", enumerate(x$target), nrow(m), if (x$rows == "out-of-fold") "briefs" else "models", counted(x$n, paste(x$rows, "row")))), "", lines,
    if (nrow(x$settings)) c("", "Their briefs differ in", settings_lines(x$settings)),
    "",
    paragraphs(c(
      sprintf("Intervals are about which %s came to be judged; those of differences compare %s.%s", x$units, x$paired, if (x$rows == "out-of-fold") "" else " They leave out the luck of training."),
      if (x$task == "classification") paste0("balanced: the mean recall of the classes.", if (!is.null(m$mcnemar)) " McNemar: the p-value that two networks are right equally often."),
      if (x$rows == "test") "Whoever keeps the best of several on the test rows sees it better than it is: choose on validation rows."
    ))
  )
}

settings_lines <- function(settings) {
  lines <- as_text_table(lapply(settings, shorten, 26), ncol(settings))
  if (length(lines) > 31) c(lines[1:31], sprintf("  and %d more", length(lines) - 31)) else lines
}

format_p <- function(p) ifelse(p < 0.001, "< 0.001", formatC(p, digits = 3, format = "f"))

#' @export
print.hylomath_scouting <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_scouting <- function(x, ...) {
  t <- x$trials
  judged <- if (x$judge == "validation") "validation rows" else sprintf("%s%s", counted(x$k, "fold"), if (x$repeats > 1) sprintf(", dealt %d times", x$repeats) else "")
  stopped <- sum(!t$whole)
  c(
    cli::style_bold(sprintf("%s: %s of %s, judged by %s", enumerate(x$target), counted(nrow(t), "trial"), counted(length(x$settings), "setting"), judged)), "",
    scouting_table(x), "",
    paragraphs(c(
      if (identical(x$stopped, "interrupted")) "An interrupt ended the search: what is shown was done before it.",
      if (identical(x$stopped, "exhausted")) "Nothing is left to try within these bounds.",
      winner_text(x),
      if (stopped) sprintf("%s stopped early, after a part of %s; their figures are not to be compared with the others'.", counted(stopped, "weak trial was", "weak trials were"), if (x$judge == "validation") "the epochs" else "the folds"),
      sprintf("The lowest of %d is lower here than it will be on new rows. For the figure to report, train its brief and judge it on the test rows, once: best_brief() |> train() |> appraise().", sum(t$whole))
    ))
  )
}

# The best ten and the brief's own.
scouting_table <- function(x) {
  t <- x$trials[x$trials$whole, ]
  shown <- t[seq_len(nrow(t)) <= 10 | t$trial == x$own, ]
  settings <- lapply(shown[x$settings], function(column) ifelse(is.na(column), "-", if (is.numeric(column)) format_each_short(column) else column))
  columns <- c(
    list(trial = as.character(shown$trial)), settings,
    stats::setNames(list(format_measure(shown$mean)), x$primary), if (x$folds > 1) list(spread = format_measure(shown$sd)),
    list(parameters = format_each_count(shown$parameters), seconds = format_each_short(signif(shown$seconds, 2)), ifelse(shown$trial == x$own, "the brief's own", ifelse(shown$trial == x$best, "best", "")))
  )
  names(columns)[length(columns)] <- ""
  lines <- text_table(columns, right = c(1, 1 + which(vapply(shown[x$settings], is.numeric, NA)), (2 + length(settings)):(length(columns) - 1)))
  if (max(cli::ansi_nchar(lines, "width")) > cli::console_width()) {
    # settings on lines of their own
    columns <- columns[-(1 + seq_along(settings))]
    lines <- text_table(columns, right = seq_len(length(columns) - 1))
    what <- vapply(seq_len(nrow(shown)), function(i) paste(names(settings), vapply(settings, `[`, "", i), collapse = ", "), "")
    lines <- c(lines, "", unlist(lapply(seq_along(what), function(i) wrapped(sprintf("%s: %s", shown$trial[i], what[i]), 2, 6))))
  }
  left <- sum(t$trial != x$own) - sum(shown$trial != x$own)
  c(lines, if (left > 0) sprintf("  and %s", counted(left, "more judged in full", "more judged in full")))
}

winner_text <- function(x) {
  if (x$best == x$own) return("Nothing better than the brief's own settings was found.")
  best <- x$trials[x$trials$trial == x$best, ]
  sprintf(
    "Trial %d's %s is %s lower than that of the brief's own settings%s.", x$best, x$primary, format_measure(-best$difference),
    if (is.na(best$low)) "" else sprintf(" (%s to %s with 95 %% confidence, fold by fold%s)", format_signed(-best$high), format_signed(-best$low), if (best$high > 0) ": that may be luck" else "")
  )
}

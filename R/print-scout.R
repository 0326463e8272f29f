#' @export
print.hylomath_bounds <- function(x, ...) print_lines(x)

#' @export
print.hylomath_scouting <- function(x, ...) print_lines(x)

#' @export
format.hylomath_scouting <- function(x, ...) {
  t <- x$trials
  evaluated <- switch(x$evaluate,
    validation = "validation rows", out_of_fold = counted(x$folds, "fold"), folds = folds_words(x$k, x$repeats)
  )
  stopped_in <- switch(x$evaluate, validation = "the epochs", out_of_fold = "the folds", folds = "the folds")
  trials <- sprintf("%s of %s", counted(nrow(t), "trial"), counted(length(x$settings), "setting"))
  c(
    cli::style_bold(sprintf("%s: %s, evaluated on %s", enumerate(x$target), trials, evaluated)), "",
    scouting_table(x), "",
    paragraphs(c(
      if (identical(x$stopped, "interrupted")) "An interrupt ended the search: what is shown was done before it.",
      if (identical(x$stopped, "exhausted")) "Nothing is left to try within these bounds.",
      winner_text(x),
      if (x$best != x$own) expected_text(x$expected, x$primary, "the brief's own"),
      if (x$evaluate == "folds") single_networks_text(x$brief, "Each trial"),
      stopped_early_text(sum(!t$whole), stopped_in),
      advice_here(sprintf(
        paste(
          "The lowest of %d is lower here than it will be on new rows. For the figure to report, train its brief and",
          "evaluate it on the test rows, once: train(best_brief(search)), then appraise(model)."
        ),
        sum(t$whole)
      ))
    ))
  )
}

# What is tried is one network, also where the brief trains an ensemble.
single_networks_text <- function(b, what) {
  if (hold_out_in_force(b)$folds == 0) return(NULL)
  sprintf("%s was one network a fold; train() makes a cross-validation ensemble of the brief.", what)
}

stopped_early_text <- function(n, parts) {
  if (n == 0) return(NULL)
  what <- "%s stopped early, after a part of %s; their figures are not to be compared with the others'."
  sprintf(what, counted(n, "weak trial was", "weak trials were"), parts)
}

# The best ten and the brief's own.
scouting_table <- function(x) {
  shown <- scouting_shown(x)
  cells <- scouting_cells(x, shown)
  numeric <- which(vapply(shown[x$settings], is.numeric, NA))
  figures_right <- 1 + length(cells$searched) + seq_len(length(cells$figures) - 1)
  lines <- text_table(unlist(unname(cells), recursive = FALSE), right = c(1, 1 + numeric, figures_right))
  if (too_wide(lines)) {
    # settings on lines of their own
    lines <- c(
      text_table(c(cells$number, cells$figures), right = seq_len(length(cells$figures))), "",
      settings_by_trial(shown$trial, cells$searched)
    )
  }
  c(lines, scouting_left(x, shown))
}

scouting_shown <- function(x) {
  t <- x$trials[x$trials$whole, ]
  t[seq_len(nrow(t)) <= 10 | t$trial == x$own, ]
}

scouting_left <- function(x, shown) {
  left <- sum(x$trials$whole & x$trials$trial != x$own) - sum(shown$trial != x$own)
  if (left > 0) sprintf("  and %s", counted(left, "more evaluated in full", "more evaluated in full"))
}

# Columns of cells as text: the trial, what was searched, and what came of it.
scouting_cells <- function(x, shown) {
  searched <- lapply(shown[x$settings], setting_cells)
  figures <- c(
    stats::setNames(list(format_measure(shown$mean)), x$primary),
    if (x$folds > 1) list(spread = format_measure(shown$sd)),
    list(
      parameters = format_each_count(shown$parameters), seconds = format_each_short(signif(shown$seconds, 2)),
      ifelse(shown$trial == x$own, own_words(x), ifelse(shown$trial == x$best, "best", ""))
    )
  )
  names(figures)[length(figures)] <- ""
  list(number = list(trial = as.character(shown$trial)), searched = searched, figures = figures)
}

own_words <- function(x) if (blends(x$brief, x$evaluate)) "the brief's own ensemble" else "the brief's own"

setting_cells <- function(column) {
  ifelse(is.na(column), "-", if (is.numeric(column)) format_each_short(column) else column)
}

settings_by_trial <- function(trial, searched) {
  unlist(lapply(seq_along(trial), function(i) {
    said <- paste(names(searched), vapply(searched, `[`, "", i), collapse = ", ")
    wrapped(sprintf("%s: %s", trial[i], said), 2, 6)
  }))
}

winner_text <- function(x) {
  own <- if (blends(x$brief, x$evaluate)) "ensemble" else "settings"
  if (x$best == x$own) return(sprintf("Nothing better than the brief's own %s was found.", own))
  best <- x$trials[x$trials$trial == x$best, ]
  luck <- if (isTRUE(best$high > 0)) ": that may be luck" else ""
  interval <- if (is.na(best$low)) "" else {
    what <- " (%s to %s with 95 %% confidence, %s%s)"
    by <- "fold by fold"
    sprintf(what, format_signed(-best$high), format_signed(-best$low), by, luck)
  }
  what <- "Trial %d's %s is %s lower than that of the brief's own %s%s."
  sprintf(what, x$best, x$primary, format_measure(-best$difference), own, interval)
}

# From movements to one evaluation, in a sentence.

new_watch <- function(model, parted, movements, periods) {
  called <- movements[movements$called, ]
  verdict <- if (any(called$what == "measure")) "retrain" else if (nrow(called)) "look" else "keep"
  rows <- length(parted$period)
  name <- loss_name(target_in(model))
  x <- new_result(
    list(
      verdict = verdict, sentence = "", movements = movements,
      periods = watched_periods(model, parted, periods), unusual = parted$unusual, loss = name, rows = rows,
      rows_then = model$profile$rows, target = target_in(model)$columns, identity = identity_of(model),
      known = !is.null(parted$losses) && any(!is.na(parted$losses)), rule = rule_text(model$predictor)
    ),
    "watch"
  )
  x$sentence <- watch_sentence(x)
  x$notes <- watch_notes(x)
  x
}

watched_periods <- function(model, parted, periods) {
  reference <- movements_reference(model)
  rows <- lapply(periods, function(period) {
    own <- if (period == "all") rep(TRUE, length(parted$period)) else parted$period %in% period
    losses <- parted$losses[own]
    data.frame(
      period = period, rows = sum(own), known = sum(!is.na(losses)),
      loss = if (any(!is.na(losses))) watched_measure(model)(mean(losses, na.rm = TRUE)) else NA_real_,
      then = reference
    )
  })
  do.call(rbind, rows)
}

movements_reference <- function(model) {
  part <- reference_part(model)
  if (is.na(part)) NA_real_ else watched_measure(model)(mean(watched_loss(model, evaluated_in_part(model, part))))
}

watch_sentence <- function(x) {
  called <- x$movements[x$movements$called, ]
  so_many <- sprintf("%s then, %s now", counted(x$rows_then, "row"), format_count(x$rows))
  if (x$verdict == "keep") {
    what <- "Keep: nothing has moved by more than chance and by enough to matter (%s; %s)."
    return(sprintf(what, so_many, counted(nrow(x$movements), "comparison")))
  }
  worst <- called[order(called$what != "measure", called$period != "all", called$p, -abs(called$moved)), ]
  told <- unique(vapply(seq_len(nrow(worst)), function(i) movement_text(worst[i, ], x), ""))
  more <- length(told) - 1
  rest <- if (more > 0) sprintf("; and %s more", counted(more, "movement")) else ""
  if (x$verdict == "retrain") return(sprintf("Retrain: %s%s.", told[1], rest))
  sprintf("Look: %s%s; %s.", told[1], rest, loss_text_now(x))
}

# What is known of the loss where it hasn't grown by more than chance does.
loss_text_now <- function(x) {
  if (!x$known) return("the target would show whether the predictions still hold")
  all <- x$periods[x$periods$period == "all", ]
  values <- format_measure(c(all$loss, all$then))
  no_worse <- "the %s is no worse (%s, and %s at training)"
  if (!isTRUE(all$loss > all$then)) return(sprintf(no_worse, x$loss, values[1], values[2]))
  sprintf("the %s is %s and was %s at training, which can be chance", x$loss, values[1], values[2])
}

movement_text <- function(m, x) {
  when <- if (m$period == "all") "" else sprintf(" in period %s", m$period)
  column <- quoted(m$column)
  percent <- function(share) format_percent_short(share)
  deviations <- sprintf("%s deviations", format_number(signif(m$moved, 2)))
  switch(m$what,
    place = sprintf(
      "%s has moved by %s (from a mean of %s to %s)%s", column, deviations, format_number(signif(m$before, 4)),
      format_number(signif(m$now, 4)), when
    ),
    spread = sprintf(
      "%s has another spread (a standard deviation of %s, now %s)%s", column, format_number(signif(m$before, 3)),
      format_number(signif(m$now, 3)), when
    ),
    missing = sprintf(
      "%s is missing in %s of the rows, and was in %s%s", column, percent(m$now), percent(m$before), when
    ),
    level = sprintf(
      "%s is \"%s\" in %s of the rows, and was in %s%s", column, m$level, percent(m$now), percent(m$before), when
    ),
    new = sprintf("%s has levels that are not in the training data in %s of the rows%s", column, percent(m$now), when),
    outside = sprintf("%s is outside of the training range in %s of the rows%s", column, percent(m$now), when),
    prediction = sprintf(
      "%s has moved from a mean of %s to %s%s", column, format_number(signif(m$before, 3)),
      format_number(signif(m$now, 3)), when
    ),
    measure = sprintf(
      "the %s is worse than at training, %s against %s%s", x$loss, format_measure(m$now), format_measure(m$before), when
    )
  )
}

watch_notes <- function(x) {
  few <- x$periods[x$periods$rows < least_watched_rows, ]
  join_notes(
    if (!x$known) {
      new_note(
        "target_unknown",
        "The target is not in the newer rows, so nothing shows whether the predictions are still right.",
        "Watch again once it is: only the target shows whether to train again."
      )
    },
    note_outside_range(x$unusual),
    if (nrow(few)) {
      who <- if (nrow(few) == 1) "The period %s has fewer than %d rows and is not evaluated." else {
        "The periods %s have fewer than %d rows and are not evaluated."
      }
      new_note(
        "few_rows_in_period", sprintf(who, enumerate(few$period), least_watched_rows), "Take longer periods."
      )
    }
  )
}

#' @export
as.data.frame.hylomath_watch <- function(x, ...) x$movements

#' @export
notes.hylomath_watch <- function(x, ...) x$notes

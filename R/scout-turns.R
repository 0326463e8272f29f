# A search over networks that take turns: a trial is evaluated by what each network predicts in its turn, for rows that
# it has not seen, for as many fits as there are turns. Where the brief leaves the wiring open its own figures are those
# of the blend which train() makes of it, so that nothing is found better that does worse in its turns than the default.

# The brief that trials change: of an open one the rule's plainest wiring, trained and prepared as the rule does.
brief_to_change <- function(b, judge, a) {
  if (!blends(b, judge)) return(b)
  plainest <- Filter(function(one) is.null(one$said), auto_wirings(a))[[1]]
  changed <- with_network(a, plainest$wiring, plainest$regimen, plainest$prepare)$brief
  changed[["hold_out"]] <- b[["hold_out"]]
  new_brief(brief_settings(changed), b$table)
}

# Whether the brief's own predictions are a blend, which has no place among the settings.
blends <- function(b, judge) judge == "turns" && b$wiring == "auto"

# Puts the losses of the brief's own blend into the store, turn by turn, before anything else is tried. Whether an
# interrupt left some of them out.
judge_blend <- function(search, store, report) {
  known <- lapply(seq_len(search$folds), function(turn) store$find("own", turn, 1))
  if (!any(vapply(known, is.null, NA))) return(FALSE)
  turning <- train_turns(settle(search$brief), function(event) report(c(event, list(within = "the brief's own"))))
  judged <- turned_rows(turning)
  for (i in seq_along(turning$whole)) {
    members <- lapply(turning$each, `[[`, i)
    of <- function(what) vapply(members, function(m) as.numeric(m[[what]]), 0)
    own <- rows_of_each(judged, which(judged$turn == turning$whole[i]))
    result <- list(
      loss = mean_loss(members[[1]]$predictor, own), judging = length(own$key), learned = members[[1]]$learned,
      parameters = sum(of("parameters")), epochs = max(of("epochs")), seconds = sum(of("seconds"))
    )
    store$add("own", fit_row(1L, turning$whole[i], 1, result))
  }
  length(turning$whole) < search$folds
}

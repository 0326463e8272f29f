# A search over cross-validation ensembles: a trial is evaluated by what each network predicts out of fold, for rows
# that it has not seen, for as many fits as there are folds. Where the brief leaves the wiring open its own figures are
# those of the blend which train() makes of it, so that nothing is found better that does worse out of fold than the
# default.

# The brief that trials change: of an open one the rule's plainest wiring, trained and prepared as the rule does.
brief_to_change <- function(b, evaluate, a) {
  if (!blends(b, evaluate)) return(b)
  plainest <- Filter(function(one) is.null(one$said), auto_wirings(a))[[1]]
  changed <- with_network(a, plainest$wiring, plainest$regimen, plainest$prepare)$brief
  changed[["hold_out"]] <- b[["hold_out"]]
  new_brief(brief_settings(changed), b$table)
}

# Whether the brief's own predictions are a blend, which has no place among the settings.
blends <- function(b, evaluate) evaluate == "out_of_fold" && b$wiring == "auto"

# Puts the losses of the brief's own ensemble into the store, fold by fold, before anything else is tried. Whether an
# interrupt left some of them out.
evaluate_blend <- function(search, store, report) {
  known <- lapply(seq_len(search$folds), function(fold) store$find("own", fold, 1))
  if (!any(vapply(known, is.null, NA))) return(FALSE)
  trained <- train_members(settle(search$brief), function(event) report(c(event, list(within = "the brief's own"))))
  evaluated <- out_of_fold_rows(trained)
  for (i in seq_along(trained$whole)) {
    members <- lapply(trained$each, `[[`, i)
    of <- function(what) vapply(members, function(m) as.numeric(m[[what]]), 0)
    own <- rows_of_each(evaluated, which(evaluated$fold == trained$whole[i]))
    result <- list(
      loss = mean_loss(members[[1]]$predictor, own), evaluating = length(own$key), learned = members[[1]]$learned,
      parameters = sum(of("parameters")), epochs = max(of("epochs")), seconds = sum(of("seconds"))
    )
    store$add("own", fit_row(1L, trained$whole[i], 1, result))
  }
  length(trained$whole) < search$folds
}

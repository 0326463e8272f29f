# Folds of an ensemble: in each, an ensemble is trained on the rows that the fold doesn't evaluate, the candidates are
# blended by what they predicted out of fold, and all of them together predict the fold's rows.

folds_of_ensembles <- function(laid, report, checkpoint = no_checkpoint()) {
  plan <- laid$plan
  candidates <- ensemble_candidates(laid$analysis)
  nested <- lapply(candidates, function(a) {
    lay_ensemble_folds(list(plan = c(plan[names(plan) != "brief"], list(brief = a$brief, nested = TRUE)), analysis = a))
  })
  of_fold <- nested[[1]]$each
  own <- lapply(seq_len(nrow(laid$each)), function(i) {
    which(of_fold$fold == laid$each$fold[i] & of_fold[["repeat"]] == laid$each[["repeat"]][i])
  })
  jobs <- lapply(nested, fold_jobs, want = "members")
  run <- function(jobs, places, checkpoint) folded_members(laid, nested, jobs, places, report, checkpoint)
  trial <- which(of_fold$inner %in% trial_folds(laid$analysis, candidates))
  places <- lapply(jobs, seq_along)
  each <- run(jobs, if (length(trial)) lapply(places, intersect, trial) else places, checkpoint)
  tried <- unlist(lapply(each, `[`, trial), recursive = FALSE)
  if (length(trial) && !any(vapply(tried, is.null, NA))) {
    kept <- lapply(own, function(places) kept_in_fold(laid$analysis, lapply(each, `[`, intersect(places, trial))))
    places <- lapply(stats::setNames(nm = names(each)), function(name) {
      unlist(own[vapply(kept, function(names) name %in% names, NA)])
    })
    rest <- run(jobs, lapply(places, setdiff, trial), checkpoint_of_kind(checkpoint, "rest"))
    each <- Map(function(first, rest) replace(rest, trial, first[trial]), each, rest)
  }
  if (laid$analysis$hold_out$by == "ordered") {
    each <- folded_last_networks(laid, nested, jobs, each, places, report, checkpoint_of_kind(checkpoint, "last"))
  }
  lapply(own, function(own) {
    in_fold <- vapply(places, function(places) all(own %in% places), NA)
    folded_ensemble(laid$analysis, lapply(each[in_fold], `[`, own))
  })
}

# By candidate the results of the jobs at these places, NULL at others.
folded_members <- function(laid, nested, jobs, places, report, checkpoint) {
  asked <- unlist(unname(Map(`[`, jobs, places)), recursive = FALSE)
  done <- run_jobs(laid$analysis$raw, asked, "network", report, laid = unname(nested), checkpoint = checkpoint)
  done <- split(done, rep(factor(names(jobs), names(jobs)), lengths(places)))
  Map(function(jobs, places, done) {
    results <- vector("list", length(jobs))
    results[places] <- done
    results
  }, jobs, places, done)
}

# The candidates of a fold that go on after its trial.
kept_in_fold <- function(a, each) names(each)[promising(a, lapply(each, as_evaluated_within))]

# The networks of a fold, with the rows that they predict within it in place of those of the fold.
as_evaluated_within <- function(members) {
  lapply(members, function(m) list(predictor = m$predictor, evaluated = m$out_of_fold))
}

# In order of time the networks that predict a fold's rows are trained once more, as with_last_networks() does it.
folded_last_networks <- function(laid, nested, jobs, each, places, report, checkpoint) {
  there <- Map(function(members, places) !vapply(members[places], is.null, NA), each, places)
  if (!all(unlist(there))) return(each)
  again <- Map(function(jobs, nested, members) {
    Map(function(job, member) {
      if (!is.null(member)) last_job(utils::modifyList(job, list(want = "predictions")), nested, member)
    }, jobs, members)
  }, jobs, nested, each)
  last <- folded_members(laid, nested, again, places, report, checkpoint)
  Map(function(members, last) {
    Map(function(member, last) {
      if (is.null(last)) return(NULL)
      member$evaluated <- last$evaluated
      member$seconds <- member$seconds + last$seconds
      member
    }, members, last)
  }, each, last)
}

# What a fold's networks predicted out of fold, as a teacher says it: to the rows of the whole table, NA elsewhere.
folded_teaching <- function(a, each, shares) {
  target <- a$target
  own_shares <- network_shares(shares, each)
  first <- each[[1]][[1]]$out_of_fold$predictions
  columns <- if (has_classes(target)) paste0("probability_", target$classes) else names(first)
  predictions <- matrix(NA_real_, nrow(a$table), length(columns), dimnames = list(NULL, target$classes))
  for (i in seq_along(each[[1]])) {
    members <- lapply(each, `[[`, i)
    said <- mean_predictions(
      members[[1]]$predictor, lapply(members, function(m) m$out_of_fold$predictions),
      fold_shares(vapply(own_shares, `[`, 0, i))
    )
    predictions[members[[1]]$out_of_fold$row, ] <- as.matrix(said[columns])
  }
  list(predictions = predictions, smear = if (target$scaling == "log") rep(1, length(columns)))
}

# Of a fold the results of all networks, by candidate; NULL where an interrupt left one out.
folded_ensemble <- function(a, each) {
  if (any(vapply(unlist(each, recursive = FALSE), is.null, NA))) return(NULL)
  shares <- blend_shares(a, lapply(each, as_evaluated_within))
  used <- each[shares > 0]
  members <- unlist(used, recursive = FALSE)
  weights <- unlist(network_shares(shares[shares > 0], used), use.names = FALSE)
  evaluated <- members[[1]]$evaluated
  own <- lapply(members, function(m) m$evaluated$predictions)
  evaluated$predictions <- mean_predictions(members[[1]]$predictor, own, weights)
  of <- function(what) vapply(members, function(m) as.numeric(m[[what]]), 0)
  list(
    evaluated = evaluated, teaching = folded_teaching(a, each[shares > 0], shares[shares > 0]),
    best_epoch = stats::median(of("best_epoch")), epochs = max(of("epochs")),
    updates = sum(of("updates")),
    # every training row is learned from
    learned = sum(vapply(used[[1]], function(m) length(m$out_of_fold$key), 0L)), evaluating = members[[1]]$evaluating,
    parameters = as.integer(sum(of("parameters"))), seconds = sum(of("seconds"))
  )
}

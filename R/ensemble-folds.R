# Folds of an ensemble: in each, an ensemble is trained on the rows that the fold doesn't evaluate, the candidates are
# blended by what they predicted out of fold, and all of them together predict the fold's rows.

folds_of_ensembles <- function(laid, report, checkpoint = no_checkpoint()) {
  plan <- laid$plan
  candidates <- ensemble_candidates(laid$analysis)
  nested <- lapply(candidates, function(a) {
    lay_ensemble_folds(list(plan = c(plan[names(plan) != "brief"], list(brief = a$brief, nested = TRUE)), analysis = a))
  })
  inner <- laid$analysis$hold_out$folds
  own <- split(seq_len(nrow(nested[[1]]$each)), rep(seq_len(nrow(laid$each)), each = inner))
  jobs <- lapply(nested, fold_jobs, want = "members")
  run <- function(asked, checkpoint, stage) {
    places <- lapply(stats::setNames(nm = names(jobs)), function(name) {
      unlist(Map(function(own, asked) own[asked[[name]]], own, asked), use.names = FALSE)
    })
    done <- folded_members(laid, nested, jobs, places, at_stage(report, stage), checkpoint)
    lapply(own, function(own) lapply(done, `[`, own))
  }
  several <- trained_by_stages(laid$analysis, candidates, length(own), run, checkpoint, as_evaluated_within)
  several <- lapply(several, function(each) ended_trial(laid$analysis, candidates, each))
  if (laid$analysis$hold_out$by == "ordered") {
    several <- folded_last_networks(laid, nested, jobs, own, several, report, checkpoint_of_kind(checkpoint, "last"))
  }
  lapply(several, function(each) folded_ensemble(laid$analysis, each))
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

# A network of a fold, with the rows that it predicts within it in place of those of the fold.
as_evaluated_within <- function(member) list(predictor = member$predictor, evaluated = member$out_of_fold)

# In order of time the networks that predict a fold's rows are trained once more, as with_last_networks() does it.
folded_last_networks <- function(laid, nested, jobs, own, several, report, checkpoint) {
  if (any(vapply(several, function(each) any(vapply(unlist(each, recursive = FALSE), is.null, NA)), NA))) {
    return(several)
  }
  # by candidate, along the jobs: what was trained, and the jobs of its last training
  members <- lapply(stats::setNames(nm = names(jobs)), function(name) {
    unlist(lapply(several, function(each) each[[name]] %||% vector("list", length(own[[1]]))), recursive = FALSE)
  })
  again <- Map(function(jobs, nested, members) {
    Map(function(job, member) {
      if (!is.null(member)) last_job(utils::modifyList(job, list(want = "predictions")), nested, member)
    }, jobs, members)
  }, jobs, nested, members)
  places <- lapply(members, function(members) which(!vapply(members, is.null, NA)))
  last <- folded_members(laid, nested, again, places, report, checkpoint)
  with_last <- function(member, last) {
    if (is.null(last)) return(NULL)
    member$evaluated <- last$evaluated
    member$seconds <- member$seconds + last$seconds
    member
  }
  Map(function(own, each) Map(function(name, members) Map(with_last, members, last[[name]][own]), names(each), each),
      own, several)
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
  shares <- blend_shares(a, lapply(each, lapply, as_evaluated_within))
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

# A fold of a rotation is a rotation: of the rows that a fold doesn't evaluate, parts take turns, the candidates are
# blended by what they predicted in their turns, and all of them together predict the fold's rows.

rotation_folds <- function(laid, report, checkpoint = no_checkpoint()) {
  plan <- laid$plan
  candidates <- rotation_candidates(laid$analysis)
  turning <- lapply(candidates, function(a) {
    lay_turning_folds(list(plan = c(plan[names(plan) != "brief"], list(brief = a$brief, turning = TRUE)), analysis = a))
  })
  jobs <- lapply(turning, fold_jobs, want = "turned")
  done <- run_jobs(
    laid$analysis$raw, unlist(jobs, recursive = FALSE), "network", report, laid = unname(turning),
    checkpoint = checkpoint
  )
  n <- nrow(turning[[1]]$each)
  each <- lapply(seq_along(turning), function(c) done[(c - 1) * n + seq_len(n)])
  names(each) <- names(candidates)
  if (laid$analysis$hold_out$by == "ordered") {
    last <- checkpoint_of_kind(checkpoint, "last")
    each <- folded_last_networks(laid, turning, jobs, each, report, last)
  }
  of_fold <- turning[[1]]$each
  lapply(seq_len(nrow(laid$each)), function(i) {
    own <- which(of_fold$fold == laid$each$fold[i] & of_fold[["repeat"]] == laid$each[["repeat"]][i])
    folded_rotation(laid$analysis, lapply(each, `[`, own))
  })
}

# In order of time the networks that predict a fold's rows are trained once more, as with_last_networks() does it.
folded_last_networks <- function(laid, turning, jobs, each, report, checkpoint) {
  there <- !vapply(unlist(each, recursive = FALSE), is.null, NA)
  if (!all(there)) return(each)
  again <- unlist(Map(function(jobs, turning, members) {
    Map(function(job, member) {
      last_job(utils::modifyList(job, list(want = "predictions")), turning, member)
    }, jobs, members)
  }, jobs, turning, each), recursive = FALSE)
  done <- run_jobs(
    laid$analysis$raw, unname(again), "network", report, laid = unname(turning), checkpoint = checkpoint
  )
  last <- split(done, rep(seq_along(each), lengths(each)))
  Map(function(members, last) {
    Map(function(member, last) {
      if (is.null(last)) return(NULL)
      member$judged <- last$judged
      member$seconds <- member$seconds + last$seconds
      member
    }, members, last)
  }, each, last)
}

# What a fold's networks predicted in their turns, as a teacher says it: to the rows of the whole table, NA elsewhere.
folded_teaching <- function(a, each, shares) {
  target <- a$target
  own_shares <- network_shares(shares, each)
  first <- each[[1]][[1]]$turned$predictions
  columns <- if (has_classes(target)) paste0("probability_", target$classes) else names(first)
  predictions <- matrix(NA_real_, nrow(a$table), length(columns), dimnames = list(NULL, target$classes))
  for (i in seq_along(each[[1]])) {
    members <- lapply(each, `[[`, i)
    said <- mean_predictions(
      members[[1]]$predictor, lapply(members, function(m) m$turned$predictions),
      turn_shares(vapply(own_shares, `[`, 0, i))
    )
    predictions[members[[1]]$turned$row, ] <- as.matrix(said[columns])
  }
  list(predictions = predictions, smear = if (target$scaling == "log") rep(1, length(columns)))
}

# Of a fold the results of all networks, by candidate; NULL where an interrupt left one out.
folded_rotation <- function(a, each) {
  if (any(vapply(unlist(each, recursive = FALSE), is.null, NA))) return(NULL)
  predicted <- lapply(each, lapply, function(m) list(predictor = m$predictor, judged = m$turned))
  shares <- blend_shares(a, predicted)
  used <- each[shares > 0]
  members <- unlist(used, recursive = FALSE)
  weights <- unlist(network_shares(shares[shares > 0], used), use.names = FALSE)
  judged <- members[[1]]$judged
  own <- lapply(members, function(m) m$judged$predictions)
  judged$predictions <- mean_predictions(members[[1]]$predictor, own, weights)
  of <- function(what) vapply(members, function(m) as.numeric(m[[what]]), 0)
  list(
    judged = judged, teaching = folded_teaching(a, each[shares > 0], shares[shares > 0]),
    best_epoch = stats::median(of("best_epoch")), epochs = max(of("epochs")),
    updates = sum(of("updates")),
    # every row that takes turns is learned from
    learned = sum(vapply(used[[1]], function(m) length(m$turned$key), 0L)), judging = members[[1]]$judging,
    parameters = as.integer(sum(of("parameters"))), seconds = sum(of("seconds"))
  )
}

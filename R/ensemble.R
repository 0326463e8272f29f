# A cross-validation ensemble: each fold of the rows is predicted by a network that saw nothing of it, and together they
# predict new rows. Where the brief leaves the network open, several wirings are trained side by side, and their
# predictions are blended by what they predicted for rows that they had not seen.
#
# A *trained ensemble* is list(analysis, candidates, each, whole, shares): the analysis that is dealt into folds, the
# candidates, by candidate the results of their networks, the numbers of the folds that all of them have ended, and how
# much each candidate counts; and `preparation`, that of networks that learn on.

# The model of an analysis that is dealt into folds.
train_ensemble <- function(a, report, checkpoint = no_checkpoint(), keeps = FALSE) {
  began <- proc.time()[["elapsed"]]
  model <- ensemble_model(with_last_networks(train_members(a, report, checkpoint, keeps), report, checkpoint))
  # what passed, however many threads there were
  model$seconds <- proc.time()[["elapsed"]] - began
  model
}

train_members <- function(a, report, checkpoint = no_checkpoint(), keeps = FALSE) {
  candidates <- ensemble_candidates(a)
  laid <- lapply(candidates, laid_ensemble)
  jobs <- lapply(laid, fold_jobs, want = "member")
  if (keeps) jobs <- lapply(jobs, lapply, c, list(on = list(keeps = TRUE)))
  run <- function(asked, checkpoint, stage) {
    of <- names(asked[[1]])
    list(run_members(a, laid[of], jobs[of], at_stage(report, stage), checkpoint, asked[[1]]))
  }
  each <- ended_trial(a, candidates, trained_by_stages(a, candidates, 1, run, checkpoint)[[1]])
  whole <- ended_folds(each, checkpoint$kept_in())
  each <- lapply(each, `[`, whole)
  list(analysis = a, candidates = candidates[names(each)], each = each, whole = whole, shares = blend_shares(a, each))
}

# In order of time each network learns from earlier rows than those that it predicts, the first of them from half of
# all. What predicts later rows has to have learned from the newest ones: so every network is trained once more, on all
# training rows, for as many epochs as were right out of fold. Their results are `last` of the trained ensemble, by
# candidate.
with_last_networks <- function(trained, report, checkpoint = no_checkpoint()) {
  a <- trained$analysis
  used <- union(names(trained$shares)[trained$shares > 0], linear_candidate(trained$each))
  ordered <- a$hold_out$by == "ordered" && is.null(a$hold_out$only_folds)
  if (!ordered || length(trained$whole) < a$hold_out$folds) return(trained)
  laid <- lapply(trained$candidates[used], laid_ensemble)
  jobs <- lapply(stats::setNames(nm = used), function(name) {
    Map(last_job, fold_jobs(laid[[name]], "whole"), laid[name], trained$each[[name]])
  })
  last <- run_members(a, laid, jobs, report, checkpoint_of_kind(checkpoint, "last"))
  if (!any(vapply(unlist(last, recursive = FALSE), is.null, NA))) trained$last <- last
  trained
}

# The job of a network that is trained once more: by the method of its fold, with the penalty for as many rows.
last_job <- function(job, laid, member) {
  candidate <- laid$analysis
  own <- with_parts(candidate, laid$parts(job$fold), candidate$regimen$seed)
  regimen <- regimen_in_force(own, function() member$predictor$preparation)
  if (identical(candidate$regimen$l2, "auto")) {
    all <- with_parts(candidate, laid$all(job$fold), candidate$regimen$seed)
    regimen$l2 <- auto_l2(candidate$wiring, regimen$method, cases_in(all, "training"), candidate$target$loss)
  }
  epochs <- if (regimen$method != "newton") as.integer(max(1, member$best_epoch))
  c(job, list(on = list(whole = "ensemble", regimen = regimen, epochs = epochs)))
}

# By candidate the results of its jobs, one a fold; NULL for other folds than these, which may be given by candidate.
run_members <- function(a, laid, jobs, report, checkpoint = no_checkpoint(), folds = asked_folds(a)) {
  if (!is.list(folds)) folds <- rep(list(folds), length(laid))
  # fold by fold, so that an interrupt leaves whole ones
  fold_of_job <- rep(seq_len(a$hold_out$folds), length(laid))
  fold <- order(fold_of_job)
  of <- rep(seq_along(laid), lengths(jobs))[fold]
  jobs <- unlist(unname(jobs), recursive = FALSE)[fold]
  asked <- unlist(lapply(folds, function(own) seq_len(a$hold_out$folds) %in% own))[fold]
  done <- vector("list", length(jobs))
  done[asked] <- run_jobs(a$raw, jobs[asked], "network", report, laid = unname(laid), checkpoint = checkpoint)
  stats::setNames(lapply(seq_along(laid), function(c) done[of == c]), names(laid))
}

laid_ensemble <- function(a) {
  plan <- list(brief = a$brief, k = NULL, repeats = 1L, by = "validation", most = NULL)
  lay_ensemble(list(plan = plan, analysis = a), a)
}

# ---- the model ----------------------------------------------------------------------------------------------------

ensemble_model <- function(trained) {
  a <- trained$analysis
  each <- trained$each
  whole <- trained$whole
  shares <- trained$shares
  main <- names(shares)[which.max(shares)]
  used <- names(shares)[shares > 0]
  predicting <- replace(each, names(trained$last), trained$last)
  own_shares <- network_shares(shares, predicting)
  networks <- unlist(lapply(used, function(c) lapply(predicting[[c]], `[[`, "predictor")), FALSE)
  beside <- linear_candidate(each)
  linear_networks <- lapply(predicting[[beside]], `[[`, "predictor")
  preparation <- trained$preparation %||% joint_preparation(a, c(networks, linear_networks))
  predictor <- joint_predictor(
    a$target, preparation, networks, unlist(own_shares[used], use.names = FALSE), rep(whole, length(used))
  )
  shares_of_linear <- network_shares(1, predicting[beside])[[1]]
  linear <- joint_predictor(a$target, preparation, linear_networks, shares_of_linear, whole)
  members <- member_table(each, own_shares, whole, trained$last)
  middle <- each[[main]][[middle_place(vapply(each[[main]], function(m) as.numeric(m$best_epoch), 0))]]$training
  of_main <- learn_training(trained$candidates[[main]], each[[main]][[1]]$predictor$preparation)
  b <- settled_brief(a)
  # an interrupted training can be done again
  interrupted <- length(whole) < a$hold_out$folds || (a$hold_out$by == "ordered" && is.null(trained$last))
  if (interrupted) b <- set_section(b, "hold_out", list(only_folds = whole))
  evaluated <- out_of_fold_rows(trained)
  new_model(
    a, b, predictor, if (length(used) > 1 || used != beside) linear,
    list(
      curves = ensemble_curves(each[[main]], whole), best = as.integer(middle$best),
      stopped = if (interrupted) "interrupted" else "ensemble", penalty = middle$penalty,
      kernel = middle$kernel, seconds = sum(members$seconds), members = members,
      regimen = of_main$regimen, restarts = one_restart(middle),
      states = kept_states(each[c(used, beside)])
    ),
    list(out_of_fold = evaluated), member_disagreement(trained, evaluated)
  )
}

# The preparation that networks are put under, of all columns that one of them takes.
joint_preparation <- function(a, networks) {
  if (is.infinite(most_inputs(a))) return(learn_preparation(a))
  a$brief$prepare$strongest <- "auto"
  all <- learn_preparation(a)
  taken <- unlist(lapply(networks, function(network) prepared_columns(network$preparation)))
  of_columns(all, prepared_columns(all) %in% taken)
}

# By candidate, what the training of each of its networks had come to; NULL where that was not kept.
kept_states <- function(each) {
  states <- lapply(each, function(members) lapply(members, `[[`, "states"))
  if (length(unlist(states[[1]][1]))) states[!duplicated(names(states))]
}

one_restart <- function(training) {
  best <- best_losses(training$curves, training$best)
  data.frame(
    start = 1L, epochs = nrow(training$curves), best_epoch = training$best, stopped = training$stopped,
    training = best$training, validation = best$validation, loss = best$validation
  )
}

# Out-of-fold predictions of the k networks, blended; in the order of the table.
out_of_fold_rows <- function(trained) {
  used <- trained$shares > 0
  each <- trained$each[used]
  own_shares <- network_shares(trained$shares, trained$each)[used]
  linear <- trained$each[[linear_candidate(trained$each)]]
  whole <- trained$whole
  folds <- lapply(seq_along(whole), function(i) {
    members <- lapply(each, function(c) c[[i]])
    evaluated <- members[[1]]$evaluated
    predictions <- lapply(members, function(m) m$evaluated$predictions)
    own <- fold_shares(vapply(own_shares, `[`, 0, i))
    evaluated$predictions <- mean_predictions(members[[1]]$predictor, predictions, own)
    evaluated$linear <- linear[[i]]$evaluated$predictions
    evaluated$fold <- rep(whole[i], length(evaluated$key))
    evaluated
  })
  together <- bind_evaluated(folds, 1)
  together <- rows_of_each(together, order(together$row))
  rownames(together$predictions) <- NULL
  if (!is.null(together$linear)) rownames(together$linear) <- NULL
  together
}

# A row a network: whose it is, how it was trained, and its loss on the rows that it predicts out of fold. Those that
# were trained once more, `last`, have learned from more rows than these.
member_table <- function(each, own_shares, whole, last = NULL) {
  rows <- lapply(names(each), function(c) {
    members <- each[[c]]
    of <- function(what) vapply(members, function(m) as.numeric(what(m)), 0)
    once_more <- function(what) if (is.null(last[[c]])) 0 else vapply(last[[c]], function(m) as.numeric(what(m)), 0)
    data.frame(
      network = c, fold = whole, share = own_shares[[c]],
      learned = pmax(of(function(m) m$learned), once_more(function(m) m$learned)),
      predicted = of(function(m) m$evaluating),
      epochs = of(function(m) m$epochs), best_epoch = of(function(m) m$best_epoch),
      loss = of(function(m) mean_loss(m$predictor, m$evaluated)), parameters = of(function(m) m$parameters),
      seconds = of(function(m) m$seconds) + once_more(function(m) m$seconds)
    )
  })
  do.call(rbind, rows)
}

ensemble_curves <- function(members, whole) {
  each <- lapply(members, function(m) m$training$curves)
  cbind(member = rep(whole, vapply(each, nrow, 0L)), do.call(rbind, each))
}

# ---- how much calmer all together are -----------------------------------------------------------------------------

# Two networks have not learned from a training row: the one that predicts it out of fold, and the one that it
# stops. By class how far apart their log-odds are, as the variance of one network's about what all of them come to on
# average; NULL for numbers.
member_disagreement <- function(trained, evaluated) {
  a <- trained$analysis
  if (!has_classes(a$target)) return(NULL)
  used <- trained$shares > 0
  shares <- network_shares(trained$shares, trained$each)[used]
  second <- lapply(seq_along(trained$whole), function(i) {
    members <- lapply(trained$each[used], function(c) c[[i]])
    predictions <- lapply(members, `[[`, "second")
    mean_predictions(members[[1]]$predictor, predictions, fold_shares(vapply(shares, `[`, 0, i)))
  })
  rows <- unlist(lapply(trained$each[[1]], `[[`, "second_rows"))
  own <- match(rows, evaluated$row)
  if (all(is.na(own))) return(NULL)  # of an interrupted training
  first <- evaluated$predictions[own[!is.na(own)], -1, drop = FALSE]
  second <- do.call(rbind, second)[!is.na(own), -1, drop = FALSE]
  apart <- (log_odds_of(first) - log_odds_of(second))^2 / 2
  stats::setNames(apply(apart, 2, weighted_mean, evaluated$weight[own[!is.na(own)]]), a$target$classes)
}

log_odds_of <- function(p) {
  p <- as.matrix(p)
  matrix(stats::qlogis(pmin(pmax(p, 1e-6), 1 - 1e-6)), nrow(p))
}

# The out-of-fold rows, with probabilities as all networks together would have given them: the log-odds of a class's
# own rows, and of the others, are as much nearer to their mean as an average of so many networks varies less. A
# threshold finds as many of them then as it finds of new rows, and a curve that is learned of them fits new rows.
calmed_rows <- function(model) {
  rows <- evaluated_in_part(model, "out_of_fold")
  apart <- model$disagreement
  if (is.null(rows) || is.null(apart)) return(rows)
  classes <- target_in(model)$classes
  p <- calmed(as.matrix(rows$predictions[paste0("probability_", classes)]), rows, apart, model)
  rows$predictions[paste0("probability_", classes)] <- as.data.frame(p)
  rows$predictions$prediction <- predicted_classes(model$predictor, p)
  rows
}

# Of three classes and more, probabilities that are calmed one by one don't sum to 1, and dividing by their sum moves
# what was brought to its place: so both are done by turns, as margins of a table are fitted (Deming and Stephan 1940).
calmed <- function(p, rows, apart, model) {
  networks <- length(unique(model$members$fold))
  classes <- target_in(model)$classes
  cells <- do.call(c, lapply(seq_along(classes), function(j) {
    sides <- split(seq_along(rows$observed), rows$observed == classes[j])
    lapply(unname(sides[lengths(sides) > 1]), function(side) list(j = j, rows = side))
  }))
  odds <- log_odds_of(p)
  cells <- lapply(cells, function(cell) {
    at <- middle_and_spread(odds[cell$rows, cell$j], rows$weight[cell$rows])
    differing <- min(apart[[cell$j]] / max(at$spread, 1e-300), 1)
    c(cell, list(middle = at$middle, spread = (1 - differing + differing / networks) * at$spread))
  })
  for (round in seq_len(if (length(classes) > 2) 10 else 1)) {
    for (cell in cells) {
      own <- odds[cell$rows, cell$j]
      at <- middle_and_spread(own, rows$weight[cell$rows])
      stretch <- if (at$spread > 0) sqrt(cell$spread / at$spread) else 1
      odds[cell$rows, cell$j] <- cell$middle + stretch * (own - at$middle)
    }
    p <- stats::plogis(odds)
    p <- p / rowSums(p)
    odds <- log_odds_of(p)
  }
  p
}

middle_and_spread <- function(x, weight) {
  middle <- weighted_mean(x, weight)
  list(middle = middle, spread = weighted_mean((x - middle)^2, weight))
}

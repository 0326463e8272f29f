# Wirings that are given up. Candidates of an ensemble are tried in two of its folds, and what is behind there is not
# trained in the others. No network learns from that: rows have a say in the choice of wirings, as they have in the
# blend.
#
# A trial has stages. A *stage* is a function of what was trained before it, by candidate the results in each fold; it
# gives by candidate the numbers of the folds to train next.

folds_of_trial <- 2

# Smooth wirings take longest, so they are tried only where the others have a loss that is lower than the linear model's
# by this share of it: where those find no bend, smooth ones find none either. On few rows they take little time.
bend_worth_a_trial <- function(a) if (is_small(a)) 0 else 0.1

# Smooth wirings of many parameters go on if they lower the loss of the blend by this share of it.
gain_worth_their_time <- 0.02
many_parameters <- 300

# Larger ones are tried where the smooth ones lower the loss of the blend by this share of it, and leave more than this
# share of what the linear model leaves.
lead_worth_larger <- 0.1
left_worth_larger <- 2e-3

# A wiring without a share goes on if its loss in the trial is no more standard errors than this above the lowest, and
# fewer wirings than so many have a share.
clearly_behind <- 1
most_going_on <- 2

# In order of time the last ones, which predict rows like those to come. None where there is little to choose from, or
# where no others are to be trained, as of a training that was interrupted by then.
trial_folds <- function(a, candidates) {
  folds <- a$hold_out$folds
  if (length(candidates) <= 2 || folds < 2 * folds_of_trial) return(integer())
  trial <- if (a$hold_out$by == "ordered") folds - rev(seq_len(folds_of_trial)) + 1 else seq_len(folds_of_trial)
  if (all(trial %in% asked_folds(a)) && length(asked_folds(a)) > folds_of_trial) trial else integer()
}

stages_of_trial <- function(a, candidates) {
  trial <- trial_folds(a, candidates)
  begin <- first_candidates(candidates)
  if (length(trial) == 0) return(list(function(each) in_folds(begin, asked_folds(a))))
  larger <- intersect(names(candidates), larger_wirings)
  smooth <- setdiff(names(candidates), c(begin, larger))
  first <- if (is_small(a)) trial else trial[1]
  list(
    function(each) in_folds(begin, trial),
    function(each) in_folds(if (bends(a, results_in(each[begin], trial))) smooth, first),
    function(each) in_folds(intersect(smooth, promising(a, results_in(each, first))), setdiff(trial, first)),
    function(each) in_folds(if (leads(a, results_in(each, first), smooth)) larger, first),
    function(each) in_folds(intersect(larger, promising(a, results_in(each, first))), setdiff(trial, first)),
    function(each) in_folds(promising(a, results_in(each, trial)), setdiff(asked_folds(a), trial))
  )
}

in_folds <- function(names, folds) lapply(stats::setNames(nm = names), function(name) folds)

# Those that every trial begins with: all but the smooth ones, unless nothing else is left beside the linear model.
first_candidates <- function(candidates) {
  begin <- setdiff(names(candidates), c(smooth_wirings, larger_wirings))
  if (all(begin %in% linear_candidates)) names(candidates) else begin
}

# What was trained in all of these folds, there.
results_in <- function(each, folds) {
  Filter(function(results) !any(vapply(results, is.null, NA)), lapply(each, `[`, folds))
}

bends <- function(a, each) {
  losses <- vapply(each, function(results) sum(unlist(lapply(results, weighed_losses))), 0)
  linear <- names(losses) %in% linear_candidates
  min(losses[!linear]) <= (1 - bend_worth_a_trial(a)) * min(losses[linear])
}

# Whether the smooth wirings are so far ahead of the others that a larger one is worth a trial.
leads <- function(a, each, smooth) {
  others <- each[setdiff(names(each), smooth)]
  if (length(others) == length(each)) return(FALSE)
  lowest <- lowest_loss(a, each)
  lowest <= (1 - lead_worth_larger) * lowest_loss(a, others) &&
    lowest > left_worth_larger * lowest_loss(a, each[linear_candidate(each)])
}

# The wirings that go on, by their results in folds of the trial: those with a share in the blend, but for large smooth
# ones that save too little; the linear model, which every model stands beside; and of others that are quick to train a
# few, if their loss is no further above the lowest than chance can bring it.
promising <- function(a, each) {
  cheap <- each[first_candidates(each)]
  parameters <- vapply(each, function(results) parameter_count(results[[1]]$predictor$network), 0)
  costly <- names(each)[!names(each) %in% names(cheap) & parameters > many_parameters]
  # a larger one beside those of few units, then all that are costly beside the rest
  for (some in list(intersect(costly, larger_wirings), costly)) {
    rest <- each[setdiff(names(each), some)]
    saves <- function() lowest_loss(a, each) <= (1 - gain_worth_their_time) * lowest_loss(a, rest)
    if (length(rest) > 0 && length(rest) < length(each) && !saves()) each <- rest
  }
  losses <- lapply(each, function(results) unlist(lapply(results, weighed_losses)))
  group <- unlist(lapply(each[[1]], function(result) result$evaluated$group))
  best <- losses[[which.min(vapply(losses, sum, 0))]]
  near <- vapply(losses, function(own) {
    behind <- mean_with_error(own - best, group)
    behind$value <= clearly_behind * behind$error
  }, NA)
  shared <- blend_shares(a, each) > 0
  # of those that are only near the nearest, up to so many in all
  also <- which(near & names(each) %in% names(cheap) & !shared & !names(each) %in% linear_candidates)
  also <- utils::head(also[order(vapply(losses[also], sum, 0))], max(0, most_going_on - sum(shared)))
  names(each)[shared | seq_along(each) %in% also | names(each) == linear_candidate(each)]
}

lowest_loss <- function(a, each) blend_loss(each)(blend_shares(a, each))

# The loss of each row that a network has not learned from, times what the row counts; of several targets the mean of
# their shares of the variance, as in one_loss().
weighed_losses <- function(result) {
  evaluated <- result$evaluated
  losses <- as.matrix(own_losses(result$predictor$target, evaluated, evaluated$predictions))
  if (ncol(losses) > 1) losses <- sweep(losses, 2, result$predictor$preparation$target$scale^2, `/`)
  rowMeans(losses) * evaluated$weight
}

# ---- training by stages ----------------------------------------------------------------------------------------------

# So many ensembles of the same candidates, trained at once: a list of them, each by candidate a list of results, one a
# fold, NULL where nothing was trained. `run` is given by ensemble what a stage asks for, and gives by ensemble and
# candidate such lists of results; it is told how many came `before` and how many may follow at most, `later`. `seen`
# makes of a result what the stages look at.
trained_by_stages <- function(a, candidates, ensembles, run, checkpoint, seen = identity) {
  none <- lapply(candidates, function(candidate) vector("list", a$hold_out$folds))
  several <- rep(list(none), ensembles)
  stages <- stages_of_trial(a, candidates)
  for (i in seq_along(stages)) {
    asked <- lapply(several, function(each) stages[[i]](lapply(each, lapply, function(x) if (!is.null(x)) seen(x))))
    if (length(unlist(asked)) == 0) next
    open <- vapply(unlist(unlist(several, FALSE, FALSE), FALSE, FALSE), is.null, NA)
    later <- if (i < length(stages)) sum(open) - length(unlist(asked)) else 0
    own <- if (i == 1) checkpoint else checkpoint_of_kind(checkpoint, paste("stage", i))
    done <- run(asked, own, list(before = sum(!open), later = later))
    several <- Map(with_results, several, done, asked)
    if (any(unlist(Map(leaves_some_out, several, asked)))) break
  }
  several
}

# Tells how many networks came before those that are spoken of, and how many may follow.
at_stage <- function(report, stage) function(event) report(c(event, stage))

with_results <- function(each, done, asked) {
  for (name in names(asked)) each[[name]][asked[[name]]] <- done[[name]][asked[[name]]]
  each
}

# Whether an interrupt has left out something that was asked for.
leaves_some_out <- function(each, asked) {
  any(unlist(Map(function(name, folds) vapply(each[[name]][folds], is.null, NA), names(asked), asked)))
}

# Of an ensemble the candidates that its trial has left. Of a training that was interrupted before another fold than
# those of the trial had ended, what every trial begins with, as if no other had been asked for.
ended_trial <- function(a, candidates, each) {
  begin <- each[first_candidates(candidates)]
  trial <- trial_folds(a, candidates)
  if (length(trial) == 0) return(begin)
  later <- setdiff(asked_folds(a), trial)
  left <- Filter(function(results) !all(vapply(results[later], is.null, NA)), each)
  if (any(!is.na(ended_folds_of(left)[later]))) left else begin
}

# ---- folds -----------------------------------------------------------------------------------------------------------

asked_folds <- function(a) a$hold_out$only_folds %||% seq_len(a$hold_out$folds)

# The numbers of the folds that all candidates have ended, NA for the others.
ended_folds_of <- function(each) {
  missing <- Reduce(`|`, lapply(each, function(members) vapply(members, is.null, NA)))
  ifelse(missing, NA, seq_along(missing))
}

ended_folds <- function(each, kept_in = NULL) {
  whole <- ended_folds_of(each)
  whole <- whole[!is.na(whole)]
  check_any_done(length(whole), "fold", kept_in)
  whole
}

# What resume() and refit() share: a model's networks and what its training had come to.

# Why a model's training can't be gone on with, or done again.
check_goes_further <- function(model, verb) {
  if (!is.null(model$distilled)) {
    what <- "The network was taught by another one, which %s() doesn't have."
    fail(sprintf(what, verb), "Distil it again: distil(teacher, brief).")
  }
  if (model$stopped == "set" || nrow(model$restarts) == 0) {
    fail("The weights were set by hand, so there is no training to go on from.", "Train its brief.")
  }
  if (!is.null(model$members) && length(unique(model$members$fold)) < model$brief[["hold_out"]]$folds) {
    what <- "Training was interrupted after %d of %d folds."
    folds <- as.integer(c(length(unique(model$members$fold)), model$brief[["hold_out"]]$folds))
    fail(sprintf(what, folds[1], folds[2]), "Train its brief to the end first.")
  }
}

# Of an ensemble the analyses of the networks that predict, by name, and of the linear one.
predicting_candidates <- function(model, a) {
  shares <- wiring_shares(model$members)
  used <- union(names(shares)[shares > 0], linear_name(model$members))
  known <- ensemble_candidates(a)
  # for newer rows the rule can offer other ones
  for (wiring in setdiff(used, names(known))) known[[wiring]] <- candidate_of(smooth_candidate(wiring, a), a)
  known[used]
}

# What linear_candidate() has said of the networks.
linear_name <- function(members) {
  own <- members[members$network %in% linear_candidates, ]
  losses <- vapply(split(own$loss, factor(own$network, unique(own$network))), sum, 0)
  names(losses)[which.min(losses)]
}

# By candidate and fold the predictors of its networks.
predicting_networks <- function(model) {
  shares <- wiring_shares(model$members)
  used <- names(shares)[shares > 0]
  of <- rep(used, each = length(unique(model$predictor$folds)))
  networks <- split(model$predictor$members, factor(of, used))
  beside <- linear_name(model$members)
  networks[[beside]] <- networks[[beside]] %||% model$linear$members
  networks
}

# A model's table, or the newer one, settled as its brief says.
settle_model <- function(model, data) settle(with_table(without_interrupt(model$brief), as_table(data)))

# ---- resume ----------------------------------------------------------------------------------------------------------

#' Let a network learn on
#'
#' Goes on with a training that has ended: on the same rows for more epochs, or on newer rows. A model never opens its
#' table, so it is given.
#'
#' On the same rows a model that was trained with `resumable = TRUE` goes on as if training had never ended: it comes to
#' the weights that it would have come to with more epochs, bit for bit (not with a cosine schedule, whose end has
#' moved). Any other goes on from the weights it has, with an optimiser that knows nothing of the past.
#'
#' Rows of a newer table that the network has learned from are left out, with a message, where they are recognised. On
#' newer rows the network starts from its weights and keeps its preparation: scales, levels and missing values are still
#' those of the rows that it was first trained on. The newer rows are held out and dealt into folds as the brief says,
#' and evaluate what comes of it; the first epoch is the network as it was, so that one that learns nothing of use is
#' kept as it is. A note says where newer rows don't look like the old. What it has learned of old rows alone can get
#' lost: to learn from both, train the brief on both.
#'
#' Patience begins anew. Recalibration and decision were made for the former network and are dropped.
#' @param model A model.
#' @param data The table that it was trained on, known by its fingerprint, or newer rows with the same columns.
#' @param epochs How many more epochs there may be; as many as the brief says if it is `NULL`.
#' @param progress See [train()].
#' @param ... Not used.
#' @return A model, see [train()], with a part `resumed`: `of`, the identity of the former; `rows`, how many rows it
#'   learned from; `same`, whether they were the same; and `state`, whether the optimiser's state was known.
#' @section Errors: Distilled networks, weights that were set by hand, interrupted ensembles, and ensembles without
#'   their state can't be resumed. A table that lacks a column, or holds a class that training never saw.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 10)
#' model <- train(b, progress = "none", resumable = TRUE)
#' resume(model, kilns, epochs = 5, progress = "none")
#' @export
resume <- function(model, data, epochs = NULL, progress = "auto", ...) UseMethod("resume")

#' @export
resume.hylomath_model <- function(model, data, epochs = NULL, progress = "auto", ...) {
  check_others(...)
  check_goes_further(model, "resume")
  if (!is.null(epochs)) type_count(1e7)(epochs, "epochs")
  data <- as_table(data)
  report <- reporter(progress)
  same <- is_own_table(model, data)
  if (!same) data <- not_yet_learned(model, data)
  a <- settle_model(model, data)
  state <- same && !is.null(model$states)
  resumed <- if (is.null(model$members)) {
    resume_one(model, a, state, same, epochs, report)
  } else {
    resume_ensemble(model, a, state, same, epochs, report)
  }
  resumed$resumed <- list(
    of = identity_of(model), rows = sum(a$part %in% c("training", "validation")), same = same, state = state
  )
  if (!same) {
    resumed$resumed$differs <- newer_differs(model, data)
    resumed$seen <- seen_together(model$seen, resumed$seen)
  }
  resumed
}

#' @export
resume.default <- function(model, ...) wrong_object("resume", "a model", model)

resume_one <- function(model, a, state, same, epochs, report) {
  if (!state && regimen_of(model)$keep == "ensemble") {
    hint <- "Train it with resumable = TRUE."
    fail("An ensemble goes on from the state of its training, which this model doesn't keep.", hint)
  }
  more <- epochs %||% model$brief[["regimen"]]$epochs
  on <- list(
    preparation = model$predictor$preparation, states = if (state) model$states,
    parameters = if (!state) model$predictor$network$parameters,
    epochs = if (state) max(model$restarts$epochs) + more else more + 1, keeps = !is.null(model$states)
  )
  spec <- learning_on(fit_spec(a, learn_training(a, on$preparation)), on)
  train_model(spec, report)
}

resume_ensemble <- function(model, a, state, same, epochs, report) {
  if (!is_ensemble(a)) {
    fail(sprintf("The rows can't be dealt into folds as those of the model were: %s.", a$single), "Give more rows.")
  }
  if (same && !state && a$hold_out$by == "ordered") {
    fail(
      "The networks have learned from all rows of this table, so none could predict any of them out of fold.",
      "Give newer rows, or train with resumable = TRUE."
    )
  }
  candidates <- predicting_candidates(model, a)
  networks <- predicting_networks(model)
  laid <- lapply(candidates, laid_ensemble)
  jobs <- lapply(stats::setNames(nm = names(laid)), function(name) {
    own <- model$members[model$members$network == name, ]
    more <- epochs %||% with_patience(candidates[[name]]$regimen)$epochs
    Map(function(job, i) {
      network <- networks[[name]][[i]]
      on <- list(preparation = network$preparation, keeps = !is.null(model$states))
      if (state) {
        on$states <- model$states[[name]][[i]]
        on$epochs <- own$epochs[i] + more
      } else if (!name %in% linear_candidates) {
        on$parameters <- network$network$parameters
        on$epochs <- more + 1
      }
      c(job, list(on = on))
    }, fold_jobs(laid[[name]], "member"), seq_len(a$hold_out$folds))
  })
  each <- run_members(a, laid, jobs, report)
  whole <- ended_folds(each)
  each <- lapply(each, `[`, whole)
  shares <- wiring_shares(model$members)
  trained <- list(
    analysis = a, candidates = candidates, each = each, whole = whole,
    shares = stats::setNames(ifelse(names(each) %in% names(shares), shares[names(each)], 0), names(each)),
    preparation = model$predictor$preparation
  )
  with_evaluated_rows(ensemble_model(with_last_networks(trained, report)), a)
}

# The rows of a newer table that the model hasn't learned from.
not_yet_learned <- function(model, data) {
  learned <- was_learned(model, evaluated_table(model, data, target_in(model)$columns))
  if (!any(learned)) return(data)
  if (all(learned)) {
    hint <- "Give newer rows, or the table that it was trained on."
    fail("The network has learned from all rows of this table.", hint)
  }
  what <- sprintf(
    "%s of the %s rows were learned from before; they are left out.", format_count(sum(learned)),
    format_count(length(learned))
  )
  rlang::inform(what, class = "hylomath_message_seen")
  data[!learned, , drop = FALSE]
}

# Columns in which newer rows don't look like those of training: more unusual rows than chance would give.
newer_differs <- function(model, data) {
  found <- unusual_rows(model, data)
  unusual <- found$columns$unseen + found$columns$missing + found$columns$outside
  found$columns$column[unusual > 0.02 * found$n]
}

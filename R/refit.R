#' Train an evaluated network on all rows
#'
#' Held-out rows have shown how good a network is; for use it may learn from them too. `refit()` trains the brief in
#' force on all rows, preparation and all, for the epochs that were right: each network for as many as its former was
#' kept after. Nothing stops it, since no rows are left to do so.
#'
#' No rows are left to evaluate the new network on. It carries along the evaluation of its former: the
#' measures that [appraise()] gives, and the predictions that [decide()], [recalibrate()] and intervals go by, are those
#' of the former, which learned from fewer rows, and a note says so. Evaluate it on newer rows: `appraise(model,
#' newer)`.
#' @param model A model.
#' @param data The table that it was trained on, known by its fingerprint.
#' @param progress See [train()].
#' @param ... Not used.
#' @return A model, see [train()], with a part `refitted`: `of`, the identity of the former; `former_rows`, from how
#'   many rows its networks learned at most; and `rows`, from how many this one did.
#' @section Errors: Another table; models that [resume()] refuses too.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 10) |> train(progress = "none")
#' refit(model, kilns, progress = "none")
#' @export
refit <- function(model, data, progress = "auto", ...) UseMethod("refit")

#' @export
refit.hylomath_model <- function(model, data, progress = "auto", ...) {
  check_others(...)
  check_goes_further(model, "refit")
  if (!is.null(model$resumed) && !model$resumed$same) {
    fail(
      "The network has learned from rows of two tables, and refit() would use only one of them.",
      "Put them together and train the brief on both."
    )
  }
  data <- as_table(data)
  report <- reporter(progress)
  if (!is_own_table(model, data)) {
    fail(
      "This is not the table that the model was trained on.",
      "Give that one; on newer rows a network learns on by resume()."
    )
  }
  a <- settle_model(model, data)
  if (is.null(model$members)) refit_one(model, a, report) else refit_ensemble(model, a, report)
}

#' @export
refit.default <- function(model, ...) wrong_object("refit", "a model", model)

refit_one <- function(model, a, report) {
  whole <- with_parts(a, whole_parts(a), a$regimen$seed)
  on <- list(epochs = as.integer(max(1, model$best_epoch)), whole = "all")
  # what the brief in force says was settled for the former's rows
  spec <- learning_on(fit_spec(whole, learn_training(whole)), on)
  fit <- fit_network(spec, report)
  linear <- fit_linear(spec)
  refitted <- new_predictor(spec, fit)
  as_refitted(model, whole, refitted, linear, fit$curves, fit$best, length(rows_in(a, "training")))
}

refit_ensemble <- function(model, a, report) {
  candidates <- predicting_candidates(model, a)
  networks <- predicting_networks(model)
  laid <- lapply(candidates, laid_ensemble)
  jobs <- lapply(stats::setNames(nm = names(laid)), function(name) {
    own <- model$members[model$members$network == name, ]
    regimen <- member_regimen(candidates[[name]], networks[[name]][[1]]$preparation)
    Map(function(job, i) {
      epochs <- if (regimen$method != "newton") as.integer(max(1, own$best_epoch[i]))
      job$want <- "whole"
      c(job, list(on = list(whole = "all", regimen = regimen, epochs = epochs)))
    }, fold_jobs(laid[[name]], "member"), seq_len(a$hold_out$folds))
  })
  each <- run_members(a, laid, jobs, report)
  if (any(vapply(unlist(each, recursive = FALSE), is.null, NA))) rlang::interrupt()
  whole <- with_parts(a, whole_parts(a), a$regimen$seed)
  used <- names(networks)[names(networks) %in% unique(model$members$network[model$members$share > 0])]
  predictors <- function(names) unlist(lapply(each[names], lapply, `[[`, "predictor"), FALSE, FALSE)
  preparation <- joint_preparation(whole, predictors(names(each)))
  refitted <- joint_predictor(
    a$target, preparation, predictors(used), model$predictor$shares, model$predictor$folds
  )
  linear <- if (!is.null(model$linear)) {
    beside <- predictors(linear_name(model$members))
    joint_predictor(a$target, preparation, beside, model$linear$shares, model$linear$folds)
  }
  leading <- each[[leading_members(model)$network[1]]]
  curves <- ensemble_curves(leading, seq_along(leading))
  result <- as_refitted(model, whole, refitted, linear, curves, model$best_epoch, max(model$members$learned))
  own <- model$members$network %in% names(each)
  result$members <- model$members[own, ]
  rownames(result$members) <- NULL
  for (what in c("epochs", "best_epoch", "learned", "seconds")) {
    of <- lapply(each, vapply, function(m) as.numeric(m[[what]]), 0)
    result$members[[what]] <- unlist(of[unique(result$members$network)], use.names = FALSE)
  }
  result
}

# The regimen that was in force for the networks of one candidate.
member_regimen <- function(candidate, preparation) {
  first <- with_parts(candidate, member_parts(candidate, 1), candidate$regimen$seed)
  regimen_in_force(first, function() preparation)
}

# The former with the refitted networks in its place; its evaluation stays.
as_refitted <- function(model, whole, predictor, linear, curves, best, former_rows) {
  kept <- intersect(c("recalibration", "decision"), names(model$predictor))
  predictor[kept] <- model$predictor[kept]
  beside <- intersect(kept, names(model$linear))
  if (!is.null(linear)) linear[beside] <- model$linear[beside]
  rows <- length(rows_in(whole, "training"))
  model$refitted <- list(of = identity_of(model), former_rows = as.integer(former_rows), rows = rows)
  model$predictor <- predictor
  model["linear"] <- list(linear)
  model$curves <- curves
  model$best_epoch <- as.integer(best)
  if (is.null(model$members)) model$stopped <- "epochs"
  model$parts <- count_parts(whole)
  model$seen <- rows_learned(whole)
  model$profile <- learn_profile(whole)
  model["states"] <- list(NULL)
  model
}

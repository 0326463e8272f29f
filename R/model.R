# The model object; ?train lists its parts. It is a plain list without pointers: saveRDS, files and workers carry it
# whole.

new_model <- function(b, table, preparation, part, fit, direct = NULL) {
  model <- structure(
    list(
      brief = new_brief(brief_settings(b)),
      preparation = preparation,
      network = fit$network,
      curves = fit$curves,
      best_epoch = fit$best,
      stopped = fit$stopped,
      restarts = fit$restarts,
      evidence_l2 = fit$l2,
      baseline = baseline_of(b, table, preparation, part %in% "training"),
      leaks = leaking_inputs(b, table, which(part %in% "training")),
      ids = id_inputs(b, table),
      parts = count_parts(b, table, part),
      copies = count_copies(b, table, part),
      judged = list(),
      looks = character(),
      fingerprint = rlang::hash(b$table),
      kernel = fit$kernel,
      seconds = if (nrow(fit$curves)) max(fit$curves$seconds) else 0,
      version = as.character(utils::packageVersion("hylomath"))
    ),
    class = "hylomath_model"
  )
  smear <- function(model) fitted_smear(model, table, part %in% "training")
  model$preparation$target$smear <- smear(model) %||% model$preparation$target$smear
  if (!is.null(direct)) {
    model$direct <- direct
    model$direct$smear <- smear(direct_model(model))
  }
  for (name in part_names) {
    rows <- which(part %in% name)
    if (name == "training" && length(rows) > most_training_judged) rows <- sort(rows[core_shuffle(length(rows), b$regimen$seed, 0L)[seq_len(most_training_judged)]])
    if (length(rows)) model$judged[[name]] <- judged_rows(model, table[rows, , drop = FALSE], rows)
  }
  model$looks <- looks_at(model)
  model
}

# Of the training rows a model keeps the answers of so many, drawn at random: enough to see whether it has learned them by
# heart.
most_training_judged <- 10000

# Test rows that a training row equals in all inputs and the target.
count_copies <- function(b, table, part) {
  looked_at <- table[c(brief_inputs(b), b$target)]
  test <- looked_at[part %in% "test", , drop = FALSE]
  if (nrow(test) == 0) return(0L)
  sum(vctrs::vec_in(test, looked_at[part %in% "training", , drop = FALSE]))
}

# The mean of exp(residual) of a log target over the training rows (Duan 1983, "Smearing estimate"); NULL where it isn't needed.
fitted_smear <- function(model, table, training) {
  if (model$brief$prepare$target != "log" || answers_are(settled_loss(model$brief)) != "means") return(NULL)
  rows <- table[training, , drop = FALSE]
  answers <- as.matrix(answers_of(model, rows))
  unname(vapply(seq_along(model$brief$target), function(i) mean(rows[[model$brief$target[i]]] / answers[, i]), 0))
}

# Keys, groups, observed values, case weights and answers of rows whose target is known: what an appraisal needs of them.
# `answers` and `direct` are those of the networks alone; see judged_now() for what recalibration and decision make of them.
judged_rows <- function(model, table, rows) {
  b <- model$brief
  key <- if (!is.null(b$columns$id) && b$columns$id %in% names(table)) as_label(table[[b$columns$id]]) else as.character(rows)
  weight <- if (is.null(b$columns$weight) || is.null(table[[b$columns$weight]])) rep(1, nrow(table)) else as.numeric(table[[b$columns$weight]])
  list(
    key = key,
    group = if (!is.null(b$columns$group) && b$columns$group %in% names(table)) as_label(table[[b$columns$group]]),
    observed = observed_values(b, table),
    weight = weight,
    answers = answers_of(model, table),
    direct = if (!is.null(model$direct)) answers_of(direct_model(model), table)
  ) |> drop_nulls()
}

observed_values <- function(b, table) {
  if (b$task == "classification") return(as_label(table[[b$target]]))
  if (length(b$target) == 1) return(as.numeric(table[[b$target]]))
  as.data.frame(lapply(table[b$target], as.numeric), optional = TRUE)
}

# What is known without any input: class shares, or the mean of the training rows (their median where the loss is about
# medians, their quantiles where it is about those).
baseline_of <- function(b, table, preparation, training) {
  if (b$task != "classification") {
    loss <- settled_loss(b)
    medians <- answers_are(loss) != "means"
    return(list(
      answer = if (medians) preparation$target$median else preparation$target$mean, is = if (medians) "median" else "mean", mean = preparation$target$mean,
      quantiles = if (loss$kind == "quantile") stats::quantile(table[[b$target]][training], loss$at, names = FALSE)
    ) |> drop_nulls())
  }
  counts <- unlist(preparation$target$counts)
  list(answer = names(counts)[which.max(counts)], share = as.list(counts / sum(counts)))
}

#' Loss and more by epoch
#'
#' @param model A model.
#' @param ... Not used.
#' @return A data frame with a row for each epoch: `epoch`; `training`, the mean loss over the epoch's batches as they
#'   were trained (at the epoch's end for methods that look at the whole table); `validation`, the mean loss of the
#'   validation rows at the epoch's end (`NA` without such rows); `test`, that of the test rows, if [train()] was told to watch
#'   them; `rate`, the learning rate (`NA` for methods without);
#'   `gradient`, the length of the gradient, in the root mean square over the epoch's batches; `updates`, the steps done
#'   since training began; `seconds` since then; and `training_<measure>` and `validation_<measure>` for the measures that
#'   [regimen()] asks for. The loss is the cross-entropy in natural units for classes, half the mean deviance for the
#'   Poisson and gamma losses, and otherwise in units of the scaled target: the squared error as a share of the training
#'   rows' variance for a regression. Class weights and case weights count in it; penalties don't.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5, measures = "accuracy") |> train(progress = "none")
#' loss_curves(model)
#' @export
loss_curves <- function(model, ...) UseMethod("loss_curves")

#' @export
loss_curves.hylomath_model <- function(model, ...) model$curves

is_model <- function(x) inherits(x, "hylomath_model")

# The model object; ?train lists its parts. It is a plain list without pointers: saveRDS, files and workers carry it
# whole.

new_model <- function(b, table, preparation, part, fit) {
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
      baseline = baseline_of(b, preparation),
      parts = count_parts(b, table, part),
      copies = count_copies(b, table, part),
      held_out = list(),
      fingerprint = rlang::hash(b$table),
      kernel = fit$kernel,
      seconds = if (nrow(fit$curves)) max(fit$curves$seconds) else 0,
      version = as.character(utils::packageVersion("hylomath"))
    ),
    class = "hylomath_model"
  )
  if (b$prepare$target == "log" && answers_are(settled_loss(b)) == "means") model$preparation$target$smear <- smearing_factor(model, table, part %in% "training")
  for (name in setdiff(part_names, "training")) {
    rows <- which(part %in% name)
    if (length(rows)) model$held_out[[name]] <- judged_rows(model, table[rows, , drop = FALSE], rows)
  }
  model
}

# Test rows that a training row equals in all inputs and the target.
count_copies <- function(b, table, part) {
  looked_at <- table[c(brief_inputs(b), b$target)]
  test <- looked_at[part %in% "test", , drop = FALSE]
  if (nrow(test) == 0) return(0L)
  sum(vctrs::vec_in(test, looked_at[part %in% "training", , drop = FALSE]))
}

# The mean of exp(residual) of a log target over the training rows (Duan 1983, "Smearing estimate").
smearing_factor <- function(model, table, training) {
  rows <- table[training, , drop = FALSE]
  answers <- as.matrix(answers_of(model, rows))
  unname(vapply(seq_along(model$brief$target), function(i) mean(rows[[model$brief$target[i]]] / answers[, i]), 0))
}

# Keys, observed values, case weights and answers of rows whose target is known: what an appraisal needs of them.
judged_rows <- function(model, table, rows) {
  b <- model$brief
  key <- if (!is.null(b$columns$id) && b$columns$id %in% names(table)) as_label(table[[b$columns$id]]) else as.character(rows)
  weight <- if (is.null(b$columns$weight) || is.null(table[[b$columns$weight]])) rep(1, nrow(table)) else as.numeric(table[[b$columns$weight]])
  list(
    key = key,
    observed = if (b$task == "classification") as_label(table[[b$target]]) else if (length(b$target) == 1) as.numeric(table[[b$target]]) else as.data.frame(lapply(table[b$target], as.numeric), optional = TRUE),
    weight = weight,
    answers = answers_of(model, table)
  )
}

# The task's answers to rows of a working table, a data frame: for classes `answer` and `probability_<class>`; for numbers
# `answer`, with `quantile_<share>` behind it for the quantile loss, or `answer_<target>` for several targets. Rows that lack
# a value which the brief drops rows for have no answer. A committee's answer is the mean of its members'.
answers_of <- function(model, table) {
  b <- model$brief
  sources <- encoder_sources(model$preparation, table)
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]])
  members <- model$network$members %||% list(model$network$parameters)
  raw <- Reduce(`+`, lapply(members, function(parameters) {
    core_answers(network_shape(model$network), parameters, model$preparation$columns, sources, offset, thread_count())
  })) / length(members)
  answers <- if (b$task == "classification") class_answers(b, model$preparation, raw) else number_answers(b, model$preparation, raw)
  for (plan in model$preparation$columns) if (plan$drop_gaps) answers[is.na(table[[plan$column]]), ] <- NA
  answers
}

# With class weights w the network learns scores q proportional to w p. The answer is the class with the largest q;
# the probability is p, had back as q / w and normalised.
class_answers <- function(b, preparation, raw) {
  score <- if (length(b$classes) == 2) two_columns(b, as.numeric(raw)) else t(raw)
  weight <- class_weights_of(b, preparation)[b$classes]
  probability <- score / rep(weight, each = nrow(score))
  probability <- probability / rowSums(probability)
  answer <- b$classes[max.col(score, ties.method = "first")]
  result <- data.frame(answer = answer, probability)
  names(result) <- c("answer", paste0("probability_", b$classes))
  result
}

# Quantiles are put in rising order, row by row (Chernozhukov, Fernandez-Val and Galichon 2010).
number_answers <- function(b, preparation, raw) {
  loss <- settled_loss(b)
  answers <- decode_numbers(preparation, raw)
  if (loss$kind == "quantile") {
    answers <- rising_rows(answers)
    middle <- which.min(abs(loss$at - 0.5))
    return(stats::setNames(data.frame(answers[, middle], answers), c("answer", paste0("quantile_", format_each(loss$at)))))
  }
  stats::setNames(as.data.frame(answers), if (length(b$target) == 1) "answer" else paste0("answer_", b$target))
}

# Each row's values in rising order, by exchanges of neighbouring columns: few columns, any number of rows.
rising_rows <- function(x) {
  k <- ncol(x)
  for (round in seq_len(k)) {
    for (j in seq_len(k - 1)) {
      low <- pmin(x[, j], x[, j + 1])
      x[, j + 1] <- pmax(x[, j], x[, j + 1])
      x[, j] <- low
    }
  }
  x
}

two_columns <- function(b, positive) {
  if (b$positive == b$classes[2]) cbind(1 - positive, positive) else cbind(positive, 1 - positive)
}

# What is known without any input: class shares, or the mean of the training rows (their median where the loss is about
# medians).
baseline_of <- function(b, preparation) {
  if (b$task != "classification") {
    medians <- answers_are(settled_loss(b)) != "means"
    return(list(answer = if (medians) preparation$target$median else preparation$target$mean, is = if (medians) "median" else "mean"))
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
#'   validation rows at the epoch's end (`NA` without such rows); `rate`, the learning rate (`NA` for methods without);
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

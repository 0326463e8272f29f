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
  if (b$prepare$target == "log") model$preparation$target$smear <- smearing_factor(model, table, part %in% "training")
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
  mean(rows[[model$brief$target]] / answers_of(model, rows)$answer)
}

# Keys, observed values, case weights and answers of rows whose target is known: what an appraisal needs of them.
judged_rows <- function(model, table, rows) {
  b <- model$brief
  y <- table[[b$target]]
  key <- if (!is.null(b$columns$id) && b$columns$id %in% names(table)) as_label(table[[b$columns$id]]) else as.character(rows)
  weight <- if (is.null(b$columns$weight) || is.null(table[[b$columns$weight]])) rep(1, nrow(table)) else as.numeric(table[[b$columns$weight]])
  list(
    key = key,
    observed = if (b$task == "classification") as_label(y) else as.numeric(y),
    weight = weight,
    answers = answers_of(model, table)
  )
}

# The task's answers to rows of a working table: for classes a data frame of `answer` and `probability_<class>`, else one
# of `answer`. Rows that lack a value which the brief drops rows for have no answer.
answers_of <- function(model, table) {
  b <- model$brief
  sources <- encoder_sources(model$preparation, table)
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]])
  raw <- core_answers(
    model$network[c("inputs", "input_dropout", "output", "layers")], model$network$parameters, model$preparation$columns, sources,
    offset, thread_count()
  )
  answers <- if (b$task == "classification") class_answers(b, model$preparation, raw) else data.frame(answer = decode_number(model$preparation, raw))
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

two_columns <- function(b, positive) {
  if (b$positive == b$classes[2]) cbind(1 - positive, positive) else cbind(positive, 1 - positive)
}

# What is known without any input: class shares or the mean of the training rows.
baseline_of <- function(b, preparation) {
  if (b$task != "classification") return(list(answer = preparation$target$mean))
  counts <- unlist(preparation$target$counts)
  list(answer = names(counts)[which.max(counts)], share = as.list(counts / sum(counts)))
}

#' Training and validation loss by epoch
#'
#' @param model A model.
#' @param ... Not used.
#' @return A data frame with a row for each epoch: `epoch`; `training`, the mean loss over the epoch's batches as they
#'   were trained; `validation`, the mean loss of the validation rows at the epoch's end (`NA` without such rows); and
#'   `seconds` since training began. The loss is the cross-entropy in natural units for classes, half the mean Poisson
#'   deviance for counts, and the squared error as a share of the training rows' variance for a scaled regression
#'   target. Class weights and case weights count in it; penalties don't.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> train(progress = "none")
#' loss_curves(model)
#' @export
loss_curves <- function(model, ...) UseMethod("loss_curves")

#' @export
loss_curves.hylomath_model <- function(model, ...) model$curves

#' Weights and biases of a network
#'
#' @param object A model.
#' @param ... Not used.
#' @return A list with a matrix for each layer: one row an input and a last row `(bias)`, one column a unit. Inputs of
#'   the first layer are the prepared columns, outputs of the last one are before scaling back.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> wire("direct") |> train(progress = "none")
#' coef(model)
#' @importFrom stats coef
#' @export
coef.hylomath_model <- function(object, ...) {
  network <- object$network
  inputs <- object$preparation$features
  at <- 0
  result <- list()
  for (l in seq_along(network$layers)) {
    units <- network$layers[[l]]$units
    values <- network$parameters[at + seq_len((length(inputs) + 1) * units)]
    at <- at + length(values)
    last <- l == length(network$layers)
    names <- if (last) output_names(object$brief) else paste0("unit_", seq_len(units))
    result[[l]] <- matrix(values, ncol = units, byrow = TRUE, dimnames = list(c(inputs, "(bias)"), names))
    inputs <- names
  }
  names(result) <- if (length(result) == 1) "output" else c(paste0("layer_", seq_len(length(result) - 1)), "output")
  result
}

output_names <- function(b) {
  if (b$task != "classification") return(b$target)
  if (length(b$classes) == 2) b$positive else b$classes
}

is_model <- function(x) inherits(x, "hylomath_model")

#' What a careful colleague would say
#'
#' @param x A model, an appraisal or a look.
#' @param ... Not used.
#' @return A data frame with a row for each note: `code` (stable), `note` (a sentence with the figures in it) and `try`
#'   (what to do about it). No rows when there is nothing to say.
#' @section Codes:
#'   Of a model: `still_falling` the best epoch is the last one; `interrupted` training was ended by hand; `out_of_time` the
#'   time limit ended it; `diverged` the loss became infinite; `restarts_disagree` the starts end at losses that lie far apart;
#'   `copies_straddle` test rows have a copy among the training rows; `part_lacks_class` a part has no row of a class;
#'   `gives_target_away` one column alone tells the target; `id_as_input` an input has another value in every row;
#'   `validation_rose` the validation loss rose while training went on.
#'
#'   Of an appraisal: those of its model, and `one_class_only` all judged rows get the same answer; `class_never_answered` a class
#'   is never predicted; `accuracy_misleads` the accuracy is high because one class has most of the rows;
#'   `no_better_than_baseline` the network is no better than always saying the commonest class or the mean;
#'   `direct_is_as_good`, `direct_is_better` a network without hidden layers does as well, or better; `overfits` the network does
#'   clearly better on its training rows; `few_rows` a class has too few rows to be judged by; `probabilities_off` shares of rows
#'   differ from the probabilities named; `relative_error_meaningless` observed values are 0 or some so small that they decide the
#'   mean relative error; `intervals_miss` prediction intervals or sets hold less than they promise; `test_looked_at` several
#'   networks have been judged on these test rows; `rows_seen` judged rows were used in training; `outside_range` judged rows
#'   differ from the training rows.
#'
#'   Of a look: `nearly_one_class` one class has almost all rows; `id_like` a column has another value in every row; `no_values` a
#'   column is empty; `constant` a column never varies; `duplicate_rows` rows are copies of others; `gives_target_away`;
#'   `numbers_as_text`, `dates_as_text`; `alike_levels` levels differ in case or blanks only; `telling_gaps` gaps go with the
#'   target.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 3) |> train(progress = "none")
#' notes(model)
#' @export
notes <- function(x, ...) UseMethod("notes")

#' @export
notes.hylomath_model <- function(x, ...) model_notes(x)

#' @export
notes.hylomath_appraisal <- function(x, ...) x$notes

#' @export
notes.hylomath_look <- function(x, ...) x$notes

# ---- about training -----------------------------------------------------------------------------------------------

model_notes <- function(model) {
  join_notes(
    note_still_falling(model), note_interrupted(model), note_out_of_time(model), note_diverged(model), note_restarts_disagree(model), note_copies_straddle(model), note_part_lacks_class(model),
    note_gives_away(model), note_id_as_input(model), note_validation_rose(model)
  )
}

# The best epoch is among the last ones (2 %, at least one), so more epochs would probably have been better ones.
note_still_falling <- function(model) {
  epochs <- nrow(model$curves)
  if (model$stopped != "epochs" || nrow(model$curves) == 0 || all(is.na(model$curves$validation))) return(NULL)
  if (model$best_epoch <= epochs - max(1, ceiling(epochs * 0.02))) return(NULL)
  fallen <- model$curves$validation[model$best_epoch] / model$curves$validation[1]
  if (fallen < 1e-6) return(NULL)  # what is left is below what anybody measures
  new_note(
    "still_falling",
    sprintf("The validation loss was still falling when training ended: its lowest value is that of epoch %d of %d.", model$best_epoch, epochs),
    sprintf("Allow more epochs, for example %d.", 3 * epochs)
  )
}

note_interrupted <- function(model) {
  if (model$stopped != "interrupted") return(NULL)
  note <- if (model$best_epoch == 0) "Training was interrupted before its first epoch was done; the weights are of little use." else
    sprintf("Training was interrupted after %s; this is the best network until then (epoch %d).", counted(nrow(model$curves), "epoch"), model$best_epoch)
  new_note("interrupted", note, "Train again to the end.")
}

note_out_of_time <- function(model) {
  if (model$stopped != "seconds") return(NULL)
  new_note(
    "out_of_time", sprintf("Training was ended by its time limit after %s.", counted(nrow(model$curves), "epoch")), "Allow more seconds if the loss was still falling: see plot_curves()."
  )
}

# Starts whose losses lie far apart (the worst a tenth above the best) say that luck has its part in the result.
note_restarts_disagree <- function(model) {
  loss <- model$restarts$loss
  loss <- loss[is.finite(loss)]
  if (length(loss) < 2 || min(loss) <= 0 || max(loss) / min(loss) < 1.1) return(NULL)
  what <- if (all(is.na(model$restarts$validation))) "training" else "validation"
  new_note(
    "restarts_disagree",
    sprintf("The %d starts end at %s losses from %s to %s: which one is kept is partly luck.", length(loss), what, signif(min(loss), 3), signif(max(loss), 3)),
    if (identical(model$brief$regimen$keep, "committee")) "The committee's average takes much of it out." else "Keep the average of their answers with keep: committee, or use more starts."
  )
}

# Inputs that tell the target alone, or that name rows.
note_gives_away <- function(model) if (length(model$leaks)) leak_note(model$leaks, model$brief$target[1])

note_id_as_input <- function(model) {
  if (length(model$ids) == 0) return(NULL)
  new_note(
    "id_as_input", sprintf("%s another value in every row and %s used as an input: what is learned of it is of no use for new rows.", paste(enumerate(model$ids), if (length(model$ids) == 1) "has" else "have"), if (length(model$ids) == 1) "is" else "are"),
    sprintf("Drop it: set_columns(drop = %s).", model$ids[1])
  )
}

# Over-training while it went on: at the end the validation loss stood a tenth above its lowest value, while the training loss
# had fallen on.
note_validation_rose <- function(model) {
  curves <- model$curves
  n <- nrow(curves)
  if (n == 0 || model$best_epoch == 0 || model$best_epoch == n || all(is.na(curves$validation))) return(NULL)
  best <- curves$validation[model$best_epoch]
  if (!isTRUE(curves$validation[n] > 1.1 * best && curves$training[n] < curves$training[model$best_epoch])) return(NULL)
  new_note(
    "validation_rose",
    sprintf("From epoch %d on the validation loss rose (from %s to %s) while the training loss fell on: the network began to learn its rows by heart. The weights of epoch %d are kept.", model$best_epoch, signif(best, 3), signif(curves$validation[n], 3), model$best_epoch),
    "Fewer units, dropout, a larger l2 or more rows give it less room to do so."
  )
}

note_diverged <- function(model) {
  if (model$stopped != "diverged") return(NULL)
  new_note(
    "diverged",
    sprintf("The loss became infinite in epoch %d; %s.", nrow(model$curves) + 1L, if (model$best_epoch == 0) "these are the starting weights" else sprintf("this is the network of epoch %d", model$best_epoch)),
    if (!is.numeric(model$brief$regimen$learning_rate)) "Use another method, such as `adam`, or a larger l2." else
      sprintf("Lower the learning rate, for example to %s, or shorten long gradients with clip_norm.", format_number(signif(model$brief$regimen$learning_rate / 10, 3)))
  )
}

note_copies_straddle <- function(model) {
  if (model$copies == 0) return(NULL)
  new_note(
    "copies_straddle",
    sprintf("%s an exact copy among the training rows, so they are no test of anything new.", if (model$copies == 1) "1 test row has" else paste(format_count(model$copies), "test rows have")),
    "Keep one of each copy, or hold out by a group that copies share."
  )
}

note_part_lacks_class <- function(model) {
  if (model$brief$task != "classification") return(NULL)
  parts <- model$parts[model$parts$part %in% part_names, ]
  lacking <- lapply(model$brief$classes, function(class) parts$part[parts[[class]] == 0])
  found <- which(lengths(lacking) > 0)
  if (length(found) == 0) return(NULL)
  new_note(
    "part_lacks_class",
    sprintf("The %s part has no row of the class \"%s\", so nothing is learned there about it.", enumerate(lacking[[found[1]]]), model$brief$classes[found[1]]),
    "Hold out by \"stratified\", or a larger share."
  )
}

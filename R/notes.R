#' What a careful colleague would say
#'
#' @param x A model, an appraisal or a look.
#' @param ... Not used.
#' @return A data frame with a row for each note: `code` (stable), `note` (a sentence with the figures in it) and `try`
#'   (what to do about it). No rows when there is nothing to say.
#' @section Codes:
#'   `one_class_only` all judged rows get the same answer; `no_better_than_baseline` the network is no better than
#'   always saying the commonest class or the mean; `still_falling` the best epoch is the last one; `interrupted`
#'   training was ended by hand; `out_of_time` the time limit ended it; `diverged` the loss became infinite;
#'   `restarts_disagree` the starts end at losses that lie far apart; `nearly_one_class` one class has almost all
#'   rows of a table; `id_like` a column has another value in every row; `no_values` a column is empty; `constant` a column never
#'   varies; `duplicate_rows` rows are copies of others; `gives_target_away` one column alone tells the target;
#'   `numbers_as_text`, `dates_as_text`; `alike_levels` levels differ in case or blanks only; `telling_gaps` gaps go with the
#'   target; `copies_straddle` test rows have a copy among the training rows; `part_lacks_class` a part has no row of a
#'   class.
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

new_note <- function(code, note, try) data.frame(code = code, note = note, try = try)

no_notes <- function() new_note(character(), character(), character())

join_notes <- function(...) do.call(rbind, c(list(no_notes()), list(...)))

# ---- about training -----------------------------------------------------------------------------------------------

model_notes <- function(model) {
  join_notes(
    note_still_falling(model), note_interrupted(model), note_out_of_time(model), note_diverged(model), note_restarts_disagree(model), note_copies_straddle(model), note_part_lacks_class(model)
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

# ---- about answers ------------------------------------------------------------------------------------------------

appraisal_notes <- function(appraisal) join_notes(note_one_class_only(appraisal), note_no_better(appraisal))

note_one_class_only <- function(appraisal) {
  if (appraisal$task != "classification" || length(unique(appraisal$judged$answer)) > 1 || appraisal$n < 2) return(NULL)
  answer <- appraisal$judged$answer[1]
  observed <- appraisal$confusion[answer, answer] / sum(appraisal$confusion)
  new_note(
    "one_class_only",
    sprintf("Every one of the %s rows is answered \"%s\", which is right for %s of them and tells nothing about the others.", format_count(appraisal$n), answer, format_percent(observed)),
    "Give the rare classes more weight with class_weights: even, or look at the probabilities in place of the answers."
  )
}

# Probabilities first: an accuracy below the baseline's can be the wanted price of class weights.
note_no_better <- function(appraisal) {
  m <- appraisal$measures
  row <- function(measure) m[m$measure == measure, ]
  if (appraisal$task != "classification") {
    worse <- row(if (appraisal$baseline_is == "median") "MAE" else "RMSE")
    worse <- worse[worse$value >= worse$baseline, ]
    if (nrow(worse) == 0) return(NULL)
    if (length(appraisal$target) > 1) worse$measure <- sprintf("%s of %s", worse$measure, worse$target)
    return(no_better(worse[1, ], sprintf("always answering the %s of the training rows", appraisal$baseline_is), "Look whether the inputs tell anything about the target, train longer, or use fewer units and a penalty."))
  }
  if (row("cross-entropy")$value >= row("cross-entropy")$baseline) {
    return(no_better(row("cross-entropy"), "giving every row the class shares of the training rows", "Look whether the inputs tell anything about the target, train longer, or use fewer units and a penalty."))
  }
  if (row("accuracy")$value > row("accuracy")$baseline) return(NULL)
  no_better(row("accuracy"), sprintf("always answering \"%s\"", appraisal$baseline_answer), if (appraisal$weighted) {
    "That is the price of the class weights: look at the balanced accuracy and at each class's recall."
  } else {
    "Look at the probabilities in place of the answers, or give the rare classes more weight with class_weights: even."
  })
}

no_better <- function(row, always, try) {
  new_note(
    "no_better_than_baseline",
    sprintf("The network is no better than its baseline: its %s is %s, and %s gives %s.", row$measure, signif(row$value, 3), always, signif(row$baseline, 3)),
    try
  )
}

# A note: one row of what notes() returns.

new_note <- function(code, note, try) data.frame(code = code, note = note, try = try)

no_notes <- function() new_note(character(), character(), character())

join_notes <- function(...) do.call(rbind, c(list(no_notes()), list(...)))

#' Notes: what is unusual, why it matters, what to do
#'
#' @param x A model, an appraisal, a look or a brief.
#' @param ... Not used.
#' @return A data frame with a row for each note: `code` (stable), `note` (a sentence with the figures in it) and `try`
#'   (what to do about it). No rows when there is nothing to say.
#' @section Codes: Of a model: `still_falling` the best epoch is the last one; `interrupted` training was ended by
#'   hand; `out_of_time` the time limit ended it; `diverged` the loss became infinite, or 10,000 times what it had been;
#'   `vanished` in a whole epoch nothing of the error came to the first layer (both end training with the best network
#'   until then, and name the probable cause); `restarts_disagree` the starts end at losses that lie far apart;
#'   `copies_straddle` test rows have a copy among the training rows; `part_lacks_class` a part has no row of a class;
#'   `gives_target_away` one column alone gives the target away; `pair_gives_target_away` the sum, difference, product
#'   or quotient of two does; `id_as_input` an input has another value in every row; `validation_rose` the validation
#'   loss rose while training went on; `skewed_target` a target above 0 has a long tail; `more_parameters` there are
#'   more of them than values to learn them from; `dates_at_random` rows with dates were held out at random.
#'
#'   Of an appraisal: those of its model, and `one_class_only` all evaluated rows get the same prediction;
#'   `class_never_predicted` a class is never predicted; `accuracy_misleads` the accuracy is high because one class has
#'   most of the rows; `no_better_than_baseline` the network is no better than always saying the commonest class or the
#'   mean; `linear_is_as_good`, `linear_is_better` a network without hidden layers does as well, or better;
#'   `measures_disagree` it is worse by the measure of training and better by another one; `overfits`
#'   the network does clearly better on its training rows; `too_good` it is nearly perfect, which asks for a second
#'   look; `predictions_favoured` predictions are often not the likeliest class; `errors_go_together` errors of
#'   neighbours in time are alike; `few_rows` a class has too few rows to be evaluated on; `probabilities_off` shares of
#'   rows differ from the probabilities named; `relative_error_meaningless` observed values are 0 or some so small that
#'   they decide the mean relative error; `intervals_miss` prediction intervals or sets hold less than they promise;
#'   `test_looked_at` several networks have been evaluated on these test rows; `rows_seen` evaluated rows were used in
#'   training, `rows_not_known` it is not known whether they were; `outside_range` evaluated rows differ from the
#'   training rows.
#'
#'   Of a look: `nearly_one_class` one class has almost all rows; `id_like` a column has another value in every row;
#'   `no_values` a column is empty; `constant` a column never varies; `duplicate_rows` rows are copies of others;
#'   `gives_target_away`; `numbers_as_text`, `dates_as_text`; `alike_levels` levels differ in case or blanks only;
#'   `informative_missing` missing values go with the target; `rows_belong_together` a column names units with several
#'   rows each; `few_values` a whole-number target has so few values that they may be classes; `codes_for_missing`
#'   values may stand for missing ones; `read_as_written` text was read as numbers or dates, `read_in_two_ways` it can
#'   be read as either; `total_row` one of the last rows adds up the others.
#'
#'   Of a brief: `gives_target_away`, `pair_gives_target_away`, `rows_belong_together`, `few_values` and `total_row`.
#' @section Errors: An object that has no notes.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 3) |> quick() |> train(progress = "none")
#' notes(model)
#' @export
notes <- function(x, ...) UseMethod("notes")

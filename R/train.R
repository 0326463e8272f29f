#' Train the network of a brief
#'
#' Splits the rows, learns the preparation on the training rows, trains by the regimen, and keeps the weights of the
#' epoch with the lowest validation loss. Where an ensemble is trained (see [hold_out()]; it is if nothing else is said)
#' several networks do so: each learns, preparation and all, from all folds of the rows but two, is
#' stopped by one of these, and predicts the other, of which it has seen nothing; together they predict new rows. So
#' every row is learned from, and every row has an honest prediction: [decide()], [recalibrate()], [distil()] and the
#' intervals and sets of [predict()][predict.hylomath_model] take these. They come from single networks, which do
#' slightly worse than all together, and they have chosen the blend: the test rows show how good the model is.
#'
#' The same brief, table and seeds give the same networks bit for bit on processors that multiply and add in one step
#' (`kernel` `"avx2"` and `"avx512"`), whatever the number of threads (the option `hylomath.threads`; all cores when it
#' is not set); on others the low bits differ.
#'
#' An interrupt (Ctrl-C) ends training after the current batch; the best network so far is returned, or those of the
#' folds that are done, and says so.
#'
#' @param b A brief.
#' @param data A table to use in place of the one that the brief carries.
#' @param progress `"auto"` shows progress as suits the session (`"line"`, one updating line, on a terminal, `"lines"`,
#'   a line every so many epochs, elsewhere), or signals to the package progressr where its global handlers are on;
#'   `"curves"` draws the losses in the graphics device while it trains, twice a second at most; `"progressr"` signals
#'   to it in any case; `"none"` says nothing. A function is called with each event, a list whose `event` is `"start"`,
#'   `"epoch"` or `"end"`; where many networks are trained `"begin"`, `"step"`, `"ended"` or `"finish"`, and `"round"`
#'   of a search.
#' @param watch_test Whether to measure the loss of the test rows after each epoch too, for [plot_curves()]. It decides
#'   nothing, but whoever sees it and changes the settings has looked at the test rows.
#' @param checkpoint A file in which is kept what training has come to, or `NULL`. A training that was killed at any
#'   moment goes on from there when it is called again with the same brief, table and file, and comes to the same
#'   weights bit for bit. The file stays: remove it once the model is kept. It holds what a model file holds of single
#'   rows, and networks up to the size that `hylomath.most_bytes` allows (see [limits]); later ones are trained again.
#'   With `list(file = , after = )` it is written only when training has taken `after` seconds, and a file that is
#'   damaged or belongs to another training is replaced, not refused.
#' @param every So many seconds lie between two times at which running networks are kept; each is kept when it ends.
#'   On the workers of a `future::plan()` only whole networks are.
#' @param resumable Whether the model keeps what training had come to, optimiser and all, so that [resume()] goes on
#'   from there as if training had never ended; it then is several times as large.
#' @param ... Not used.
#' @return A model: an object of class `hylomath_model`, a plain list of `brief` (with everything settled that it left
#'   to the rule), `predictor` (what turns rows into predictions: `target`, `preparation`, `network` with its layers and
#'   `parameters`, and what [recalibrate()] and [decide()] add, `recalibration` and `decision`), `curves`, `best_epoch`,
#'   `stopped` (`"epochs"`, `"patience"`, `"gradient"`, `"loss"`, `"seconds"`, `"converged"`, `"interrupted"`,
#'   `"diverged"` or `"vanished"`, see [notes()]), `restarts` (one row a start: how it ended, its losses, and of several
#'   starts the measures of each on the validation rows), `members` (where an ensemble is trained a row a network: its
#'   wiring, fold and share in the predictions, from how many rows it learned and how many it predicted, its epochs and
#'   its loss), `regimen` (what that of the brief came to for the wiring that counts most), `evaluated` (key, group,
#'   observed value, weight and predictions of the validation, calibration and test rows and of at most 10,000 training
#'   rows, or of out-of-fold rows), `linear` (the predictor of a network without hidden layers, trained on the same rows
#'   for comparison), `baseline`, `looks` (the networks that were evaluated on its test rows), `fingerprint` (of the
#'   table), `states` (if it is resumable), `kernel`, `seconds` and `version`.
#' @section Errors: All that can be checked is checked before training: columns, kinds, infinite or missing values,
#'   class weights, and whether every part has rows of every class. A checkpoint of another brief or table, of another
#'   version of the package or another level of kernels is refused.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |>
#'   regimen(epochs = 20) |>
#'   train(progress = "none")
#' model
#' @export
train <- function(b, data = NULL, progress = "auto", watch_test = FALSE, checkpoint = NULL, every = 30,
                  resumable = FALSE, ...) {
  UseMethod("train")
}

#' @export
train.hylomath_brief <- function(b, data = NULL, progress = "auto", watch_test = FALSE, checkpoint = NULL, every = 30,
                                 resumable = FALSE, ...) {
  check_others(...)
  check_flag(watch_test, "watch_test")
  check_flag(resumable, "resumable")
  report <- reporter(progress)
  b <- ready_to_train(
    b, data, try = "Give one: train(b, data = ...).", seed = function() checkpoint_seeds(checkpoint)$regimen
  )
  check_rule(b)
  a <- settle(b)
  work <- list(verb = "train", resumable = resumable)
  checkpoint <- open_checkpoint(checkpoint, checkpoint_header(a$brief, a$raw, work), every)
  if (is_ensemble(a)) {
    if (watch_test) fail("The test rows can be watched of one network only.", "Train one: quick(b).")
    return(with_evaluated_rows(train_ensemble(a, report, checkpoint, resumable), a))
  }
  train_model(fit_spec(a, learn_training(a), if (watch_test) "test", keeps = resumable), report, checkpoint)
}

#' @export
train.default <- function(b, ...) wrong_object("train", "a brief", b)

# The model of a fit that is to be done.
train_model <- function(spec, report, checkpoint = no_checkpoint()) {
  fit <- fit_network(spec, report, checkpoint)
  linear <- if (fit$stopped != "interrupted") fit_linear(spec)
  predictor <- new_predictor(spec, fit)
  spec$core <- NULL  # as long as the table, and of no use any more
  with_evaluated_rows(fitted_model(spec, fit, predictor, linear), spec$analysis)
}

# ---- evaluated rows --------------------------------------------------------------------------------------------------

# The evaluated rows that a model keeps.

# Those of every part; an ensemble's rows are evaluated already, by the networks that have not learned from them.
with_evaluated_rows <- function(model, a) {
  for (name in intersect(part_names, a$part)) {
    make_room(nrow(a$table))
    if (name == "training" && is_ensemble(a)) next
    rows <- rows_in(a, name)
    rows <- kept_rows(rows, if (name == "training") most_training_evaluated else most_evaluated, a$regimen$seed)
    model$evaluated[[name]] <- evaluated_by_model(model, a$table[rows, , drop = FALSE], rows)
    model$evaluated[[name]]$row <- rows
  }
  model$looks <- looks_at(model)
  model
}

kept_rows <- function(rows, most, seed) {
  if (length(rows) <= most) rows else sort(drawn_rows(rows, most, seed, "evaluated"))
}

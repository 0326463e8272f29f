#' Evaluate a brief by cross-validation
#'
#' The training and validation rows of a brief are pooled and dealt into k folds. For each fold a network is trained on
#' the others, with everything that is learned from data (scales, fills, levels, class weights) learned anew on its
#' training rows, and is evaluated on the fold. Test and calibration rows stay out of it. A fold's training is stopped
#' by a validation slice of its own rows, never by those that it is evaluated on. All folds are trained at once on all
#' cores; the result doesn't depend on their number.
#'
#' @param b A brief.
#' @param k The number of folds.
#' @param repeats How often the rows are dealt anew.
#' @param by How rows are dealt: `"stratified"` (by class, or tenths of a number), `"random"`, `"ordered"` (each
#'   stretch of time is predicted from what came before it) or `"group"` (each group is a fold). The default is the
#'   brief's `hold_out.by`. Where the brief has a group column, groups stay whole.
#' @param window By `"ordered"`, how far back each fold learns from: `"365 days"`, or a number in the unit of the
#'   `order` column. Without one, from all rows before. A `gap` of [hold_out()] lies between the learned and the
#'   evaluated rows.
#' @param data A table to use in place of the one that the brief carries.
#' @param level,draws See [appraise()].
#' @param progress See [train()].
#' @param checkpoint A file that keeps the networks that are trained, or `NULL`. Work that was killed goes on from there
#'   to the same bits when it is called again with the same arguments. See [train()]. The file stays: remove it once
#'   the result is kept.
#' @param ... Not used.
#' @return An object of class `hylomath_folds` with
#'   * `measures`: for each measure the pooled `value` over all evaluated rows with its interval and `baseline`, and
#'     over the folds the `mean`, the spread `sd`, and `error`, the standard error of the mean corrected for training
#'     sets that overlap (Nadeau and Bengio 2003);
#'   * `each`, a row a fold: `repeat`, `fold`, `rows`, `training`, `best_epoch`, `parameters`, `updates` (steps),
#'     `seconds`, and a column a measure;
#'   * `pooled`, an [appraisal][appraise()] of all evaluated rows, for figures, curves and notes;
#'   * `left_out`, the number of folds that an interrupt cut short; the others stand;
#'   * `predictions`, for every row and repeat `key`, `repeat`, `fold`, `observed` and what was predicted by a network
#'     that had not learned from it.
#'
#'   [as.data.frame()] gives `measures`.
#' @section Workers: Where `options(hylomath.workers = 4)` asks for processes on this machine, or a `future::plan()` is
#'   set, the fits of this and of [vary()], [scout()], [sift()] and [distil()] are spread over these workers: processes
#'   here, which are spoken to through pipes, a cluster over SSH, a queue. Each needs this package. The
#'   results are the same bit for bit at the same kernel level of the processor's instructions, which travels with the
#'   work; a worker that lacks it says so. The table is written once into the folder that the option `hylomath.cache`
#'   names (else that of the session). Workers that see the same disk find it there; other workers get it once. What a
#'   lost worker had to do is done again. The option `hylomath.threads` bounds the threads used here, which the workers
#'   here share.
#' @section Seeds: The dealing follows the seed of `hold_out`, the training of fold f that of the regimen plus f - 1.
#' @section Errors: Fewer rows or groups than folds; a class that the others of a fold lack; what [train()] refuses.
#' @references Nadeau and Bengio (2003) \doi{10.1023/A:1024068626366}; Tashman (2000)
#'   \doi{10.1016/S0169-2070(00)00065-0}.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20) |> quick()
#' f <- folds(b, k = 5, progress = "none")
#' f
#' plot_confusion(f$pooled)
#' @export
folds <- function(b, data = NULL, k = 10, repeats = 1, by = NULL, window = NULL, level = 0.95, draws = 1000,
                  progress = "auto", checkpoint = NULL, ...) {
  UseMethod("folds")
}

#' @export
folds.hylomath_brief <- function(b, data = NULL, k = 10, repeats = 1, by = NULL, window = NULL, level = 0.95,
                                 draws = 1000, progress = "auto", checkpoint = NULL, ...) {
  check_others(...)
  type_count(1e5, from = 100)(draws, "draws")
  type_level()(level, "level")
  report <- reporter(progress)
  b <- ready_to_train(b, data, seed = function() checkpoint_seeds(checkpoint)$regimen)
  if (!is.null(window)) window <- type_duration(window, "window")
  laid <- checked_folds(b, k, repeats, by, window = window)
  work <- drop_nulls(list(verb = "folds", k = k, repeats = repeats, by = by, window = window))
  checkpoint <- open_checkpoint(checkpoint, checkpoint_header(b, b$table, work))
  done <- if (is_ensemble(laid$analysis)) {
    folds_of_ensembles(laid, report, checkpoint)
  } else {
    run_jobs(b$table, fold_jobs(laid, "predictions"), "fold", report, laid = list(laid), checkpoint = checkpoint)
  }
  new_folds(laid, done, level, draws, checkpoint$kept_in())
}

#' @export
folds.default <- function(b, ...) wrong_object("folds", "a brief", b)

# Of folds that an interrupt left out nothing is known; the others stand.
new_folds <- function(laid, done, level, draws, kept_in = NULL) {
  kept <- !vapply(done, is.null, NA)
  check_any_done(sum(kept), "fold", kept_in)
  done <- done[kept]
  a <- laid$analysis
  plan <- laid$each[kept, , drop = FALSE]
  repeats <- max(plan[["repeat"]])
  for (i in seq_along(done)) done[[i]]$evaluated <- one_by_one(done[[i]]$evaluated, a$roles)
  known <- lapply(done, `[[`, "evaluated")
  together <- bind_evaluated(known, repeats)
  context <- fold_context(laid)
  pooled <- pooled_appraisal(context, together, level, draws)
  each <- fold_measures(context, plan, done)
  new_result(
    list(
      measures = fold_summary(pooled$measures, each), each = each, pooled = pooled,
      predictions = fold_predictions(pooled$evaluated, plan, lengths(lapply(known, `[[`, "key"))),
      rows = together$row, group = if (!is.null(a$group)) together$group, brief = settled_brief(a), by = laid$plan$by,
      window = laid$plan$window,
      regimen = regimen_in_force(a, function() learn_preparation(a)),
      fingerprint = table_identity(looked_at_by(a$brief), a$raw),
      k = length(unique(laid$each$fold)), left_out = sum(!kept), repeats = repeats, target = a$target$columns,
      task = a$target$task, primary = pooled$primary, level = level
    ),
    "folds"
  )
}

# The baseline is that of all rows that are dealt.
fold_context <- function(laid) {
  a <- laid$analysis
  learned <- task_of(a$target)$learn(target_values(a, laid$rows), a$target, weights_in(a, laid$rows))
  list(
    target = a$target, baseline = baseline_of(a, learned, laid$rows), beside = list(), roles = a$roles,
    order_kind = order_kind(a$brief),
    seed = a$regimen$seed, wiring = a$brief$wiring, decisions = a$brief$decisions
  )
}

pooled_appraisal <- function(context, evaluated, level, draws) {
  resampling <- resampling_of(evaluated$weight, evaluated$group, context$seed, level, draws)
  pooled <- new_appraisal(context, evaluated, "out-of-fold", resampling)
  pooled$looks <- 0L
  pooled$notes <- appraisal_notes(pooled)
  if (is.null(context$roles$group)) pooled$units <- "rows"
  pooled
}

# What was predicted for each row, with its fold.
fold_predictions <- function(evaluated, plan, sizes) {
  cbind(evaluated["key"], "repeat" = rep(plan[["repeat"]], sizes), fold = rep(plan$fold, sizes), evaluated[-1])
}

# A row a fold: the measures of its evaluated rows.
fold_measures <- function(context, plan, done) {
  target <- context$target
  measure <- task_of(target)$measure
  values <- lapply(done, function(d) {
    unlist(lapply(seq_along(target$columns), function(i) {
      found <- measure(context, d$evaluated, i)
      if (length(target$columns) > 1) stats::setNames(found, paste(target$columns[i], names(found))) else found
    }))
  })
  facts <- data.frame(
    "repeat" = plan[["repeat"]], fold = plan$fold, rows = vapply(done, function(d) length(d$evaluated$key), 0L),
    training = vapply(done, `[[`, 0L, "learned"), best_epoch = vapply(done, function(d) as.integer(d$best_epoch), 0L),
    parameters = vapply(done, `[[`, 0L, "parameters"), updates = vapply(done, `[[`, 0, "updates"),
    seconds = vapply(done, `[[`, 0, "seconds"), check.names = FALSE
  )
  cbind(facts, as.data.frame(do.call(rbind, values), optional = TRUE))
}

# The mean over folds with its spread, and its standard error: the folds' training sets overlap, so the variance of the
# mean is (1 / folds + evaluated rows / learned rows) times that of a fold (Nadeau and Bengio 2003).
fold_summary <- function(measures, each) {
  values <- as.matrix(each[measure_labels(measures)])
  measures <- measures[intersect(c("target", "measure", "value", "low", "high", "baseline"), names(measures))]
  measures$mean <- unname(colMeans(values, na.rm = TRUE))
  measures$sd <- unname(apply(values, 2, stats::sd, na.rm = TRUE))
  measures$error <- measures$sd * overlap_factor(each)
  measures
}

# A measure's column among those of the single folds.
measure_labels <- function(measures) {
  if (is.null(measures$target)) measures$measure else paste(measures$target, measures$measure)
}

overlap_factor <- function(each) sqrt(1 / nrow(each) + mean(each$rows / each$training))

#' @export
as.data.frame.hylomath_folds <- function(x, ...) x$measures

#' Make intervals and sets from out-of-fold predictions
#'
#' Every row of the pooled folds has a prediction from a network that had not learned from it, so the brief needs no
#' calibration rows of its own for [predict()][predict.hylomath_model]'s intervals and sets or for [recalibrate()]
#' (Vovk 2015, "Cross-conformal predictors"). The predictions are those of networks that learned from a little less, so
#' coverage is near the promise but not proven: the [appraisal][appraise()] on test rows shows it.
#'
#' @param model A model.
#' @param folds The [folds()] of the same brief; of several repeats the first one counts.
#' @return The model with these rows in `evaluated$calibration`.
#' @section Errors: Folds of another brief: other inputs, another target, preparation, hold-out, wiring or regimen; or
#'   of another table.
#' @examples
#' set.seed(1)
#' b <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> quick()
#' model <- calibrate(train(b, progress = "none"), folds(b, k = 5, progress = "none"))
#' head(predict(model, crossings, type = "interval"))
#' @export
calibrate <- function(model, folds) {
  if (!is_model(model)) fail(sprintf("Only a model is calibrated, not %s.", describe_class(model)))
  if (!inherits(folds, "hylomath_folds")) fail("`folds` must be what folds() returns.")
  check_same_analysis(model, folds)
  model$evaluated$calibration <- evaluated_of_folds(folds, grouped = !is.null(model$brief$columns$group))
  model
}

# The same table, dealt out in the same way, and the same settings of everything that is learned; seeds of the training
# apart.
check_same_analysis <- function(model, folds) {
  another <- function(what) fail(what, "Give the folds of the brief that the model was trained by, on its table.")
  said <- function(b, regimen) {
    own <- brief_settings(b)
    settings <- flat_settings(own[setdiff(names(own), c(sections_of_use, "data", "regimen"))])
    c(settings, flat_settings(regimen[setdiff(names(regimen), "seed")], "regimen"))
  }
  own <- said(model$brief, model$brief$regimen)
  # of an ensemble the brief keeps what was said, since each wiring settles it anew
  others <- said(folds$brief, if (is.null(model$members)) folds$regimen else folds$brief$regimen)
  keys <- union(names(own), names(others))
  apart <- keys[!mapply(identical, unname(own[keys]), unname(others[keys]))]
  if (length(apart)) another(sprintf("These folds are of another brief: its `%s` differs.", apart[1]))
  if (!identical(model$fingerprint, folds$fingerprint)) another("These folds are of another table.")
}

# The first prediction of each row as evaluated rows.
evaluated_of_folds <- function(folds, grouped) {
  first <- folds$predictions[["repeat"]] == 1
  said <- folds$predictions[first, , drop = FALSE]
  of_observed <- if (length(folds$target) > 1) paste0("observed_", folds$target) else "observed"
  predictions <- said[setdiff(names(said), c("key", "repeat", "fold", of_observed))]
  rownames(predictions) <- NULL
  observed <- said[of_observed]
  drop_nulls(list(
    key = said$key, group = if (grouped) folds$group[first],
    observed = if (length(of_observed) > 1) stats::setNames(observed, folds$target) else observed[[1]],
    weight = folds$pooled$weight[first] * folds$repeats, predictions = predictions
  ))
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_folds <- function(x, ...) {
  pooled <- x$pooled
  classes <- predicts_classes(x$task)
  dealt <- if (x$repeats > 1) sprintf(", dealt %d times", x$repeats) else ""
  c(
    cli::style_bold(sprintf("%s: %d %s%s", enumerate(x$target), x$k, kind_of_folds(x), dealt)), "",
    paragraphs(in_words(pooled)), "",
    fold_measures_text(x), "",
    if (classes) c(confusion_text(pooled), ""),
    each_fold_text(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "fit"),
      sprintf(
        paste(
          "The test rows of the brief had no part in this. Every row was predicted by a network that had not learned",
          "from it; the intervals are about which %s there are, the spread is that of the folds."
        ),
        pooled$units
      )
    )),
    format_notes(pooled$notes)
  )
}

kind_of_folds <- function(x) {
  group <- x$brief$columns$group
  hold_out <- x$brief[["hold_out"]]
  switch(x$by,
    ordered = paste0(
      "stretches of time, each predicted from what came before it",
      if (!is.null(x$window)) sprintf(", of the last %s", duration_text(x$window)),
      if (has_gap(hold_out)) sprintf(", with a gap of %s", duration_text(hold_out$gap))
    ),
    group = "folds, a group each",
    if (is.null(group)) "folds" else sprintf("folds of whole groups (%s)", group)
  )
}

duration_text <- function(duration) if (is.numeric(duration)) format_number(duration) else duration

fold_measures_text <- function(x) {
  cells <- fold_measures_cells(x)
  as_text_table(cells, length(cells) - 5)
}

fold_measures_cells <- function(x) {
  rows <- x$measures
  cells <- list(
    measure = rows$measure, pooled = format_measure(rows$value), interval = interval_cell(rows$low, rows$high),
    baseline = format_measure(rows$baseline), "mean of folds" = format_measure(rows$mean),
    spread = format_measure(rows$sd)
  )
  names(cells)[3:4] <- c(interval_heading(x$level), baseline_heading(x$pooled))
  if (length(x$target) > 1) cells <- c(list(target = said_once(rows$target)), cells)
  cells
}

each_fold_text <- function(x) {
  c(as_text_table(each_fold_cells(x, 20), 0), if (nrow(x$each) > 20) sprintf("  and %d more", nrow(x$each) - 20))
}

each_fold_cells <- function(x, most = Inf) {
  shown <- utils::head(x$each, most)
  primary <- if (length(x$target) > 1) paste(x$target[1], x$primary) else x$primary
  known <- if (predicts_classes(x$task)) c("accuracy", "balanced accuracy") else c("MAE", "R\u00b2")
  measures <- unique(c(primary, intersect(known, names(x$each))))
  cells <- list(
    fold = as.character(shown$fold), rows = format_each_count(shown$rows),
    "learned from" = format_each_count(shown$training), "best epoch" = format_each_count(shown$best_epoch)
  )
  cells <- c(cells, lapply(stats::setNames(nm = measures), function(m) format_measure(shown[[m]])))
  if (x$repeats > 1) c(list("dealt" = as.character(shown[["repeat"]])), cells) else cells
}

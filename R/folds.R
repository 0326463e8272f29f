#' Judge a brief by cross-validation
#'
#' The training and validation rows of a brief are pooled and dealt into k folds. For each fold a network is trained on the
#' others, with everything that is learned from data (scales, fills, levels, class weights) learned anew on its training rows, and
#' judges the fold. Test and calibration rows stay out of it. A fold's training is stopped by a validation slice of its own rows,
#' never by those that it judges. All folds are trained at once on all cores; the result doesn't depend on their number.
#'
#' @param b A brief.
#' @param k The number of folds.
#' @param repeats How often the rows are dealt anew.
#' @param by How rows are dealt: `"stratified"` (by class, or tenths of a number), `"random"`, `"ordered"` (each stretch of time is
#'   judged by what came before it) or `"group"` (each group is a fold). The default is the brief's `hold_out.by`. Where the brief
#'   has a group column, groups stay whole.
#' @param data A table to use in place of the one that the brief carries.
#' @param level,draws See [appraise()].
#' @param progress See [train()].
#' @param ... Not used.
#' @return An object of class `hylomath_folds` with
#'   * `measures`: for each measure the pooled `value` over all judged rows with its interval and `baseline`, and over the folds
#'     the `mean`, the spread `sd`, and `error`, the standard error of the mean corrected for training sets that overlap (Nadeau
#'     and Bengio 2003);
#'   * `each`, a row a fold: `repeat`, `fold`, `rows`, `training`, `best_epoch`, `parameters`, `updates` (steps), `seconds`, and a column a measure;
#'   * `pooled`, an [appraisal][appraise()] of all judged rows, for figures, curves and notes;
#'   * `predictions`, for every row and repeat `key`, `repeat`, `fold`, `observed` and what was answered by a network that had not
#'     learned from it.
#'
#'   [as.data.frame()] gives `measures`.
#' @section Seeds: The dealing follows the seed of `hold_out`, the training of fold f that of the regimen plus f - 1.
#' @section Errors: Fewer rows or groups than folds; a class that the others of a fold lack; what [train()] refuses.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' f <- folds(b, k = 5, progress = "none")
#' f
#' plot_confusion(f$pooled)
#' @export
folds <- function(b, ...) UseMethod("folds")

#' @rdname folds
#' @export
folds.hylomath_brief <- function(b, k = 10, repeats = 1, by = NULL, data = NULL, level = 0.95, draws = 1000, progress = "auto", ...) {
  rlang::check_dots_empty()
  type_number(100, 1e5, whole = TRUE)(draws, "draws")
  type_number(0.5, 1, open_high = TRUE)(level, "level")
  report <- reporter(progress)
  if (!is.null(data)) b <- attach_table(b, as_table(data))
  b$regimen$seed <- b$regimen$seed %||% draw_seed()
  plan <- fold_plan(b, k, repeats, by)
  new_folds(plan, train_all(plan$makers, fold_result, "fold", report), level, draws)
}

# Everything about the folds of a brief that is settled before they are trained: the dealing, checked, and `makers`, a function for
# each fold that gives its fit's spec. `most` is the number of training rows of each fold, all of them when it is not given.
fold_plan <- function(b, k, repeats, by, most = NULL) {
  type_number(2, 1000, whole = TRUE)(k, "k")
  type_number(1, 1000, whole = TRUE)(repeats, "repeats")
  if (is.null(b$table)) fail("This brief has no table to train on.", "Give one: folds(b, data = ...).")
  k <- as.integer(k)
  table <- brief_table(b)
  check_brief(b, table)
  part <- split_rows(b, table)
  rows <- which(part %in% c("training", "validation"))
  by <- fold_rule(b, by, repeats)
  dealt <- deal_folds(b, table, rows, k, repeats, by, b$hold_out$seed)
  check_folds(b, table, rows, dealt, k, by)
  share <- sum(part %in% "validation") / length(rows)
  each <- expand.grid(fold = sort(unique(dealt[!is.na(dealt[, 1]), 1])), "repeat" = seq_len(ncol(dealt)))
  parts_of_fold <- function(i) {
    part <- fold_parts(b, table, rows, dealt[, each[["repeat"]][i]], each$fold[i], by, share, b$hold_out$seed)
    if (is.null(most)) part else fewer_rows(b, table, part, most, b$hold_out$seed)
  }
  check_fold_classes(b, table, each, parts_of_fold)
  makers <- lapply(seq_len(nrow(each)), function(i) function() fold_spec(b, table, parts_of_fold(i), i))
  list(brief = b, table = table, rows = rows, by = by, each = each, makers = makers)
}

# So many of the training rows, in a fixed order in which the strata (classes, bands of a number) take turns by their shares, each
# beginning with one row: fewer rows are always some of more.
fewer_rows <- function(b, table, part, most, seed) {
  training <- which(part %in% "training")
  if (most > length(training)) fail(sprintf("A fold learns from %s, which is less than %s.", counted(length(training), "row"), format_count(most)), "Ask for fewer rows.")
  training <- training[order(core_shuffle(length(part), seed, 6L)[training])]
  strata <- fold_strata(b, table[[b$target[1]]][training], 2)
  turn <- stats::ave(seq_along(training), strata, FUN = function(x) (seq_along(x) - 1) / length(x))
  part[training[order(turn)][-seq_len(most)]] <- NA
  part
}

fold_rule <- function(b, by, repeats) {
  by <- by %||% switch(b$hold_out$by, key = "random", b$hold_out$by)
  type_choice(c("stratified", "random", "ordered", "group"))(by, "by")
  if (by == "ordered" && is.null(b$columns$order)) fail("Folds by \"ordered\" need a column that orders the rows.", "Name one with set_columns(order = ...).")
  if (by == "group" && is.null(b$columns$group)) fail("Folds by \"group\" need a group column.", "Name one with set_columns(group = ...).")
  if (repeats > 1 && by %in% c("ordered", "group")) fail(sprintf("Folds by %s can be dealt in one way only, so there is nothing to repeat.", quoted(by)))
  by
}

check_folds <- function(b, table, rows, dealt, k, by) {
  found <- apply(dealt, 2, function(fold) length(unique(fold[!is.na(fold)])))
  if (by != "group" && any(found < k)) {
    fail(sprintf("%d folds can't be dealt: there are %s.", k, if (is.null(b$columns$group)) counted(length(rows), "row") else counted(length(unique(table[[b$columns$group]][rows])), "group")), "Take fewer folds.")
  }
  if (by == "group" && max(dealt) > 1000) fail(sprintf("There are %s groups, and each would be a fold.", format_count(max(dealt))), "Take k folds of whole groups: leave `by` out.")
}

# Before any training: every fold learns from rows of every class.
check_fold_classes <- function(b, table, each, parts_of_fold) {
  if (b$task != "classification") return()
  label <- as_label(table[[b$target]])
  for (i in seq_len(nrow(each))) {
    lacking <- setdiff(b$classes, label[parts_of_fold(i) %in% "training"])
    if (length(lacking)) {
      fail(sprintf("The rows that fold %d learns from have none of the class %s.", each$fold[i], describe(lacking[1])), "Take more folds or more rows, put rare classes together, or leave its rows out.")
    }
  }
}

# The i-th fit of a brief's folds, on the parts of the table that are its own.
fold_spec <- function(b, table, part, i) {
  training <- part %in% "training"
  b$regimen$seed <- b$regimen$seed + i - 1
  preparation <- learn_preparation(b, table, training)
  b$regimen <- settled_regimen(b, sum(training), function() parameter_count(network_of(b, preparation)))
  c(fit_spec(b, table, preparation, part), list(table = table, judged = which(part == "judged"), learned = sum(training)))
}

# As much of a model as answering takes.
fold_model <- function(spec, fit) {
  model <- structure(list(brief = new_brief(spec$brief), preparation = spec$preparation, network = fit$network), class = "hylomath_model")
  training <- seq_len(nrow(spec$table)) %in% spec$core$rows[spec$core$training]
  model$preparation$target$smear <- fitted_smear(model, spec$table, training) %||% spec$preparation$target$smear
  model
}

# What the fold's network answers to the rows that it judges.
fold_result <- function(spec, fit) {
  table <- spec$table
  model <- fold_model(spec, fit)
  judged <- judged_rows(model, table[spec$judged, , drop = FALSE], spec$judged)
  judged$row <- spec$judged
  list(judged = judged, best_epoch = fit$best, epochs = nrow(fit$curves), updates = if (fit$best > 0) fit$curves$updates[nrow(fit$curves)] else 0, learned = spec$learned, parameters = length(fit$parameters) * max(1L, length(fit$network$members)), seconds = max(fit$curves$seconds, 0))
}

new_folds <- function(plan, done, level, draws) {
  b <- plan$brief
  table <- plan$table
  rows <- plan$rows
  by <- plan$by
  plan <- plan$each
  repeats <- max(plan[["repeat"]])
  known <- lapply(done, function(d) d$judged)
  together <- bind_judged(known)
  together$weight <- together$weight / repeats
  # a row that is judged several times is one row
  if (repeats > 1 && is.null(together$group)) together$group <- together$key
  target <- learn_target(b, table[rows, b$target, drop = FALSE])
  pool <- seq_len(nrow(table)) %in% rows
  model <- structure(list(brief = new_brief(brief_settings(b)), preparation = list(target = target), baseline = baseline_of(b, table, list(target = target), pool), judged = list()), class = "hylomath_model")
  pooled <- new_appraisal(model, together, "out-of-fold", level, draws, own_notes = no_notes())
  if (is.null(b$columns$group)) pooled$units <- "rows"
  each <- fold_measures(model, plan, done)
  structure(
    list(
      measures = fold_summary(pooled$measures, each, done), each = each, pooled = pooled,
      predictions = cbind(pooled$judged["key"], "repeat" = rep(plan[["repeat"]], vapply(known, function(j) length(j$key), 0L)), fold = rep(plan$fold, vapply(known, function(j) length(j$key), 0L)), pooled$judged[-1]),
      rows = together$row, group = if (!is.null(b$columns$group)) together$group, brief = model$brief, by = by, k = length(unique(plan$fold)), repeats = repeats, target = b$target, task = b$task, primary = pooled$primary, level = level
    ),
    class = "hylomath_folds"
  )
}

bind_judged <- function(parts) {
  together <- lapply(stats::setNames(nm = names(parts[[1]])), function(name) {
    columns <- lapply(parts, `[[`, name)
    if (is.data.frame(columns[[1]])) do.call(rbind, columns) else unlist(columns)
  })
  together
}

# A row a fold: the measures of the rows that it judges.
fold_measures <- function(model, plan, done) {
  b <- model$brief
  values <- lapply(done, function(d) {
    judged <- judged_now(model, d$judged)
    unlist(lapply(seq_along(b$target), function(i) {
      found <- measure_values(model, judged, i)
      if (length(b$target) > 1) stats::setNames(found, paste(b$target[i], names(found))) else found
    }))
  })
  facts <- data.frame("repeat" = plan[["repeat"]], fold = plan$fold, rows = vapply(done, function(d) length(d$judged$key), 0L), training = vapply(done, `[[`, 0L, "learned"), best_epoch = vapply(done, function(d) as.integer(d$best_epoch), 0L), parameters = vapply(done, `[[`, 0L, "parameters"), updates = vapply(done, `[[`, 0, "updates"), seconds = vapply(done, `[[`, 0, "seconds"), check.names = FALSE)
  cbind(facts, as.data.frame(do.call(rbind, values), optional = TRUE))
}

# The mean over folds with its spread, and its standard error: the folds' training sets overlap, so the variance of the mean is
# (1 / folds + judged / learned) times that of a fold (Nadeau and Bengio 2003).
fold_summary <- function(measures, each, done) {
  label <- if (is.null(measures$target)) measures$measure else paste(measures$target, measures$measure)
  values <- as.matrix(each[label])
  measures <- measures[intersect(c("target", "measure", "value", "low", "high", "baseline"), names(measures))]
  measures$mean <- unname(colMeans(values, na.rm = TRUE))
  measures$sd <- unname(apply(values, 2, stats::sd, na.rm = TRUE))
  measures$error <- measures$sd * overlap_factor(each)
  measures
}

overlap_factor <- function(each) sqrt(1 / nrow(each) + mean(each$rows / each$training))

#' @export
as.data.frame.hylomath_folds <- function(x, ...) x$measures

#' Make intervals and sets from out-of-fold answers
#'
#' Every row of the pooled folds has an answer from a network that had not learned from it, so the brief needs no calibration rows
#' of its own for [predict()][predict.hylomath_model]'s intervals and sets or for [recalibrate()] (Vovk 2015, "Cross-conformal
#' predictors"). The answers are those of networks that learned from a little less, so coverage is near the promise rather than
#' held by proof: the [appraisal][appraise()] on test rows tells.
#'
#' @param model A model.
#' @param folds The [folds()] of the same brief; of several repeats the first one counts.
#' @return The model with these rows in `judged$calibration`.
#' @section Errors: Folds of another brief: another target, preparation, wiring or regimen.
#' @examples
#' set.seed(1)
#' b <- brief(crossings, target = "passengers") |> regimen(epochs = 20)
#' model <- calibrate(train(b, progress = "none"), folds(b, k = 5, progress = "none"))
#' head(predict(model, crossings, type = "interval"))
#' @export
calibrate <- function(model, folds) {
  if (!is_model(model)) fail(sprintf("Only a model is calibrated, not %s.", describe_class(model)))
  if (!inherits(folds, "hylomath_folds")) fail("`folds` must be what folds() returns.")
  own <- c("target", "task", "classes", "derive", "prepare", "wiring")
  apart <- own[!mapply(identical, brief_settings(model$brief)[own], brief_settings(folds$brief)[own])]
  if (length(apart)) fail(sprintf("These folds are of another brief: its `%s` differs.", apart[1]), "Give the folds of the brief that the model was trained by.")
  first <- folds$predictions[["repeat"]] == 1
  answers <- folds$predictions[first, setdiff(names(folds$predictions), c("key", "repeat", "fold", "observed", paste0("observed_", folds$target))), drop = FALSE]
  several <- length(folds$target) > 1
  model$judged$calibration <- drop_nulls(list(
    key = folds$predictions$key[first], group = if (!is.null(model$brief$columns$group)) folds$group[first],
    observed = if (several) stats::setNames(folds$predictions[first, paste0("observed_", folds$target)], folds$target) else folds$predictions$observed[first],
    weight = folds$pooled$weight[first] * folds$repeats, answers = answers
  ))
  rownames(model$judged$calibration$answers) <- NULL
  model
}

# A model is what train() returns: a plain list of class `hylomath_model` without pointers, so that saveRDS, files and
# workers carry it whole. ?train lists its parts.
#
#   brief        the brief in force without its table, with the regimen that was settled; of an ensemble, as it was
#                said, since each wiring settles it anew
#   regimen      where an ensemble is trained, what it came to for the wiring that counts most; NULL otherwise
#   predictor     see predictor.R
#   linear       the predictor of the network without hidden layers beside it; NULL without one
#   curves, best_epoch, stopped, restarts, evidence_l2, kernel, seconds, version    how training went; `evidence_l2` is
#                the penalty that the data chose: l2 by evidence or by the noise, or l1 on a path
#   members      where an ensemble is trained, a row a network, see ensemble.R; NULL otherwise
#   baseline     what is known without any input, see the tasks' `baseline`
#   parts        how many rows each part has, see parts_of()
#   leaks, pairs, ids, copies   what was seen in the table: inputs that tell the target, alone or two together, or name
#                rows; copied test rows
#   seen         the rows that it has learned from, see model-rows.R
#   profile      what these rows were like, see profile.R; NULL in files of earlier versions
#   evaluated       by part the evaluated rows, see predictor.R
#   disagreement by class how far single networks lie from all together, see member_disagreement(); NULL
#                otherwise
#   looks        the networks that were evaluated on these test rows, see look.R
#   fingerprint  the hash of the table
#   states       what training had come to, if it was asked to be kept: by start; of an ensemble by wiring and fold.
#                NULL otherwise
#   resumed      what it learned on from, see further.R; NULL otherwise
#   refitted     of what it is the refit, see refit.R; NULL otherwise
#   distilled    how it was taught, see distil.R; NULL otherwise
#   bare         what of single rows was left out when it was written, see model-rows.R; NULL where nothing was

# Of the training rows a model keeps the predictions of so many, drawn at random: enough to see whether it has learned
# them by heart.
most_training_evaluated <- 10000

# And of the rows of every other part so many: more would tell no more, and take memory as long as the model is there.
most_evaluated <- 200000

# The model of a fit that has ended.
fitted_model <- function(spec, fit, predictor, linear) {
  a <- spec$analysis
  training <- list(
    curves = fit$curves, best = fit$best, stopped = fit$stopped, restarts = fit$restarts, penalty = fit$penalty,
    kernel = fit$kernel, states = if (length(fit$states)) fit$states
  )
  b <- brief_in_force(spec)
  # a network that learns on from another one can't be made again by a brief
  if (!isTRUE(spec$learns_on)) b <- stopped_by_hand(b, fit$restarts)
  model <- new_model(a, b, predictor, linear, training)
  model$restarts <- restarts_evaluated(model, fit$starts, a)
  model
}

# `b` is the brief in force, `training` says how training went: list(curves, best, stopped, l2, kernel), and `restarts`
# of one network, or `members` of an ensemble; `evaluated` are rows that were evaluated in training.
new_model <- function(a, b, predictor, linear, training, evaluated = list(), disagreement = NULL) {
  make_room(nrow(a$table))
  rows <- rows_in(a, "training")
  structure(
    list(
      brief = without_table(b),
      regimen = training$regimen,
      predictor = predictor,
      linear = linear,
      curves = training$curves,
      best_epoch = training$best,
      stopped = training$stopped,
      restarts = training$restarts,
      members = training$members,
      evidence_l2 = training$penalty,
      baseline = baseline_of(a, predictor$preparation$target, rows),
      leaks = leaking_inputs(a, rows),
      pairs = leaking_pairs(a, rows),
      ids = id_inputs(a),
      parts = count_parts(a),
      copies = count_copies(a),
      seen = rows_learned(a),
      profile = learn_profile(a),
      evaluated = evaluated,
      disagreement = disagreement,
      looks = character(),
      fingerprint = table_identity(looked_at_by(a$brief), a$raw),
      states = training$states,
      kernel = training$kernel,
      seconds = training$seconds %||% max(training$curves$seconds, 0),
      version = package_version_text()
    ),
    class = "hylomath_model"
  )
}

# What it predicts, whether a table is the one that it was trained on, the evaluated rows of a part, the columns by
# role, and the seed of the training.
target_in <- function(model) model$predictor$target
is_own_table <- function(model, table) {
  identical(table_identity(looked_at_by(model$brief), table), model$fingerprint)
}
evaluated_in_part <- function(model, part) one_by_one(model$evaluated[[part]], roles_of(model))
deciding_parts <- c("validation", "calibration", "out_of_fold")  # by which decide() may choose, the first one first
roles_of <- function(model) model$brief$columns
training_seed <- function(model) model$brief$regimen$seed
regimen_of <- function(model) model$regimen %||% model$brief$regimen

# How training went: list(curves, epochs, best, stopped); where an ensemble is trained, that of a network in the middle,
# the one with the median best epoch.
training_run <- function(model) {
  curves <- loss_curves(model)
  if (is.null(model$members)) {
    return(list(curves = curves, epochs = nrow(curves), best = model$best_epoch, stopped = model$stopped))
  }
  own <- leading_members(model)
  middle <- middle_place(own$best_epoch)
  curves <- curves[curves$member == own$fold[middle], names(curves) != "member"]
  list(curves = curves, epochs = nrow(curves), best = own$best_epoch[middle], stopped = model$stopped)
}

# The place of the median.
middle_place <- function(x) order(x)[(length(x) + 1) %/% 2]

# The share of each wiring in an ensemble, and the networks of the one that counts most.
wiring_shares <- function(members) tapply(members$share, factor(members$network, unique(members$network)), sum)

leading_members <- function(model) {
  share <- wiring_shares(model$members)
  model$members[model$members$network == names(share)[which.max(share)], ]
}

is_model <- function(x) inherits(x, "hylomath_model")

check_model <- function(model) {
  if (!is_model(model)) fail(sprintf("`model` must be a model, not %s.", describe_class(model)))
}

# The model with its predictor changed, and the linear one beside it; `change` gets each of them and the name of its
# predictions among those of evaluated rows.
change_predictors <- function(model, change) {
  model$predictor <- change(model$predictor, "predictions")
  if (!is.null(model$linear)) model$linear <- change(model$linear, "linear")
  model
}

# A brief that says where training was interrupted trains to the same weights again; without it, to the end.

# Each start to the epoch that it had come to.
stopped_by_hand <- function(b, restarts) {
  r <- b[["regimen"]]
  if (!any(restarts$stopped == "interrupted") && nrow(restarts) == r$restarts) return(b)
  # starts are begun in their order
  begun <- sum(cumprod(restarts$epochs > 0))
  if (begun == 0) return(b)
  r$restarts <- begun
  r$stop <- utils::modifyList(if (is.list(r$stop)) r$stop else list(), list(epoch = restarts$epochs[seq_len(begun)]))
  b[["regimen"]] <- r
  b
}

without_interrupt <- function(b) {
  b[["hold_out"]]$only_folds <- NULL
  if (is.list(b[["regimen"]]$stop)) b[["regimen"]]$stop$epoch <- NULL
  b
}

brief_in_force <- function(spec) {
  b <- settled_brief(spec$analysis)
  b[["regimen"]] <- spec$learned$regimen
  b
}

# What is known without any input, from the given rows.
baseline_of <- function(a, learned_target, rows) {
  values <- target_values(a, rows)
  weight <- weights_in(a, rows)
  baseline <- task_of(a$target)$baseline(values, a$target, learned_target, weight)
  if (is.null(a$exposure)) return(baseline)
  # so much for each unit of exposure
  baseline$rate <- sum(values[[1]] * weight) / sum(a$exposure[rows] * weight)
  baseline
}

# Test rows that a training row equals in all inputs and the target, where that is no coincidence.
count_copies <- function(a) {
  make_room(nrow(a$table))
  targets <- a$target$columns
  columns <- input_columns(a)
  learned <- rows_in(a, "training")
  alike <- rows_maybe_alike(a$table, telling_columns(a$kinds), rows_in(a, "test"), learned)
  test <- alike[[1]]
  training <- alike[[2]]
  if (length(test) == 0 || length(training) == 0) return(0L)
  inputs <- a$table[columns]
  twin <- training[vctrs::vec_match(inputs[test, , drop = FALSE], inputs[training, , drop = FALSE])]
  known <- !is.na(twin)
  y <- a$table[targets]
  same <- vctrs::vec_equal(y[test[known], , drop = FALSE], y[twin[known], , drop = FALSE], na_equal = TRUE)
  if (!are_copies(same, y[[1]][learned])) return(0L)
  both <- c(columns, targets)
  sum(vctrs::vec_in(a$table[test, both, drop = FALSE], a$table[training, both, drop = FALSE]))
}

# More rows than these are not copied for a comparison.
most_compared <- 1000000

# A few columns that differ between most rows, by their kinds.
telling_columns <- function(kinds, most = 5) {
  order <- c("number", "time", "count", "date", "category", "flag")
  utils::head(names(kinds)[order(match(kinds, order))], most)
}

# Of two sets of rows those that may equal one of the other, by their hashes; few rows all.
rows_maybe_alike <- function(table, columns, some, others) {
  if (length(some) + length(others) <= most_compared) return(list(some, others))
  hashes_of <- function(rows) unlist(lapply(split_in_blocks(rows), function(block) row_hashes(table, columns, block)))
  own <- hashes_of(some)
  alike <- lapply(split_in_blocks(others), function(block) {
    hashes <- row_hashes(table, columns, block)
    keep <- hashes %in% own
    list(rows = block[keep], hashes = hashes[keep])
  })
  found <- unlist(lapply(alike, `[[`, "hashes"))
  list(some[own %in% found], unlist(lapply(alike, `[[`, "rows")))
}

# How much is luck: `restarts`, a row a start, with the measures of each start's network on the validation rows (without
# them, on training rows), NA for a start that came to nothing. `starts` are the parameters by start.
restarts_evaluated <- function(model, starts, a) {
  restarts <- model$restarts
  if (nrow(restarts) < 2) return(restarts)
  rows <- rows_in(a, "validation")
  if (length(rows) == 0) rows <- utils::head(rows_in(a, "training"), most_training_evaluated)
  context <- list(target = a$target, baseline = model$baseline)
  values <- lapply(restarts$start, function(i) {
    if (is.na(restarts$loss[restarts$start == i])) return(NULL)
    one <- with_parameters(model$predictor, starts[[i]])
    evaluated <- evaluated_rows(one, a$roles, a$table[rows, , drop = FALSE], rows)
    task_of(a$target)$measure(context, evaluated, 1)
  })
  known <- drop_nulls(values)
  if (length(known) == 0) return(restarts)
  measured <- do.call(rbind, lapply(values, function(v) v %||% (known[[1]] * NA)))
  cbind(restarts, as.data.frame(measured, optional = TRUE))
}

#' Loss and more by epoch
#'
#' @param model A model.
#' @param ... Not used.
#' @return A data frame with a row for each epoch: `epoch`; `training`, the mean loss over the epoch's batches as they
#'   were trained (at the epoch's end for methods that look at the whole table); `validation`, the mean loss of the
#'   validation rows at the epoch's end (`NA` without such rows); `test`, that of the test rows, if [train()] was asked
#'   to watch them; `rate`, the learning rate (`NA` for methods without); `gradient`, the length of the gradient, in
#'   the root mean square over the epoch's batches; `updates`, the steps done since training began; `seconds` since
#'   then; and `training_<measure>` and `validation_<measure>` for the measures that [regimen()] asks for. The loss is
#'   the cross-entropy in natural units for classes, half the mean deviance for the Poisson and gamma losses, and
#'   otherwise in units of the scaled target: the squared error as a share of the training rows' variance for a
#'   regression. Class weights and case weights count in it; penalties don't.
#' @section Errors: An object that is not a model.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5, measures = "accuracy") |> quick() |>
#'   train(progress = "none")
#' loss_curves(model)
#' @export
loss_curves <- function(model, ...) UseMethod("loss_curves")

#' @export
loss_curves.hylomath_model <- function(model, ...) model$curves

#' @export
loss_curves.default <- function(model, ...) wrong_object("loss_curves", "a model", model)

#' @rdname parts_of
#' @export
parts_of.hylomath_model <- function(x, ...) x$parts

# The wiring in words: of networks that predict together each with its share, if there are several.
wiring_text <- function(model) {
  if (is.null(model$members)) return(model$brief$wiring)
  share <- wiring_shares(model$members)
  share <- sort(share[share > 0], decreasing = TRUE)
  if (length(share) == 1) return(names(share))
  paste(sprintf("%s (%s)", names(share), format_percent_short(share)), collapse = " + ")
}

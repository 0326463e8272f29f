# Whether the parts of a model that was read from a file are what those of a model are, each by itself and beside the
# others: the code that uses them relies on it. The core checks the network and the plans once more, by itself.

# A check for each part, see first_broken(). `target` is looked for by the checks, where it may be missing.
model_checks <- function(parts, target = parts$predictor$target) {
  list(
    brief = wants_text, predictor.target = target_holds,
    predictor.preparation = function(preparation) preparation_holds(preparation, target),
    predictor.network = function(network) networks_hold(parts$predictor),
    predictor.recalibration = function(map) recalibration_holds(map, target),
    predictor.decision = function(decision) decision_holds(decision, target),
    linear = wants_maybe(function(linear) linear_holds(linear, target)),
    curves = function(curves) curves_hold(parts),
    restarts = wants_numbers(c("start", "epochs", "best_epoch", "training", "validation", "loss"), "stopped"),
    baseline = function(baseline) baseline_holds(baseline, target),
    parts = function(table) wants_numbers(c("rows", "share"), "part")(table) && all(table$rows >= 0),
    evaluated = function(evaluated) evaluated_hold(evaluated, target),
    regimen = function(regimen) regimen_holds(regimen, parts$members), evidence_l2 = is_known_number,
    resumed = wants_maybe(resumed_holds), refitted = wants_maybe(refitted_holds),
    disagreement = wants_maybe(function(apart) disagreement_holds(apart, target$classes)),
    looks = is_texts, leaks = is_texts, pairs = is_texts, ids = is_texts,
    seen.columns = is_texts, seen.hashes = is.integer, seen.tell = is_flag, profile = wants_maybe(profile_holds),
    copies = function(copies) is_numbers(copies, 1), seconds = function(seconds) is_place(round(seconds), 0, 1e10),
    fingerprint = wants_text, kernel = wants_text, version = wants_text
  )
}

# ---- the predictor -------------------------------------------------------------------------------------------------

target_holds <- function(target) {
  loss <- target$loss
  settings <- loss_record(loss)$settings
  classes <- target$classes
  task <- task_of(target)
  is_texts(target$columns) && length(target$columns) >= 1 && !anyDuplicated(target$columns) &&
    (task$several || length(target$columns) == 1) &&
    identical(task$kind == "classes", !is.null(classes)) &&
    (is.null(classes) || (is_texts(classes) && length(classes) >= 2 && !anyDuplicated(classes))) &&
    identical(length(classes) == 2, !is.null(target$positive)) &&
    (length(classes) != 2 || target$positive %in% classes) &&
    all(names(settings) %in% names(loss)) && all(vapply(loss[names(settings)], is_numbers, NA)) &&
    is_text(loss$output, 1) && target$scaling %in% c("zscore", "log", "log_median", "none") &&
    class_weights_hold(target$class_weights, classes) && (is.null(target$exposure) || is_text(target$exposure, 1))
}

class_weights_hold <- function(weights, classes) {
  if (is.character(weights)) return(length(weights) == 1 && weights %in% c("none", "even"))
  is.list(weights) && setequal(names(weights), classes) &&
  all(vapply(weights, function(w) is_numbers(w, 1) && w > 0, NA))
}

preparation_holds <- function(preparation, target) {
  plans <- preparation$columns
  rules <- preparation$rules
  is.list(plans) && length(plans) >= 1 && all(vapply(plans, plan_holds, NA)) &&
    !anyDuplicated(prepared_columns(preparation)) && !is.unsorted(vapply(plans, is_embedded, NA)) &&
    identical(as.character(unlist(lapply(plans, plan_features))), as.character(preparation$features)) &&
    all(vapply(rules$codes, is_texts, NA)) && rules_hold(rules$derived) && learned_holds(preparation$target, target)
}

rules_hold <- function(derived) {
  if (length(derived) == 0) return(TRUE)
  !is.null(names(derived)) && all(vapply(derived, is_text, NA, 1)) && is.list(derived_trees(derived))
}

plan_holds <- function(plan) {
  numbers <- function(...) all(vapply(plan[c(...)], is_numbers, NA, 1))
  levels <- plan$levels
  usual <- is_text(plan$column, 1) && (is.null(plan$zone) || is_text(plan$zone, 1)) &&
    plan$kind %in% input_kinds && is_flag(plan$drop_missing) && numbers("seen_missing") &&
    is_texts(levels) && !anyDuplicated(levels) && is_texts(plan$rare) && level_rows_hold(plan)
  usual && switch(plan$encoding,
    number = numbers("fill", "shift", "scale", "low", "high", "seen_low", "seen_high") && is_flag(plan$flag) &&
      plan$scale != 0 && is_numbers(plan$knots %||% 0) && length(plan$knots) == length(plan$heights) &&
      !is.unsorted(plan$knots %||% 0) && is_numbers(plan$heights %||% 0) &&
      is_numbers(plan$edges %||% 0) && !is.unsorted(plan$edges %||% 0, strictly = TRUE) &&
      is_numbers(plan$waves %||% 0),
    level = if (isTRUE(plan$hashed)) {
      is_place(plan$width, 2, 65536) && is_place(plan$missing, -1, plan$width - 1) && plan$unseen == -1
    } else {
      is_flag(plan$lumped) && is_flag(plan$own) && plan$width == length(levels) + plan$lumped + plan$own &&
        plan$width >= 1 && is_place(plan$unseen, -1, plan$width - 1) && is_place(plan$missing, -1, plan$width - 1)
    },
    score = is_numbers(plan$scores, length(levels)) && numbers("unseen", "missing"),
    code = is_flag(plan$own) && is_place(plan$width, 1, 1024) && is_place(plan$unseen, 0, length(levels)) &&
      is_place(plan$missing, 0, length(levels) + plan$own),
    date = is_texts(plan$parts) && all(plan$parts %in% names(date_parts)) &&
    !is.unsorted(match(plan$parts, names(date_parts))) &&
      plan$part_bits == sum(date_parts[plan$parts]) && is_flag(plan$clock) && numbers("shift", "scale") &&
      plan$scale != 0 && (!plan$clock || plan$zone %in% OlsonNames()),
    FALSE
  )
}

# How many training rows each level had, where that is known: formats before 7 don't say.
level_rows_hold <- function(plan) {
  is.null(plan$level_rows) || is_numbers(plan$level_rows, length(plan$levels) + length(plan$rare))
}

learned_holds <- function(learned, target) {
  if (has_classes(target)) {
    counts <- unlist(learned$counts)
    return(is_numbers(counts, length(target$classes)) && identical(names(counts), target$classes) && all(counts > 0))
  }
  n <- length(target$columns)
  all(vapply(learned[c("mean", "median", "shift", "scale", "smear")], is_numbers, NA, n)) &&
    is_flag(learned$log) && all(learned$scale != 0)
}

network_holds <- function(predictor) {
  network <- predictor$network
  plans <- predictor$preparation$columns
  embedded <- Filter(is_embedded, plans)
  own <- lapply(network$embeddings, function(e) list(e$column, as.numeric(e$levels), as.numeric(e$width)))
  wanted <- lapply(embedded, function(p) list(p$column, as.numeric(length(p$levels) + p$own), as.numeric(p$width)))
  inputs <- length(predictor$preparation$features)
  core_check_network(network_shape(network))
  network$inputs == inputs && identical(own, unname(wanted)) &&
    network$layers[[length(network$layers)]]$units == task_of(predictor$target)$units(predictor$target) &&
    network$output == predictor$target$loss$output &&
    all(vapply(members_of(network), function(p) is_numbers(p, parameter_count(network)) && all(is.finite(p)), NA)) &&
    is_numbers(network$parameters, parameter_count(network))
}

recalibration_holds <- function(recalibration, target) {
  if (is.null(recalibration)) return(TRUE)
  map <- recalibration$map
  k <- length(target$classes)
  known <- recalibration$method %in% c("platt", "isotonic", "temperature") && k >= 2 &&
    is_numbers(unlist(recalibration[c("rows", "before", "after")]), 3)
  known && if (recalibration$method == "temperature") {
    is_numbers(map$temperature, 1) && map$temperature > 0
  } else {
    is_numbers(map$place, if (k == 2) 1 else k) && all(map$place %in% seq_len(k)) &&
      length(map$curves) == length(map$place) && all(vapply(map$curves, curve_holds, NA))
  }
}

curve_holds <- function(curve) {
  if (!is.null(curve$slope)) return(is_numbers(c(curve$slope, curve$intercept), 2))
  length(curve$score) >= 1 && is_numbers(curve$score, length(curve$level)) && is_numbers(curve$level)
}

decision_holds <- function(decision, target) {
  if (is.null(decision)) return(TRUE)
  rule <- decision$rule
  if (!has_classes(target)) return(FALSE)
  k <- length(target$classes)
  if (!is.null(decision$before) && !decision$on %in% deciding_parts) return(FALSE)
  if (!is.null(rule$costs)) {
    return(is.matrix(rule$costs) && identical(dim(rule$costs), c(k, k)) && is_numbers(as.vector(rule$costs)))
  }
  rule$class %in% target$classes && is_numbers(rule$threshold, 1)
}

# One network, or several that predict together, each with what it learned of its rows.
networks_hold <- function(predictor) {
  members <- predictor$members
  if (is.null(members)) return(network_holds(predictor))
  is.list(members) && length(members) >= 1 && is.null(predictor$network) &&
    is_numbers(predictor$shares, length(members)) && all(predictor$shares >= 0) &&
    abs(sum(predictor$shares) - 1) < 1e-9 && is_numbers(predictor$folds, length(members)) &&
    all(vapply(members, member_holds, NA, predictor$target))
}

member_holds <- function(member, target) {
  identical(member$target, target) && preparation_holds(member$preparation, target) && network_holds(member) &&
    is.null(member$members) && is.null(member$recalibration) && is.null(member$decision)
}

linear_holds <- function(linear, target) {
  identical(linear$target, target) && preparation_holds(linear$preparation, target) && networks_hold(linear) &&
    recalibration_holds(linear$recalibration, target) && decision_holds(linear$decision, target)
}

# ---- beside it ----------------------------------------------------------------------------------------------------

curves_hold <- function(parts) {
  curves <- parts$curves
  stopped <- c(
    "epochs", "patience", "gradient", "loss", "seconds", "converged", "interrupted", "diverged", "vanished", "ensemble",
    "set"
  )
  member <- if (is.null(parts$members)) rep(1, nrow(curves)) else curves$member
  wants_numbers(c("epoch", "training", "validation", "rate", "gradient", "updates", "seconds"))(curves) &&
    is_place(parts$best_epoch, 0, nrow(curves)) && parts$stopped %in% stopped &&
    all(as.integer(curves$epoch) == stats::ave(member, member, FUN = seq_along)) && members_hold(parts)
}

resumed_holds <- function(resumed) {
  is_text(resumed$of, 1) && is_numbers(resumed$rows, 1) && is_flag(resumed$same) && is_flag(resumed$state) &&
    is_texts(resumed$differs)
}

refitted_holds <- function(refitted) {
  is_text(refitted$of, 1) && is_numbers(refitted$rows, 1) && is_numbers(refitted$former_rows, 1)
}

disagreement_holds <- function(apart, classes) {
  is_numbers(unlist(apart), length(classes)) && all(unlist(apart) >= 0) && identical(names(apart), classes)
}

profile_holds <- function(profile) {
  is_place(profile$rows, 1, Inf) && (is.null(profile$groups) || is_place(profile$groups, 1, Inf)) &&
    is.list(profile$columns) && all(vapply(profile$columns, profiled_holds, NA, profile$rows))
}

profiled_holds <- function(column, rows) {
  between <- function(x, low, high) all(x >= low & x <= high)
  # of no rows there is no mean
  mean_holds <- function(x) {
    is_numbers(x$units, 1) && if (x$units == 0) all(is.na(unlist(x[c("value", "deviation", "error")]))) else {
      is_numbers(unlist(x[c("value", "deviation", "error")]), 3) && x$deviation >= 0 && x$error >= 0
    }
  }
  shares_hold <- function(counts, effects, n) {
    is_numbers(counts, n) && is_numbers(effects, n) && between(counts, 0, rows) && between(effects, 1, Inf)
  }
  shares_hold(column$missing$count, column$missing$effect, 1) && switch(column$kind,
    number = is_numbers(column$knots, 101) && !is.unsorted(column$knots) && is_numbers(column$outside, 2) &&
      mean_holds(column$place) && mean_holds(column$spread) && is_known_number(column$mean) &&
      is_known_number(column$deviation),
    levels = is_texts(column$levels) && shares_hold(column$counts, column$effects, length(column$levels)),
    FALSE
  )
}

members_hold <- function(parts) {
  members <- parts$members
  if (is.null(members)) return(TRUE)
  numbers <- c("fold", "share", "learned", "predicted", "epochs", "best_epoch", "loss", "parameters", "seconds")
  wants_numbers(numbers, "network")(members) && nrow(members) >= 1
}

baseline_holds <- function(baseline, target) {
  if (has_classes(target)) {
    share <- unlist(baseline$share)
    return(baseline$prediction %in% target$classes && is_numbers(share) && identical(names(share), target$classes))
  }
  n <- length(target$columns)
  is_numbers(baseline$prediction, n) && is_numbers(baseline$mean, n) && is_text(baseline$is, 1) &&
    (is.null(target$loss$at) || is_numbers(baseline$quantiles, length(target$loss$at)))
}

evaluated_hold <- function(evaluated, target) {
  is.list(evaluated) && all(names(evaluated) %in% c("out_of_fold", part_names, "later")) && all(
    vapply(evaluated, rows_hold, NA, target)
  )
}

rows_hold <- function(rows, target) {
  n <- length(rows$key)
  along <- function(x) if (is.data.frame(x)) nrow(x) else length(x)
  numbers <- function(x) is.numeric(x) || all(is.na(x))
  observed <- if (has_classes(target)) {
    is.character(rows$observed) && all(rows$observed %in% target$classes)
  } else if (length(target$columns) > 1) {
    identical(names(rows$observed), target$columns) && all(vapply(rows$observed, is_numbers, NA))
  } else {
    is_numbers(rows$observed)
  }
  predictions_hold <- function(predictions) {
    if (is.null(predictions)) return(TRUE)
    if (!has_classes(target)) return(is.data.frame(predictions) && all(vapply(predictions, numbers, NA)))
    identical(names(predictions), c("prediction", paste0("probability_", target$classes))) &&
      all(predictions$prediction %in% c(target$classes, NA)) && all(vapply(predictions[-1], numbers, NA))
  }
  is.character(rows$key) && observed && is_numbers(rows$weight, n) && all(rows$weight >= 0) &&
    all(vapply(rows, along, 0) == n) && is.data.frame(rows$predictions) && predictions_hold(rows$predictions) &&
    predictions_hold(rows$linear) && (is.null(rows$row) || is_numbers(rows$row, n)) &&
    (is.null(rows$group) || is.character(rows$group))
}

# Settled anew it is what it was.
regimen_holds <- function(regimen, members) {
  if (is.null(members)) return(is.null(regimen))
  identical(settle_settings(regimen, brief_schema$regimen, "regimen"), regimen)
}

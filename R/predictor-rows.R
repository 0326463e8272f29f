# What a predictor predicts for rows: the network's predictions, and what recalibration and decision make of them.

# The task's predictions for rows of a working table, a data frame: for classes `prediction` and `probability_<class>`;
# for numbers `prediction`, with `quantile_<share>` behind it for the quantile loss, or `prediction_<target>` for
# several targets. Rows that lack a value which the brief drops rows for have no prediction. An ensemble's prediction is
# the mean of its members'.
predictions_of <- function(predictor, table) {
  joint_predictions(predictor, predicting_members(predictor), predictor$shares %||% 1, table)
}

# The mean of the predictions of some of its members, each of which counts by its share.
joint_predictions <- function(predictor, members, shares, table) {
  target <- predictor$target
  preparations <- lapply(members, `[[`, "preparation")
  shared <- shared_intakes(preparations, table)
  networks <- Map(function(member, share, intake) {
    list(
      shape = network_shape(member$network), parameters = members_of(member$network), intake = intake, share = share,
      reading = task_of(target)$reading(target, member$preparation$target)
    )
  }, members, shares, shared$intake)
  offset <- if (is.null(target$exposure)) numeric() else log(table[[target$exposure]])
  weights <- if (has_classes(target)) class_weights_of(target, predictor$preparation$target)[target$classes]
  values <- unless_no_room(core_joint_predictions(
    networks, shared$intakes, shared$columns, offset, as.numeric(weights), nrow(table), thread_count()
  ))
  predictions <- task_of(target)$prediction(values, target)
  for (column in dropped_for_missing(preparations)) predictions[is.na(table[[column]]), ] <- NA
  predictions
}

dropped_for_missing <- function(preparations) {
  unique(unlist(lapply(preparations, function(preparation) {
    prepared_columns(preparation)[vapply(preparation$columns, `[[`, NA, "drop_missing")]
  })))
}

# Several predictions for the same rows as one: the mean of numbers, and of probabilities, of which the prediction
# follows.
mean_predictions <- function(predictor, each, shares) {
  classes <- predictor$target$classes
  numbers <- if (is.null(classes)) names(each[[1]]) else paste0("probability_", classes)
  shares <- shares / sum(shares)
  result <- each[[1]]
  for (name in numbers) {
    mean <- 0
    for (i in seq_along(each)) mean <- mean + shares[i] * .subset2(each[[i]], name)
    result[[name]] <- mean
  }
  if (!is.null(classes)) result$prediction <- predicted_classes(predictor, as.matrix(result[numbers]))
  result
}

# The shares of networks that predict a fold by themselves: none of them may count for anything.
fold_shares <- function(shares) if (sum(shares) > 0) shares else rep(1, length(shares))

# The class whose probability, times its weight, is highest.
predicted_classes <- function(predictor, probability) {
  classes <- predictor$target$classes
  weight <- class_weights_of(predictor$target, predictor$preparation$target)[classes]
  score <- if (all(weight == 1)) probability else probability * rep(weight, each = nrow(probability))
  if (!anyNA(score)) return(classes[max.col(score, ties.method = "first")])
  prediction <- rep(NA_character_, nrow(score))
  known <- stats::complete.cases(score)
  prediction[known] <- classes[max.col(score[known, , drop = FALSE], ties.method = "first")]
  prediction
}

# The inputs of new rows, and the exposure that counts need beside them.
rows_to_predict <- function(predictor, newdata) {
  table <- new_rows(predictor$preparation, newdata)
  exposure <- predictor$target$exposure
  if (is.null(exposure)) return(table)
  check_is_column(newdata, exposure, "exposure")
  check_exposure_values(newdata[[exposure]], exposure)
  table[[exposure]] <- newdata[[exposure]]
  table
}

# The predictions for new rows as they are given out.
given_predictions <- function(predictor, newdata) {
  predictions_now(predictor, predictions_of(predictor, rows_to_predict(predictor, newdata)))
}

# ---- recalibrated and decided -------------------------------------------------------------------------------------

# The network's own predictions as they are given out; `ratio` is by class how much more common it is where the rows
# come from than it was in training, see share_ratio().
predictions_now <- function(predictor, predictions, ratio = NULL) {
  recalibration <- predictor$recalibration
  decision <- predictor$decision
  if (is.null(recalibration) && is.null(decision) && is.null(ratio)) return(predictions)
  classes <- predictor$target$classes
  known <- !is.na(predictions$prediction)
  p <- as.matrix(predictions[known, -1])
  if (!is.null(recalibration)) {
    p <- recalibrated(recalibration, p)
    predictions[known, -1] <- p
    predictions$prediction[known] <- predicted_classes(predictor, p)
  }
  if (!is.null(ratio)) {
    p <- p * rep(ratio, each = nrow(p))
    p <- p / rowSums(p)
    predictions[known, -1] <- p
    predictions$prediction[known] <- predicted_classes(predictor, p)
  }
  if (!is.null(decision)) predictions$prediction[known] <- decided(decision, p, classes)
  predictions
}

# The predictions that the rule gives to rows with these probabilities, one column a class.
decided <- function(decision, probability, classes) {
  rule <- decision$rule
  if (!is.null(rule$costs)) {
    expected <- probability %*% rule$costs
    return(classes[max.col(-expected, ties.method = "first")])
  }
  place <- match(rule$class, classes)
  others <- probability
  others[, place] <- -1
  ifelse(probability[, place] >= rule$threshold, rule$class, classes[max.col(others, ties.method = "first")])
}

# Probabilities (one column a class) put right.
recalibrated <- function(recalibration, p) {
  map <- recalibration$map
  if (recalibration$method == "temperature") return(tempered(p, map$temperature))
  q <- vapply(seq_along(map$place), function(i) on_curve(map$curves[[i]], p[, map$place[i]]), numeric(nrow(p)))
  q <- matrix(q, nrow(p))
  if (ncol(p) == 2) return(if (map$place == 2) cbind(1 - q, q) else cbind(q, 1 - q))
  total <- rowSums(q)
  q / ifelse(total > 0, total, 1)
}

on_curve <- function(curve, p) {
  if (!is.null(curve$slope)) return(stats::plogis(curve$intercept + curve$slope * log_odds(p)))
  if (length(curve$score) == 1) return(rep(curve$level, length(p)))
  stats::approx(curve$score, curve$level, p, rule = 2, ties = "ordered")$y
}

# p^(1 / temperature), normalised.
tempered <- function(p, temperature) {
  logs <- log(pmax(p, 2^-126)) / temperature
  q <- exp(logs - logs[cbind(seq_len(nrow(logs)), max.col(logs, ties.method = "first"))])
  q / rowSums(q)
}

log_odds <- function(p) stats::qlogis(pmin(pmax(p, 1e-12), 1 - 1e-12))

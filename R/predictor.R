# A predictor turns rows into predictions and nothing more. It is a list of class `hylomath_predictor`:
#   target         what is predicted, see task.R
#   preparation    what was learned of the columns, see prep-learn.R
#   network        the network's shape with its `parameters`, and `members` for an ensemble, see wiring.R
#   recalibration  how probabilities are put right, or NULL, see recalibrate.R
#   decision       the rule by which classes are predicted, or NULL for the highest score, see decide.R
# One that predicts by several others, see ensemble.R, has in the place of a network
#   members        predictors, each with its own preparation and network
#   shares         how much each of them counts, with a sum of 1
#   folds          in which fold each of them predicted, see ensemble.R
# and its preparation is what was learned of all rows that they were trained on.
# It has no history and knows no evaluated rows. A model, the network without hidden layers beside it, each member of a
# ensemble and each fold's network are or hold one.

# A predictor with other parameters: one start of several, or weights that were set.
with_parameters <- function(predictor, parameters) {
  predictor$network$parameters <- parameters
  predictor$network["members"] <- NULL
  predictor
}

# The columns that a table of new rows must have.
needed_columns <- function(predictor) {
  preparation <- predictor$preparation
  unique(c(raw_columns(preparation$rules$derived, prepared_columns(preparation)), predictor$target$exposure))
}

# ---- several as one -----------------------------------------------------------------------------------------------

joint_predictor <- function(target, preparation, members, shares, folds) {
  structure(
    list(
      target = target, preparation = preparation, members = members, shares = shares / sum(shares), folds = folds
    ),
    class = "hylomath_predictor"
  )
}

# The predictors whose predictions are averaged: itself, if it is one alone.
predicting_members <- function(predictor) predictor$members %||% list(predictor)

# The one of them that is looked at where only one network can be.
leading_member <- function(predictor) {
  if (is.null(predictor$members)) predictor else predictor$members[[which.max(predictor$shares)]]
}

# The same predictions by networks without the inputs that they have no weight for: where an l1 penalty has left few of
# many columns, these are all that has to be encoded. Networks with hidden layers stay as they are.
without_idle_inputs <- function(predictor) {
  if (is.null(predictor$members)) return(member_without_idle_inputs(predictor))
  predictor$members <- lapply(predictor$members, member_without_idle_inputs)
  left <- unlist(lapply(predictor$members, function(member) prepared_columns(member$preparation)))
  kept <- prepared_columns(predictor$preparation) %in% left
  predictor$preparation <- of_columns(predictor$preparation, kept)
  predictor
}

of_columns <- function(preparation, kept) {
  plans <- preparation$columns[kept]
  preparation$columns <- plans
  preparation$features <- unlist(lapply(plans, plan_features), use.names = FALSE)
  preparation$rules <- needed_rules(preparation$rules, prepared_columns(preparation))
  preparation
}

member_without_idle_inputs <- function(member) {
  network <- member$network
  if (length(network$layers) > 1 || length(network$embeddings) || !is.null(network$skip)) return(member)
  plans <- member$preparation$columns
  of_column <- rep(seq_along(plans), lengths(lapply(plans, plan_features)))
  units <- network$layers[[1]]$units
  weights <- seq_len(length(of_column) * units)
  weighed <- Reduce(`|`, lapply(members_of(network), function(p) colSums(matrix(p[weights] != 0, units)) > 0))
  # a column whose missing cells leave a row without a prediction has its say too
  kept <- seq_along(plans) %in% of_column[weighed] | vapply(plans, `[[`, NA, "drop_missing")
  if (all(kept) || !any(kept)) return(member)
  left <- of_column %in% which(kept)
  narrowed <- function(p) c(p[weights][rep(left, each = units)], p[-weights])
  network$inputs <- sum(left)
  network$parameters <- narrowed(network$parameters)
  if (!is.null(network$members)) network$members <- lapply(network$members, narrowed)
  member$network <- network
  member$preparation <- of_columns(member$preparation, kept)
  member
}

# All parameters of all networks that predict together.
all_parameters <- function(predictor) {
  sum(vapply(predicting_members(predictor), function(member) total_parameters(member$network), 0))
}

network_parameters <- function(predictor) length(leading_member(predictor)$network$parameters)

# How many networks predict together.
network_count <- function(predictor) {
  sum(vapply(predicting_members(predictor), function(member) length(members_of(member$network)), 0L))
}

# ---- of a fit --------------------------------------------------------------------------------------------------------

# The predictor of a fit that has ended.
new_predictor <- function(spec, fit) {
  a <- spec$analysis
  predictor <- structure(
    list(target = a$target, preparation = spec$learned$preparation, network = fit$network),
    class = "hylomath_predictor"
  )
  # of rows that the network has not learned, where there are enough: of those that it has errors are too small
  unlearned <- rows_in(a, "validation")
  rows <- if (length(unlearned) >= fewest_smeared) unlearned else rows_in(a, "training")
  training <- drawn_rows(rows, most_smeared, a$regimen$seed, "smear")
  smear <- fitted_smear(spec, predictor, training)
  if (!is.null(smear)) predictor$preparation$target$smear <- smear
  predictor
}

# Of more rows some are drawn.
most_smeared <- 1000000
fewest_smeared <- 100

# The mean of exp(residual) of a log target over the training rows (Duan 1983, "Smearing estimate"); NULL where it isn't
# needed.
fitted_smear <- function(spec, predictor, training) {
  target <- predictor$target
  if (target$scaling != "log" || predictions_are(target) != "means") return(NULL)
  predictions <- as.matrix(predictions_in_fit(spec, predictor, training))
  weight <- weights_in(spec$analysis, training)
  observed <- function(i) spec$analysis$table[[target$columns[i]]][training]
  of_target <- function(i) weighted_mean(observed(i) / predictions[, i], weight)
  unname(vapply(seq_along(target$columns), of_target, 0))
}

# ---- predictions of rows ---------------------------------------------------------------------------------------------

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
  taken <- shared_intakes(lapply(members, `[[`, "preparation"), table)
  predictions_taken(predictor, members, shares, table, taken)
}

# The same of some rows of the table that a spec's network was trained on, which are taken in as in training.
predictions_in_fit <- function(spec, predictor, rows) {
  plans <- predictor$preparation$columns
  intake <- list(plans = plans, places = seq_along(plans), codes = vector("list", length(plans)))
  taken <- list(columns = spec$core$sources, intakes = list(intake), intake = 1L)
  predictions_taken(predictor, list(predictor), 1, spec$analysis$table, taken, rows)
}

# `taken` is what shared_intakes() gives, `rows` are those to predict, NULL for all.
predictions_taken <- function(predictor, members, shares, table, taken, rows = NULL) {
  target <- predictor$target
  of_rows <- function(column) if (is.null(rows)) table[[column]] else table[[column]][rows]
  networks <- Map(function(member, share, intake) {
    list(
      shape = network_shape(member$network), parameters = members_of(member$network), intake = intake, share = share,
      reading = task_of(target)$reading(target, member$preparation$target)
    )
  }, members, shares, taken$intake)
  offset <- if (is.null(target$exposure)) numeric() else log(of_rows(target$exposure))
  weights <- if (has_classes(target)) class_weights_of(target, predictor$preparation$target)[target$classes]
  values <- unless_no_room(core_joint_predictions(
    networks, taken$intakes, taken$columns, as.integer(rows), offset, as.numeric(weights),
    if (is.null(rows)) nrow(table) else length(rows), thread_count()
  ))
  predictions <- task_of(target)$prediction(values, target)
  dropping <- dropped_for_missing(lapply(members, `[[`, "preparation"))
  for (column in dropping) predictions[is.na(of_rows(column)), ] <- NA
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

# ---- evaluated rows --------------------------------------------------------------------------------------------------

# Evaluated rows: rows whose target is known, with what an appraisal needs of them. They are a list along the rows:
#   key       the row's id as text, or its number in the table
#   group     its group as text; NULL without groups
#   observed  what was observed: texts, numbers, or a data frame with a column a target
#   weight    its case weight
#   when      the place of its row in time, where a column orders the rows
#   exposure  for counts with one
#   predictions   the network's own predictions, see predictions_of(); evaluated_now() recalibrates and decides
#   linear    the same of the network without hidden layers; NULL without one
# and, where the table matters, `row`, its number there.

# `table` holds the rows of a working table whose numbers are `rows`; `roles` are the brief's columns by role. Where the
# predictions are given, the table needs no inputs.
evaluated_rows <- function(predictor, roles, table, rows, linear = NULL,
                           predictions = predictions_of(predictor, table)) {
  target <- predictor$target
  role <- function(name) if (!is.null(roles[[name]])) table[[roles[[name]]]]
  id <- role("id")
  group <- role("group")
  weight <- role("weight")
  drop_nulls(list(
    key = if (is.null(id)) as.character(rows) else as_label(id),
    group = if (!is.null(group)) as_label(group),
    observed = task_of(target)$observe(table[target$columns], target),
    weight = if (is.null(weight)) rep(1, nrow(table)) else if (weights_count(roles)) as.numeric(weight) else {
      scaled_importance(as.numeric(weight))
    },
    when = if (!is.null(role("order"))) as.numeric(xtfrm(role("order"))),
    exposure = if (!is.null(target$exposure)) as.numeric(table[[target$exposure]]),
    predictions = predictions,
    linear = if (!is.null(linear)) predictions_of(linear, table)
  ))
}

# Evaluated rows with the predictions as they are given out: recalibrated, and by the stored decision.
evaluated_now <- function(predictor, evaluated, linear = NULL) {
  evaluated$network <- evaluated$predictions
  evaluated$predictions <- predictions_now(predictor, evaluated$predictions)
  if (!is.null(evaluated$linear) && !is.null(linear)) evaluated$linear <- predictions_now(linear, evaluated$linear)
  evaluated
}

# Evaluated rows one by one where their weights count rows, so that whoever looks at them sees what stands in the table
# written out; `copy` numbers those of one row. Every way to evaluated rows leads through here: evaluated_in_part(),
# evaluated_in() and new_folds().
one_by_one <- function(evaluated, columns) {
  if (is.null(evaluated) || !weights_count(columns) || all(evaluated$weight == 1)) return(evaluated)
  places <- counted_places(evaluated$weight)
  evaluated <- rows_of_each(evaluated, places)
  evaluated$copy <- sequence(rle(places)$lengths)
  evaluated$weight <- rep(1, length(places))
  evaluated
}

# Mean losses over evaluated rows by the measure that the network is trained for, as one figure: of several targets the
# mean of their shares of the targets' variances.
mean_loss <- function(predictor, evaluated) {
  losses <- own_losses(predictor$target, evaluated, evaluated$predictions) * evaluated$weight
  one_loss(predictor, colSums(losses) / sum(evaluated$weight))
}

# What each row costs by that measure, a column a target.
own_losses <- function(target, evaluated, predictions) task_of(target)$row_losses(target, evaluated, predictions)

one_loss <- function(predictor, losses) {
  if (length(losses) == 1) return(loss_measure(primary_measure(predictor$target))(losses))
  mean(losses / predictor$preparation$target$scale^2)
}

# The measure that a network is trained for, by which it is compared with others.
primary_measure <- function(target) task_of(target)$primary(target)

# The measure that a mean of losses comes to.
loss_measure <- function(primary) if (primary == "RMSE") sqrt else identity

# What one_loss() is called.
loss_name <- function(target) {
  if (length(target$columns) > 1) "mean share of the targets' variances" else primary_measure(target)
}

# All evaluated rows as one; a row that is evaluated several times is one row.
bind_evaluated <- function(parts, repeats) {
  together <- lapply(stats::setNames(nm = names(parts[[1]])), function(name) {
    columns <- lapply(parts, `[[`, name)
    if (is.data.frame(columns[[1]])) do.call(rbind, columns) else unlist(columns)
  })
  together$weight <- together$weight / repeats
  if (repeats > 1 && is.null(together$group)) {
    together$group <- do.call(paste, drop_nulls(together[c("key", "copy")]))
  }
  together
}

# What an answerer answers to rows: the network's answers, and what recalibration and decision make of them.

# The task's answers to rows of a working table, a data frame: for classes `answer` and `probability_<class>`; for
# numbers `answer`, with `quantile_<share>` behind it for the quantile loss, or `answer_<target>` for several targets.
# Rows that lack a value which the brief drops rows for have no answer. A committee's answer is the mean of its
# members'.
answers_of <- function(answerer, table) {
  joint_answers(answerer, answering_members(answerer), answerer$shares %||% 1, table)
}

# The mean of the answers of some of its members, each of which counts by its share.
joint_answers <- function(answerer, members, shares, table) {
  target <- answerer$target
  preparations <- lapply(members, `[[`, "preparation")
  shared <- shared_intakes(preparations, table)
  networks <- Map(function(member, share, intake) {
    list(
      shape = network_shape(member$network), parameters = members_of(member$network), intake = intake, share = share,
      reading = task_of(target)$reading(target, member$preparation$target)
    )
  }, members, shares, shared$intake)
  offset <- if (is.null(target$exposure)) numeric() else log(table[[target$exposure]])
  weights <- if (has_classes(target)) class_weights_of(target, answerer$preparation$target)[target$classes]
  values <- unless_no_room(core_joint_answers(
    networks, shared$intakes, shared$columns, offset, as.numeric(weights), nrow(table), thread_count()
  ))
  answers <- task_of(target)$answer(values, target)
  for (column in dropped_for_gaps(preparations)) answers[is.na(table[[column]]), ] <- NA
  answers
}

dropped_for_gaps <- function(preparations) {
  unique(unlist(lapply(preparations, function(preparation) {
    prepared_columns(preparation)[vapply(preparation$columns, `[[`, NA, "drop_gaps")]
  })))
}

# Several answers to the same rows as one: the mean of numbers, and of probabilities, of which the answer follows.
mean_answers <- function(answerer, each, shares) {
  classes <- answerer$target$classes
  numbers <- if (is.null(classes)) names(each[[1]]) else paste0("probability_", classes)
  shares <- shares / sum(shares)
  result <- each[[1]]
  for (name in numbers) {
    mean <- 0
    for (i in seq_along(each)) mean <- mean + shares[i] * .subset2(each[[i]], name)
    result[[name]] <- mean
  }
  if (!is.null(classes)) result$answer <- answered_classes(answerer, as.matrix(result[numbers]))
  result
}

# The shares of networks that answer a turn by themselves: none of them may count for anything.
turn_shares <- function(shares) if (sum(shares) > 0) shares else rep(1, length(shares))

# The class whose probability, times its weight, is highest.
answered_classes <- function(answerer, probability) {
  classes <- answerer$target$classes
  weight <- class_weights_of(answerer$target, answerer$preparation$target)[classes]
  score <- if (all(weight == 1)) probability else probability * rep(weight, each = nrow(probability))
  if (!anyNA(score)) return(classes[max.col(score, ties.method = "first")])
  answer <- rep(NA_character_, nrow(score))
  known <- stats::complete.cases(score)
  answer[known] <- classes[max.col(score[known, , drop = FALSE], ties.method = "first")]
  answer
}

# The inputs of new rows, and the exposure that counts need beside them.
rows_to_answer <- function(answerer, newdata) {
  table <- new_rows(answerer$preparation, newdata)
  exposure <- answerer$target$exposure
  if (is.null(exposure)) return(table)
  check_is_column(newdata, exposure, "exposure")
  check_exposure_values(newdata[[exposure]], exposure)
  table[[exposure]] <- newdata[[exposure]]
  table
}

# The answers to new rows as they are given out.
given_answers <- function(answerer, newdata) {
  answers_now(answerer, answers_of(answerer, rows_to_answer(answerer, newdata)))
}

# ---- recalibrated and decided -------------------------------------------------------------------------------------

# The network's own answers as they are given out; `ratio` is by class how much more common it is where the rows come
# from than it was in training, see share_ratio().
answers_now <- function(answerer, answers, ratio = NULL) {
  recalibration <- answerer$recalibration
  decision <- answerer$decision
  if (is.null(recalibration) && is.null(decision) && is.null(ratio)) return(answers)
  classes <- answerer$target$classes
  known <- !is.na(answers$answer)
  p <- as.matrix(answers[known, -1])
  if (!is.null(recalibration)) {
    p <- recalibrated(recalibration, p)
    answers[known, -1] <- p
    answers$answer[known] <- answered_classes(answerer, p)
  }
  if (!is.null(ratio)) {
    p <- p * rep(ratio, each = nrow(p))
    p <- p / rowSums(p)
    answers[known, -1] <- p
    answers$answer[known] <- answered_classes(answerer, p)
  }
  if (!is.null(decision)) answers$answer[known] <- decided(decision, p, classes)
  answers
}

# The answers that the rule gives to rows with these probabilities, one column a class.
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

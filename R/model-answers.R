# What a model answers to rows: its network's answers, and what recalibration and decision make of them.

# The task's answers to rows of a working table, a data frame: for classes `answer` and `probability_<class>`; for numbers
# `answer`, with `quantile_<share>` behind it for the quantile loss, or `answer_<target>` for several targets. Rows that lack
# a value which the brief drops rows for have no answer. A committee's answer is the mean of its members'.
answers_of <- function(model, table) {
  b <- model$brief
  sources <- encoder_sources(model$preparation, table)
  offset <- if (is.null(b$columns$exposure)) numeric() else log(table[[b$columns$exposure]])
  members <- model$network$members %||% list(model$network$parameters)
  raw <- Reduce(`+`, lapply(members, function(parameters) {
    core_answers(network_shape(model$network), parameters, model$preparation$columns, sources, offset, thread_count())
  })) / length(members)
  answers <- if (b$task == "classification") class_answers(b, model$preparation, raw) else number_answers(b, model$preparation, raw)
  for (plan in model$preparation$columns) if (plan$drop_gaps) answers[is.na(table[[plan$column]]), ] <- NA
  answers
}

# With class weights w the network learns scores q proportional to w p. The answer is the class with the largest q;
# the probability is p, had back as q / w and normalised.
class_answers <- function(b, preparation, raw) {
  score <- if (length(b$classes) == 2) two_columns(b, as.numeric(raw)) else t(raw)
  weight <- class_weights_of(b, preparation)[b$classes]
  probability <- score / rep(weight, each = nrow(score))
  probability <- probability / rowSums(probability)
  answer <- b$classes[max.col(score, ties.method = "first")]
  result <- data.frame(answer = answer, probability)
  names(result) <- c("answer", paste0("probability_", b$classes))
  result
}

# Quantiles are put in rising order, row by row (Chernozhukov, Fernandez-Val and Galichon 2010).
number_answers <- function(b, preparation, raw) {
  loss <- settled_loss(b)
  answers <- decode_numbers(preparation, raw)
  if (loss$kind == "quantile") {
    answers <- rising_rows(answers)
    middle <- which.min(abs(loss$at - 0.5))
    return(stats::setNames(data.frame(answers[, middle], answers), c("answer", paste0("quantile_", format_each(loss$at)))))
  }
  stats::setNames(as.data.frame(answers), if (length(b$target) == 1) "answer" else paste0("answer_", b$target))
}

# Each row's values in rising order, by exchanges of neighbouring columns: few columns, any number of rows.
rising_rows <- function(x) {
  k <- ncol(x)
  for (round in seq_len(k)) {
    for (j in seq_len(k - 1)) {
      low <- pmin(x[, j], x[, j + 1])
      x[, j + 1] <- pmax(x[, j], x[, j + 1])
      x[, j] <- low
    }
  }
  x
}

two_columns <- function(b, positive) {
  if (b$positive == b$classes[2]) cbind(1 - positive, positive) else cbind(positive, 1 - positive)
}

# The same model with the network without hidden layers in place of its own, see direct.R.
direct_model <- function(model) {
  model$network <- model$direct$network
  model$preparation$target$smear <- model$direct$smear %||% model$preparation$target$smear
  model[c("decision", "recalibration")] <- model$direct[c("decision", "recalibration")]
  model
}

# Judged rows with the answers as they are given out: recalibrated, and by the stored decision.
judged_now <- function(model, judged) {
  judged$network <- judged$answers
  judged$answers <- answers_now(model, judged$answers)
  if (!is.null(judged$direct)) judged$direct <- answers_now(direct_model(model), judged$direct)
  judged
}

answers_now <- function(model, answers) {
  if (model$brief$task != "classification" || (is.null(model$recalibration) && is.null(model$decision))) return(answers)
  classes <- model$brief$classes
  known <- !is.na(answers$answer)
  p <- as.matrix(answers[known, -1])
  if (!is.null(model$recalibration)) {
    p <- recalibrated(model$recalibration, p)
    answers[known, -1] <- p
    weight <- class_weights_of(model$brief, model$preparation)[classes]
    answers$answer[known] <- classes[max.col(p * rep(weight, each = nrow(p)), ties.method = "first")]
  }
  if (!is.null(model$decision)) answers$answer[known] <- decided(model$decision, p, classes)
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

# What a teacher says, and the fit that listens to it; see ?distil.

# Its answers to the rows of its working table, for students: `answers`, a matrix of probabilities with a column a class, or of numbers with a
# column a target, NA where it has no answer; and `smear`, the factor that made means of them.
teaching_of <- function(teacher, table) {
  b <- teacher$brief
  answers <- as.matrix(answers_of(teacher, table)[if (b$task == "classification") paste0("probability_", b$classes) else TRUE])
  dimnames(answers) <- list(NULL, b$classes)
  list(answers = answers, smear = if (b[["prepare"]]$target == "log") teacher$preparation$target$smear)
}

# fit_spec() with a teacher: `taught` is list(temperature, label_share) and what teaching_of() says of all rows of the table. Rows without
# a target take part with the teacher's answer alone.
taught_spec <- function(b, table, preparation, part, taught) {
  if (b$task == "classification") taught$answers <- unname(taught$answers[, b$classes])
  # a student of logarithms makes means of its answers itself
  if (preparation$target$log %||% FALSE && !is.null(taught$smear)) taught$answers <- sweep(taught$answers, 2, taught$smear, `/`)
  said <- stats::complete.cases(taught$answers)
  unlabelled <- rowSums(is.na(table[b$target])) > 0 & said & is.na(part) & !set_aside(b, table) %in% c("gap", "filtered")
  part[unlabelled] <- "training"
  if (b$task == "classification") {
    table[[b$target]] <- as_label(table[[b$target]])
    table[[b$target]][unlabelled] <- b$classes[max.col(taught$answers[unlabelled, , drop = FALSE], ties.method = "first")]
    spec <- fit_spec(b, table, preparation, part)
    spec$core$soft <- soft_shares(b, table, preparation, unlabelled, taught, spec$core$rows)
    spec$core$temperature <- taught$temperature
    return(spec)
  }
  share <- ifelse(unlabelled, 0, ifelse(said, taught$label_share, 1))
  for (j in seq_along(b$target)) {
    y <- as.numeric(table[[b$target[j]]])
    blended <- blend(y, taught$answers[, j], share, preparation$target$log)
    table[[b$target[j]]] <- ifelse(share == 1, y, blended)
  }
  fit_spec(b, table, preparation, part)
}

# Of targets that are trained as logarithms the logarithms are blended.
blend <- function(y, answer, share, log) {
  y[share == 0] <- answer[share == 0]
  if (log) exp(share * log(y) + (1 - share) * log(answer)) else share * y + (1 - share) * answer
}

# A column a row of the fit: the label's share, then each class's (core/loss.hpp). With class weights w the network learns scores
# proportional to w p, so it is these that are softened, and a row counts as much as its label is expected to; the row's own weight has w
# of its label in it already.
soft_shares <- function(b, table, preparation, unlabelled, taught, rows) {
  weight <- unname(class_weights_of(b, preparation)[b$classes])
  label <- match(as_label(table[[b$target]][rows]), b$classes)
  score <- taught$answers[rows, , drop = FALSE] * rep(weight, each = length(rows))
  p <- score^(1 / taught$temperature)
  listens <- stats::complete.cases(p)
  share <- ifelse(unlabelled[rows], 0, ifelse(listens, taught$label_share, 1))
  soft <- p / rowSums(p) * (1 - share) * taught$temperature^2 * rowSums(score) / weight[label]
  soft[!listens, ] <- 0
  if (length(b$classes) == 2) soft <- soft[, match(c(setdiff(b$classes, b$positive), b$positive), b$classes), drop = FALSE]
  unname(t(cbind(share, soft)))
}

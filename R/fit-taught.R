# What a teacher says, and the fit that listens to it; see ?distil.

# Its answers to the rows of its working table, for students: `answers`, a matrix of probabilities with a column a
# class, or of numbers with a column a target, NA where it has no answer; and `smear`, the factor that made means of
# them.
teaching_of <- function(teacher, table) {
  target <- teacher$target
  answers <- answers_of(teacher, table)
  said <- if (has_classes(target)) answers[paste0("probability_", target$classes)] else answers
  answers <- as.matrix(said)
  dimnames(answers) <- list(NULL, target$classes)
  list(answers = answers, smear = if (target$scaling == "log") teacher$preparation$target$smear)
}

# fit_spec() with a teacher: `taught` is list(temperature, label_share) and what teaching_of() says of all rows of the
# table. Rows without a target take part with the teacher's answer alone.
taught_spec <- function(settled, learned, taught) {
  a <- settled
  target <- a$target
  logarithmic <- isTRUE(learned$preparation$target$log)
  if (has_classes(target)) taught$answers <- unname(taught$answers[, target$classes])
  # a student of logarithms makes means of its answers itself
  if (logarithmic && !is.null(taught$smear)) taught$answers <- sweep(taught$answers, 2, taught$smear, `/`)
  said <- stats::complete.cases(taught$answers)
  open <- rowSums(is.na(a$table[target$columns])) > 0
  unlabelled <- open & said & is.na(a$part) & !a$aside %in% c("gap", "filtered")
  a$part[unlabelled] <- "training"
  spec <- if (has_classes(target)) {
    taught_classes(a, learned, taught, unlabelled)
  } else {
    taught_numbers(a, learned, taught, ifelse(unlabelled, 0, ifelse(said, taught$label_share, 1)))
  }
  # what is judged later is what was settled
  spec$analysis <- settled
  spec
}

# Of numbers the targets are blended: `share` is the label's.
taught_numbers <- function(a, learned, taught, share) {
  target <- a$target
  for (j in seq_along(target$columns)) {
    column <- target$columns[j]
    y <- as.numeric(a$table[[column]])
    a$table[[column]] <- ifelse(share == 1, y, blend(y, taught$answers[, j], share, learned$preparation$target$log))
  }
  fit_spec(a, learned)
}

# Rows without a label count as the class that the teacher takes for likeliest.
taught_classes <- function(a, learned, taught, unlabelled) {
  classes <- a$target$classes
  label <- as_label(a$table[[a$target$columns]])
  label[unlabelled] <- classes[max.col(taught$answers[unlabelled, , drop = FALSE], ties.method = "first")]
  a$table[[a$target$columns]] <- label
  spec <- fit_spec(a, learned)
  spec$core$soft <- soft_shares(a$target, learned, label, unlabelled, taught, spec$core$rows)
  spec$core$temperature <- taught$temperature
  spec
}

# Of targets that are trained as logarithms the logarithms are blended.
blend <- function(y, answer, share, log) {
  y[share == 0] <- answer[share == 0]
  if (log) exp(share * log(y) + (1 - share) * log(answer)) else share * y + (1 - share) * answer
}

# A column a row of the fit: the label's share, then each class's (core/loss.hpp). With class weights w the network
# learns scores proportional to w p, so it is these that are softened, and a row counts as much as its label is
# expected to; the row's own weight has w of its label in it already.
soft_shares <- function(target, learned, label, unlabelled, taught, rows) {
  classes <- target$classes
  weight <- unname(class_weights_of(target, learned$preparation$target)[classes])
  place <- match(label[rows], classes)
  score <- taught$answers[rows, , drop = FALSE] * rep(weight, each = length(rows))
  p <- score^(1 / taught$temperature)
  listens <- stats::complete.cases(p)
  share <- ifelse(unlabelled[rows], 0, ifelse(listens, taught$label_share, 1))
  soft <- p / rowSums(p) * (1 - share) * taught$temperature^2 * rowSums(score) / weight[place]
  soft[!listens, ] <- 0
  if (length(classes) == 2) {
    in_order <- c(setdiff(classes, target$positive), target$positive)
    soft <- soft[, match(in_order, classes), drop = FALSE]
  }
  unname(t(cbind(share, soft)))
}

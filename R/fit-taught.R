# What a teacher says, and the fit that listens to it; see ?distil.

# Its predictions for the rows of its working table, for students: `predictions`, a matrix of probabilities with a
# column a class, or of numbers with a column a target, NA where it has no prediction; and `smear`, the factor that made
# means of them.
teaching_of <- function(teacher, table) {
  target <- teacher$target
  predictions <- predictions_of(teacher, table)
  said <- if (has_classes(target)) predictions[paste0("probability_", target$classes)] else predictions
  predictions <- as.matrix(said)
  dimnames(predictions) <- list(NULL, target$classes)
  list(predictions = predictions, smear = if (target$scaling == "log") teacher$preparation$target$smear)
}

# fit_spec() with a teacher: `taught` is list(temperature, label_share) and what teaching_of() says of all rows of the
# table. Rows without a target take part with the teacher's prediction alone.
taught_spec <- function(settled, learned, taught) {
  a <- settled
  target <- a$target
  logarithmic <- isTRUE(learned$preparation$target$log)
  if (has_classes(target)) taught$predictions <- unname(taught$predictions[, target$classes])
  # a student of logarithms makes means of its predictions itself
  if (logarithmic && !is.null(taught$smear)) taught$predictions <- sweep(taught$predictions, 2, taught$smear, `/`)
  said <- stats::complete.cases(taught$predictions)
  open <- rowSums(is.na(a$table[target$columns])) > 0
  unlabelled <- open & said & is.na(a$part) & !a$aside %in% c("missing value", "filtered")
  a$part[unlabelled] <- "training"
  spec <- if (has_classes(target)) {
    taught_classes(a, learned, taught, unlabelled)
  } else {
    taught_numbers(a, learned, taught, ifelse(unlabelled, 0, ifelse(said, taught$label_share, 1)))
  }
  # what is evaluated later is what was settled
  spec$analysis <- settled
  spec
}

# Of numbers the targets are blended: `share` is the label's.
taught_numbers <- function(a, learned, taught, share) {
  target <- a$target
  for (j in seq_along(target$columns)) {
    column <- target$columns[j]
    y <- as.numeric(a$table[[column]])
    a$table[[column]] <- ifelse(share == 1, y, blend(y, taught$predictions[, j], share, learned$preparation$target$log))
  }
  fit_spec(a, learned)
}

# Rows without a label count as the class that the teacher takes for likeliest.
taught_classes <- function(a, learned, taught, unlabelled) {
  classes <- a$target$classes
  label <- as_label(a$table[[a$target$columns]])
  label[unlabelled] <- classes[max.col(taught$predictions[unlabelled, , drop = FALSE], ties.method = "first")]
  a$table[[a$target$columns]] <- label
  spec <- fit_spec(a, learned)
  spec$core$soft <- soft_shares(a$target, learned, label, unlabelled, taught, spec$core$rows)
  spec$core$temperature <- taught$temperature
  spec
}

# Of targets that are trained as logarithms the logarithms are blended.
blend <- function(y, prediction, share, log) {
  y[share == 0] <- prediction[share == 0]
  if (log) exp(share * log(y) + (1 - share) * log(prediction)) else share * y + (1 - share) * prediction
}

# A column a row of the fit: the label's share, then each class's (core/loss.hpp). With class weights w the network
# learns scores proportional to w p, so it is these that are softened, and a row counts as much as its label is
# expected to; the row's own weight has w of its label in it already.
soft_shares <- function(target, learned, label, unlabelled, taught, rows) {
  classes <- target$classes
  weight <- unname(class_weights_of(target, learned$preparation$target)[classes])
  place <- match(label[rows], classes)
  score <- taught$predictions[rows, , drop = FALSE] * rep(weight, each = length(rows))
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

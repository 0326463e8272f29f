# From an ensemble to one network: what `distil(model, table)` does when no student is named.

# The student learns, beside the labels, what the networks predicted for rows that they had not seen; the last fold
# stops it. Of several wirings the one with the lowest loss on the rows of that fold is kept.
distil_down <- function(teacher, b, how, report) {
  a <- settle(b)
  taught <- c(how, out_of_fold_teaching(teacher, a))
  students <- lapply(student_wirings(teacher), function(wiring) {
    student <- with_network(a, wiring, with_patience(a$regimen, epochs = 600, patience = 60))
    part <- a$part
    part[a$fold %in% max(a$fold, na.rm = TRUE)] <- "validation"
    student <- with_parts(student, part, a$regimen$seed)
    student$hold_out$folds <- 0
    student
  })
  models <- lapply(students, function(student) {
    train_model(taught_spec(student, learn_training(student), taught), report)
  })
  losses <- vapply(models, function(m) mean_loss(m$predictor, evaluated_in_part(m, "validation")), 0)
  model <- models[[which.min(losses)]]
  model$distilled <- drop_nulls(c(how, list(
    teacher = teacher_facts(teacher), unlabelled = 0L, retrained = FALSE, cost = distilling_cost(teacher, model)
  )))
  model
}

# The brief of an ensemble, on the table that it was trained on.
brief_of_teacher <- function(teacher, table) {
  if (is.null(teacher$predictor$members)) {
    fail(
      "This model is one network already.",
      "Name the student that it is to teach: distil(teacher, b), with a brief."
    )
  }
  b <- ready_to_train(with_table(teacher$brief, table), seed = function() training_seed(teacher))
  if (!is_own_table(teacher, b$table)) {
    fail("This is not the table that the model was trained on.", "A model keeps no inputs: give that table.")
  }
  b
}

# The wiring that counts most among the teacher's, and the usual one.
student_wirings <- function(teacher) {
  own <- sub(",.*", "", leading_members(teacher)$network[1])
  unique(c(if (own != "linear") own, usual_wiring))
}

# What the teacher's networks predicted out of fold, for the rows of the whole table; NA elsewhere.
out_of_fold_teaching <- function(teacher, a) {
  target <- a$target
  rows <- evaluated_in_part(teacher, "out_of_fold")
  said <- if (has_classes(target)) rows$predictions[paste0("probability_", target$classes)] else rows$predictions
  predictions <- matrix(NA_real_, nrow(a$table), ncol(said), dimnames = list(NULL, target$classes))
  predictions[rows$row, ] <- as.matrix(said)
  list(predictions = predictions, smear = if (target$scaling == "log") rep(1, ncol(said)))
}

# Loss on the same test rows, where there are some, time a row and size.
distilling_cost <- function(teacher, student) {
  models <- list("networks together" = teacher, "one network" = student)
  part <- evaluated_part(student)
  if (part != "test") return(NULL)
  data.frame(
    network = names(models),
    loss = vapply(models, function(m) mean_loss(m$predictor, evaluated_in_part(m, part)), 0),
    microseconds = vapply(models, function(m) microseconds_a_row(m$predictor), 0),
    parameters = vapply(models, function(m) all_parameters(m$predictor), 0), row.names = NULL
  )
}

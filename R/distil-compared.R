# Teacher, student and the student taught by labels alone on the same folds.

compared_students <- function(teacher, b, how, retrained, k, repeats, by, level, report) {
  laid <- checked_folds(b, k, repeats, by)
  taught_by <- if (retrained) {
    retrained_teachers(teacher, b, laid, k, repeats, by, report)
  } else {
    same_teacher(teacher, b$table, laid)
  }
  check_all_done(taught_by, "teachers")
  jobs <- fold_jobs(laid, "predictions")
  taught <- Map(function(job, by) c(job, list(taught = c(how, by$teaching))), jobs, taught_by)
  done <- run_jobs(b$table, c(taught, jobs), "student", report, laid = list(laid))
  check_all_done(done, "students")
  n <- length(jobs)
  each <- list(teacher = taught_by, taught = done[seq_len(n)], labels = done[n + seq_len(n)])
  comparison_table(lapply(each, function(done) new_folds(laid, done, level, 100)), level)
}

check_all_done <- function(done, who) {
  if (any(vapply(done, is.null, NA))) {
    what <- "Training was interrupted before the %s of all folds had ended."
    fail(sprintf(what, who), "Nothing was kept: train again.")
  }
}

# The teacher trained anew inside each fold.
retrained_teachers <- function(teacher, b, laid, k, repeats, by, report) {
  teachers <- checked_folds(with_rows_of(teacher, b), k, repeats, by)
  if (!identical(teachers$dealt, laid$dealt)) {
    fail(
      "Teacher and student don't take part with the same rows.",
      "Give both briefs the same keep_rows() and the same ways with missing values."
    )
  }
  if (is_ensemble(teachers$analysis)) return(folds_of_ensembles(teachers, report))
  run_jobs(b$table, fold_jobs(teachers, "teaching"), "teacher", report, laid = list(teachers))
}

# The brief of the teacher, with the table of another one and its say about which rows take part and where. Networks
# was trained as an ensemble is so in it too.
with_rows_of <- function(teacher, other) {
  said <- brief_settings(teacher$brief)
  how <- other[["hold_out"]]
  if (!is.null(teacher$members)) {
    folds <- said$hold_out["folds"]
    how <- utils::modifyList(without_former_stop(how, folds), folds)
  }
  said$hold_out <- how
  said$keep_rows <- other[["keep_rows"]]
  roles <- c("id", "group", "order")
  columns <- c(said$columns[setdiff(names(said$columns), roles)], drop_nulls(unclass(other$columns)[roles]))
  said$columns <- in_schema_order(columns, brief_schema$columns)
  new_brief(said, other$table)
}

# The teacher as it is, where it has seen none of the rows.
same_teacher <- function(teacher, table, laid) {
  predictor <- teacher$predictor
  working <- working_table_of(teacher$brief, table)
  teaching <- teaching_of(predictor, working)
  lapply(seq_len(nrow(laid$each)), function(i) {
    part <- laid$parts(i)
    rows <- which(part %in% "evaluated")
    evaluated <- evaluated_rows(predictor, teacher$brief$columns, working[rows, , drop = FALSE], rows)
    list(
      teaching = teaching, evaluated = c(evaluated, list(row = rows)), best_epoch = teacher$best_epoch,
      learned = sum(part %in% "training"), parameters = network_parameters(predictor), updates = 0, seconds = 0
    )
  })
}

comparison_table <- function(found, level) {
  labels <- c(teacher = "teacher", taught = "student, taught", labels = "student, labels alone")
  rows <- Map(function(folds, label) {
    apart <- fold_differences(label, folds, found$labels, level)
    shown <- intersect(c("target", "measure", "mean", "sd"), names(folds$measures))
    data.frame(
      network = label, folds$measures[shown], difference = apart$difference, low = apart$difference_low,
      high = apart$difference_high, parameters = mean(folds$each$parameters), check.names = FALSE
    )
  }, found, labels)
  table <- do.call(rbind, rows)
  rownames(table) <- NULL
  table
}

# The measure that networks are trained for, and the one that everybody knows.
main_measures <- function(comparison) {
  chosen <- intersect(telling_measures, comparison$measure[comparison$network == comparison$network[1]])
  chosen <- if ("accuracy" %in% chosen) c("accuracy", "cross-entropy") else utils::head(chosen, 2)
  of_first <- if (is.null(comparison$target)) TRUE else comparison$target == comparison$target[1]
  t <- comparison[comparison$measure %in% chosen & of_first, ]
  t[order(match(t$measure, chosen)), ]
}

# ---- what is compared ------------------------------------------------------------------------------------------------

# What is kept of who taught a network.

teacher_facts <- function(teacher) {
  list(
    wiring = wiring_text(teacher), members = network_count(teacher$predictor),
    parameters = all_parameters(teacher$predictor)
  )
}

# ---- from an ensemble to one network ---------------------------------------------------------------------------------

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

#' Teach a small network by a large one
#'
#' A student is trained by what a teacher answers, blended with the labels (Hinton, Vinyals and Dean 2015): the teacher's probabilities say
#' which mistakes are small ones, so a student on few rows, or a small one, learns more from them than from the labels alone.
#'
#' @param teacher A model: a network, or a committee, which is so made into one network.
#' @param b The student's brief, with its table: the same target and classes; wiring, regimen and inputs may be others.
#' @param temperature For classes: the teacher's and the student's scores are divided by it before they become probabilities, so that
#'   above 1 small probabilities count for more.
#' @param label_share How much the labels count, from 0 to 1; the teacher's answers count for the rest.
#' @param unlabelled A table of more rows without the target, which the student learns from the teacher alone. So are rows of the brief's
#'   own table whose target is missing.
#' @param teacher_data The table that the teacher was trained on, where it is another than the brief's: by it can be seen that the
#'   teacher has learned from none of the rows that are judged.
#' @param k,repeats,by,level,progress See [folds()]; `k = 0` leaves the comparison out.
#' @param ... Not used.
#' @details
#' For classes the loss of a row is `label_share` times the cross-entropy of the label, and (1 - `label_share`) times
#' `temperature` squared times that of the teacher's probabilities, both at the temperature; the square keeps the
#' teacher's part of the gradient the same at every temperature. For numbers and counts the student's target is the blend of the observed value and the teacher's
#' answer, which for the squared, Poisson and gamma losses comes to the same. Training is stopped by the same blend on the validation rows,
#' whose few labels alone say less; so the losses of a taught network are not to be compared with others'.
#'
#' Teacher, student and the same student taught by labels alone are compared on the same folds. Where the teacher was trained on the same
#' table, it is trained anew inside each fold, by its own brief, so that it has seen no row that is judged; where it was trained on
#' another one, `teacher_data` has to show that no judged row is in it.
#' @return A model, see [train()], with a part `distilled`: `temperature` (for classes), `label_share`, `teacher` (its wiring and number of parameters), `unlabelled` (rows),
#'   `retrained` (whether the teacher was, in each fold), and `comparison`, a data frame with a row a network and measure: `network`, `measure`, the `mean` over folds, its
#'   spread `sd`, and the `difference` from the student taught by labels alone with its interval `low` and `high` (fold by
#'   fold, corrected for overlapping training sets). [plot_distillation()] draws it.
#' @section Errors: Another target or other classes; a comparison with a teacher that its brief alone doesn't make, one that was taught itself or whose
#'   weights were set by hand; a teacher that has learned from rows that are judged; the losses `ordinal` and
#'   `quantile`, which can't take a teacher's answers.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' teacher <- b |> regimen(restarts = 4, keep = "committee") |> train(progress = "none")
#' distil(teacher, b |> wire("6 tanh"), k = 3, progress = "none")
#' @export
distil <- function(teacher, b, ...) UseMethod("distil")

#' @rdname distil
#' @export
distil.hylomath_model <- function(teacher, b, temperature = 2, label_share = 0.5, unlabelled = NULL, teacher_data = NULL, k = 5, repeats = 1, by = NULL, level = 0.95, progress = "auto", ...) {
  rlang::check_dots_empty()
  type_number(0, 1000, open_low = TRUE)(temperature, "temperature")
  type_number(0, 1)(label_share, "label_share")
  type_number(0.5, 1, open_high = TRUE)(level, "level")
  if (!identical(as.numeric(k), 0)) type_number(2, 1000, whole = TRUE)(k, "k")
  report <- reporter(progress)
  if (is.null(b$table)) fail("The student's brief has no table to train on.", "Give it one first: see brief().")
  b$regimen$seed <- b$regimen$seed %||% draw_seed()
  check_teaching(teacher, b)
  if (k > 0 && is.null(teacher_data) && (!is.null(teacher$distilled) || teacher$stopped == "set")) {
    fail(sprintf("This teacher %s, so it can't be trained anew inside folds from its brief alone.", if (teacher$stopped == "set") "has weights that were set by hand" else "was taught itself"), "Leave the comparison out (k = 0), and judge the student on its test rows.")
  }
  check_unseen(teacher, b, teacher_data)
  if (!is.null(unlabelled)) b <- with_unlabelled(b, as_table(unlabelled))
  how <- list(temperature = if (b$task == "classification") temperature, label_share = label_share)
  comparison <- if (k > 0) compared_students(teacher, b, how, is.null(teacher_data), k, repeats, by, level, report)
  taught <- c(how, teaching_of(teacher, table_of(teacher$brief, b$table)))
  model <- train_model(b, report, function(b, table, preparation, part) taught_spec(b, table, preparation, part, taught))
  model$distilled <- drop_nulls(c(how, list(
    teacher = list(wiring = teacher$brief$wiring, members = max(1L, length(teacher$network$members)), parameters = length(teacher$network$parameters) * max(1L, length(teacher$network$members))),
    unlabelled = sum(is.na(b$table[[b$target[1]]])), retrained = is.null(teacher_data), k = as.integer(k), level = level, comparison = comparison
  )))
  model
}

# ---- before any training ------------------------------------------------------------------------------------------

check_teaching <- function(teacher, b) {
  for (part in c("target", "task")) {
    if (!identical(teacher$brief[[part]], b[[part]])) fail(sprintf("Teacher and student don't predict the same: their %s differs.", part))
  }
  if (!setequal(teacher$brief$classes, b$classes)) fail("Teacher and student don't know the same classes.", sprintf("The teacher's are %s, the student's %s.", enumerate(teacher$brief$classes), enumerate(b$classes)))
  loss <- settled_loss(b)$kind
  if (loss == "ordinal") fail("The loss `ordinal` takes labels only, so a student with it can't be taught.", "Give the student regimen(loss = \"cross_entropy\").")
  if (loss == "quantile") fail("The loss `quantile` takes observed values only, so a student with it can't be taught.", "Give the student another loss.")
}

# The teacher has learned from no row that the student is judged by: of the same table by its place, of another one by all that the row says.
check_unseen <- function(teacher, b, teacher_data) {
  same <- is.null(teacher_data)
  own <- brief_table(b)
  source <- if (same) b$table else as_table(teacher_data)
  if (!is_table_of(teacher, source)) {
    if (!same) fail("`teacher_data` is not the table that the teacher was trained on.", "Give that table, as it was.")
    fail("The teacher was trained on another table, so it is not known which rows it has learned from.", "Give that table: distil(..., teacher_data = ).")
  }
  learned <- which(split_rows(teacher$brief, table_of(teacher$brief, source)) %in% c("training", "validation"))
  part <- split_rows(b, own)
  # of the same table the folds' teachers are trained anew, so only the last judgement counts
  judged <- which(part %in% if (same) c("test", "calibration") else c("training", "validation", "test", "calibration"))
  seen <- if (same) sum(judged %in% learned) else {
    columns <- intersect(names(b$table), names(source))
    sum(vctrs::vec_in(b$table[judged, columns, drop = FALSE], source[learned, columns, drop = FALSE]))
  }
  if (seen > 0) {
    fail(sprintf("The teacher has learned from %s by which the student would be judged.", counted(seen, "row")), if (same) "Give both briefs the same hold_out(seed = ), so that they hold out the same rows." else "Take these rows out of the student's table.")
  }
}

# Whether a model was trained on this table, or on those of its columns that its brief looks at.
is_table_of <- function(model, table) {
  looked_at <- table[names(table) %in% wanted_columns(model$brief)]
  model$fingerprint %in% c(rlang::hash(table), rlang::hash(looked_at))
}

# The student's table with rows below it that have no target.
with_unlabelled <- function(b, unlabelled) {
  unlabelled[b$target] <- NA
  needed <- setdiff(wanted_columns(b) %||% names(b$table), names(unlabelled))
  idle <- intersect(needed, c(b$columns$id, b$columns$group, b$columns$weight, b$columns$order, b$hold_out$parts))
  missing <- setdiff(needed, idle)
  if (length(missing)) fail(sprintf("The unlabelled rows have no column %s.", quoted(missing[1])), suggestion(missing[1], names(unlabelled)))
  unlabelled[setdiff(names(b$table), names(unlabelled))] <- NA
  if (!is.null(b$columns$weight)) unlabelled[[b$columns$weight]][is.na(unlabelled[[b$columns$weight]])] <- 1
  unlabelled[b$target] <- lapply(b$table[b$target], function(y) rep(y[NA_integer_], nrow(unlabelled)))
  b$table <- vctrs::vec_rbind(b$table, unlabelled[names(b$table)])
  b
}

# ---- the comparison -----------------------------------------------------------------------------------------------

# Teacher, student and the student taught by labels alone on the same folds.
compared_students <- function(teacher, b, how, retrained, k, repeats, by, level, report) {
  laid <- lay_folds(fold_plan(b, k, repeats, by), b$table)
  check_plan(laid)
  if (retrained) {
    # the teacher's brief, but the student's rows
    own <- teacher$brief
    own$table <- b$table
    own$hold_out <- b$hold_out
    own$columns[c("id", "group", "order")] <- NULL
    own$columns <- in_schema_order(c(own$columns, drop_nulls(unclass(b$columns)[c("id", "group", "order")])), brief_schema()$columns)
    own$keep_rows <- b$keep_rows
    teachers <- lay_folds(fold_plan(new_brief(brief_settings(own), b$table), k, repeats, by), b$table)
    check_plan(teachers)
    if (!identical(teachers$dealt, laid$dealt)) fail("Teacher and student don't take part with the same rows.", "Give both briefs the same keep_rows() and the same ways with gaps.")
    taught_by <- run_jobs(b$table, fold_jobs(teachers, "teaching"), "teacher", report)
  } else {
    table <- table_of(teacher$brief, b$table)
    teaching <- teaching_of(teacher, table)
    taught_by <- lapply(seq_len(nrow(laid$each)), function(i) {
      judged <- which(laid$parts(i) %in% "judged")
      list(teaching = teaching, judged = c(judged_rows(teacher, table[judged, , drop = FALSE], judged), list(row = judged)), best_epoch = teacher$best_epoch, learned = sum(laid$parts(i) %in% "training"), parameters = length(teacher$network$parameters), updates = 0, seconds = 0)
    })
  }
  if (any(vapply(taught_by, is.null, NA))) fail("Training was interrupted before the teachers of all folds had ended.", "Nothing was kept: train again.")
  jobs <- fold_jobs(laid, "answers")
  taught <- Map(function(job, by) c(job, list(taught = c(how, by$teaching))), jobs, taught_by)
  done <- run_jobs(b$table, c(taught, jobs), "student", report)
  if (any(vapply(done, is.null, NA))) fail("Training was interrupted before the students of all folds had ended.", "Nothing was kept: train again.")
  n <- length(jobs)
  each <- list(teacher = taught_by, taught = done[seq_len(n)], labels = done[n + seq_len(n)])
  found <- lapply(each, function(done) new_folds(laid, done, level, 100))
  comparison_table(found, level)
}

comparison_table <- function(found, level) {
  labels <- c(teacher = "teacher", taught = "student, taught", labels = "student, labels alone")
  rows <- Map(function(folds, label) {
    apart <- fold_differences(label, folds, found$labels, level)
    own <- folds$measures
    table <- data.frame(network = label, own[intersect(c("target", "measure", "mean", "sd"), names(own))], difference = apart$difference, low = apart$difference_low, high = apart$difference_high, parameters = mean(folds$each$parameters), check.names = FALSE)
    table
  }, found, labels)
  table <- do.call(rbind, rows)
  rownames(table) <- NULL
  table
}

# The measure that networks are trained for, and the one that everybody knows.
main_measures <- function(comparison) {
  first <- comparison[comparison$network == comparison$network[1], ]
  chosen <- intersect(c("accuracy", "cross-entropy", "Poisson deviance", "gamma deviance", "RMSE", "MAE"), first$measure)
  chosen <- if ("accuracy" %in% chosen) c("accuracy", "cross-entropy") else utils::head(chosen, 2)
  t <- comparison[comparison$measure %in% chosen & (if (is.null(comparison$target)) TRUE else comparison$target == comparison$target[1]), ]
  t[order(match(t$measure, chosen)), ]
}

#' Teach a small network by a large one
#'
#' A student is trained on what a teacher predicts, blended with the labels (Hinton, Vinyals and Dean 2015): the
#' teacher's probabilities say which mistakes are small ones, so a student on few rows, or a small one, learns more
#' from them than from the labels alone.
#'
#' @param teacher A model: a network, or an ensemble, which is so made into one network.
#' @param b The student's brief, with its table: the same target and classes; wiring, regimen and inputs may be others.
#'   The student is one network, see [quick()].
#'   Or the table that an ensemble was trained on: then one network is made of its networks, taught by
#'   what each predicted for rows that it had not seen, with the wiring, theirs or the usual one, that does better on
#'   the rows of the last fold; what that costs in loss on the test rows and gains in time is part `cost` of
#'   `distilled`.
#' @param temperature For classes: the teacher's and the student's scores are divided by it before they become
#'   probabilities, so that above 1 small probabilities count for more.
#' @param label_share How much the labels count, from 0 to 1; the teacher's predictions count for the rest.
#' @param unlabelled A table of more rows without the target, which the student learns from the teacher alone. So are
#'   rows of the brief's own table whose target is missing.
#' @param teacher_data The table that the teacher was trained on, where it is another than the brief's: by it can be
#'   seen that the teacher has learned from none of the rows that are evaluated.
#' @param k,repeats,by,level,progress See [folds()]; `k = 0` leaves the comparison out.
#' @param ... Not used.
#' @details For classes the loss of a row is `label_share` times the cross-entropy of the label, and (1 -
#' `label_share`) times `temperature` squared times that of the teacher's probabilities, both at the temperature; the
#' square keeps the teacher's part of the gradient the same at every temperature. For numbers and counts the student's
#' target is the blend of the observed value and the teacher's prediction, which for the squared, Poisson and gamma
#' losses comes to the same. Training is stopped by the same blend on the validation rows, whose few labels alone say
#' less; so the losses of a taught network are not to be compared with others'.
#'
#' Teacher, student and the same student taught by labels alone are compared on the same folds. Where the teacher was
#' trained on the same table, it is trained anew inside each fold, by its own brief, so that it has seen no row that is
#' evaluated; where it was trained on another one, `teacher_data` has to show that no evaluated row is in it.
#' @return A model, see [train()], with a part `distilled`: `temperature` (for classes), `label_share`, `teacher` (its
#'   wiring and number of parameters), `unlabelled` (rows), `retrained` (whether the teacher was, in each fold), and
#'   `comparison`, a data frame with a row a network and measure: `network`, `measure`, the `mean` over folds, its
#'   spread `sd`, and the `difference` from the student taught by labels alone with its interval `low` and `high` (fold
#'   by fold, corrected for overlapping training sets). [plot_distillation()] draws it.
#' @section Errors: Another target or other classes; a comparison with a teacher that its brief alone doesn't make, one
#'   that was taught itself or whose weights were set by hand; a teacher that has learned from rows that are evaluated;
#'   the losses `ordinal` and `quantile`, which can't take a teacher's predictions; a table that is not the teacher's,
#'   or whose teacher is one network already.
#' @references Hinton, Vinyals and Dean (2015) \doi{10.48550/arXiv.1503.02531}.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' teacher <- b |> regimen(restarts = 4, keep = "ensemble") |> train(progress = "none")
#' distil(teacher, b |> wire("6 tanh"), k = 3, progress = "none")
#' @export
distil <- function(teacher, b = NULL, temperature = 2, label_share = 0.5, unlabelled = NULL, teacher_data = NULL, k = 5,
                   repeats = 1, by = NULL, level = 0.95, progress = "auto", ...) {
  UseMethod("distil")
}

#' @export
distil.hylomath_model <- function(teacher, b = NULL, temperature = 2, label_share = 0.5, unlabelled = NULL,
                                  teacher_data = NULL, k = 5, repeats = 1, by = NULL, level = 0.95, progress = "auto",
                                  ...) {
  check_others(...)
  type_temperature()(temperature, "temperature")
  type_number(0, 1)(label_share, "label_share")
  type_level()(level, "level")
  if (!identical(as.numeric(k), 0)) type_folds()(k, "k")
  report <- reporter(progress)
  if (is.null(b)) {
    fail(
      "`b` is missing: what is the student to learn from?",
      "Give the table that the model was trained on, or a brief."
    )
  }
  how <- list(temperature = if (has_classes(target_in(teacher))) temperature, label_share = label_share)
  if (!is.data.frame(b) && !inherits(b, "hylomath_brief")) {
    what <- "`b` must be a student's brief, or the table that the model was trained on, not %s."
    fail(sprintf(what, describe_kind(b)))
  }
  if (is.data.frame(b)) {
    b <- brief_of_teacher(teacher, b)
    check_teaching(teacher, b)
    return(distil_down(teacher, b, how, report))
  }
  b <- quick(ready_to_train(b, what = "The student's brief"))
  retrained <- is.null(teacher_data)
  check_teaching(teacher, b)
  if (k > 0 && retrained) check_made_by_brief(teacher)
  a <- settle(b)
  check_unseen(teacher, a, teacher_data)
  if (!is.null(unlabelled)) {
    b <- with_unlabelled(b, as_table(unlabelled))
    a <- settle(b)
  }
  comparison <- if (k > 0) compared_students(teacher, b, how, retrained, k, repeats, by, level, report)
  taught <- c(how, teaching_for(teacher, b, a, retrained))
  model <- train_model(taught_spec(a, learn_training(a), taught), report)
  about <- list(
    teacher = teacher_facts(teacher), unlabelled = sum(is.na(b$table[[b$target[1]]])), retrained = retrained,
    k = as.integer(k), level = level, comparison = comparison
  )
  model$distilled <- drop_nulls(c(how, about))
  model
}

#' @export
distil.default <- function(teacher, ...) wrong_object("distil", "a model as the teacher", teacher)

# What the teacher says of the student's rows. For its own table these are the out-of-fold predictions, by
# networks that had not learned from them.
teaching_for <- function(teacher, b, a, same_table) {
  said <- teaching_of(teacher$predictor, working_table_of(teacher$brief, b$table))
  rows <- if (same_table) evaluated_in_part(teacher, "out_of_fold")$row
  if (!is.null(rows)) said$predictions[rows, ] <- out_of_fold_teaching(teacher, a)$predictions[rows, ]
  said
}

# ---- before any training ------------------------------------------------------------------------------------------

# A teacher that is trained anew inside folds has to come from its brief alone.
check_made_by_brief <- function(teacher) {
  set_by_hand <- teacher$stopped == "set"
  if (is.null(teacher$distilled) && !set_by_hand) return()
  why <- if (set_by_hand) "has weights that were set by hand" else "was taught itself"
  fail(
    sprintf("This teacher %s, so it can't be trained anew inside folds from its brief alone.", why),
    "Leave the comparison out (k = 0), and evaluate the student on its test rows."
  )
}

check_teaching <- function(teacher, b) {
  for (part in c("target", "task")) {
    if (!identical(teacher$brief[[part]], b[[part]])) {
      fail(sprintf("Teacher and student don't predict the same: their %s differs.", part))
    }
  }
  classes <- teacher$brief$classes
  if (!setequal(classes, b$classes)) {
    fail(
      "Teacher and student don't know the same classes.",
      sprintf("The teacher's are %s, the student's %s.", enumerate(classes), enumerate(b$classes))
    )
  }
  loss <- settled_loss(b)
  taught_by <- loss_record(loss)$learns_from
  if (taught_by != "predictions") {
    instead <- if (taught_by == "labels") "regimen(loss = \"cross_entropy\")" else "another loss"
    fail(
      sprintf("The loss `%s` takes %s only, so a student with it can't be taught.", loss$kind, taught_by),
      sprintf("Give the student %s.", instead)
    )
  }
}

# The teacher has learned from no row that the student is evaluated on: of the same table by its place, of another one
# by all that the row says.
check_unseen <- function(teacher, a, teacher_data) {
  same <- is.null(teacher_data)
  source <- if (same) a$raw else as_table(teacher_data)
  if (!is_table_of(teacher, source)) {
    if (!same) fail("`teacher_data` is not the table that the teacher was trained on.", "Give that table, as it was.")
    fail(
      "The teacher was trained on another table, so it is not known which rows it has learned from.",
      "Give that table: distil(..., teacher_data = )."
    )
  }
  learned <- rows_in(settle(teacher$brief, source), c("training", "validation"))
  # of the same table the folds' teachers are trained anew, so only the last evaluation counts
  evaluated <- rows_in(a, if (same) c("test", "calibration") else part_names)
  seen <- if (same) sum(evaluated %in% learned) else common_rows(a$raw[evaluated, ], source[learned, ])
  if (seen > 0) {
    fail(
      sprintf("The teacher has learned from %s on which the student would be evaluated.", counted(seen, "row")),
      if (same) {
        "Give both briefs the same hold_out(seed = ), so that they hold out the same rows."
      } else {
        "Take these rows out of the student's table."
      }
    )
  }
}

common_rows <- function(rows, others) {
  columns <- intersect(names(rows), names(others))
  sum(vctrs::vec_in(rows[columns], others[columns]))
}

# Whether a model was trained on this table, or on those of its columns that its brief looks at.
is_table_of <- function(model, table) {
  is_own_table(model, table)
}

# The brief with rows below its table that have no target.
with_unlabelled <- function(b, unlabelled) {
  columns <- b$columns
  table <- b$table
  # a derived target is made of columns that rows without it need not have
  derived <- b[["add_columns"]]
  own <- b$target
  targets <- intersect(union(own, raw_columns(derived, own)), names(table))
  targets <- setdiff(targets, raw_columns(derived, brief_inputs(b)))
  unlabelled[targets] <- NA
  needed <- setdiff(wanted_columns(b) %||% names(table), c(names(unlabelled), own))
  missing <- setdiff(needed, c(unlist(columns[c("id", "group", "weight", "order")]), b[["hold_out"]]$parts))
  if (length(missing)) {
    what <- sprintf("The unlabelled rows have no column %s.", quoted(missing[1]))
    fail(what, suggestion(missing[1], names(unlabelled)))
  }
  unlabelled[setdiff(names(table), names(unlabelled))] <- NA
  weight <- columns$weight
  if (!is.null(weight)) unlabelled[[weight]][is.na(unlabelled[[weight]])] <- 1
  unlabelled[targets] <- lapply(table[targets], function(y) rep(y[NA_integer_], nrow(unlabelled)))
  b$table <- vctrs::vec_rbind(table, unlabelled[names(table)])
  b
}

# ---- printed ---------------------------------------------------------------------------------------------------------

# The part of a model's print that says who taught it.

# Who taught the network, and what that was good for.
distilled_text <- function(d) {
  ensemble <- if (d$teacher$members > 1) sprintf(", an ensemble of %d", as.integer(d$teacher$members)) else ""
  teacher <- sprintf("%s%s, %s", d$teacher$wiring, ensemble, counted(d$teacher$parameters, "parameter"))
  heat <- if (is.null(d$temperature)) "" else sprintf("at temperature %s, ", format_number(d$temperature))
  alone <- if (d$unlabelled) {
    sprintf("; %s without a target by the teacher alone", counted(d$unlabelled, "row"))
  }
  taught <- paste0(heat, "labels count for ", format_percent_short(d$label_share), alone)
  lines <- c(indented("teacher", teacher), indented("taught", taught))
  if (!is.null(d$cost)) lines <- c(lines, indented("cost", distilling_cost_text(d$cost)))
  if (is.null(d$comparison)) return(lines)
  title <- sprintf("  Teacher and student on the same %d folds", as.integer(d$k))
  rows <- if (d$retrained) {
    "The teacher was trained anew inside each fold, so no row is evaluated that it has learned from."
  } else {
    "The teacher has learned from none of these rows."
  }
  c(lines, "", cli::style_bold(title), "", comparison_text(d), "", paragraphs(c(rows, taught_sentence(d))))
}

comparison_text <- function(d) {
  t <- main_measures(d$comparison)
  apart <- ifelse(is.na(t$difference), "", difference_cell(t$difference, t$low, t$high))
  columns <- list(
    measure = said_once(t$measure), network = t$network, "mean of folds" = format_measure(t$mean),
    spread = format_measure(t$sd), "from labels alone" = apart
  )
  text_table(columns, right = c(3, 4))
}

taught_sentence <- function(d) {
  t <- main_measures(d$comparison)
  own <- t[t$network == "student, taught", ][1, ]
  better <- if (own$measure %in% c("accuracy")) own$difference > 0 else own$difference < 0
  clear <- own$low > 0 || own$high < 0
  luck <- if (clear || !better) "" else "; but the interval of the difference contains 0, so this may be chance"
  verdict <- if (better) "better" else "no better"
  what <- "By %s the taught student is %s than the one taught by labels alone%s."
  sprintf(what, own$measure, verdict, luck)
}

# What one network in the place of several costs, and what it gains.
distilling_cost_text <- function(cost) {
  sprintf(
    "a test loss of %s in place of %s, and %s microseconds a row in place of %s (%s parameters, not %s)",
    format_measure(cost$loss[2]), format_measure(cost$loss[1]), signif(cost$microseconds[2], 2),
    signif(cost$microseconds[1], 2), format_count(cost$parameters[2]), format_count(cost$parameters[1])
  )
}

# The rows that a network is explained on.

most_explained <- 10000

table_needed <- "`data` is missing: a model keeps no inputs, so give a table that has them, such as the one it was trained on."

# The table's held-out rows where it is the one that the model was trained on, else all rows with a target; at most `most` of
# them, drawn by the training's seed. A list of `table` (raw columns) and `judged`, and which rows they are.
rows_to_explain <- function(model, data, rows, most = most_explained) {
  data <- as_table(data)
  part <- rows %||% if (is_training_table(model, data)) part_to_judge(model, NULL)
  if (!is.null(part)) {
    part <- part_to_judge(model, part)
    found <- rows_of_part(model, data, part)
    judged <- model$judged[[part]]
  } else {
    judged <- judged_in(model, data)
    found <- judged$row
  }
  keep <- if (length(found) > most) sort(core_shuffle(length(found), model$brief$regimen$seed, 3L)[seq_len(most)]) else seq_along(found)
  judged <- lapply(judged, function(x) if (is.data.frame(x)) x[keep, , drop = FALSE] else x[keep])
  list(table = data[found[keep], , drop = FALSE], judged = judged, rows = part %||% "new")
}

is_training_table <- function(model, data) {
  length(model$judged) > 0 && tryCatch(length(rows_of_part(model, data, part_to_judge(model, NULL))) > 0, hylomath_error = function(e) FALSE)
}

# The raw columns that a network's answers depend on.
raw_inputs <- function(model) needed_columns(model)

# What the network answers to rows, one column each: the probability of every class, or the answer for every target.
plain_answers <- function(model, table) {
  answers <- answers_now(model, answers_of(model, rows_to_answer(model, table)))
  b <- model$brief
  if (b$task == "classification") return(stats::setNames(answers[paste0("probability_", b$classes)], b$classes))
  stats::setNames(answers[seq_along(b$target)], b$target)
}

# Which of these are looked at: the positive class of two, all classes, all targets, or those that are asked for.
answers_to_explain <- function(model, of) {
  b <- model$brief
  known <- if (b$task == "classification") b$classes else b$target
  if (is.null(of)) return(b$positive %||% known)
  unknown <- setdiff(of, known)
  if (length(unknown)) fail(sprintf("There is no %s %s.", if (b$task == "classification") "class" else "target", describe(unknown[1])), suggestion(unknown[1], known))
  of
}

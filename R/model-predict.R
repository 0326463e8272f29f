#' Predict new rows
#'
#' @param object A model.
#' @param newdata A data frame with the columns that the network takes in, found by name, in any order. Others are
#'   left alone; the target is not needed.
#' @param type `"answer"`, `"probability"` (classification only: one column a class), or `"both"`.
#' @param ... Not used.
#' @return A data frame with one row for each row of `newdata`, in order. `answer` is the class with the highest score
#'   or the number in the target's unit (`answer_<target>` for each of several targets; with the quantile loss the middle
#'   quantile, and `quantile_<share>` behind it); `probability_<class>` are the classes' probabilities, corrected for class
#'   weights. With class weights the answer need not be the most probable class: it is the one that the weights favour.
#' @section Errors: A column that is missing or of another type fails before any work, and so do infinite values.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 20) |> train(progress = "none")
#' predict(model, head(kilns), type = "both")
#' @importFrom stats predict
#' @export
predict.hylomath_model <- function(object, newdata, type = "answer", ...) {
  rlang::check_dots_empty()
  type_choice(c("answer", "probability", "both"))(type, "type")
  classes <- object$brief$task == "classification"
  if (!classes && type != "answer") {
    fail(sprintf("The network predicts a number (task %s), so there are no probabilities.", quoted(object$brief$task)), "Use type = \"answer\".")
  }
  result <- answers_of(object, rows_to_answer(object, as_table(newdata)))
  rownames(result) <- NULL
  if (!classes) return(result)
  switch(type, answer = result["answer"], probability = result[-1], both = result)
}

# The inputs of new rows, and the exposure that a count model needs beside them.
rows_to_answer <- function(model, newdata) {
  table <- new_rows(model$preparation, newdata)
  exposure <- model$brief$columns$exposure
  if (is.null(exposure)) return(table)
  check_is_column(newdata, exposure, "exposure")
  check_exposure_values(newdata[[exposure]], exposure)
  table[[exposure]] <- newdata[[exposure]]
  table
}

#' The table with the network's answers beside it
#'
#' @param x A model.
#' @param data A data frame, see [predict()][predict.hylomath_model].
#' @param flags Whether to add a column `strange` that names, for each row, the columns in which it differs from the training
#'   rows; see [strangeness()].
#' @param ... Not used.
#' @return `data` with the columns `answer` and, for classes, `probability_<class>` behind its own.
#' @section Errors: Those of [predict()][predict.hylomath_model], and a column of `data` that already has one of these names.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 5) |> train(progress = "none")
#' augment(model, head(crossings))
#' @importFrom generics augment
#' @export
augment.hylomath_model <- function(x, data, flags = FALSE, ...) {
  rlang::check_dots_empty()
  type <- if (x$brief$task == "classification") "both" else "answer"
  answers <- predict(x, data, type = type)
  if (flags) answers$strange <- strangeness(x, data)$rows
  taken <- intersect(names(answers), names(data))
  if (length(taken)) {
    fail(sprintf("The table already has a column %s, where the answers would go.", quoted(taken[1])), "Rename it or leave it out.")
  }
  cbind(data, answers)
}

#' @importFrom generics augment
#' @export
generics::augment

#' Vary one setting, everything else fixed
#'
#' Answers questions such as: would more data help, what does a larger batch cost, how many units are enough? Every value is judged
#' by the same [folds()], all of them trained at once.
#'
#' @param b A brief.
#' @param ... One setting with its values. `units`: of one hidden layer, whose activation is the brief's first one; `rows`: so many
#'   training rows of each fold, drawn at random, each choice within the next larger one; `layers`, `activation` or `dropout` of
#'   the wiring; or any key of the brief with one value at a time, by its last word or in full: `batch_size = c(16, 64, 256)`, `wiring = c("direct", "8 tanh")`,
#'   `prepare.numbers = c("zscore", "robust")`.
#' @param k,repeats,by,level,progress See [folds()].
#' @return An object of class `hylomath_variation`; `values` is a data frame with a row for each value: `value` (as text), the
#'   `measure` that the networks are trained for as the mean over folds, with the standard error of the mean (corrected for
#'   overlapping training sets) and the spread `sd` of the folds, `difference` from the brief's own setting, if that is among them,
#'   or from the first value, with its interval; `parameters`, `rows` learned from, `updates` and `seconds`, as means over folds.
#'   `folds` has the whole of [folds()] for each value. [as.data.frame()] gives `values`.
#' @section Errors: No such setting; a value that it can't have; more rows than a fold has.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' vary(b, units = c(2, 4, 8), k = 3, progress = "none")
#' vary(b, rows = c(300, 1000, 1800), k = 3, progress = "none")
#' @export
vary <- function(b, ...) UseMethod("vary")

#' @rdname vary
#' @export
vary.hylomath_brief <- function(b, ..., k = 5, repeats = 1, by = NULL, level = 0.95, progress = "auto") {
  given <- list(...)
  if (length(given) != 1 || is.null(names(given)) || names(given) == "") fail("vary() takes one setting with its values.", "For example vary(b, batch_size = c(16, 64, 256)).")
  report <- reporter(progress)
  setting <- names(given)
  values <- as.list(given[[1]])
  if (length(values) < 2) fail(sprintf("%s needs two values at least.", quoted(setting)))
  b$regimen$seed <- b$regimen$seed %||% draw_seed()
  briefs <- lapply(values, function(value) varied(b, setting, value))
  laid <- lapply(seq_along(values), function(v) lay_folds(fold_plan(briefs[[v]], k, repeats, by, if (setting == "rows") values[[v]]), b$table))
  lapply(laid, check_plan)
  jobs <- lapply(laid, fold_jobs, want = "answers")
  done <- run_jobs(b$table, unlist(jobs, recursive = FALSE), "fit", report)
  of <- rep(seq_along(values), lengths(jobs))
  # values whose folds an interrupt left out are left out with them
  whole <- which(vapply(seq_along(values), function(v) !any(vapply(done[of == v], is.null, NA)), NA))
  check_any_done(length(whole), "value")
  values <- values[whole]
  found <- lapply(whole, function(v) new_folds(laid[[v]], done[of == v], level, 1000))
  labels <- vapply(values, function(value) if (is.numeric(value)) format_number(value) else as.character(value), "")
  names(found) <- labels
  own <- own_value(b, setting, values)
  structure(
    list(
      values = variation_table(found, labels, if (is.na(own)) 1 else own, level), setting = setting, numeric = all(vapply(values, is.numeric, NA)), primary = found[[1]]$primary,
      against = labels[if (is.na(own)) 1 else own], target = b$target, task = b$task, k = k, repeats = repeats, left_out = length(laid) - length(whole), level = level, folds = found
    ),
    class = "hylomath_variation"
  )
}

# The brief with the setting at a value; units are those of one hidden layer.
varied <- function(b, setting, value) {
  if (setting == "rows") {
    type_number(2, whole = TRUE)(value, "rows")
    return(b)
  }
  changed_brief(b, c(if (setting == "units") list(layers = 1), stats::setNames(list(value), setting)))
}

# Which of the values is the brief's own, NA for none.
own_value <- function(b, setting, values) {
  if (setting %in% c("units", "rows")) return(NA)
  now <- own_settings(b, setting)[[1]]
  match(TRUE, vapply(values, function(value) identical(as.character(unlist(value)), as.character(unlist(now))), NA))
}

variation_table <- function(found, labels, against, level) {
  first <- found[[against]]
  rows <- Map(function(folds, label) {
    own <- folds$measures[folds$measures$measure == folds$primary, ][1, ]
    apart <- fold_differences(label, folds, first, level)
    apart <- apart[apart$measure == folds$primary, ][1, ]
    data.frame(
      value = label, measure = folds$primary, mean = own$mean, error = own$error, sd = own$sd, difference = apart$difference, difference_low = apart$difference_low, difference_high = apart$difference_high,
      parameters = mean(folds$each$parameters), rows = mean(folds$each$training), updates = mean(folds$each$updates), seconds = mean(folds$each$seconds)
    )
  }, found, labels)
  table <- do.call(rbind, rows)
  rownames(table) <- NULL
  table
}

#' @export
as.data.frame.hylomath_variation <- function(x, ...) x$values

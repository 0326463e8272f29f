#' Models, appraisals and results as tables
#'
#' `tidy()` gives the parts, a row each; `glance()` the whole in one row. `as.data.frame()` of a model is its `tidy()`,
#' of an appraisal the measures.
#'
#' @param x A model, or any result: an appraisal, or what [folds()], [vary()], [sift()], [scout()], [lineup()],
#'   [watch_model()], [importance()], [effect_of()] or [contributions()] returned.
#' @param row.names,optional,... Not used.
#' @return `tidy()` of a model: a row for each weight and bias with `layer`, `input`, `unit` and `value`, see
#'   [coef()][coef.hylomath_model]. Of an appraisal: the measures of each class, with `class`, `measure`, `value`,
#'   `low` and `high`; of one of numbers the measures with their baselines.
#'
#'   `glance()` of a model: `target`, `task`, `method`, `wiring`, `parameters`, `epochs`, `best_epoch`, `stopped`,
#'   `training_loss`, `validation_loss` and `seconds`. Of an appraisal: `rows` evaluated, their number `n`, and a column
#'   for each measure. Of the other results `tidy()` is their table (see
#'   `as.data.frame()` on their pages), and `glance()`, where there is one, what came out of them.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' glance(model)
#' head(tidy(model))
#' tidy(appraise(model))
#' @name tidy.hylomath_model
#' @aliases tidy glance
#' @importFrom generics tidy glance
#' @rawNamespace export(tidy, glance)
NULL

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_model <- function(x, ...) block_table(coef(x))

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_model <- function(x, ...) {
  run <- training_run(x)
  best <- best_losses(run$curves, run$best)
  data.frame(
    target = enumerate(x$brief$target), task = x$brief$task, method = regimen_of(x)$method, wiring = wiring_text(x),
    parameters = all_parameters(x$predictor), epochs = run$epochs, best_epoch = run$best, stopped = x$stopped,
    training_loss = best$training, validation_loss = best$validation, seconds = x$seconds
  )
}

#' @rdname tidy.hylomath_model
#' @export
as.data.frame.hylomath_model <- function(x, row.names = NULL, optional = FALSE, ...) tidy.hylomath_model(x)

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_appraisal <- function(x, ...) {
  if (!predicts_classes(x$task)) return(x$measures)
  measures <- grep("_(low|high)$", setdiff(names(x$classes), "class"), value = TRUE, invert = TRUE)
  end <- function(measure, side) x$classes[[paste0(measure, side)]] %||% NA_real_
  rows <- lapply(measures, function(measure) {
    data.frame(
      class = x$classes$class, measure = measure, value = x$classes[[measure]], low = end(measure, "_low"),
      high = end(measure, "_high")
    )
  })
  do.call(rbind, rows)
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_appraisal <- function(x, ...) {
  cbind(data.frame(rows = x$rows, n = x$n), measures_in_columns(x$measures, x$measures$value))
}

# A column for each measure, by a name that needs no quotes.
measures_in_columns <- function(measures, values) {
  names <- gsub("[^A-Za-z0-9]+", "_", sub("\u00b2", "2", measures$measure, fixed = TRUE))
  if (!is.null(measures$target)) names <- paste(measures$target, names, sep = "_")
  stats::setNames(as.list(values), names)
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_folds <- function(x, ...) {
  about <- data.frame(
    target = enumerate(x$target), task = x$task, by = x$by, k = x$k, repeats = x$repeats,
    n = length(unique(x$predictions$key))
  )
  cbind(about, measures_in_columns(x$measures, x$measures$value))
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_variation <- function(x, ...) {
  best <- x$values[which.min(x$values$mean), ]
  data.frame(
    target = enumerate(x$target), setting = x$setting, measure = x$primary, best = best$value, mean = best$mean,
    against = x$against, k = x$k, repeats = x$repeats
  )
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_sifting <- function(x, ...) {
  data.frame(
    target = enumerate(x$target), direction = x$direction, measure = x$primary, inputs = max(x$path$inputs),
    best = length(x$best), small = length(x$small), k = x$k, repeats = x$repeats
  )
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_scouting <- function(x, ...) {
  data.frame(target = enumerate(x$brief$target), measure = x$primary, trials = nrow(x$trials), stopped = x$stopped)
}

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_lineup <- function(x, ...) x$measures

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_lineup <- function(x, ...) {
  best <- x$models[1, ]
  data.frame(
    target = enumerate(x$target), rows = x$rows, n = x$n, models = nrow(x$models), measure = x$primary,
    best = best$model, value = best$value
  )
}

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_result <- function(x, ...) as.data.frame(x)

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_watch <- function(x, ...) {
  data.frame(
    verdict = x$verdict, rows = x$rows, rows_then = x$rows_then, movements = nrow(x$movements),
    called = sum(x$movements$called)
  )
}

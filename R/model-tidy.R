#' Models and appraisals as tables
#'
#' `tidy()` gives the parts, a row each; `glance()` the whole in one row. `as.data.frame()` of a model is its `tidy()`,
#' of an appraisal the measures.
#'
#' @param x A model or an appraisal.
#' @param row.names,optional,... Not used.
#' @return `tidy()` of a model: a row for each weight and bias with `layer`, `input`, `unit` and `value`, see
#'   [coef()][coef.hylomath_model]. Of an appraisal: the measures of each class, with `class`, `measure`, `value`,
#'   `low` and `high`; of one of numbers the measures with their baselines.
#'
#'   `glance()` of a model: `target`, `task`, `method`, `wiring`, `parameters`, `epochs`, `best_epoch`, `stopped`,
#'   `training_loss`, `validation_loss` and `seconds`. Of an appraisal: `rows` judged, their number `n`, and a column
#'   for each measure.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> train(progress = "none")
#' glance(model)
#' head(tidy(model))
#' tidy(appraise(model))
#' @name tidy.hylomath_model
NULL

#' @importFrom generics tidy
#' @export
generics::tidy

#' @importFrom generics glance
#' @export
generics::glance

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_model <- function(x, ...) {
  blocks <- coef(x)
  rows <- lapply(names(blocks), function(layer) {
    block <- blocks[[layer]]
    if (!is.matrix(block)) block <- matrix(block, dimnames = list(seq_along(block), "gap"))
    data.frame(
      layer = layer, input = rep(rownames(block), ncol(block)), unit = rep(colnames(block), each = nrow(block)),
      value = as.numeric(block)
    )
  })
  do.call(rbind, rows)
}

#' @rdname tidy.hylomath_model
#' @export
glance.hylomath_model <- function(x, ...) {
  best <- best_losses(x$curves, x$best_epoch)
  parameters <- length(x$answerer$network$parameters)
  data.frame(
    target = enumerate(x$brief$target), task = x$brief$task, method = x$brief$regimen$method, wiring = x$brief$wiring,
    parameters = parameters, epochs = nrow(x$curves), best_epoch = x$best_epoch, stopped = x$stopped,
    training_loss = best$training, validation_loss = best$validation, seconds = x$seconds
  )
}

#' @rdname tidy.hylomath_model
#' @export
as.data.frame.hylomath_model <- function(x, row.names = NULL, optional = FALSE, ...) tidy.hylomath_model(x)

#' @rdname tidy.hylomath_model
#' @export
tidy.hylomath_appraisal <- function(x, ...) {
  if (!answers_classes(x$task)) return(x$measures)
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
  names <- gsub("[^A-Za-z0-9]+", "_", sub("\u00b2", "2", x$measures$measure, fixed = TRUE))
  if (!is.null(x$measures$target)) names <- paste(x$measures$target, names, sep = "_")
  cbind(data.frame(rows = x$rows, n = x$n), stats::setNames(as.list(x$measures$value), names))
}

#' Say how columns become inputs
#'
#' Everything is learned on the training rows of each fit, stored in the model, and applied as it is to other rows.
#'
#' @param b A brief.
#' @param numbers `"zscore"` subtracts the mean and divides by the standard deviation; `"none"` leaves numbers alone.
#' @param gaps What stands in for a missing number: the `"median"` or `"mean"` of the training rows.
#' @param categories `"indicator"`: one input for each level, 1 where the row has it. A missing value or a level that
#'   training never saw is 0 in all of them.
#' @param rare Levels with a smaller share of the training rows than this are put together into one input, and so are
#'   levels that training never saw.
#' @param dates `"parts"` gives the place in the year (sine and cosine), the weekday (indicators) and, for times, the
#'   place in the day (sine and cosine); `"none"` leaves dates out.
#' @param target For regression: `"zscore"` trains on the scaled target, `"none"` on the target itself. Answers and
#'   errors are in the target's own unit either way.
#' @param ... Not used.
#' @return The brief.
#' @examples
#' brief(kilns, target = "outcome") |> prepare(gaps = "mean", rare = 0.01)
#' @export
prepare <- function(b, ...) UseMethod("prepare")

#' @rdname prepare
#' @export
prepare.hylomath_brief <- function(b, numbers = NULL, gaps = NULL, categories = NULL, rare = NULL, dates = NULL,
                                   target = NULL, ...) {
  rlang::check_dots_empty()
  set_section(b, "prepare", list(
    numbers = numbers, gaps = gaps, categories = categories, rare = rare, dates = dates, target = target
  ))
}

#' Say which rows are held out
#'
#' Validation rows decide when training stops; test rows are touched by nothing but the appraisal.
#'
#' @param b A brief.
#' @param validation,test Shares of the rows, from 0 to below 1.
#' @param by `"stratified"` gives every part the same share of each class (for numbers: of each tenth of the range of
#'   ranks), `"random"` draws freely, `"ordered"` takes the last rows by the `order` column as test and those before
#'   them as validation. Rows of one `group` always stay together; the balance is then as good as the groups allow.
#' @param seed A whole number that fixes the draw. When not given it is drawn from R's generator, so `set.seed()`
#'   counts.
#' @param ... Not used.
#' @return The brief.
#' @examples
#' brief(kilns, target = "outcome") |> hold_out(validation = 0.2, test = 0.2, seed = 11)
#' @export
hold_out <- function(b, ...) UseMethod("hold_out")

#' @rdname hold_out
#' @export
hold_out.hylomath_brief <- function(b, validation = NULL, test = NULL, by = NULL, seed = draw_seed(), ...) {
  rlang::check_dots_empty()
  b <- set_section(b, "hold_out", list(validation = validation, test = test, by = by, seed = seed))
  check_shares(b$hold_out)
  b
}

check_shares <- function(parts) {
  if (parts$validation + parts$test >= 1) {
    fail(
      sprintf("Validation (%s) and test (%s) leave no rows for training.", format(parts$validation), format(parts$test)),
      "Make `hold_out.validation` and `hold_out.test` add up to less than 1."
    )
  }
}

#' Wire the network
#'
#' The wiring notation lists the hidden layers from left to right, joined by `>`. The output layer is never written:
#' the target decides it. `direct` means no hidden layer, which is a linear, logistic, softmax or Poisson model.
#'
#' ```
#' 24 relu > dropout 0.2 > 12 tanh
#' 64 relu l2=1e-4 > 32 relu
#' direct
#' ```
#'
#' A layer is `<units> <activation> [name=value ...]`, with the activations `identity`, `logistic`, `tanh` and `relu`.
#' By name can be set `l1` and `l2` (penalties on the layer's incoming weights, in place of the regimen's) and `rate`
#' (a multiple of the learning rate). `dropout <share>` drops that share of what comes from the left while training.
#'
#' @param b A brief.
#' @param wiring A text in the notation, or numbers of units for relu layers: `c(24, 12)`.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A mistake in the notation is shown with the place and with what was expected there.
#' @examples
#' brief(kilns, target = "outcome") |> wire("32 relu > dropout 0.1 > 16 relu")
#' @export
wire <- function(b, ...) UseMethod("wire")

#' @rdname wire
#' @export
wire.hylomath_brief <- function(b, wiring, ...) {
  rlang::check_dots_empty()
  b$wiring <- type_wiring()(wiring, "wiring")
  b
}

#' Set the regimen of training
#'
#' @param b A brief.
#' @param method `"adam"` (Kingma and Ba 2015, "Adam: a method for stochastic optimization") or `"momentum"`, gradient
#'   descent that keeps a share of its last step (Polyak 1964).
#' @param learning_rate Length of a step, above 0.
#' @param momentum The share of the last step that is kept, 0 to below 1; for the method `"momentum"` only.
#' @param batch_size Rows a step. The smaller last batch of an epoch is used too.
#' @param epochs The most times that training goes through all its rows.
#' @param stop `list(patience = 20)` ends training once the validation loss has not reached a new low for that many
#'   epochs; `"none"` goes on to the last epoch. The weights of the epoch with the lowest validation loss are kept.
#' @param l1,l2 Penalties: the loss grows by `l1` times the sum of the weights' sizes and by half of `l2` times the sum of
#'   their squares. Biases are free of them. `l2` is 10 / rows (to one digit, at most 0.01) when it is not given, a
#'   pull towards zero that fades as rows are added.
#' @param class_weights `"none"`; `"even"`, which gives every class the same total weight; or a number for each class
#'   by name. The answer is the class with the highest weighted score, probabilities are corrected back to the real
#'   shares of the classes.
#' @param seed A whole number that fixes starting weights and shuffles. When not given, [train()] draws it from R's
#'   generator.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A setting that the method has no use for is refused.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   regimen(learning_rate = 0.005, stop = list(patience = 40), class_weights = "even")
#' @export
regimen <- function(b, ...) UseMethod("regimen")

#' @rdname regimen
#' @export
regimen.hylomath_brief <- function(b, method = NULL, learning_rate = NULL, momentum = NULL, batch_size = NULL,
                                   epochs = NULL, stop = NULL, l1 = NULL, l2 = NULL, class_weights = NULL,
                                   seed = NULL, ...) {
  rlang::check_dots_empty()
  if (!is.null(method) && method != "momentum") b$regimen$momentum <- NULL
  b <- set_section(b, "regimen", list(
    method = method, learning_rate = learning_rate, momentum = momentum, batch_size = batch_size, epochs = epochs,
    stop = stop, l1 = l1, l2 = l2, class_weights = class_weights, seed = seed
  ))
  b$regimen <- settle_regimen(b$regimen)
  b
}

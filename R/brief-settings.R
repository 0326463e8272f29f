#' Say how columns become inputs
#'
#' Everything is learned on the training rows of each fit, stored in the model, and applied as it is to other rows.
#'
#' @param b A brief.
#' @param only Columns to set this for, as in [set_columns()]; without it the setting is for all. Later calls win.
#' @param numbers `"zscore"` (mean 0, standard deviation 1), `"minmax"` (0 to 1), `"minmax_signed"` (-1 to 1), `"robust"`
#'   (median 0, quartile distance that of a standard normal), `"rank_normal"` (normal scores of the ranks, straight between
#'   the percentiles), `"none"`.
#' @param clip Numbers beyond the quantiles `clip` and `1 - clip` are set to them; 0 clips nothing.
#' @param gaps What becomes of missing values. For numbers `"auto"` is the median, and an input that says that it was missing
#'   where more than 1 % of the training rows are; `"flag"` always adds that input; `"median"`, `"mean"`, `"common"` (the most
#'   common value) fill only. For categories `"own"` makes missing a level of its own, `"auto"` does so above 1 %, `"common"`
#'   fills in the most common level; otherwise a missing level is 0 in all its inputs. `"drop"` sets aside rows with a gap
#'   for training and judgement, and leaves their answers missing.
#' @param categories `"indicator"`: an input for each level, 1 where the row has it; `"ordinal"`: one number, the place of the
#'   level in alphabetical order (for an order of your own see `rank_in()` in [expressions]); `"frequency"`: one number, the
#'   level's share of the training rows; `"hash"`: `buckets` inputs, into which levels fall by a hash of their text. The last
#'   two suit columns of hundreds of levels, which have to be given the kind `category` first.
#' @param buckets Inputs of a hashed category.
#' @param rare Levels with a smaller share of the training rows than this are put together into one input, and so are
#'   levels that training never saw. Without rare levels, an unseen one is 0 in all inputs.
#' @param dates Parts that become inputs: `"season"` (place in the year, sine and cosine), `"weekday"`, `"month"`, `"quarter"`
#'   (indicators), `"year"` (a number), `"hour"` (place in the day, sine and cosine; for times). `"none"` leaves dates out.
#' @param missing_codes Values that stand for missing, such as `c(-9, "n/a")`. A text column that is numbers without them becomes
#'   numbers.
#' @param target For regression: `"zscore"` trains on the scaled target, `"none"` on the target itself, `"log"` on its
#'   logarithm, with answers made means again by the smearing factor of Duan (1983), `"log_median"` without that factor, so
#'   that answers are medians. Answers and errors are in the target's own unit always.
#' @param ... Not used.
#' @return The brief.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   prepare(gaps = "median", rare = 0.01) |>
#'   prepare(only = c(load_kg, soak_min), numbers = "robust", clip = 0.01)
#' @export
prepare <- function(b, ...) UseMethod("prepare")

#' @rdname prepare
#' @export
prepare.hylomath_brief <- function(b, only = NULL, numbers = NULL, clip = NULL, gaps = NULL, categories = NULL,
                                   buckets = NULL, rare = NULL, dates = NULL, missing_codes = NULL, target = NULL, ...) {
  rlang::check_dots_empty()
  columns <- select_columns(b, rlang::enquo(only), "only")
  settings <- drop_nulls(list(
    numbers = numbers, clip = clip, gaps = gaps, categories = categories, buckets = buckets, rare = rare, dates = dates,
    missing_codes = missing_codes
  ))
  former <- b$prepare$only
  if (is.null(columns)) {
    b <- set_section(b, "prepare", c(settings, list(target = target)))
    # later calls win: what is set for all is no longer set for some
    former <- lapply(former, function(own) own[setdiff(names(own), names(settings))])
  } else {
    if (!is.null(target)) fail("`target` is prepared in one way and can't be set for `only` some columns.")
    settings <- settle_settings(settings, column_settings(), "prepare.only")
    for (column in columns) former[[column]] <- in_schema_order(utils::modifyList(as.list(former[[column]]), settings), column_settings())
  }
  b$prepare$only <- former[lengths(former) > 0]
  if (is.null(missing_codes) || is.null(b$table)) return(b)
  # codes taken out can change what kind a column is
  b$columns$kinds[columns %||% names(b$columns$kinds)] <- NULL
  fix_schema(b)
}

#' Say which rows are held out
#'
#' Validation rows decide when training stops; calibration rows are kept for intervals; test rows are touched by nothing but
#' the appraisal. [parts_of()] shows the parts that come of it.
#'
#' @param b A brief.
#' @param validation,test,calibration Shares of the rows, from 0 to below 1.
#' @param by `"stratified"` gives every part the same share of each class (for numbers: of each band of ranks, ten bands where
#'   there are rows enough), `"random"` draws freely, `"ordered"` takes the last rows by the `order` column as test, before
#'   them calibration and validation, `"key"` goes by a hash of the id (or group), so that a row stays in its part when rows
#'   are added or reordered. Rows of one `group` always stay together, with `"stratified"` as balanced as the groups allow.
#' @param validation_where,test_where,calibration_where Conditions in place of a share, such as
#'   `test_where = fired_on >= "2025-06-01"`; see [expressions]. The rest of the rows is dealt out by the shares of the other
#'   parts.
#' @param parts A column that says the part of each row: `training`, `validation`, `calibration` or `test`; rows where it is
#'   missing are left out.
#' @param seed A whole number that fixes the draw. When not given it is drawn from R's generator, so `set.seed()`
#'   counts.
#' @param ... Not used.
#' @return The brief.
#' @examples
#' brief(kilns, target = "outcome") |> hold_out(validation = 0.2, test = 0.2, seed = 11) |> parts_of()
#' brief(kilns, target = "outcome") |> hold_out(test_where = fired_on >= "2025-06-01") |> parts_of()
#' @export
hold_out <- function(b, ...) UseMethod("hold_out")

#' @rdname hold_out
#' @export
hold_out.hylomath_brief <- function(b, validation = NULL, test = NULL, calibration = NULL, by = NULL, validation_where = NULL,
                                    test_where = NULL, calibration_where = NULL, parts = NULL, seed = draw_seed(), ...) {
  rlang::check_dots_empty()
  conditions <- rlang::enquos(validation_where = validation_where, test_where = test_where, calibration_where = calibration_where)
  conditions <- Filter(Negate(rlang::quo_is_null), conditions)
  texts <- lapply(stats::setNames(nm = names(conditions)), function(name) format_expression(capture_expression(conditions[[name]], quoted(name))))
  b <- set_section(b, "hold_out", c(
    list(validation = validation, test = test, calibration = calibration, by = by, seed = seed), texts,
    list(parts = select_columns(b, rlang::enquo(parts), "parts", one = TRUE))
  ))
  check_shares(b$hold_out)
  if (!is.null(b$table)) for (name in names(texts)) rows_where(texts[[name]], brief_table(b), quoted(name))
  b
}

check_shares <- function(parts) {
  shares <- c(parts$validation, parts$test, parts$calibration)
  if (sum(shares) >= 1) {
    fail(
      sprintf("Validation (%s), test (%s) and calibration (%s) leave no rows for training.", format(parts$validation), format(parts$test), format(parts$calibration)),
      "Make them add up to less than 1."
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

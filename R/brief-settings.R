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
#'   level's share of the training rows; `"hash"`: `buckets` inputs, into which levels fall by a hash of their text;
#'   `"embedding"`: each level is learned as a point in a few dimensions (Guo and Berkhahn 2016), rare and unseen levels as one
#'   that stays in the middle unless training has rare ones. The last three suit columns of hundreds of levels, which have to
#'   be given the kind `category` first.
#' @param buckets Inputs of a hashed category.
#' @param embedding_width Dimensions of an embedding; `"auto"` is the square root of the number of levels, rounded up, at most
#'   32.
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
                                   buckets = NULL, embedding_width = NULL, rare = NULL, dates = NULL, missing_codes = NULL, target = NULL, ...) {
  rlang::check_dots_empty()
  columns <- select_columns(b, rlang::enquo(only), "only")
  settings <- drop_nulls(list(
    numbers = numbers, clip = clip, gaps = gaps, categories = categories, buckets = buckets, embedding_width = embedding_width, rare = rare, dates = dates,
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
#' 64 gelu norm l2=1e-4 > 32 gelu start=orthogonal
#' direct
#' ```
#'
#' A layer is `<units> <activation> [norm] [name=value ...]`. `norm` is batch normalisation before the activation, over
#' blocks of at most 256 rows of a batch (Ioffe and Szegedy 2015), and by the running means and variances when predicting.
#' By name can be set
#'
#' * `l1` and `l2`: penalties on the layer's incoming weights, in place of the regimen's;
#' * `rate`: a multiple of the learning rate; 0 keeps the layer as it started;
#' * `start`: the rule for starting weights: `glorot` (Glorot and Bengio 2010), `he` (He et al. 2015), `lecun` (LeCun et al.
#'   1998), `orthogonal` (Saxe et al. 2014), `same` (1 from each input to the unit of its number), `uniform:0.1` and
#'   `normal:0.1` with a spread. The usual one is `lecun` for selu, `he` for relu and its kin, otherwise `glorot`.
#'
#' `dropout <share>` drops that share of what comes from the left while training.
#'
#' The activations of a weighted sum z: `identity`; `logistic` 1 / (1 + exp(-z)); `tanh`; `relu` max(z, 0); `leaky_relu`
#' 0.01 z below 0 (Maas et al. 2013); `elu` exp(z) - 1 below 0 (Clevert et al. 2016); `selu`, that scaled so that layers keep
#' mean 0 and variance 1 (Klambauer et al. 2017); `gelu` z / 2 (1 + tanh(0.79788 (z + 0.044715 z^3))) (Hendrycks and Gimpel
#' 2016); `silu` z / (1 + exp(-z)) (Elfwing et al. 2018); `softplus` log(1 + exp(z)); `gaussian` exp(-z^2); `sine`.
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
  check_regimen(b)
}

#' Set the regimen of training
#'
#' @section By default: `method`, `batch_size`, `learning_rate` and `l2` are `"auto"`; a brief shows what they come to for its
#'   table, a model's brief holds it. The rule, for n training rows:
#'
#'   * Up to 1,000 rows the whole table is looked at before each step: by `"levenberg_marquardt"` if the loss is the squared
#'     error and there are at most 200 parameters and no more than rows times targets, else by `"lbfgs"`. What these can't
#'     do (dropout, `norm`, `l1`, `rate`, `clip_norm`, `max_norm`, `input_noise`, a schedule, a batch size or learning rate
#'     of your own, and the losses without curvature `"absolute"` and `"quantile"`) makes it `"adam"`.
#'   * Larger tables are trained by `"adam"`.
#'   * Batches have 64 rows up to 10,000 rows, and twice as many for every fourfold of that, at most 1,024.
#'   * The learning rate is 0.005 (momentum and nesterov 0.02, rmsprop 0.002) times the square root of the batch over 64.
#'   * `l2` is 10 / n to one digit, at most 0.01: a pull towards zero that fades as rows are added. For
#'     `"levenberg_marquardt"` it is `"evidence"`, unless a layer has an l2 of its own.
#'
#' @section Methods: In batches: `"momentum"`, gradient descent that keeps a share of its last step (Polyak 1964);
#'   `"nesterov"`, the same with the gradient looked up ahead (Nesterov 1983, as in Sutskever et al. 2013); `"rmsprop"` (Hinton
#'   2012); `"adam"` (Kingma and Ba 2015); `"adamw"`, Adam with the weight decay beside the gradient (Loshchilov and Hutter
#'   2019). On the whole table, in double precision, one step an epoch: `"resilient"` propagation (Riedmiller and Braun 1993,
#'   Igel and Huesken 2003); `"scaled_conjugate"` gradient (Moller 1993); `"lbfgs"` with a strong-Wolfe line search (Nocedal
#'   and Wright 2006); `"levenberg_marquardt"` for the squared error (Marquardt 1963; Madsen, Nielsen and Tingleff 2004).
#' @section Losses: Classes: `"cross_entropy"`, or `list(kind = "cross_entropy", smoothing = 0.1)` for smoothed labels (Szegedy
#'   et al. 2016; the probabilities are then pulled towards even shares by as much); `"ordinal"`, cumulative logits for
#'   ordered classes (McCullagh 1980), which take the order of the brief's `classes`. Counts: `"poisson"`. Numbers:
#'   `"squared"`, whose answers are means; `"absolute"`, medians; `list(kind = "huber", knee = 1)`, squared up to `knee`
#'   (in standard deviations of the target) and straight beyond (Huber 1964); `list(kind = "quantile", at = c(0.1, 0.5, 0.9))`,
#'   several quantiles at once (Koenker and Bassett 1978), which [predict()][predict.hylomath_model] gives in rising order;
#'   `"gamma"` for positive numbers whose spread grows with their size.
#'
#' @param b A brief.
#' @param method How weights are found, see Methods.
#' @param loss What is lowered, see Losses; `"auto"` is the cross-entropy for classes (`"ordinal"` for an ordered factor),
#'   `"poisson"` for counts and `"squared"` for numbers.
#' @param output `"auto"`, `"identity"`, `"exponential"` or `"softplus"`: what the last layer makes of its sums for numbers and
#'   counts. The last two answer above 0 only; the target is then scaled by its mean.
#' @param learning_rate Length of a step, above 0.
#' @param momentum The share of the last step that is kept, 0 to below 1; 0.9 for `"momentum"` and `"nesterov"`.
#' @param weight_decay For `"adamw"`: the share of each weight taken off in a step, times the learning rate; 0.01.
#' @param schedule How the learning rate changes: `"constant"`; `list(kind = "step", every = 10, factor = 0.5)`;
#'   `list(kind = "exponential", factor = 0.98)` an epoch; `list(kind = "cosine", floor = 0)` down to that share at the last
#'   epoch (Loshchilov and Hutter 2017); `list(kind = "plateau", every = 10, factor = 0.5)` whenever the validation loss has
#'   not reached a new low for `every` epochs. Each takes `warm_up`, the number of first epochs in which the rate rises
#'   from near 0.
#' @param batch_size Rows a step. The smaller last batch of an epoch is used too.
#' @param epochs The most times that training goes through all its rows.
#' @param stop A list of rules, each looked at after every epoch: `patience`, epochs without a new low of the validation
#'   loss (20); `gradient`, the largest component of the last gradient is no larger; `loss`, the training loss is no
#'   larger; `seconds`. `"none"` goes on to the last epoch. The weights of the epoch with the lowest validation loss are
#'   kept. The model says which rule ended training.
#' @param l1,l2 Penalties: the loss grows by `l1` times the sum of the weights' sizes and by half of `l2` times the sum of
#'   their squares. Biases are free of them. With `"levenberg_marquardt"`, `l2 = "evidence"` lets the data say how large the
#'   weights may be: the penalty is set anew after each step, so that it fits the number of weights that the data
#'   determine (MacKay 1992; Foresee and Hagan 1997).
#' @param clip_norm Gradients longer than this are shortened to it (Pascanu et al. 2013); 0 for never.
#' @param max_norm Each hidden unit's incoming weights are kept within this length (Srivastava et al. 2014); 0 for any length.
#' @param input_noise Standard deviation of normal noise that is added to the prepared inputs while training.
#' @param class_weights `"none"`; `"even"`, which gives every class the same total weight; or a number for each class
#'   by name. The answer is the class with the highest weighted score, probabilities are corrected back to the real
#'   shares of the classes.
#' @param restarts How many starts are trained, at once on all cores. The model holds the spread of their losses.
#' @param keep `"best"`: the start with the lowest validation loss. `"committee"`: all, and the average of their answers.
#' @param measures What is measured at each epoch beside the loss, for [loss_curves()]: `"accuracy"` for classes, `"mae"` or
#'   `"rmse"` for numbers (of the first target). Measuring costs about a third of the training time.
#' @param seed A whole number that fixes starting weights and shuffles. When not given, [train()] draws it from R's
#'   generator.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A setting that the method has no use for, and a loss that is not for the task, are refused.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   regimen(learning_rate = 0.01, schedule = list(kind = "cosine", warm_up = 3), class_weights = "even")
#' brief(kilns, target = "outcome") |>
#'   regimen(restarts = 4, keep = "committee", stop = list(patience = 10, seconds = 60))
#' @export
regimen <- function(b, ...) UseMethod("regimen")

#' @rdname regimen
#' @export
regimen.hylomath_brief <- function(b, method = NULL, loss = NULL, output = NULL, learning_rate = NULL, momentum = NULL,
                                   weight_decay = NULL, schedule = NULL, batch_size = NULL, epochs = NULL, stop = NULL,
                                   l1 = NULL, l2 = NULL, clip_norm = NULL, max_norm = NULL, input_noise = NULL,
                                   class_weights = NULL, restarts = NULL, keep = NULL, measures = NULL, seed = NULL, ...) {
  rlang::check_dots_empty()
  # what belonged to the former method alone goes with it
  if (!is.null(method)) for (name in intersect(useless_settings(method), c("momentum", "weight_decay"))) b$regimen[[name]] <- NULL
  b <- set_section(b, "regimen", list(
    method = method, loss = loss, output = output, learning_rate = learning_rate, momentum = momentum, weight_decay = weight_decay,
    schedule = schedule, batch_size = batch_size, epochs = epochs, stop = stop, l1 = l1, l2 = l2, clip_norm = clip_norm,
    max_norm = max_norm, input_noise = input_noise, class_weights = class_weights, restarts = restarts, keep = keep,
    measures = measures, seed = seed
  ))
  b$regimen <- with_method_defaults(b$regimen)
  check_regimen(b)
}

# Settings of a regimen that the method, the task or each other have no use for, and the verb that sets them.

#' Set the regimen of training
#'
#' @section By default: `method`, `batch_size`, `learning_rate`, `l2`, `epochs` and `stop` are `"auto"`; a brief shows
#'   what they come to for its table, a model's brief holds it. The rule, for n training rows:
#'
#'   * A network without hidden layers is taken to its one minimum by `"newton"`, where it has at most 500 parameters
#'     and no embeddings and the table is not too large for it, else by `"lbfgs"`.
#'     With an `l1` it is `"coordinate_descent"` in their place, where there are no embeddings.
#'   * Others are trained by `"levenberg_marquardt"` where its equations are affordable. Let v be the observed values: n
#'     times the targets, or n times one less than the classes. There must be no more than v parameters p, and 50 steps
#'     of m p^2 / 2 + p^3 / 2 products must come to at most 3e10, which a core does in some seconds; m is the larger
#'     of 10 p and 2e8 / p^2, but at most v. Layers of `relu` and `leaky_relu` are left out.
#'   * Else tables of up to 1,000 rows are trained by `"lbfgs"`, and larger ones by `"adam"`.
#'   * What these can't do (dropout, `norm`, `l1`, `rate`, `gradient_clip`, `max_norm`, `input_noise`, a schedule, a
#'     batch size or learning rate of your own, and the losses without curvature `"absolute"` and `"quantile"`) makes it
#'     `"adam"`.
#'   * Batches have 64 rows up to 10,000 rows, and twice as many for every fourfold of that, at most 1,024.
#'   * The learning rate is 0.005 (momentum and nesterov 0.02, rmsprop 0.002) times the square root of the batch over
#'     64.
#'   * `l2` is 10 / n to one digit, at most 0.01: a pull towards zero that fades as rows are added. For
#'     `"levenberg_marquardt"` and `"newton"` it is `"evidence"`, and for the methods that take batches, with a loss
#'     that tells the noise, `"noise"`, unless a layer has an l2 of its own.
#'
#' @section The rule: This is rule 4; a brief and a model carry its number as `rule`, and go on meaning what they meant
#'   when there is another one. It settles what is open by the table alone; [brief()] prints what it comes to and why.
#'
#'   * A fifth of the rows are test rows. They are the same rows, however the network is trained on the others.
#'   * The other rows are dealt into 8 folds, and as many networks of each wiring are trained, see [hold_out()]. One
#'     network is trained, and stopped by 0.15 of the rows, where there are validation rows or several starts, where the
#'     wiring is `linear`, where rows or groups are too few or some network would lack a class, and by [quick()].
#'   * Where the wiring is open and an ensemble is trained, these wirings are trained: `64 relu > 32 relu` with numbers
#'     by rank (`"rank_normal"`, for heavy tails); the same with numbers as usual, at the lower learning rate of 0.002
#'     where Adam trains it; `24 silu > 12 silu`; the same with numbers as sines and cosines (`"periodic"`, see
#'     [prepare()]), for what goes up and down; for smooth relations, with a patience of 10 epochs, the widest of
#'     `16 tanh`, `12 tanh`, `8 tanh` and `5 tanh` that `"levenberg_marquardt"` may train, and `10 tanh > 6 tanh` if it
#'     may; above 1,000 rows the larger of `24 tanh > 12 tanh` and `16 tanh > 10 tanh` that it may, for at most 120
#'     epochs; and `linear`. The first four are trained for at most 600 epochs, by `"adam"` with a patience of 20, or up
#'     to 1,000 rows by `"lbfgs"` with one of 40. Numbers that lie outside the learned rows by more than half of their
#'     range are set to there, but for `linear`.
#'   * Where there are at least 20 columns, and a tenth as many as rows, `linear` is there twice: with a penalty on
#'     squares, and with one on sizes (`linear, sparse`, by `"coordinate_descent"`), which leaves few columns. The
#'     better one is the linear model that others are compared with. If there are also 60 columns, few of them may
#'     decide by a relation that bends: then those of few units, and a further `24 silu > 12 silu`, are trained on the
#'     30 columns that tell most (`prepare(strongest = 30)`); of the others the first and the third are left, and of
#'     more columns than rows none.
#'   * Two of the folds (in order of time, the last two) are a trial. A wiring goes on to the other folds if it has a
#'     share in the blend of these, and as long as fewer than two do, if its loss there is no more than a standard
#'     error of the difference higher than the lowest. Those of few units take longest. So they are tried only where
#'     the best of the others has a loss at least 10 % below that of the linear model; first in one fold; and go on
#'     only with a share, and if they have more than 300 parameters, only if they lower the loss of the blend by 2 %.
#'     Up to 1,000 rows it is enough that the loss is below, and they are tried in both folds. The larger one is tried
#'     where they lower the loss of the blend by 10 %, and leave more than 0.2 % of the linear model's.
#'   * They are blended: from the one with the lowest loss on out-of-fold rows, steps of a tenth, a quarter or a half
#'     go towards whichever lowers that loss most, as long as it falls by 0.2 % (Caruana et al. 2004). So a wiring that
#'     adds nothing has no share, and what `linear` does as well is left to it. Where the wiring is named it predicts
#'     alone. Of a wiring's networks one that was caught in a bad minimum, with ten times the median loss on the rows
#'     that it learned from and on those that stopped it, has no share. The losses that chose the blend are no
#'     evaluation of it; the test rows are.
#'   * One network has the wiring `24 relu > 12 relu`.
#'   * Methods, batches, rates and penalties follow from the rows, see By default. Tried as one wiring more and not part
#'     of the rule, for want of a gain that held on the tables of `bench/panel`: the logarithm of a target, piecewise
#'     linear numbers, a skip connection.
#'
#' @section Methods: In batches: `"momentum"`, gradient descent that keeps a share of its last step (Polyak 1964);
#'   `"nesterov"`, the same with the gradient looked up ahead (Nesterov 1983, as in Sutskever et al. 2013); `"rmsprop"`
#'   (Hinton 2012); `"adam"` (Kingma and Ba 2015); `"adamw"`, Adam with the weight decay beside the gradient
#'   (Loshchilov and Hutter 2019). On the whole table, in double precision, one step an epoch: `"resilient"`
#'   propagation (Riedmiller and Braun 1993, Igel and Huesken 2003); `"scaled_conjugate"` gradient (Moller 1993);
#'   `"lbfgs"` with a strong-Wolfe line search (Nocedal and Wright 2006); `"levenberg_marquardt"`
#'   (Marquardt 1963; Madsen, Nielsen and Tingleff 2004), for losses other than the squared error on the generalised
#'   Gauss-Newton matrix (Schraudolph 2002), which is that of at least ten values a parameter where there are far more
#'   rows (Byrd and others 2011), beyond 2,000 parameters by conjugate gradients on products with that matrix (Martens
#'   2010); `"newton"` with expected second derivatives, for networks
#'   without hidden layers (Fisher scoring: McCullagh and Nelder 1989; the losses without curvature by the parabolas of
#'   Hunter and Lange 2000), which goes to the minimum, so that validation rows have no say in when it stops;
#'   `"coordinate_descent"` for these networks under an `l1` penalty, which leaves weights at exactly 0 (Friedman,
#'   Hastie and Tibshirani 2010).
#' @section Losses: Classes: `"cross_entropy"`, or `list(kind = "cross_entropy", smoothing = 0.1)` for smoothed labels
#'   (Szegedy et al. 2016; the probabilities are then pulled towards even shares by as much); `"ordinal"`, cumulative
#'   logits for ordered classes (McCullagh 1980), which take the order of the brief's `classes`. Counts: `"poisson"`.
#'   Numbers: `"squared"`, whose predictions are means; `"absolute"`, medians; `list(kind = "huber", delta = 1)`,
#'   squared up to `delta` (in standard deviations of the target) and straight beyond (Huber 1964); `list(kind =
#'   "quantile", at = c(0.1, 0.5, 0.9))`, several quantiles at once (Koenker and Bassett 1978), which
#'   [predict()][predict.hylomath_model] gives in rising order; `"gamma"` for positive numbers whose spread grows with
#'   their size.
#'
#' @param b A brief.
#' @param method How weights are found, see Methods.
#' @param loss What is lowered, see Losses; `"auto"` is the cross-entropy for classes (`"ordinal"` for an ordered
#'   factor), `"poisson"` for counts and `"squared"` for numbers.
#' @param output `"auto"`, `"identity"`, `"exponential"` or `"softplus"`: what the last layer makes of its sums for
#'   numbers and counts. The last two predict above 0 only; the target is then scaled by its mean.
#' @param learning_rate Length of a step, above 0.
#' @param momentum The share of the last step that is kept, 0 to below 1; 0.9 for `"momentum"` and `"nesterov"`.
#' @param weight_decay For `"adamw"`: the share of each weight taken off in a step, times the learning rate; 0.01.
#' @param schedule How the learning rate changes: `"constant"`; `list(kind = "step", every = 10, factor = 0.5)`;
#'   `list(kind = "exponential", factor = 0.98)` an epoch; `list(kind = "cosine", floor = 0)` down to that share at the
#'   last epoch (Loshchilov and Hutter 2017); `list(kind = "plateau", every = 10, factor = 0.5)` whenever the
#'   validation loss has not reached a new low for `every` epochs. Each takes `warm_up`, the number of first epochs in
#'   which the rate rises from near 0.
#' @param batch_size Rows a step. The smaller last batch of an epoch is used too.
#' @param epochs The most times that training goes through all its rows; `"auto"` is 300, and 600 for the wirings of the
#'   rule.
#' @param stop A list of rules, each looked at after every epoch: `patience`, epochs without a new low of the validation
#'   loss; `gradient`, the largest component of the last gradient is no larger; `loss`, the training loss is no
#'   larger; `seconds`; `epoch`, training ends after this one, one for all starts or one a start, while the schedule
#'   goes by `epochs` all the same: so the brief of a model whose training was interrupted says where. `"auto"` is a
#'   patience of 20, or what the rule says of its wirings; `"none"` goes on to the last epoch. The weights of the epoch
#'   with the lowest validation loss are kept. The model says which rule ended training.
#' @param l1,l2 Penalties: the loss grows by `l1` times the sum of the weights' sizes and by half of `l2` times the sum
#'   of their squares. Biases are free of them. With `"levenberg_marquardt"` and `"newton"`, `l2 = "evidence"` lets the
#'   data say how large the weights may be: the penalty is set anew after each step, so that it fits the number of
#'   weights that the data determine (MacKay 1992; Foresee and Hagan 1997). With hidden layers
#'   `"levenberg_marquardt"` finds one for each input, so that inputs which tell nothing fade away, and one for each
#'   other layer (automatic relevance determination: Neal 1996); their geometric mean is shown. The inputs share one
#'   until a step lowers the loss by less than 3 %, since before that their parts look like noise. Beyond 2,000
#'   parameters the number of determined weights is estimated by random signs (Hutchinson 1990).
#'   With the methods that take batches and the losses `"squared"`, `"huber"` and `"gamma"`, `l2 = "noise"` is 10 / n,
#'   at most 0.01, times the share of the target's variance that is noise, for n learned rows: the pull that a normal
#'   prior with a variance of a tenth has. It is 1 at first, and is measured anew after each epoch, by the loss of the
#'   rows that stop the network (or, without them, of those that it learns from), down to 1e-4. The model says what it
#'   was in the epoch that is kept.
#'   With `"coordinate_descent"` `l1 = "path"`, as by default, goes from the penalty under which all weights are 0 down
#'   to a hundredth of it (with more rows than columns, a ten thousandth), one an epoch, and the rows that stop it
#'   choose.
#' @param gradient_clip Gradient clipping: gradients with a larger norm are shortened to this one (Pascanu et al. 2013);
#'   0 for never.
#' @param max_norm Max-norm: the largest norm of each hidden unit's incoming weights (Srivastava et al. 2014); 0 for
#'   any.
#' @param input_noise Standard deviation of normal noise that is added to the prepared inputs while training.
#' @param class_weights `"none"`; `"even"`, which gives every class the same total weight; or a number for each class
#'   by name. The prediction is the class with the highest weighted score, probabilities are corrected back to the real
#'   shares of the classes.
#' @param restarts How many starts are trained, at once on all cores. The model holds the spread of their losses.
#' @param keep `"best"`: the start with the lowest validation loss. `"ensemble"`: all, and the average of their
#'   predictions.
#' @param measures What is measured at each epoch beside the loss, for [loss_curves()]: `"accuracy"` for classes,
#'   `"mae"` or `"rmse"` for numbers (of the first target). Measuring costs about a third of the training time.
#' @param seed A whole number that fixes starting weights and shuffles. When not given, [train()] draws it from R's
#'   generator.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A setting that the method has no use for, and a loss that is not for the task, are refused.
#' @references Polyak (1964) \doi{10.1016/0041-5553(64)90137-5}; Kingma and Ba (2015) \doi{10.48550/arXiv.1412.6980};
#'   Loshchilov and Hutter (2019) \doi{10.48550/arXiv.1711.05101}; Riedmiller and Braun (1993)
#'   \doi{10.1109/ICNN.1993.298623}; Moller (1993) \doi{10.1016/S0893-6080(05)80056-5}; Marquardt (1963)
#'   \doi{10.1137/0111030}; MacKay (1992) \doi{10.1162/neco.1992.4.3.415}; Schraudolph (2002)
#'   \doi{10.1162/08997660260028683}; Neal (1996) \doi{10.1007/978-1-4612-0745-0}; Byrd, Chin, Neveitt and Nocedal
#'   (2011) \doi{10.1137/10079923X}; Huber (1964) \doi{10.1214/aoms/1177703732};
#'   Koenker and Bassett (1978) \doi{10.2307/1913643}; McCullagh (1980) \doi{10.1111/j.2517-6161.1980.tb01109.x};
#'   Szegedy and others (2016) \doi{10.1109/CVPR.2016.308}; Friedman, Hastie and Tibshirani (2010)
#'   \doi{10.18637/jss.v033.i01}; Caruana, Niculescu-Mizil, Crew and Ksikes (2004)
#'   \doi{10.1145/1015330.1015432}.
#' @examples
#' brief(kilns, target = "outcome") |>
#'   regimen(learning_rate = 0.01, schedule = list(kind = "cosine", warm_up = 3), class_weights = "even")
#' brief(kilns, target = "outcome") |>
#'   regimen(restarts = 4, keep = "ensemble", stop = list(patience = 10, seconds = 60))
#' @export
regimen <- function(b, method = NULL, loss = NULL, output = NULL, learning_rate = NULL, momentum = NULL,
                    weight_decay = NULL, schedule = NULL, batch_size = NULL, epochs = NULL, stop = NULL, l1 = NULL,
                    l2 = NULL, gradient_clip = NULL, max_norm = NULL, input_noise = NULL,
                    class_weights = NULL,
                    restarts = NULL, keep = NULL, measures = NULL, seed = NULL, ...) {
  UseMethod("regimen")
}

#' @export
regimen.hylomath_brief <- function(b, method = NULL, loss = NULL, output = NULL, learning_rate = NULL, momentum = NULL,
                                   weight_decay = NULL, schedule = NULL, batch_size = NULL, epochs = NULL, stop = NULL,
                                   l1 = NULL, l2 = NULL, gradient_clip = NULL, max_norm = NULL,
                                   input_noise = NULL,
                                   class_weights = NULL, restarts = NULL, keep = NULL, measures = NULL, seed = NULL,
                                   ...) {
  check_others(...)
  # what belonged to the former method alone goes with it
  if (!is.null(method)) {
    for (name in intersect(useless_settings(method), c("momentum", "weight_decay"))) b$regimen[[name]] <- NULL
  }
  b <- set_section(b, "regimen", list(
    method = method, loss = loss, output = output, learning_rate = learning_rate, momentum = momentum,
    weight_decay = weight_decay, schedule = schedule, batch_size = batch_size, epochs = epochs, stop = stop, l1 = l1,
    l2 = l2, gradient_clip = gradient_clip, max_norm = max_norm, input_noise = input_noise,
    class_weights = class_weights,
    restarts = restarts, keep = keep, measures = measures, seed = seed
  ))
  b$regimen <- with_method_defaults(b$regimen)
  check_regimen(b)
}

#' @export
regimen.default <- function(b, ...) wrong_object("regimen", "a brief", b)

# A method's own settings have a default there, and no place elsewhere.
with_method_defaults <- function(r) {
  own <- method_defaults(r$method)
  missing <- setdiff(names(own), names(r))
  r[missing] <- own[missing]
  in_schema_order(r, brief_schema[["regimen"]])
}

# ---- what doesn't go together -------------------------------------------------------------------------------------

# As long as a brief is being made its wiring may still be said; `settled` says that it is trained as it stands.
check_regimen <- function(b, settled = FALSE) {
  r <- b[["regimen"]]
  wiring <- parse_wiring(b$wiring)
  if (identical(r$l2, "noise")) check_noise(r, if (b$wiring == "auto" && !settled) list() else wiring, b)
  check_path(r, wiring, b$wiring == "auto" && !settled)
  if (r$method == "auto") check_open_method(r) else check_method(r, wiring, b$wiring == "auto" && !settled)
  if (identical(r$l2, "evidence")) check_evidence(r, if (b$wiring == "auto" && !settled) list() else wiring)
  if (r$keep == "ensemble" && r$restarts < 2) {
    fail("An ensemble needs at least two starts.", "Set `regimen.restarts`, for example to 5.")
  }
  if (!is.null(b$task)) {
    settled_loss(b)  # fails where they don't go together
    check_regimen_of_task(r, b$task)
  }
  b
}

check_open_method <- function(r) {
  for (name in intersect(c("momentum", "weight_decay"), names(r))) {
    method <- if (name == "momentum") "`momentum`" else "`adamw`"
    fail(
      sprintf("`regimen.%s` is set, but not the method that uses it.", name),
      sprintf("Set the method, for example to %s.", method)
    )
  }
}

check_method <- function(r, wiring, wiring_is_open) {
  defaults <- brief_defaults[["regimen"]]
  for (name in useless_settings(r$method)) {
    if (is.null(r[[name]]) || identical(r[[name]], defaults[[name]])) next
    what <- sprintf("`regimen.%s` has no meaning for the method %s.", name, quoted(r$method))
    fail(what, "Leave it out, or choose another method.")
  }
  if (r$method %in% linear_methods && length(wiring$layers) > 0 && !wiring_is_open) {
    fail(
      sprintf("The method %s is for networks without hidden layers.", quoted(r$method)),
      "Wire it `linear`, or choose another method, such as `lbfgs`."
    )
  }
  needed <- if (r$method %in% whole_methods) needs_batches(r, wiring)
  if (r$method == "coordinate_descent") needed <- setdiff(needed, "l1")
  if (length(needed)) {
    what <- "The method %s looks at the whole table at once and can't do %s."
    fail(
      sprintf(what, quoted(r$method), enumerate(quoted(needed))),
      "Leave it out, or choose a method that takes batches, such as `adam`."
    )
  }
}

# A path of l1 penalties goes to one minimum after another, which networks with hidden layers don't have.
check_path <- function(r, wiring, wiring_is_open) {
  if (!identical(r$l1, "path")) return()
  if (!r$method %in% c("auto", "coordinate_descent")) {
    fail(
      sprintf("`regimen.l1` can't be `path` with the method %s.", quoted(r$method)),
      "Give a number, or choose `coordinate_descent`."
    )
  }
  if (length(wiring$layers) && !wiring_is_open) {
    fail("`regimen.l1` can be `path` without hidden layers only.", "Wire it `linear`, or give a number.")
  }
}

# What only the methods that take batches can do.
needs_batches <- function(r, wiring) {
  skip <- wiring$skip
  layer_has <- function(test) any(vapply(wiring$layers, test, NA))
  path_has <- function(test) layer_has(test) || !is.null(skip) && test(skip)
  c(
    if (wiring$input_dropout > 0 || layer_has(function(l) l$dropout > 0)) "dropout",
    if (layer_has(function(l) l$norm)) "norm",
    if (path_has(function(l) l$rate != 1)) "rate",
    if (identical(r$l1, "path") || r$l1 > 0 || path_has(function(l) !is.null(l$l1) && l$l1 > 0)) "l1",
    if (identical(r$l2, "noise")) "l2",
    if (r$gradient_clip > 0) "gradient_clip",
    if (r$max_norm > 0) "max_norm",
    if (r$input_noise > 0) "input_noise",
    if (!identical(r$schedule, "constant")) "schedule",
    if (!identical(r$batch_size, "auto")) "batch_size",
    if (!identical(r$learning_rate, "auto")) "learning_rate"
  )
}

has_own_l2 <- function(wiring) any(vapply(c(wiring$layers, list(wiring$skip)), function(l) !is.null(l$l2), NA))

check_evidence <- function(r, wiring) {
  if (!r$method %in% c("auto", evidence_methods)) {
    fail(
      sprintf("`regimen.l2` can't be `evidence` with the method %s.", quoted(r$method)),
      sprintf("It goes with %s; give a number, or leave it at `auto`.", enumerate(quoted(evidence_methods), "and"))
    )
  }
  if (r$method == "lbfgs" && length(wiring$layers)) {
    fail(
      "`regimen.l2` can be `evidence` with the method `lbfgs` where there are no hidden layers only.",
      "Give a number, leave it at `auto`, or choose `levenberg_marquardt`."
    )
  }
  if (has_own_l2(wiring)) {
    fail("`regimen.l2` is `evidence`, but a layer of the wiring has an l2 of its own.", "Set one of them only.")
  }
}

check_noise <- function(r, wiring, b) {
  if (!r$method %in% c("auto", batch_methods)) {
    fail(
      sprintf("`regimen.l2` can't be `noise` with the method %s.", quoted(r$method)),
      sprintf("It goes with %s; give a number, or leave it at `auto`.", enumerate(quoted(batch_methods), "and"))
    )
  }
  loss <- if (!is.null(b$task)) target_of(b)$loss$kind
  if (!is.null(loss) && !loss %in% noise_losses) {
    fail(
      sprintf("`regimen.l2` can't be `noise` with the loss %s, which has no noise apart.", quoted(loss)),
      sprintf("It goes with %s; give a number, or leave it at `auto`.", enumerate(quoted(noise_losses), "and"))
    )
  }
  if (has_own_l2(wiring)) {
    fail("`regimen.l2` is `noise`, but a layer of the wiring has an l2 of its own.", "Set one of them only.")
  }
}

check_regimen_of_task <- function(r, word) {
  known <- tasks_called(word)[[1]]$epoch_measures
  bad <- setdiff(r$measures, known)
  if (length(bad)) {
    fail(
      sprintf("The measure %s does not fit the task %s.", quoted(bad[1]), word),
      sprintf("It can be %s.", enumerate(quoted(known), "or"))
    )
  }
}

# ---- the loss --------------------------------------------------------------------------------------------------------

# The task, loss and output that a brief comes to.

# list(kind, output, and the kind's settings).
settled_loss <- function(b) {
  word <- b$task
  tasks <- tasks_called(word)
  loss <- kind_settings(b[["regimen"]]$loss, loss_kinds)
  if (loss$kind == "auto") loss <- kind_settings(tasks[[1]]$losses[1], loss_kinds)
  task <- Filter(function(task) loss$kind %in% task$losses, tasks)
  if (length(task) == 0) {
    known <- intersect(names(loss_kinds), unlist(lapply(tasks, `[[`, "losses")))
    fail(
      sprintf("The loss %s is not for the task %s.", quoted(loss$kind), quoted(word)),
      sprintf("It can be %s.", enumerate(quoted(known), "or"))
    )
  }
  task[[1]]$check_loss(loss, unclass(b)[c("classes", "positive")], b$target)
  loss$output <- settled_output(task[[1]], loss, b)
  loss
}

settled_output <- function(task, loss, b) {
  wanted <- b[["regimen"]]$output
  if (wanted == "auto") return(task$output(loss, b$classes))
  if (task$kind == "classes") {
    fail(sprintf("`regimen.output` can't be %s: the classes decide it.", quoted(wanted)), "Leave it at `auto`.")
  }
  if (wanted == "identity" && loss_record(loss)$above_zero != "nothing") {
    fail(
      sprintf("The loss %s needs predictions above 0.", quoted(loss$kind)),
      "Set `regimen.output` to `exponential` or `softplus`."
    )
  }
  if (wanted == "softplus" && !is.null(b$columns$exposure)) {
    fail("An exposure goes with the output `exponential` only.", "Leave `regimen.output` at `auto`.")
  }
  wanted
}

# What is predicted, as plain data: see task.R.
target_of <- function(b) {
  loss <- settled_loss(b)
  said <- unclass(b)[c("task", "classes", "positive")]
  how <- list(
    loss = loss, scaling = b[["prepare"]]$target, class_weights = b[["regimen"]]$class_weights,
    exposure = b$columns$exposure
  )
  drop_nulls(c(list(columns = b$target), said, how))
}

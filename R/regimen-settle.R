# What a regimen's "auto" comes to for a table, and what doesn't go together in it.
#
# The rule for the method, written out in ?regimen: tables of up to `small_table` rows are trained as a whole, by
# Levenberg-Marquardt where the loss is squared and the parameters are few, else by L-BFGS; larger tables by Adam, whose
# batches double with every fourfold number of rows from 10,000 on.

small_table <- 1000
few_parameters <- 200

# The regimen with nothing left open that its method has a use for. `rows` is the number of training rows, `parameters` a
# function that counts the network's parameters, called only where the rule asks for them.
settled_regimen <- function(b, rows, parameters) {
  r <- b[["regimen"]]
  if (r$method == "auto") r$method <- auto_method(b, rows, parameters)
  if (r$method %in% batch_methods) {
    if (identical(r$batch_size, "auto")) r$batch_size <- auto_batch_size(rows)
    if (identical(r$learning_rate, "auto")) r$learning_rate <- auto_learning_rate(r$method, r$batch_size)
  }
  if (identical(r$l2, "auto")) r$l2 <- auto_l2(b, r$method, rows)
  with_method_defaults(r)
}

# A method's own settings have a default there, and no place elsewhere.
with_method_defaults <- function(r) {
  own <- method_defaults(r$method)
  missing <- setdiff(names(own), names(r))
  r[missing] <- own[missing]
  in_schema_order(r, brief_schema()[["regimen"]])
}

auto_method <- function(b, rows, parameters) {
  if (identical(b[["regimen"]]$l2, "evidence")) return("levenberg_marquardt")
  if (rows > small_table || length(needs_batches(b))) return("adam")
  loss <- settled_loss(b)
  if (loss$kind == "squared" && loss$output == "identity" && parameters() <= min(few_parameters, rows * length(b$target))) return("levenberg_marquardt")
  if (loss$kind %in% c("absolute", "quantile")) "adam" else "lbfgs"
}

# What of a brief only the methods that take batches can do.
needs_batches <- function(b) {
  r <- b[["regimen"]]
  wiring <- parse_wiring(b$wiring)
  layer_has <- function(test) any(vapply(wiring$layers, test, NA))
  c(
    if (wiring$input_dropout > 0 || layer_has(function(l) l$dropout > 0)) "dropout",
    if (layer_has(function(l) l$norm)) "norm",
    if (layer_has(function(l) l$rate != 1)) "rate",
    if (r$l1 > 0 || layer_has(function(l) !is.null(l$l1) && l$l1 > 0)) "l1",
    if (r$clip_norm > 0) "clip_norm", if (r$max_norm > 0) "max_norm", if (r$input_noise > 0) "input_noise",
    if (!identical(r$schedule, "constant")) "schedule", if (!identical(r$batch_size, "auto")) "batch_size",
    if (!identical(r$learning_rate, "auto")) "learning_rate"
  )
}

auto_batch_size <- function(rows) 64 * 2^min(4, max(0, ceiling(log(rows / 10000, 4))))

# With the square root of the batch: the noise of a mean falls by as much (Krizhevsky 2014).
auto_learning_rate <- function(method, batch_size) {
  base <- switch(method, momentum = , nesterov = 0.02, rmsprop = 0.002, 0.005)
  signif(base * sqrt(max(1, batch_size / 64)), 2)
}

# 10 / rows, to one digit, at most 0.01: a normal prior on every weight with a variance of a tenth, whose pull fades as rows
# are added. Levenberg-Marquardt can ask the data.
auto_l2 <- function(b, method, rows) {
  if (method == "levenberg_marquardt" && !has_own_l2(b)) return("evidence")
  signif(min(0.01, 10 / rows), 1)
}

has_own_l2 <- function(b) any(vapply(parse_wiring(b$wiring)$layers, function(l) !is.null(l$l2), NA))

# Before anything is learned: settings that the method, the task or each other have no use for.
check_regimen <- function(b) {
  r <- b[["regimen"]]
  if (r$method != "auto") {
    defaults <- brief_defaults()[["regimen"]]
    for (name in useless_settings(r$method)) {
      if (is.null(r[[name]]) || identical(r[[name]], defaults[[name]])) next
      fail(sprintf("`regimen.%s` is of no use to the method %s.", name, quoted(r$method)), "Leave it out, or choose another method.")
    }
    needed <- if (r$method %in% whole_methods) needs_batches(b)
    if (length(needed)) {
      fail(sprintf("The method %s looks at the whole table at once and can't do %s.", quoted(r$method), enumerate(quoted(needed))), "Leave it out, or choose a method that takes batches, such as `adam`.")
    }
  } else {
    for (name in c("momentum", "weight_decay")) {
      if (!is.null(r[[name]])) fail(sprintf("`regimen.%s` is set, but not the method that uses it.", name), sprintf("Set the method, for example to %s.", if (name == "momentum") "`momentum`" else "`adamw`"))
    }
  }
  if (identical(r$l2, "evidence")) {
    if (!r$method %in% c("auto", "levenberg_marquardt")) fail(sprintf("`regimen.l2` can't be `evidence` with the method %s.", quoted(r$method)), "It goes with `levenberg_marquardt`; give a number, or leave it at `auto`.")
    if (has_own_l2(b)) fail("`regimen.l2` is `evidence`, but a layer of the wiring has an l2 of its own.", "Set one of them only.")
  }
  if (r$keep == "committee" && r$restarts < 2) fail("A committee needs at least two starts.", "Set `regimen.restarts`, for example to 5.")
  if (is.null(b$task)) return(invisible(b))
  loss <- settled_loss(b)
  if (r$method == "levenberg_marquardt" && !(loss$kind == "squared" && loss$output == "identity")) {
    fail("The method `levenberg_marquardt` is for the squared error on an identity output.", "Choose another method, such as `lbfgs`.")
  }
  bad <- setdiff(r$measures, if (b$task == "classification") "accuracy" else c("mae", "rmse"))
  if (length(bad)) fail(sprintf("The measure %s is not one for the task %s.", quoted(bad[1]), b$task), sprintf("It can be %s.", if (b$task == "classification") "`accuracy`" else "`mae` or `rmse`"))
  invisible(b)
}

# ---- the loss -----------------------------------------------------------------------------------------------------

# The loss and the output that a brief comes to: list(kind, output, and the kind's settings).
settled_loss <- function(b) {
  loss <- kind_settings(b[["regimen"]]$loss, loss_kinds())
  if (loss$kind == "auto") {
    loss <- kind_settings(switch(b$task, classification = if (isTRUE(b$ordered)) "ordinal" else "cross_entropy", count = "poisson", regression = "squared"), loss_kinds())
  }
  check_loss_task(b, loss)
  loss$output <- settled_output(b, loss)
  loss
}

losses_of_task <- list(
  classification = c("cross_entropy", "ordinal"), count = "poisson",
  regression = c("squared", "absolute", "huber", "quantile", "gamma")
)

check_loss_task <- function(b, loss) {
  if (!loss$kind %in% losses_of_task[[b$task]]) {
    fail(sprintf("The loss %s is not for the task %s.", quoted(loss$kind), quoted(b$task)), sprintf("It can be %s.", enumerate(quoted(losses_of_task[[b$task]]), "or")))
  }
  if (loss$kind == "ordinal" && length(b$classes) < 3) fail("The loss `ordinal` is for three or more ordered classes.", "For two, use `cross_entropy`.")
  if (loss$kind == "quantile" && length(b$target) > 1) fail("The loss `quantile` is for one target at a time.", "Name one target, or use the loss `absolute`.")
}

settled_output <- function(b, loss) {
  wanted <- b[["regimen"]]$output
  usual <- switch(loss$kind, cross_entropy = if (length(b$classes) == 2) "logistic" else "softmax", ordinal = "ordinal", poisson = , gamma = "exponential", "identity")
  if (wanted == "auto") return(usual)
  if (b$task == "classification") fail(sprintf("`regimen.output` can't be %s: the classes decide it.", quoted(wanted)), "Leave it at `auto`.")
  if (wanted == "identity" && loss$kind %in% c("poisson", "gamma")) fail(sprintf("The loss %s needs answers above 0.", quoted(loss$kind)), "Set `regimen.output` to `exponential` or `softplus`.")
  if (wanted == "softplus" && !is.null(b$columns$exposure)) fail("An exposure goes with the output `exponential` only.", "Leave `regimen.output` at `auto`.")
  wanted
}

# What the answers of a number's network are, in a word.
answers_are <- function(loss) switch(loss$kind, absolute = "medians", quantile = "quantiles", "means")

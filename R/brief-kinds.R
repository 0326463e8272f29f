# The methods and schedules that a regimen can name, and what each has of settings.

#' @include setting.R
NULL

batch_methods <- c("momentum", "nesterov", "rmsprop", "adam", "adamw")

whole_methods <- c("resilient", "scaled_conjugate", "lbfgs", "levenberg_marquardt", "coordinate_descent", "newton")

# Those for networks without hidden layers alone.
linear_methods <- c("newton", "coordinate_descent")

# Those that can ask the data for the penalty.
evidence_methods <- c("levenberg_marquardt", "newton", "lbfgs")

# Losses that tell how much of the target's variance is noise.
noise_losses <- c("squared", "huber", "gamma")

training_methods <- c(batch_methods, whole_methods)

schedule_kinds <- local({
  warm_up <- kind_setting(type_number(0, whole = TRUE), 0)
  every <- kind_setting(type_number(1, whole = TRUE), 10)
  factor <- function(default) kind_setting(type_number(0, 1, open_low = TRUE), default)
  list(
    constant = list(warm_up = warm_up),
    step = list(every = every, factor = factor(0.5), warm_up = warm_up),
    exponential = list(factor = factor(0.98), warm_up = warm_up),
    cosine = list(floor = kind_setting(type_number(0, 1), 0), warm_up = warm_up),
    plateau = list(every = every, factor = factor(0.5), warm_up = warm_up)
  )
})

# Which settings a method has no use for.
useless_settings <- function(method) {
  c(
    if (!method %in% c("momentum", "nesterov")) "momentum",
    if (method != "adamw") "weight_decay",
    if (method %in% whole_methods) {
      c("learning_rate", "schedule", "batch_size", "gradient_clip", "max_norm", "input_noise")
    },
    if (method %in% setdiff(whole_methods, "coordinate_descent")) "l1"
  )
}

# A method's own settings and their defaults.
method_defaults <- function(method) {
  switch(method, momentum = , nesterov = list(momentum = 0.9), adamw = list(weight_decay = 0.01), list())
}

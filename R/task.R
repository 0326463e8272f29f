# A task is what kind of prediction is learned. It is an object of functions, with a file for each; no code elsewhere
# asks for a task's name.
#
# What it works on is plain data. A *target* says what is predicted; target_of() makes it of a brief:
#   columns        the columns' names, one or several
#   task           the word for the task
#   classes        the classes' labels in order; NULL for numbers
#   positive       of two classes the one that is looked for; NULL otherwise
#   loss           list(kind, output, ...) with the kind's settings, see loss_kinds
#   scaling        how numbers are scaled: "zscore", "log", ...
#   class_weights  as the regimen says them
#   exposure       the column of exposures, or NULL
# What was *learned* of it on training rows is the part `target` of
# a preparation. *Evaluated* rows are list(key, group, observed, weight, predictions, linear), see
# predictor.R, and the *context* of an evaluation is list(target, baseline, costs, beside, ...), see
# appraise.R.
#
# A task's fields:
#   word                                    what a brief calls it; where several share a word, the loss decides
#   losses                                  the losses that it can have, the first one being usual
#   kind                                    "classes" or "numbers": what its predictions are
#   several                                 whether several targets can share a network
#   exposure                                whether an exposure can stand beside it
#   logarithm                               whether the target's logarithm can be learned
#   epoch_measures                          what can be measured at each epoch beside the loss
#   claims(y, kind)                         whether a target of this kind is taken for this task when nothing is said
#   complete(said, y)                       list(classes, positive, loss) with what a brief left open
#   check(y, column, said)                  refuses values that it can't predict; `said` holds classes and positive
#   check_loss(loss, said, columns)         refuses a loss that doesn't go with them
#   check_target(target, values)            what else must hold before training
#   output(loss, classes)                   the output layer's usual function
#   units(target)                           the number of outputs
#   strata(y, classes, bands)               the stratum of each row, for dealing
#   observe(values, target)                 observed values of evaluated rows, from a data frame of the target's columns
#   learn(values, target, weight)           what preparation holds of the target
#   row_weights(values, target, learned)    what a row's case weight is multiplied by in the loss
#   encode(values, target, learned)         the matrix that the core takes, a column a target
#   start(target, learned, network, offset) the output's biases before training
#   reading(target, learned)                how outputs become predictions, see src/core/prediction.hpp
#   prediction(values, target)              a data frame of predictions from what the core gives, a vector each
#   baseline(values, target, learned, weight)   what is known without any input
#   primary(target)                         the measure that a network is trained for
#   row_losses(target, evaluated, predictions)     what each row costs by it, a column a target
#   evaluate(context, evaluated, resampling)      list(measures, ...) of an appraisal
#   measure(context, evaluated, i)             the measures of the i-th target, without intervals
#   estimate(context, evaluated, i, resampling)  its estimates
#   error_scale(target)                     in what unit errors are alike, see conformal.R; NULL for classes
#   describe(target)                        what a brief prints of it

new_task <- function(word, losses, kind, ...) {
  none <- list(
    several = FALSE, exposure = FALSE, logarithm = FALSE, epoch_measures = character(),
    claims = function(y, kind) FALSE,
    complete = function(said, y) said, check_loss = function(loss, said, columns) NULL,
    check_target = function(target, values) NULL, row_weights = function(values, target, learned) 1,
    error_scale = function(target) NULL
  )
  utils::modifyList(c(list(word = word, losses = losses, kind = kind), none), list(...))
}

# ---- what several tasks ask of a target ---------------------------------------------------------------------------

has_classes <- function(target) length(target$classes) > 0

# Whole numbers from 0 that are mostly small.
is_small_count <- function(y, kind) kind == "count" && stats::median(y, na.rm = TRUE) <= 1000

is_two_valued <- function(y) length(unique(y[!is.na(y)])) == 2

check_numeric_target <- function(y, column, word) {
  if (!is.numeric(y) && !is.logical(y)) {
    kind <- class(y)[1]
    fail(sprintf("The target %s must be numbers for the task %s; it is %s.", quoted(column), quoted(word), kind))
  }
  check_finite(y, column)
  check_not_tiny(y, column)
}

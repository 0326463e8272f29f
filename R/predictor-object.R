# A predictor turns rows into predictions and nothing more. It is a list of class `hylomath_predictor`:
#   target         what is predicted, see task.R
#   preparation    what was learned of the columns, see prep-learn.R
#   network        the network's shape with its `parameters`, and `members` for an ensemble, see network.R
#   recalibration  how probabilities are put right, or NULL, see recalibrate.R
#   decision       the rule by which classes are predicted, or NULL for the highest score, see decide.R
# One that predicts by several others, see ensemble.R, has in the place of a network
#   members        predictors, each with its own preparation and network
#   shares         how much each of them counts, with a sum of 1
#   folds          in which fold each of them predicted, see ensemble.R
# and its preparation is what was learned of all rows that they were trained on.
# It has no history and knows no evaluated rows. A model, the network without hidden layers beside it, each member of a
# ensemble and each fold's network are or hold one.

# A predictor with other parameters: one start of several, or weights that were set.
with_parameters <- function(predictor, parameters) {
  predictor$network$parameters <- parameters
  predictor$network["members"] <- NULL
  predictor
}

# The columns that a table of new rows must have.
needed_columns <- function(predictor) {
  preparation <- predictor$preparation
  unique(c(raw_columns(preparation$rules$derived, prepared_columns(preparation)), predictor$target$exposure))
}

# ---- several as one -----------------------------------------------------------------------------------------------

joint_predictor <- function(target, preparation, members, shares, folds) {
  structure(
    list(
      target = target, preparation = preparation, members = members, shares = shares / sum(shares), folds = folds
    ),
    class = "hylomath_predictor"
  )
}

# The predictors whose predictions are averaged: itself, if it is one alone.
predicting_members <- function(predictor) predictor$members %||% list(predictor)

# The one of them that is looked at where only one network can be.
leading_member <- function(predictor) {
  if (is.null(predictor$members)) predictor else predictor$members[[which.max(predictor$shares)]]
}

# All parameters of all networks that predict together.
all_parameters <- function(predictor) {
  sum(vapply(predicting_members(predictor), function(member) total_parameters(member$network), 0))
}

network_parameters <- function(predictor) length(leading_member(predictor)$network$parameters)

# How many networks predict together.
network_count <- function(predictor) {
  sum(vapply(predicting_members(predictor), function(member) length(members_of(member$network)), 0L))
}

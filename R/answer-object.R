# An answerer turns rows into answers and nothing more. It is a list of class `hylomath_answerer`:
#   target         what is predicted, see task.R
#   preparation    what was learned of the columns, see prep-learn.R
#   network        the network's shape with its `parameters`, and `members` for a committee, see network.R
#   recalibration  how probabilities are put right, or NULL, see recalibrate.R
#   decision       the rule by which classes are answered, or NULL for the highest score, see decide.R
# One that answers by several others, see rotation.R, has in the place of a network
#   members        answerers, each with its own preparation and network
#   shares         how much each of them counts, with a sum of 1
#   turns          in which turn each of them answered, see rotation.R
# and its preparation is what was learned of all rows that they were trained on.
# It has no history and knows no judged rows. A model, the network without hidden layers beside it, each member of a
# committee and each fold's network are or hold one.

# An answerer with other parameters: one start of several, or weights that were set.
with_parameters <- function(answerer, parameters) {
  answerer$network$parameters <- parameters
  answerer$network["members"] <- NULL
  answerer
}

# The columns that a table of new rows must have.
needed_columns <- function(answerer) {
  preparation <- answerer$preparation
  unique(c(raw_columns(preparation$rules$derived, prepared_columns(preparation)), answerer$target$exposure))
}

# ---- several as one -----------------------------------------------------------------------------------------------

joint_answerer <- function(target, preparation, members, shares, turns) {
  structure(
    list(
      target = target, preparation = preparation, members = members, shares = shares / sum(shares), turns = turns
    ),
    class = "hylomath_answerer"
  )
}

# The answerers whose answers are averaged: itself, if it is one alone.
answering_members <- function(answerer) answerer$members %||% list(answerer)

# The one of them that is looked at where only one network can be.
leading_member <- function(answerer) {
  if (is.null(answerer$members)) answerer else answerer$members[[which.max(answerer$shares)]]
}

# All parameters of all networks that answer together.
all_parameters <- function(answerer) {
  sum(vapply(answering_members(answerer), function(member) total_parameters(member$network), 0))
}

network_parameters <- function(answerer) length(leading_member(answerer)$network$parameters)

# How many networks answer together.
network_count <- function(answerer) {
  sum(vapply(answering_members(answerer), function(member) length(members_of(member$network)), 0L))
}

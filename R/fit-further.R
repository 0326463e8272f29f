# A network that learns on from what another training came to, or anew what is known to be right.
#
# `on` is a list of what it goes on from: `preparation`, by which its rows are taken in; `states`, by start what its
# training had come to, from which it goes on as if it had never ended; or without them `parameters`, from which it
# starts; `epochs`, how many there may be, all in all where it goes on from a state; `keeps`, whether its own states are
# kept; `regimen`, the one in force; and `whole`, where it learns from `"all"` rows or those of the `"ensemble"`, to
# the last of its epochs.

learning_on <- function(spec, on) {
  if (is.null(on)) return(spec)
  spec$core$parameters <- on$parameters %||% numeric()
  if (length(spec$core$parameters)) spec$core$starts <- 1L
  spec$core$states <- on$states %||% list()
  spec$core$further <- length(spec$core$states) > 0
  spec$core$keeps <- isTRUE(on$keeps)
  if (!is.null(on$epochs)) spec$learned$regimen$epochs <- spec$core$regimen$epochs <- on$epochs
  if (!is.null(on$whole)) spec$core$regimen$stop[] <- 0
  spec
}

# The parts of an analysis all of whose rows are learned from.
whole_parts <- function(a) ifelse(is.na(a$aside), "training", NA)

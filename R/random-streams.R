# Everything random on the R side, in one table: which stream each purpose draws from. Numbers come from the core's
# counter-based generator, keyed by a seed and a stream, so that no draw depends on what was drawn before it. The core's
# own streams (starting weights, shuffles, masks) stand in src/core/random.hpp.
#
# `seed` says whose seed goes with it: `split` (hold_out.seed) for which rows are where, `training` (regimen.seed) for
# the rest. Purposes that are drawn many times count on from their first stream.
streams <- rbind(
  data.frame(purpose = "groups", first = 0L, seed = "split"),       # in which order groups of one size are dealt
  data.frame(purpose = "lots", first = 0L, seed = "training"),      # very many units into lots
  data.frame(purpose = "pairs", first = 0L, seed = "a figure's"),   # which rows plot_pairs() draws
  data.frame(purpose = "judged", first = 0L, seed = "training"),    # which training rows a model keeps
  data.frame(purpose = "shift", first = 0L, seed = "training"),     # of a search's first points
  data.frame(purpose = "strata", first = 0L, seed = "split"),       # of the s-th stratum: first + s
  data.frame(purpose = "direct", first = 1L, seed = "training"),    # which rows the direct network learns from
  data.frame(purpose = "leaks", first = 2L, seed = "split"),        # which rows are looked at for leaks
  data.frame(purpose = "anywhere", first = 0L, seed = "training"),  # candidates of a search's round r: first + 2 r
  data.frame(purpose = "nearby", first = 1L, seed = "training"),    # those around its best trials: first + 2 r
  data.frame(purpose = "importance rows", first = 3L, seed = "training"),
  data.frame(purpose = "effect rows", first = 4L, seed = "training"),
  data.frame(purpose = "fewer rows", first = 6L, seed = "split"),   # which rows a smaller fold keeps
  data.frame(purpose = "cells", first = 7L, seed = "training"),     # shares of a confusion matrix's cells
  data.frame(purpose = "rows known", first = 8L, seed = "split"),  # which learned rows a model knows again
  data.frame(purpose = "walk orders", first = 10L, seed = "training"),  # of the k-th walk: first + k
  data.frame(purpose = "ranked rows", first = 19L, seed = "training"),  # which rows a sifting ranks columns by
  data.frame(purpose = "ranked columns", first = 20L, seed = "training"),  # in the r-th repeat: first + r
  data.frame(purpose = "profile", first = 21L, seed = "split"),  # which rows a model's profile is of
  data.frame(purpose = "smear", first = 22L, seed = "training"),  # which rows the correction of a log target is of
  data.frame(purpose = "made-up rows", first = 30L, seed = "training"),  # of column j: first + 2 j, and the next
  data.frame(purpose = "importance", first = 0L, seed = "training")  # of column j in repeat r: first + 1000 j + r
)

stream_of <- function(purpose, which = 0L) {
  place <- match(purpose, streams$purpose)
  if (is.na(place)) rlang::abort(sprintf("There is no stream for %s.", purpose), .internal = TRUE)
  as.integer(streams$first[place] + which)
}

# The numbers from 1 to n in random order.
shuffled <- function(n, seed, purpose, which = 0L) core_shuffle(n, seed, stream_of(purpose, which))

# At most `most` of the rows, drawn at random; the others keep their order.
drawn_rows <- function(rows, most, seed, purpose) {
  if (length(rows) <= most) rows else rows[shuffled(length(rows), seed, purpose)[seq_len(most)]]
}

# Numbers between 0 and 1.
uniform <- function(n, seed, purpose, which = 0L) core_uniform(n, seed, stream_of(purpose, which))

# Seeds that are not given are drawn from R's generator, so that set.seed() is honoured.
draw_seed <- function() as.numeric(sample.int(.Machine$integer.max, 1))

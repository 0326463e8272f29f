# Everything random on the R side, in one table: which stream each purpose draws from. Numbers come from the core's
# counter-based generator, keyed by a seed and a stream, so that no draw depends on what was drawn before it. The core's
# own streams (starting weights, shuffles, masks) stand in src/core/random.hpp.
#
# `seed` says whose seed goes with it: `split` (hold_out.seed) for which rows are where, `training` (regimen.seed) for
# the rest. Every purpose has `streams_each` streams of its own, so that no two draw the same numbers; those that draw
# many times say what they count by. A new purpose is put at the end.
streams <- local({
  purposes <- rbind(
    c("strata", "split"),             # of the s-th stratum
    c("groups", "split"),             # in which order groups of one size are dealt
    c("importance", "training"),      # of column j in repeat r: 1000 j + r
    c("lots", "training"),            # very many units into lots
    c("pairs", "a figure's"),         # which rows plot_pairs() draws
    c("evaluated", "training"),          # which training rows a model keeps
    c("shift", "training"),           # of a search's first points
    c("linear", "training"),          # which rows the linear model learns from
    c("leaks", "split"),              # which rows are looked at for leaks
    c("anywhere", "training"),        # candidates of a search's round
    c("nearby", "training"),          # those around its best trials, by round
    c("importance rows", "training"),
    c("effect rows", "training"),
    c("fewer rows", "split"),         # which rows a smaller fold keeps
    c("cells", "training"),           # shares of a confusion matrix's cells
    c("rows known", "split"),         # which learned rows a model knows again
    c("walk orders", "training"),     # by walk
    c("ranked rows", "training"),     # which rows a sifting ranks columns by
    c("ranked columns", "training"),  # by repeat
    c("profile", "split"),            # which rows a model's profile is of
    c("smear", "training"),           # which rows the correction of a log target is of
    c("made-up rows", "training"),    # of column j: 2 j, and the next
    c("learning curve", "training")   # the chance of training in its draws
  )
  data.frame(purpose = purposes[, 1], first = (seq_len(nrow(purposes)) - 1) * 2^24, seed = purposes[, 2])
})

streams_each <- 2^24

stream_of <- function(purpose, which = 0L) {
  place <- match(purpose, streams$purpose)
  if (is.na(place)) rlang::abort(sprintf("There is no stream for %s.", purpose), .internal = TRUE)
  if (any(which < 0 | which >= streams_each)) {
    rlang::abort(sprintf("There are not so many streams for %s.", purpose), .internal = TRUE)
  }
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

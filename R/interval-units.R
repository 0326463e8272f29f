# The units that intervals take as drawn independently of each other: rows, or whole groups where rows belong together.
# More than `most_units` of them are dealt into that many lots at random, which estimates the same variance (from 2,000
# lots to within 3 %) at a fixed cost.

most_units <- 2000

# Each row's unit, 1 .. ; rows without a group stand alone.
units_of <- function(n, group, seed) {
  unit <- seq_len(n)
  if (!is.null(group)) {
    group <- units_of_groups(group)
    unit <- match(group, unique(group))
  }
  many <- max(unit)
  if (many <= most_units) return(unit)
  lot <- integer(many)
  lot[shuffled(many, seed, "lots")] <- (seq_len(many) - 1L) %% most_units + 1L
  lot[unit]
}

# How the luck of the rows is reckoned: list(unit, counts, level, seed, plain, places), each row's unit, how often each
# unit is drawn, the level of intervals, and whether every row has the weight 1 and stands for itself. Where weights
# count rows and each stands for itself, `places` are those of the rows written out one by one, which is what `unit` is
# then along.
resampling_of <- function(weight, group, seed, level, draws, counts = FALSE) {
  places <- if (counts && is.null(group)) counted_out(weight)
  unit <- units_of(length(places %||% weight), group, seed)
  list(
    unit = unit, counts = bootstrap_counts(unit, draws, seed), level = level, seed = seed,
    plain = is.null(group) && (!is.null(places) || all(weight == 1)), places = places
  )
}

# Judged rows as the resampling sees them.
written_out <- function(judged, resampling) at_places(judged, resampling$places)

all_written_out <- function(judged) at_places(judged, counted_out(judged$weight))

at_places <- function(judged, places) {
  if (is.null(places)) return(judged)
  judged <- rows_of_each(judged, places)
  judged$weight <- rep(1, length(places))
  judged
}

# Each judged row's unit, however often it is written out.
unit_by_row <- function(judged, resampling, seed) {
  if (is.null(resampling$places)) resampling$unit else units_of(length(judged$weight), NULL, seed)
}

# The same over some of the rows as they are written out.
resampling_within <- function(resampling, rows, seed) {
  unit <- match(resampling$unit[rows], unique(resampling$unit[rows]))
  draws <- ncol(resampling$counts)
  utils::modifyList(resampling, list(unit = unit, counts = bootstrap_counts(unit, draws, seed)))
}

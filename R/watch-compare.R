# Then and now: how one thing has moved, and whether chance does so with so many rows.
#
# A movement is a row of a data frame: `what` moved (place, spread, missing, level, new, outside, prediction, measure),
# of which `column` and `level`; `before` and `now`; `moved` with its interval `low` to `high`, in `unit`; `p`, and
# whether it is `large` enough to matter.

# What matters: a number that moves by a twentieth of its deviation, a share by a hundredth, a loss by a twentieth.
least_shift <- 0.05
least_share <- 0.01
least_loss <- 0.05

movement <- function(what, column, before, now, moved, error, unit, p, large, level = "") {
  data.frame(
    what = what, column = column, level = level, before = before, now = now, moved = moved, low = moved - 1.96 * error,
    high = moved + 1.96 * error, unit = unit, p = p, large = large
  )
}

# Two means with their errors, in deviations of the first; NULL where one of them is not known.
mean_movement <- function(what, column, then, now, shown = c(then$value, now$value)) {
  if (anyNA(c(then$value, then$error, now$value, now$error))) return(NULL)
  scale <- max(then$deviation, 1e-12)
  error <- sqrt(then$error^2 + now$error^2)
  moved <- now$value - then$value
  p <- if (error > 0) two_sided(moved / error, min(then$units, now$units) - 1) else as.numeric(moved == 0)
  movement(
    what, column, shown[1], shown[2], moved / scale, error / scale, "deviations", p, abs(moved / scale) >= least_shift
  )
}

two_sided <- function(t, freedom) 2 * stats::pt(-abs(t), max(freedom, 1))

# Two shares, each list(count, effect, rows, units): Fisher's exact test over as many rows as they are worth.
share_movement <- function(what, column, then, now, level = "", more = FALSE) {
  shares <- with_common_effect(then, now)
  then <- shares[[1]]
  now <- shares[[2]]
  rows_then <- then$rows
  rows_now <- now$rows
  worth <- function(share) pmax(1, round(c(share$count, share$rows) / share$effect))
  a <- worth(then)
  b <- worth(now)
  a[1] <- if (then$count == 0) 0 else a[1]
  b[1] <- if (now$count == 0) 0 else b[1]
  total <- a[1] + b[1]
  above <- stats::phyper(b[1] - 1, total, a[2] + b[2] - total, b[2], lower.tail = FALSE)
  below <- stats::phyper(b[1], total, a[2] + b[2] - total, b[2])
  p <- if (more) above else min(1, 2 * min(above, below))
  before <- then$count / rows_then
  here <- now$count / rows_now
  error <- sqrt(
    before * (1 - before) / rows_then * then$effect + here * (1 - here) / rows_now * now$effect
  )
  movement(
    what, column, before, here, here - before, error, "share", p, abs(here - before) >= least_share, level
  )
}

# How much alike the rows of a group are says each side with the luck of its groups, and not at all where all its rows
# are on one side: the higher of the two holds for both, and where neither tells, a group's rows are taken as all alike.
with_common_effect <- function(then, now) {
  size <- function(share) share$rows / share$units
  alike <- vapply(list(then, now), function(share) {
    if (share$count <= 0 || share$count >= share$rows || size(share) <= 1) return(NA_real_)
    min(1, max(0, (share$effect - 1) / (size(share) - 1)))
  }, 0)
  alike <- if (all(is.na(alike))) 1 else max(alike, na.rm = TRUE)
  lapply(list(then, now), function(share) {
    share$effect <- max(1, 1 + alike * (size(share) - 1))
    share
  })
}

# The movements of a column of a profile of list(rows, units) rows; `x` are its values now, `seen` the levels that
# training knew, see seen_levels().
column_movements <- function(profiled, profile, x, column, group, seen = NULL) {
  if (profiled$kind == "number") return(number_movements(profiled, profile, as.numeric(x), column, group))
  x <- as_label(x)
  levels <- lapply(seq_along(profiled$levels), function(i) {
    then <- c(list(count = profiled$counts[i], effect = profiled$effects[i]), profile)
    level <- profiled$levels[i]
    share_movement("level", column, then, share_with_effect(x %in% level, group), level)
  })
  # a level is new as often as one had been seen once only (Good 1953)
  new <- if (!is.null(seen)) {
    then <- list(count = seen$rare + 1, effect = 1, rows = max(seen$rows, seen$rare + 1), units = profile$units)
    share_movement("new", column, then, share_with_effect(!is.na(x) & !x %in% seen$levels, group), more = TRUE)
  }
  missing <- share_movement("missing", column, c(profiled$missing, profile), share_with_effect(is.na(x), group))
  do.call(rbind, c(levels, list(new, missing)))
}

number_movements <- function(profiled, profile, x, column, group) {
  known <- !is.na(x)
  missing <- share_movement("missing", column, c(profiled$missing, profile), share_with_effect(!known, group))
  if (sum(known) < 2) return(missing)
  places <- places_between(profiled$knots, x[known])
  # by chance two in so many rows lie outside of the others
  outside <- x[known] < profiled$outside[1] | x[known] > profiled$outside[2]
  beyond <- share_with_effect(outside, group[known])
  means <- c(profiled$mean, mean(x[known]))
  deviations <- c(profiled$deviation, stats::sd(x[known]))
  rbind(
    mean_movement("place", column, profiled$place, mean_with_error(places, group[known]), means),
    mean_movement(
      "spread", column, profiled$spread, mean_with_error(abs(places - 0.5), group[known]), deviations
    ),
    missing,
    share_movement("outside", column, c(list(count = 2, effect = 1), profile), beyond, more = TRUE)
  )
}

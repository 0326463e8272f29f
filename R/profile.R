# What the rows of a model's table were like, of all its parts, as far as it takes to tell whether later ones are like
# them: summaries, with their standard errors, in which whole groups count as they were drawn.
#
# A profile is list(rows, groups, columns); `groups` is NULL without groups. A column is one of
#   list(kind = "number", knots, place, spread, missing, mean, deviation, outside)   `knots` are quantiles at every
#       hundredth; `place` is the mean of the values' places between them (from 0 to 1), `spread` that of how far these
#       are from the middle; both list(value, deviation, error)
#   list(kind = "levels", levels, counts, effects, missing)   the commonest levels, in how many rows each is, and how
#       much larger than by chance the variance of its share is
# and `missing` is list(count, effect).

most_levels_watched <- 50

# So many rows tell what a column is like; of more, some are drawn.
most_rows_profiled <- 1000000

learn_profile <- function(a) {
  make_room(nrow(a$table))
  rows <- rows_in(a, part_names)
  if (a$counts) rows <- rows[counted_places(a$weight[rows])]
  rows <- drawn_rows(rows, most_rows_profiled, a$hold_out$seed, "profile")
  group <- if (!is.null(a$group)) match(a$group[rows], unique(a$group[rows]))
  inputs <- setdiff(names(a$kinds)[a$kinds %in% c("number", "count", "flag", "category")], names(a$exposure))
  columns <- Map(function(x, kind) {
    x <- x[rows]
    if (kind %in% c("flag", "category")) profiled_levels(as_label(x), group) else profiled_numbers(as.numeric(x), group)
  }, columns_of(a$table, inputs), a$kinds[inputs])
  list(rows = length(rows), groups = if (!is.null(group)) max(group), columns = columns)
}

knot_shares <- seq(0, 1, 0.01)

profiled_numbers <- function(x, group) {
  known <- !is.na(x)
  here <- x[known]
  knots <- sorted_quantiles(here[order(here)], knot_shares)
  places <- places_between(knots, here)
  list(
    kind = "number", knots = knots, place = mean_with_error(places, group[known]),
    spread = mean_with_error(abs(places - 0.5), group[known]),
    missing = share_with_effect(!known, group)[c("count", "effect")],
    mean = mean(here), deviation = stats::sd(here), outside = range(here)
  )
}

# quantile(type = 8), median-unbiased (Hyndman and Fan 1996), without what that takes for each of thousands of columns.
sorted_quantiles <- function(x, shares) {
  n <- length(x)
  place <- 1 / 3 + shares * (n + 1 / 3)
  below <- floor(place + 1e-12)
  within <- c(x[1], x, x[n])  # places below 1 and above n are the ends
  within[below + 1] + (place - below) * (within[below + 2] - within[below + 1])
}

# Each value's place among the knots, from 0 to 1; equal knots are one, in the middle of its places.
places_between <- function(knots, x) {
  distinct <- unique(knots)
  at <- if (length(knots) == length(knot_shares)) knot_shares else seq(0, 1, length.out = length(knots))
  if (length(distinct) < length(knots)) {
    of <- match(knots, distinct)
    at <- as.numeric(rowsum(at, of)) / tabulate(of)
  }
  if (length(distinct) == 1) return(ifelse(x < distinct, 0, ifelse(x > distinct, 1, 0.5)))
  x <- pmin(pmax(x, distinct[1]), distinct[length(distinct)])
  below <- findInterval(x, distinct, all.inside = TRUE)
  at[below] + (x - distinct[below]) / (distinct[below + 1] - distinct[below]) * (at[below + 1] - at[below])
}

profiled_levels <- function(x, group) {
  counts <- sort(table(x), decreasing = TRUE)
  levels <- utils::head(names(counts), most_levels_watched)
  shares <- lapply(levels, function(level) share_with_effect(x %in% level, group))
  list(
    kind = "levels", levels = levels, counts = vapply(shares, `[[`, 0, "count"),
    effects = vapply(shares, `[[`, 0, "effect"), missing = share_with_effect(is.na(x), group)[c("count", "effect")]
  )
}

# A mean with its standard error; where rows belong to groups, as of whole groups (Liang and Zeger 1986).
mean_with_error <- function(x, group = NULL) {
  n <- length(x)
  if (n == 0) return(list(value = NA_real_, deviation = NA_real_, error = NA_real_, units = 0))
  deviation <- if (n > 1) stats::sd(x) else 0
  error <- deviation / sqrt(n)
  units <- n
  if (!is.null(group)) {
    sums <- rowsum(x - mean(x), group)
    units <- nrow(sums)
    error <- if (units > 1) max(error, sqrt(sum(sums^2) * units / (units - 1)) / n) else error
  }
  list(value = mean(x), deviation = deviation, error = error, units = units)
}

# In how many rows a condition holds, how many times as large as by chance the variance of the share is, and of how many
# rows and units (groups, or single rows).
share_with_effect <- function(holds, group = NULL) {
  n <- length(holds)
  count <- sum(holds)
  chance <- count / n * (1 - count / n) / n
  effect <- 1
  if (!is.null(group) && chance > 0) effect <- max(1, mean_with_error(holds + 0, group)$error^2 / chance)
  units <- if (is.null(group)) n else length(unique(group))
  list(count = as.numeric(count), effect = effect, rows = n, units = units)
}

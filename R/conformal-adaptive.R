# Intervals and sets of rows in order of time. What earlier rows' scores promise of later ones holds only while nothing
# changes, so the share of scores that a bound leaves out follows how often bounds have held (Gibbs and Candes 2021):
# after each miss it falls, after each hit it rises a little, which brings the share of rows held to the level whatever
# the series does. The scores are those of the last rows alone.

# How many of the latest scores a bound is one of, how far a miss moves the share that is left out, and how steeply
# bounds grow beyond the largest score, where misses ask for more than all of them. Chosen on six simulated series,
# bench/adaptive.R.
adaptive_memory <- 250
adaptive_rate <- 0.005
adaptive_growth <- 4

# What bounds would have been for each of the scores when its row came, whether they held it, and the bound for a row
# that comes after all. A row's outcome is known once the gap has passed, and never at its own time. Rows without a
# score (NA) are asked a bound for and teach nothing.
adaptive_bounds <- function(score, when, level, gap) {
  n <- length(score)
  bound <- numeric(n)
  missed <- logical(n)
  left_out <- 1 - level
  recent <- numeric()  # the latest scores in rising order, and in order of time
  in_turn <- numeric()
  known <- 0
  bound_now <- function() {
    m <- length(recent)
    if (m < calibration_needed(level)) return(Inf)
    place <- ceiling((1 - left_out) * (m + 1) - 1e-9)
    if (place <= m) return(recent[max(place, 1)])
    # the scores have no end of their own: from the largest on in proportion
    recent[m] + abs(recent[m]) * adaptive_growth * (place - m) / m
  }
  learn <- function(i) {
    if (is.na(score[i])) return()
    # what nothing was promised of teaches nothing of promises
    if (is.finite(bound[i])) left_out <<- left_out + adaptive_rate * (1 - level - missed[i])
    recent <<- append(recent, score[i], findInterval(score[i], recent))
    in_turn <<- c(in_turn, score[i])
    if (length(recent) > adaptive_memory) {
      recent <<- recent[-match(in_turn[1], recent)]
      in_turn <<- in_turn[-1]
    }
  }
  for (i in seq_len(n)) {
    while (known < i - 1 && is_known_at(when[known + 1], when[i], gap)) {
      known <- known + 1
      learn(known)
    }
    bound[i] <- bound_now()
    missed[i] <- isTRUE(score[i] > bound[i])
  }
  while (known < n) {
    known <- known + 1
    learn(known)
  }
  list(bound = bound, held = !missed, now = bound_now())
}

is_known_at <- function(when, now, gap) if (gap > 0) when <= now - gap else when < now

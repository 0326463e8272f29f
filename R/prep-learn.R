# Preparation: what is learned from the training rows and nothing else.
#
# A preparation is list(columns, features, rules, target). `columns` holds a plan for each input column: what the core's
# encoder takes (src/core/encode.hpp), and what is remembered of the training rows for evaluating new ones. `rules` make
# the working table of new rows, `target` is what the task has learned of its target.

# `known` are plans, named by column, that the same would be learned for.
learn_preparation <- function(a, known = list()) {
  rows <- rows_in(a, "training")
  weight <- weights_in(a, rows)
  inputs <- strongest_inputs(a, rows, weight)
  plans <- stats::setNames(vector("list", length(inputs)), inputs)
  unknown <- setdiff(inputs, names(known))
  kinds <- a$kinds[unknown]
  numbers <- unknown[kinds %in% c("number", "count", "flag")]
  plans[numbers] <- learn_numbers(a$table[numbers], a$prepare[numbers], rows, weight)
  for (column in setdiff(unknown, numbers)) {
    x <- a$table[[column]]
    how <- a$prepare[[column]]
    plans[[column]] <- if (a$kinds[[column]] == "category") {
      learn_levels(x, rows, weight, how, linear = without_hidden_layers(a), counted = a$counts)
    } else {
      learn_date(x[rows], weight, how)
    }
  }
  plans[unknown] <- Map(function(plan, column, kind) {
    c(list(column = column, kind = kind), plan)
  }, plans[unknown], unknown, kinds)
  there <- intersect(inputs, names(known))
  plans[there] <- known[there]
  plans <- plans[order(vapply(plans, is_embedded, NA))]  # the core wants codes behind numbers
  list(
    columns = unname(plans), features = unlist(lapply(plans, plan_features), use.names = FALSE),
    rules = needed_rules(a$rules, inputs), target = task_of(a$target)$learn(target_values(a, rows), a$target, weight)
  )
}

without_hidden_layers <- function(a) length(a$wiring$layers) == 0

# learn_preparation() for one analysis after another; what it has learned of the same rows for another one it knows.
preparing <- function() {
  before <- NULL
  learned <- list()
  function(a) {
    rows <- a[c("part", "kinds", "target", "weight", "counts", "rules", "table")]
    if (!identical(rows, before)) learned <<- list()
    before <<- rows
    preparation <- learn_preparation(a, do.call(c, unname(lapply(learned, plans_for, a))))
    plans <- stats::setNames(preparation$columns, prepared_columns(preparation))
    learned <<- c(learned, list(list(prepare = a$prepare, linear = without_hidden_layers(a), plans = plans)))
    preparation
  }
}

# Those of another analysis's plans that an analysis of the same rows would learn too.
plans_for <- function(learned, a) {
  columns <- names(learned$plans)
  asked <- if (learned$linear == without_hidden_layers(a)) columns else columns[a$kinds[columns] != "category"]
  same <- mapply(function(own, other, kind) {
    of_kind <- switch(kind, category = settings_of_levels, date = , time = settings_of_dates, settings_of_numbers)
    identical(own[of_kind], other[of_kind])
  }, a$prepare[asked], learned$prepare[asked], a$kinds[asked])
  learned$plans[asked[as.logical(same)]]
}

# What of its settings a column of each kind is prepared by.
settings_of_numbers <- c("missing", "clip", "numbers")
settings_of_levels <- c("missing", "categories", "rare", "buckets", "embedding_width")
settings_of_dates <- c("missing", "dates")

# ---- numbers ------------------------------------------------------------------------------------------------------

learn_numbers <- function(columns, settings, rows, weight) {
  if (length(columns) == 0) return(list())
  clip <- unique(unlist(lapply(settings, function(s) if (clips_share(s$clip)) c(s$clip, 1 - s$clip))))
  ranks <- if (any(vapply(settings, function(s) s$numbers == "rank_normal", NA))) seq(0, 1, 0.01)
  pieces <- if (any(vapply(settings, function(s) s$numbers == "piecewise", NA))) piece_shares
  robust <- if (any(vapply(settings, function(s) s$numbers == "robust", NA))) c(0.25, 0.75)
  shares <- unique(c(0.5, robust, clip, ranks, pieces))
  found <- summarise_numbers(unname(as.list(columns)), rows, shares, weight)
  even <- all(weight == weight[1])
  quantiles <- as.matrix(found[-(1:9)])
  found <- unclass(found)[1:9]
  lapply(seq_along(columns), function(i) {
    if (found$missing[i] == found$rows[i]) fail_no_values(names(columns)[i])
    quantile <- function(share) unname(quantiles[i, match(share, shares)])
    missing_share <- if (even) found$missing[i] / found$rows[i] else weighted_mean(is.na(columns[[i]][rows]), weight)
    common <- function() commonest(columns[[i]][rows], weight)
    learn_number(lapply(found, `[`, i), quantile, settings[[i]], common, missing_share)
  })
}

# `s` summarises the training rows' values, of which `missing_share` are missing; `common` gives the commonest.
learn_number <- function(s, quantile, how, common, missing_share) {
  fill <- switch(how$missing, mean = s$mean, common = common(), quantile(0.5))
  plan <- list(
    encoding = "number", fill = fill, shift = 0, scale = 1, low = -Inf, high = Inf,
    flag = how$missing == "flag" || (how$missing == "auto" && missing_share > 0.01),
    seen_low = s$low, seen_high = s$high, seen_missing = s$missing, drop_missing = how$missing == "drop"
  )
  if (clips_share(how$clip)) plan[c("low", "high")] <- list(quantile(how$clip), quantile(1 - how$clip))
  if (how$clip == "far") plan[c("low", "high")] <- as.list(c(s$low, s$high) + c(-0.5, 0.5) * (s$high - s$low))
  low <- max(s$low, plan$low)
  high <- min(s$high, plan$high)
  switch(how$numbers,
    auto = , zscore = scaled(plan, s$mean, s$deviation),
    minmax = scaled(plan, low, high - low),
    minmax_signed = scaled(plan, (low + high) / 2, (high - low) / 2),
    # 1.349: a normal's quartile distance
    robust = scaled(plan, quantile(0.5), (quantile(0.75) - quantile(0.25)) / 1.349),
    rank_normal = rank_normal(plan, quantile),
    piecewise = in_pieces(scaled(plan, s$mean, s$deviation), quantile),
    periodic = c(scaled(plan, s$mean, s$deviation), list(waves = wave_turns)),
    none = plan
  )
}

clips_share <- function(clip) is.numeric(clip) && clip > 0

# A column that doesn't vary in the training rows is left unscaled.
scaled <- function(plan, shift, scale) {
  plan$shift <- shift
  plan$scale <- if (is.na(scale) || scale == 0) 1 else scale
  plan
}

# Values to normal scores of their ranks, straight between the percentiles.
rank_normal <- function(plan, quantile) {
  share <- seq(0, 1, 0.01)
  knots <- quantile(share)
  place <- tapply(share, match(knots, unique(knots)), mean)
  plan$knots <- unique(knots)
  plan$heights <- stats::qnorm(pmin(pmax(as.numeric(place), 0.0025), 0.9975))
  plan
}

# Pieces with as many rows each, fewer where values are few. A column with one value has none.
piece_shares <- seq(0, 1, 1 / 8)

in_pieces <- function(plan, quantile) {
  edges <- unique(pmin(pmax(quantile(piece_shares), plan$low), plan$high))
  if (length(edges) > 1) plan$edges <- edges
  plan
}

# Turns a standard deviation: waves that are 8, 4, 2 and 1 of them long.
wave_turns <- c(1 / 8, 1 / 4, 1 / 2, 1)

commonest <- function(x, weight) {
  distinct <- unique(x[!is.na(x)])
  distinct[which.max(weight_by_place(match(x, distinct), weight, length(distinct)))]
}

# ---- categories ---------------------------------------------------------------------------------------------------

# Levels stand in the order of their letters, those of a factor that are places in an order in the factor's own.
learn_levels <- function(x, rows, weight, how, linear, counted) {
  all <- levels_of(x)
  code <- all$codes[rows]
  counts <- weight_by_place(code, weight, length(all$levels))
  known <- sum(counts)
  if (known == 0) fail_no_values(NULL)
  declared <- has_own_order(x) && how$categories == "ordinal"
  order <- if (declared) seq_along(all$levels) else order_texts(all$levels)
  order <- order[counts[order] > 0]
  kept <- order[counts[order] / known >= how$rare]
  missing <- is.na(code)
  rare <- setdiff(order, kept)
  plan <- list(
    levels = all$levels[kept], rare = all$levels[rare],
    level_rows = as.integer(if (counted) counts else tabulate(code, length(all$levels)))[c(kept, rare)],
    seen_missing = sum(missing), drop_missing = how$missing == "drop"
  )
  missing_share <- weighted_mean(missing, weight)
  # the place of the commonest level among those that are kept; none where a missing value is to stay one
  fill <- if (how$missing == "common") match(which.max(counts), kept)
  switch(settled_encoding(how$categories, length(kept), linear),
    indicator = indicator_plan(plan, lumped = length(kept) < length(order), fill, own_place(how, missing_share)),
    ordinal = score_plan(plan, seq_along(kept), counts[kept], fill),
    frequency = score_plan(plan, counts[kept] / known, counts[kept], fill),
    hash = hash_plan(plan, how$buckets, if (!is.null(fill)) all$levels[which.max(counts)]),
    embedding = code_plan(plan, own_place(how, missing_share), how$embedding_width, fill)
  )
}

# So many levels get an input each by the rule, more of them a learned point each. Without hidden layers there is one
# minimum, which learned points would take away: so many more get an input each, and beyond that their frequency.
most_indicators <- 100
most_indicators_linear <- 1000

settled_encoding <- function(categories, levels, linear) {
  if (categories != "auto") return(categories)
  if (linear) return(if (levels > most_indicators_linear) "frequency" else "indicator")
  if (levels > most_indicators) "embedding" else "indicator"
}

own_place <- function(how, missing_share) {
  how$missing == "own" || (how$missing %in% c("auto", "flag") && missing_share > 0.01)
}

# Places: the levels, then one for rare and unseen levels if rare ones were put together, then one for missing values if
# they have their own.
indicator_plan <- function(plan, lumped, fill, own) {
  k <- length(plan$levels)
  missing <- if (own) k + lumped else if (is.null(fill)) -1 else if (is.na(fill)) k else fill - 1
  c(plan, list(
    encoding = "level", width = k + lumped + own, unseen = if (lumped) k else -1, missing = missing, lumped = lumped,
    own = own
  ))
}

# One number a level, scaled over the training rows, of which `counts` have each level; what is not known stands in the
# middle.
score_plan <- function(plan, score, counts, fill) {
  n <- sum(counts)
  mean <- sum(score * counts) / n
  deviation <- sqrt(sum(counts * (score - mean)^2) / max(n - 1, 1))
  scaled <- as.numeric(score - mean) / if (deviation == 0) 1 else deviation
  missing <- if (is.null(fill) || is.na(fill)) 0 else scaled[fill]
  c(plan, list(encoding = "score", scores = scaled, unseen = 0, missing = missing))
}

# Levels fall into buckets by a hash of their text, so that any number of them, seen or not, has a place.
hash_plan <- function(plan, buckets, fill) {
  kept <- plan[c("seen_missing", "drop_missing")]
  missing <- if (is.null(fill)) -1 else hash_codes(fill, buckets) - 1
  c(kept, list(encoding = "level", hashed = TRUE, width = buckets, unseen = -1, missing = missing))
}

# A learned point for each level, in as many dimensions as the square root of their number, 32 at most. Code 0, for
# rare and unseen levels, starts in the middle and stays there unless training has rare ones.
code_plan <- function(plan, own, width, fill) {
  levels <- length(plan$levels) + own
  missing <- if (own) levels else if (is.null(fill) || is.na(fill)) 0 else fill
  if (identical(width, "auto")) width <- min(32, ceiling(sqrt(levels)))
  c(plan, list(encoding = "code", width = width, unseen = 0, missing = missing, own = own))
}

fail_no_values <- function(column) {
  what <- if (is.null(column)) "A category" else paste("Column", quoted(column))
  fail(sprintf("%s has no value in the training rows.", what), "Drop it with set_columns(drop = ...).")
}

# ---- dates --------------------------------------------------------------------------------------------------------

date_parts <- c(season = 1, weekday = 2, month = 4, quarter = 8, year = 16, hour = 32)

learn_date <- function(x, weight, how) {
  clock <- inherits(x, "POSIXct")
  parts <- intersect(names(date_parts), how$dates)
  if (!clock) parts <- setdiff(parts, "hour")
  known <- !is.na(x) & "year" %in% parts
  years <- if (any(known)) local_parts(x[known])$year + 1900 else 0
  weight <- if (any(known)) weight[known] else 1
  list(
    encoding = "date", parts = parts, part_bits = sum(date_parts[parts]), clock = clock,
    zone = if (clock) time_zone(x), shift = weighted_mean(years, weight),
    scale = above_zero(weighted_deviation(years, weight)),
    seen_missing = sum(is.na(x)), drop_missing = how$missing == "drop"
  )
}

# What decisions by the predicted classes come to: how right the two kinds of predictions are, what is found among the
# rows with the highest probabilities, net benefit and profit.

# What the rows that are treated as the class by someone come to: `class`, `p` (the probability of the class), whether a
# row `is_class`, whether the network and the linear model treat it so by the rule in force, and weights and units.
decided_rows <- function(appraisal, class, what) {
  class <- class %||% appraisal$decisions$class %||% decided_class(appraisal)
  class <- classes_to_draw(appraisal, class, what)
  if (length(class) > 1) {
    fail(sprintf("%s is about one class.", what), sprintf("Name it: class = \"%s\".", class[length(class)]))
  }
  evaluated <- appraisal$evaluated
  linear <- appraisal$linear
  of <- function(predictions) predictions[[paste0("probability_", class)]]
  list(
    class = class, is_class = evaluated$observed == class, p = of(evaluated), called = evaluated$prediction == class,
    linear_p = of(linear), linear_called = if (!is.null(linear)) linear$prediction == class,
    weight = appraisal$weight, unit = appraisal$unit, level = appraisal$level,
    plain = appraisal$units == "rows" && all(appraisal$weight == 1)
  )
}

# The class that the rule in force is about.
decided_class <- function(appraisal) appraisal$positive %||% appraisal$decision$rule$class

# The interval of the mean over the rows of what each is worth: `kinds` has a column for each kind of row, 0 or 1.
worth_of_rows <- function(rows, kinds, values, rest) {
  sums <- unit_sums(cbind(rows$weight * kinds, rows$weight), rows$unit, max(rows$unit))
  of_whole <- ncol(sums)
  shares_sum_interval(
    sums[, -of_whole, drop = FALSE], sums[, of_whole, drop = FALSE], values, rest, rows$level, rows$plain
  )
}

# ---- how right the predictions are -----------------------------------------------------------------------------------

#' Sensitivity, specificity and predictive values
#'
#' How many rows of a class are predicted so (sensitivity), how many of the others are not (specificity), and how many
#' of either prediction are right (positive and negative predictive value), each with Wilson's (1927) interval.
#'
#' @param appraisal An appraisal of a classification.
#' @param class The class; the positive one of two, or the one of the brief's `decisions`.
#' @param threshold A probability from which the class is predicted. Without one, the predictions are those of the
#'   appraisal, by the rule of [decide()] or the highest score.
#' @return A data frame of `class`, `measure`, `value`, `low` and `high`, `right` and `of`: the counts that the share is
#'   made of (case weights count), and `linear`, the share of the linear model. A share of no rows is `NA`. The interval
#'   has the appraisal's level; where rows belong to groups, it is about groups.
#' @section Errors: An appraisal of numbers; a class that is not there; of several classes none named.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' diagnostic_accuracy(appraise(decide(model, recall = 0.8)))
#' @export
diagnostic_accuracy <- function(appraisal, class = NULL, threshold = NULL) {
  rows <- decided_rows(appraisal, class, "Diagnostic accuracy")
  if (!is.null(threshold)) {
    threshold <- type_number(0, 1)(threshold, "threshold")
    rows$called <- rows$p >= threshold
    rows$linear_called <- if (!is.null(rows$linear_p)) rows$linear_p >= threshold
  }
  shares <- diagnostic_shares(rows$is_class, rows$called)
  sums <- function(kinds) unit_sums(rows$weight * kinds, rows$unit, max(rows$unit))
  part <- sums(shares$right)
  whole <- sums(shares$of)
  ends <- share_interval(part, whole, rows$level, rows$plain)
  found <- data.frame(
    class = rows$class, measure = colnames(part), value = share_of(colSums(part), colSums(whole)),
    low = ends[, "low"], high = ends[, "high"], right = colSums(part), of = colSums(whole), row.names = NULL
  )
  if (!is.null(rows$linear_called)) {
    linear <- diagnostic_shares(rows$is_class, rows$linear_called)
    found$linear <- unname(share_of(colSums(rows$weight * linear$right), colSums(rows$weight * linear$of)))
  }
  found
}

diagnostic_measures <- c("sensitivity", "specificity", "positive predictive value", "negative predictive value")

# By row whether it is among those of each share, and whether it is right there.
diagnostic_shares <- function(is_class, called) {
  of <- cbind(is_class, !is_class, called, !called)
  right <- of & (is_class == called)
  colnames(of) <- colnames(right) <- diagnostic_measures
  list(of = of + 0, right = right + 0)
}

# ---- the highest probabilities ---------------------------------------------------------------------------------------

#' What is found among the rows with the highest probabilities
#'
#' Of the `n` rows with the highest probability of a class, how many are of it, beside how many are by chance and how
#' many the linear model finds: what a list of so many calls, visits or inspections is good for.
#'
#' @param appraisal An appraisal of a classification.
#' @param n How many rows are taken: one number or several. Without any those of the brief's `decisions`, else a tenth
#'   of the rows.
#' @param class See [diagnostic_accuracy()].
#' @return A data frame of `class`, `n`, `found` with its interval `low` to `high`, `chance` (how many are of the class
#'   among `n` rows taken blindly), `linear`, `of` (how many rows are of the class in all), `share` (found by `n`) and
#'   `threshold`, the probability of the last row that is taken. Of rows with the same probability as the last one, as
#'   many as are still wanted are taken by chance. Case weights count. The interval is for the number that is found on
#'   average in other evaluated rows of the same number, the same share of them taken: Wilson's (1927), with the
#'   variance that the cut among the sorted rows has too.
#' @section Errors: More rows than there are, and those of [diagnostic_accuracy()].
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' top_rows(appraise(model), c(20, 50, 100))
#' @export
top_rows <- function(appraisal, n = NULL, class = NULL) {
  rows <- decided_rows(appraisal, class, "A list of the highest probabilities")
  all <- sum(rows$weight)
  n <- n %||% appraisal$decisions$top %||% max(1, round(all / 10))
  n <- type_counts(n, "n")
  if (any(n > all)) {
    fail(sprintf("`n` is %s, and only %s rows are evaluated.", format_count(max(n)), format_count(floor(all))))
  }
  of <- sum(rows$weight[rows$is_class])
  rows$place <- rank(rows$p)
  each <- lapply(n, function(one) {
    own <- found_on_top(rows$p, rows, one)
    ends <- top_interval(own, rows, one)
    found <- data.frame(
      class = rows$class, n = one, found = own$found, low = ends[["low"]], high = ends[["high"]],
      chance = one * of / all
    )
    if (!is.null(rows$linear_p)) found$linear <- found_on_top(rows$linear_p, rows, one)$found
    cbind(found, of = of, share = own$found / one, threshold = own$threshold)
  })
  do.call(rbind, each)
}

# How many of the first n rows are of the class, and how much of each row is among them.
found_on_top <- function(p, rows, n) {
  order <- order(p, decreasing = TRUE, method = "radix")
  upto <- cumsum(rows$weight[order])
  threshold <- p[order][which(upto >= n - 1e-9)[1]]
  above <- p > threshold
  tied <- p == threshold
  left <- n - sum(rows$weight[above])
  taken <- above + tied * left / max(sum(rows$weight[tied]), 1e-300)
  list(found = sum(rows$weight * taken * rows$is_class), taken = taken, threshold = threshold)
}

# The share of the class among the rows taken, at a fixed share of all rows: its influence is that of the rows taken,
# against the share of the class where the cut is.
top_interval <- function(own, rows, n) {
  all <- sum(rows$weight)
  at_cut <- share_at_cut(rows, own$threshold, n)
  influence <- rows$weight * (own$taken * (rows$is_class - at_cut) - n / all * (own$found / n - at_cut)) / n
  variance <- sum(unit_sums(cbind(influence), rows$unit, max(rows$unit))^2)
  share <- own$found / n
  # as many independent rows as have this variance, at most twice those that are taken: where the class's share at the
  # cut is by chance the same as above it, the variance seen is too small; a share of 0 or 1 shows none
  rows_alone <- if (rows$plain) n else effective_rows(
    unit_sums(cbind(rows$weight * own$taken * rows$is_class), rows$unit, max(rows$unit)),
    unit_sums(cbind(rows$weight * own$taken), rows$unit, max(rows$unit))
  )
  spread <- share * (1 - share)
  alone <- if (spread > 0 && variance > 0) min(spread / variance, rows_alone * 2) else rows_alone
  n * wilson_interval(share, max(alone, 1), rows$level)[1, ]
}

# The share of the class among the rows next to the cut, a quarter as many as are taken and at least 20 on each side.
share_at_cut <- function(rows, threshold, n) {
  near <- abs(rows$place - rows$place[match(threshold, rows$p)]) <= max(20, n / 4)
  weighted_mean(rows$is_class[near] + 0, rows$weight[near])
}

# ---- net benefit -----------------------------------------------------------------------------------------------------

#' The net benefit of deciding by a class's probability
#'
#' A decision curve (Vickers and Elkin 2006): whoever treats a row as the class from a probability of `threshold` on
#' takes a false alarm for `threshold / (1 - threshold)` times as bad as a row found is good. The net benefit is the
#' share of rows that are found less the share of false alarms times that. It stands beside that of the linear model, of
#' treating every row so and of treating none (0).
#'
#' @param appraisal An appraisal of a classification.
#' @param thresholds Probabilities between 0 and 1; those of the brief's `decisions`, else 0.01, 0.02, ... 0.99.
#' @param class See [diagnostic_accuracy()].
#' @return A data frame with a row for each threshold and strategy: `class`, `threshold`, `strategy` (`"network"`,
#'   `"linear"`, `"all"`, `"none"`), `net_benefit` with its interval `low` to `high`, and `difference` (the network less
#'   the strategy) with `difference_low` and `difference_high`. The intervals combine those of the shares (Zou and
#'   Donner 2008), over groups where rows belong to groups.
#' @section Errors: Thresholds that are not between 0 and 1, and those of [diagnostic_accuracy()].
#' @references Vickers and Elkin (2006) \doi{10.1177/0272989X06295361}; Zou and Donner (2008) \doi{10.1002/sim.3095}.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' net_benefit(appraise(model), thresholds = c(0.1, 0.2))
#' @export
net_benefit <- function(appraisal, thresholds = NULL, class = NULL) {
  rows <- decided_rows(appraisal, class, "A decision curve")
  thresholds <- type_shares(thresholds %||% appraisal$decisions$thresholds %||% seq(0.01, 0.99, 0.01), "thresholds")
  each <- lapply(thresholds, function(threshold) {
    treats <- drop_nulls(list(
      network = rows$p >= threshold, linear = if (!is.null(rows$linear_p)) rows$linear_p >= threshold,
      all = rep(TRUE, length(rows$p)), none = rep(FALSE, length(rows$p))
    ))
    benefits <- t(vapply(treats, function(treated) benefit_of(rows, treated, threshold), numeric(3)))
    apart <- t(vapply(treats, function(treated) {
      benefit_apart(rows, treats$network, treated, threshold)
    }, numeric(3)))
    # no row earns nothing, whichever the rows are
    benefits["none", ] <- 0
    apart["none", ] <- benefits["network", ]
    apart["network", ] <- NA
    data.frame(
      class = rows$class, threshold = threshold, strategy = names(treats), net_benefit = benefits[, 1],
      low = benefits[, 2], high = benefits[, 3], difference = apart[, 1], difference_low = apart[, 2],
      difference_high = apart[, 3], row.names = NULL
    )
  })
  do.call(rbind, each)
}

benefit_of <- function(rows, treated, threshold) {
  worse <- threshold / (1 - threshold)
  # of treating every row the shares add up to 1: one of them says all
  if (all(treated)) return(worth_of_rows(rows, cbind(rows$is_class), 1, rest = -worse))
  worth_of_rows(rows, cbind(treated & rows$is_class, treated & !rows$is_class), c(1, -worse), rest = 0)
}

# The difference hangs on the rows that one treats and the other does not.
benefit_apart <- function(rows, treated, other, threshold) {
  worse <- threshold / (1 - threshold)
  fewer <- cbind(!treated & other & rows$is_class, !treated & other & !rows$is_class)
  # nobody treats more rows than all
  if (all(other)) return(worth_of_rows(rows, fewer, c(-1, worse), rest = 0))
  more <- cbind(treated & !other & rows$is_class, treated & !other & !rows$is_class)
  worth_of_rows(rows, cbind(more, fewer), c(1, -worse, -1, worse), rest = 0)
}

# ---- profit ----------------------------------------------------------------------------------------------------------

#' The profit of deciding by a class's probability
#'
#' What all evaluated rows earn together if a row is treated as the class from a probability of `threshold` on, for what
#' each of the four outcomes earns.
#'
#' @param appraisal An appraisal of a classification.
#' @param gains What a row earns, in one unit of money: numbers named `found` (of the class and treated so),
#'   `false_alarm` (treated so, and not of it), `missed` and `left_alone`. What is not named earns 0; costs are below 0.
#'   Without any those of the brief's `decisions`.
#' @param class See [diagnostic_accuracy()].
#' @param thresholds Probabilities; without any, at most 100 of those that the evaluated rows have. The rule in force
#'   has a row of its own, the first one, with the threshold `NA`; `numeric()` gives that alone.
#' @return A data frame of `class`, `threshold`, `taken` (how many rows are treated as the class), `profit` with its
#'   interval `low` to `high`, `a_row` (the profit by the number of rows), and the profits of `linear` (at its own
#'   probabilities), of treating `all` rows and `none`. Case weights count.
#' @section Which threshold: The best of these rows is too good for others. Where probabilities are right, the threshold
#'   follows from the gains alone (Elkan 2001): `(left_alone - false_alarm) / (found - missed + left_alone -
#'   false_alarm)`. The attribute `best_threshold` has it.
#' @section Errors: No gains; gains by which finding a row of the class does not pay; those of [diagnostic_accuracy()].
#' @references Elkan (2001), The foundations of cost-sensitive learning. Proceedings of IJCAI 17, 973-978.
#' @examples
#' set.seed(1)
#' model <- brief(recovery, target = "returned") |> set_columns(group = patient) |> quick() |> train(progress = "none")
#' profit <- profit_curve(appraise(model), gains = c(found = 120, false_alarm = -15), thresholds = c(0.1, 0.2))
#' profit
#' attr(profit, "best_threshold")
#' @export
profit_curve <- function(appraisal, gains = NULL, class = NULL, thresholds = NULL) {
  rows <- decided_rows(appraisal, class, "A profit")
  gains <- type_gains(gains %||% appraisal$decisions$gains, "gains")
  if (length(gains) == 0) fail("`gains` is missing.", "Say what each outcome earns: c(found = 120, false_alarm = -15).")
  gains <- whole_gains(gains)
  thresholds <- if (is.null(thresholds)) spread_thresholds(rows$p) else if (length(thresholds)) {
    type_shares(thresholds, "thresholds")
  }
  total <- sum(rows$weight)
  same <- function(treated) total * gains_of(rows, rep(treated, length(rows$p)), gains)[[1]]
  everyone <- list(all = same(TRUE), none = same(FALSE))
  at <- function(threshold, treated, linear) {
    own <- gains_of(rows, treated, gains)
    found <- data.frame(
      class = rows$class, threshold = threshold, taken = sum(rows$weight[treated]), profit = total * own[[1]],
      low = total * own[[2]], high = total * own[[3]], a_row = own[[1]]
    )
    if (!is.null(linear)) found$linear <- total * gains_of(rows, linear, gains)[[1]]
    cbind(found, everyone)
  }
  each <- lapply(thresholds, function(threshold) {
    at(threshold, rows$p >= threshold, if (!is.null(rows$linear_p)) rows$linear_p >= threshold)
  })
  structure(
    do.call(rbind, c(list(at(NA_real_, rows$called, rows$linear_called)), each)),
    best_threshold = best_threshold(gains), gains = gains
  )
}

gains_of <- function(rows, treated, gains) {
  kinds <- cbind(treated & rows$is_class, treated & !rows$is_class, !treated & rows$is_class)
  worth_of_rows(rows, kinds, unname(gains[row_outcomes[1:3]]), rest = gains[["left_alone"]])
}

# At most a hundred thresholds between the rows' probabilities.
spread_thresholds <- function(p) {
  between <- below_scores(sort(unique(p), decreasing = TRUE))
  sort(between[unique(round(seq(1, length(between), length.out = min(length(between), 100))))])
}

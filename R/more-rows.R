#' Would more rows help?
#'
#' The error of networks that learn from fewer and fewer of the rows, evaluated on the same rows by cross-validation,
#' and a power law through it that goes on to more rows than there are.
#'
#' @param b A brief.
#' @param shares Which shares of the rows are learned from, between 0 and 1; 1 is always among them. Each is within the
#'   next larger one; where rows belong to groups, whole groups are taken.
#' @param ahead How many times the rows that there are the law goes on to.
#' @param k,repeats,by,data,progress,checkpoint See [folds()].
#' @param level The level of the band.
#' @param draws The number of bootstrap draws.
#' @param ... Not used.
#' @return An object of class `hylomath_more_rows` with
#'   * `sizes`: for each share the `rows` that were learned from (training and validation rows together, the mean over
#'     folds), `groups` of them where there are groups, `value` with its interval `low` to `high`, and `seconds`;
#'   * `curve`: the law over `rows`, from the fewest to `ahead` times as many as there are: `value`, `low`, `high`;
#'   * `now` and `ahead`: its rows for as many as there are, and for `ahead` times as many; `gain`, how much lower the
#'     error is there, with its interval;
#'   * `law`: `floor`, the error that no number of rows goes below, and `exponent`.
#'
#'   [as.data.frame()] gives `sizes`.
#' @section Law: The mean loss is floor + scale * rows^-exponent (Cortes et al. 1994), with an exponent between 0.1 and
#'   2, fitted by least squares weighted by how much chance there is at each size. The band is that of a bootstrap: the
#'   evaluated rows (or groups) are drawn anew, the same for all sizes, and to each size the chance of training is
#'   added that the folds show. One network is trained in each fold, also where a cross-validation ensemble would be.
#'   Of a root mean squared error the law is that of its square.
#' @section Errors: Shares that leave a fold fewer than ten training rows, or none of some class; what [folds()]
#'   refuses.
#' @references Cortes, Jackel, Solla, Vapnik and Denker (1994), Learning curves: asymptotic values and rate of
#'   convergence. Advances in Neural Information Processing Systems 6, 327-334.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' curve <- more_rows(b, shares = c(0.1, 0.3, 0.6, 1), k = 3, progress = "none")
#' curve
#' plot_more_rows(curve)
#' @export
more_rows <- function(b, shares = c(0.06, 0.1, 0.16, 0.25, 0.4, 0.63, 1), ahead = 2, data = NULL, k = 5, repeats = 1,
                      by = NULL, level = 0.9, draws = 1000, progress = "auto", checkpoint = NULL, ...) {
  UseMethod("more_rows")
}

#' @export
more_rows.hylomath_brief <- function(b, shares = c(0.06, 0.1, 0.16, 0.25, 0.4, 0.63, 1), ahead = 2, data = NULL, k = 5,
                                     repeats = 1, by = NULL, level = 0.9, draws = 1000, progress = "auto",
                                     checkpoint = NULL, ...) {
  check_others(...)
  type_number(1, 100, open_low = TRUE)(ahead, "ahead")
  type_level()(level, "level")
  type_count(1e5, from = 100)(draws, "draws")
  shares <- checked_learning_shares(shares)
  report <- reporter(progress)
  b <- ready_to_train(b, data, seed = function() checkpoint_seeds(checkpoint)$regimen)
  whole <- checked_folds(b, k, repeats, by)
  training <- min(vapply(seq_len(nrow(whole$each)), function(i) sum(whole$parts(i) %in% "training"), 0))
  most <- round(shares * training)
  if (most[1] < 10) {
    fail(
      sprintf("With a share of %s a fold has %s to learn from.", format_number(shares[1]), counted(most[1], "row")),
      "Take larger shares."
    )
  }
  laid <- c(lapply(most[shares < 1], function(most) checked_folds(b, k, repeats, by, most)), list(whole))
  work <- list(verb = "learning curve", shares = shares, k = k, repeats = repeats, by = by)
  checkpoint <- open_checkpoint(checkpoint, checkpoint_header(b, b$table, work))
  found <- varied_folds(b$table, laid, level, report, checkpoint)
  if (length(found$whole) < 3) fail("An interrupt left fewer than three sizes, which show no curve.")
  new_learning(b, laid[found$whole], found, ahead, level, draws)
}

#' @export
more_rows.default <- function(b, ...) wrong_object("more_rows", "a brief", b)

checked_learning_shares <- function(shares) {
  shares <- vapply(as.list(shares), type_number(0, 1, open_low = TRUE), 0, "shares")
  shares <- sort(unique(c(shares, 1)))
  if (length(shares) < 3) fail("`shares` needs two shares below 1 at least.", "For example c(0.1, 0.3, 1).")
  shares
}

new_learning <- function(b, laid, found, ahead, level, draws) {
  first <- found$folds[[length(found$folds)]]
  a <- laid[[1]]$analysis
  rows <- mean_over_folds(laid, function(part) sum(part %in% c("training", "validation")))
  losses <- learning_losses(found$folds, a)
  there <- length(laid[[1]]$rows)
  band <- learning_band(losses, rows, c(there, ahead * there), level, draws, b[["regimen"]]$seed)
  read <- loss_measure(first$primary)
  cells <- function(rows, x) data.frame(rows = rows, lapply(x[c("value", "low", "high")], read))
  sizes <- cells(rows, band$sizes)
  if (!is.null(a$group)) {
    sizes$groups <- mean_over_folds(laid, function(part) {
      length(unique(units_of_groups(a$group[part %in% c("training", "validation")])))
    })
  }
  sizes$seconds <- vapply(found$folds, function(f) mean(f$each$seconds), 0)
  curve <- cells(band$at, band$curve)
  ends <- nrow(curve) - 1:0
  new_result(
    list(
      sizes = sizes, curve = curve[-ends, ], now = data.frame(curve[ends[1], ], row.names = NULL),
      ahead = data.frame(curve[ends[2], ], row.names = NULL),
      gain = gain_ahead(read(band$drawn[, ends]), level),
      law = data.frame(floor = read(band$law[["floor"]]), exponent = band$law[["exponent"]]),
      primary = if (length(b$target) > 1) loss_name(a$target) else first$primary, target = b$target, task = b$task,
      k = first$k, repeats = first$repeats, times = ahead, left_out = found$left_out, level = level,
      units = first$pooled$units, group = a$roles$group
    ),
    "more_rows"
  )
}

# For each of several layouts of folds the mean over its folds of what `count` says of the rows' parts.
mean_over_folds <- function(laid, count) {
  vapply(laid, function(one) mean(vapply(seq_len(nrow(one$each)), function(i) count(one$parts(i)), 0L)), 0)
}

# How much lower the error is ahead: the first row of two columns is the estimate, the others are draws.
gain_ahead <- function(at, level) {
  gain <- at[, 1] - at[, 2]
  ends <- stats::quantile(gain[-1], c((1 - level) / 2, (1 + level) / 2), names = FALSE)
  data.frame(value = gain[1], low = min(ends[1], gain[1]), high = max(ends[2], gain[1]))
}

# The losses of all evaluated rows, which are the same for all sizes, a column a size, with their weights and units; and
# the mean losses by fold and size. Several targets count as shares of their variances.
learning_losses <- function(folds, a) {
  pooled <- folds[[1]]$pooled
  scale <- if (length(a$target$columns) > 1) {
    vapply(pooled$evaluated[paste0("observed_", a$target$columns)], stats::var, 0)
  } else {
    1
  }
  losses <- vapply(folds, function(f) {
    rowMeans(f$pooled$losses$network / rep(scale, each = nrow(pooled$evaluated)))
  }, numeric(nrow(pooled$evaluated)))
  dealt <- folds[[1]]$predictions[c("repeat", "fold")]
  dealt <- match(paste(dealt[[1]], dealt[[2]]), unique(paste(dealt[[1]], dealt[[2]])))
  of_folds <- rowsum(cbind(losses * pooled$weight, pooled$weight), dealt)
  last <- ncol(of_folds)
  list(
    rows = losses, weight = pooled$weight, unit = pooled$unit,
    by_fold = of_folds[, -last, drop = FALSE] / of_folds[, last]
  )
}

# ---- the law ---------------------------------------------------------------------------------------------------------

# The law and its band over 60 sizes and those `beside`: list(sizes, at, curve, drawn, law), in the unit of the losses;
# `drawn` has the estimate in its first row and a draw in each other one.
learning_band <- function(losses, rows, beside, level, draws, seed) {
  at <- c(exp(seq(log(min(rows)), log(max(rows, beside)), length.out = 60)), beside)
  sums <- unit_sums(cbind(losses$rows * losses$weight, losses$weight), losses$unit, max(losses$unit))
  last <- ncol(sums)
  value <- colSums(sums[, -last, drop = FALSE]) / sum(sums[, last])
  drawn <- crossprod(bootstrap_counts(losses$unit, draws, seed), sums)
  drawn <- drawn[, -last, drop = FALSE] / drawn[, last]
  luck <- training_luck(losses$by_fold, value)
  noise <- matrix(stats::qnorm(uniform(draws * length(rows), seed, "learning curve")), draws)
  drawn <- drawn + noise * rep(luck, each = draws)
  # chance of training that is too small to be seen does not make a size decide alone, and those near the rows that
  # there are say more of what lies beyond than the smallest, whose networks may hardly learn
  laws <- fitted_laws(rbind(value, drawn), rows, rows / max(rows) / (luck^2 + (0.005 * value)^2))
  curves <- laws$floor + laws$scale * outer(laws$exponent, at / max(rows), function(c, n) n^-c)
  band <- function(x) {
    tail <- (1 - level) / 2
    ends <- apply(x[-1, , drop = FALSE], 2, stats::quantile, c(tail, 1 - tail), names = FALSE)
    list(value = unname(x[1, ]), low = pmin(ends[1, ], x[1, ]), high = pmax(ends[2, ], x[1, ]))
  }
  list(
    sizes = band(rbind(value, drawn)), at = at, curve = band(curves), drawn = curves,
    law = list(floor = unname(laws$floor[1]), exponent = unname(laws$exponent[1]))
  )
}

# The standard deviation that training alone gives the mean loss at each size: what is left of the folds' losses when
# each fold's and each size's mean is taken off, half of it as the size itself shows it and half as all sizes do.
training_luck <- function(by_fold, value) {
  k <- nrow(by_fold)
  sizes <- ncol(by_fold)
  left <- by_fold - rowMeans(by_fold) - rep(colMeans(by_fold) - mean(by_fold), each = k)
  variance <- colSums(left^2) / (k - 1) * sizes / (sizes - 1) / k
  relative <- variance / value^2
  value * sqrt((relative + mean(relative)) / 2)
}

learning_exponents <- exp(seq(log(0.1), log(2), length.out = 40))

# The power laws nearest to each row of values: floor and scale by weighted least squares for each exponent, neither
# below 0, and of the exponents the one with the smallest sum of squares.
fitted_laws <- function(values, rows, weights) {
  best <- NULL
  sum_1 <- sum(weights)
  sum_y <- drop(values %*% weights)
  sum_yy <- drop(values^2 %*% weights)
  for (exponent in learning_exponents) {
    x <- (rows / max(rows))^-exponent
    sum_x <- sum(weights * x)
    sum_xx <- sum(weights * x^2)
    sum_xy <- drop(values %*% (weights * x))
    floor <- (sum_xx * sum_y - sum_x * sum_xy) / (sum_1 * sum_xx - sum_x^2)
    scale <- (sum_1 * sum_xy - sum_x * sum_y) / (sum_1 * sum_xx - sum_x^2)
    scale <- ifelse(floor < 0, sum_xy / sum_xx, scale)
    floor <- pmax(floor, 0)
    floor <- ifelse(scale < 0, sum_y / sum_1, floor)
    scale <- pmax(scale, 0)
    misfit <- sum_yy - 2 * floor * sum_y - 2 * scale * sum_xy + floor^2 * sum_1 + 2 * floor * scale * sum_x +
      scale^2 * sum_xx
    own <- list(floor = floor, scale = scale, exponent = rep(exponent, nrow(values)), misfit = misfit)
    if (is.null(best)) best <- own
    better <- own$misfit < best$misfit
    best <- Map(function(former, own) ifelse(better, own, former), best, own)
  }
  best
}

#' @export
as.data.frame.hylomath_more_rows <- function(x, ...) x$sizes

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_more_rows <- function(x, ...) {
  c(
    cli::style_bold(sprintf("%s: %s by the number of rows learned from", enumerate(x$target), x$primary)), "",
    as_text_table(learning_cells(x), 1), "", paragraphs(learning_in_words(x)), "",
    paragraphs(c(left_out_text(x$left_out, "size"), learning_notes(x)))
  )
}

learning_cells <- function(x) {
  s <- x$sizes
  cells <- list(
    rows = format_each_count(round(s$rows)), value = format_measure(s$value), interval = interval_cell(s$low, s$high),
    "seconds a fit" = format_each_short(signif(s$seconds, 2))
  )
  names(cells)[2:3] <- c(x$primary, interval_heading(x$level))
  if (is.null(s$groups)) return(cells)
  c(cells[1], list(groups = format_each_count(round(s$groups))), cells[-1])
}

learning_in_words <- function(x) {
  gain <- x$gain
  share <- gain$value / x$now$value
  verdict <- if (gain$low > 0 && share >= least_worth) {
    "More rows would help"
  } else if (gain$high / x$now$value < least_worth) {
    "More rows would hardly help"
  } else {
    "These rows cannot show whether more would help"
  }
  c(
    sprintf(
      "%s. %s is expected to be %s with %s rows, %s as many (%s %s to %s), and %s with the %s that there are.",
      verdict, capitalised(x$primary), format_measure(x$ahead$value), format_count(round(x$ahead$rows)),
      if (x$times == 2) "twice" else paste(format_number(x$times), "times"), band_heading(x$level),
      format_measure(x$ahead$low), format_measure(x$ahead$high),
      format_measure(x$now$value), format_count(x$now$rows)
    ),
    sprintf(
      "That is %s lower (%s to %s).", format_measure(gain$value), format_measure(gain$low), format_measure(gain$high)
    )
  )
}

# A gain below this share of the error is not worth more rows.
least_worth <- 0.02

band_heading <- function(level) sprintf("%s %% band", format_number(100 * level))

learning_notes <- function(x) {
  c(
    sprintf(
      paste(
        "Each size is evaluated on the same rows by %s.",
        "The intervals say how much the figures vary with the %s and with training."
      ),
      folds_words(x$k, x$repeats), x$units
    ),
    sprintf(
      "The curve is a power law with the exponent %s. If it holds, no number of rows brings the %s below %s.",
      format_number(signif(x$law$exponent, 2)), x$primary, format_measure(x$law$floor)
    ),
    "One network is trained in each fold. A cross-validation ensemble usually does better."
  )
}

# ---- drawn -----------------------------------------------------------------------------------------------------------

#' Draw whether more rows would help
#'
#' @param x What [more_rows()] returns.
#' @return A ggplot: the error at each number of rows with its interval, the power law with its band, dashed beyond the
#'   rows that there are.
#' @section Errors: An object that [more_rows()] did not return.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 10)
#' plot_more_rows(more_rows(b, shares = c(0.2, 0.5, 1), k = 3, progress = "none"))
#' @export
plot_more_rows <- function(x) {
  check_drawn(x, "hylomath_more_rows", "plot_more_rows", "more_rows()")
  within <- x$curve$rows <= x$now$rows
  beyond <- c(max(which(within)), which(!within))
  apart <- diff(log(c(x$sizes$rows, x$now$rows))) > 0.3
  breaks <- c(x$sizes$rows[apart], x$now$rows, x$ahead$rows)
  ggplot2::ggplot(x$curve, ggplot2::aes(.data$rows, .data$value)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = hue("ink"), alpha = 0.12) +
    ggplot2::geom_line(data = x$curve[within, ], colour = hue("ink"), linewidth = 0.9) +
    ggplot2::geom_line(data = x$curve[beyond, ], colour = hue("ink"), linewidth = 0.9, linetype = "22") +
    ggplot2::geom_linerange(
      data = x$sizes, ggplot2::aes(ymin = .data$low, ymax = .data$high), colour = hue("ochre"), linewidth = 0.8
    ) +
    ggplot2::geom_point(data = x$sizes, colour = hue("ochre"), size = 2.6) +
    ggplot2::geom_vline(xintercept = x$now$rows, colour = hue("stone"), linetype = "dotted", linewidth = 0.6) +
    ggplot2::scale_x_log10(
      breaks = unique(round(breaks)), labels = axis_numbers, guide = ggplot2::guide_axis(check.overlap = TRUE)
    ) +
    numbers_up() +
    ggplot2::labs(
      title = sprintf("%s: would more rows help?", enumerate(x$target)),
      subtitle = sprintf(
        "%s by %s, with its %s and a power law; dotted: the %s rows that there are", x$primary,
        folds_words(x$k, x$repeats), interval_heading(x$level), format_count(x$now$rows)
      ),
      x = "rows learned from (logarithmic)", y = x$primary
    ) +
    figure_theme()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_more_rows <- function(object, ...) plot_more_rows(object)

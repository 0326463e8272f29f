# Then and now of what a network predicts, and of what its predictions cost.

# Fewer rows tell nothing.
least_watched_rows <- 30

# A row's loss; of several targets the mean of their shares of the targets' variances.
watched_loss <- function(model, evaluated) {
  losses <- as.matrix(own_losses(target_in(model), evaluated, evaluated$predictions))
  if (ncol(losses) == 1) return(losses[, 1])
  rowMeans(sweep(losses, 2, model$predictor$preparation$target$scale^2, `/`))
}

# What a mean of such losses is called by: the root of a mean squared error, else the mean itself.
watched_measure <- function(model) {
  target <- target_in(model)
  if (length(target$columns) == 1) loss_measure(primary_measure(target)) else identity
}

period_movements <- function(model, parted, rows) {
  profile <- model$profile
  group <- if (!is.null(parted$group)) parted$group[rows]
  then <- list(rows = profile$rows, units = profile$groups %||% profile$rows)
  inputs <- lapply(intersect(names(profile$columns), names(parted$table)), function(column) {
    profiled <- profile$columns[[column]]
    column_movements(profiled, then, parted$table[[column]][rows], column, group, seen_levels(model, column, profiled))
  })
  of_predictions <- prediction_movements(model, parted$predictions[rows, , drop = FALSE], group)
  of_losses <- loss_movement(model, parted$losses[rows], group)
  do.call(rbind, c(inputs, list(of_predictions, of_losses)))
}

# The levels that training has seen of a column: list(levels, rows, rare). Of `rows` in which they were counted `rare`
# are of levels that stood in one row only, as new ones do, or whose names were withheld. NULL where they are not known,
# as of those that fall into buckets.
seen_levels <- function(model, column, profiled) {
  preparation <- model$predictor$preparation
  place <- match(column, prepared_columns(preparation))
  plan <- if (!is.na(place)) preparation$columns[[place]]
  if (is.null(plan$level_rows)) {
    if (length(profiled$levels) >= most_levels_watched) return(NULL)
    return(list(levels = profiled$levels, rows = sum(profiled$counts), rare = sum(profiled$counts == 1)))
  }
  levels <- c(plan$levels, plan$rare)
  counts <- plan$level_rows[seq_along(levels)]
  named <- !grepl(withheld_level, levels)
  rows <- sum(plan$level_rows)
  rare <- rows - sum(counts[named]) + sum(counts[named] == 1)
  list(levels = union(levels[named], profiled$levels), rows = rows, rare = rare)
}

# The rows by which predictions and losses at training are known: those that the whole model predicted without having
# seen them, else out-of-fold rows, each of which was predicted by the networks of its fold.
reference_part <- function(model) {
  c(intersect(c("test", "calibration", "validation", "out_of_fold"), names(model$evaluated)), NA)[1]
}

prediction_movements <- function(model, predictions, group) {
  part <- reference_part(model)
  if (is.na(part)) return(NULL)
  evaluated <- evaluated_in_part(model, part)
  # single networks' numbers are spread further than those of all together
  if (part == "out_of_fold" && !has_classes(target_in(model))) return(NULL)
  numbers <- names(predictions)[vapply(predictions, is.numeric, NA)]
  do.call(rbind, lapply(numbers, function(name) {
    then <- evaluated$predictions[[name]]
    now <- predictions[[name]]
    keep <- !is.na(now)
    if (sum(keep) < 2) return(NULL)
    own <- evaluated_group(evaluated)
    if (has_classes(target_in(model))) {
      return(mean_movement("prediction", name, mean_with_error(then, own), mean_with_error(now[keep], group[keep])))
    }
    knots <- stats::quantile(then, seq(0, 1, 0.01), type = 8, na.rm = TRUE)
    place <- function(x, group) mean_with_error(places_between(knots, x), group)
    mean_movement("prediction", name, place(then, own), place(now[keep], group[keep]), c(mean(then), mean(now[keep])))
  }))
}

evaluated_group <- function(evaluated) if (!is.null(evaluated$group)) match(evaluated$group, unique(evaluated$group))

loss_movement <- function(model, losses, group) {
  part <- reference_part(model)
  known <- !is.na(losses)
  if (is.na(part) || sum(known) < least_watched_rows) return(NULL)
  evaluated <- evaluated_in_part(model, part)
  then <- watched_loss(model, evaluated)
  # a few rows must not decide
  highest <- stats::quantile(then, 0.99, names = FALSE)
  before <- mean_with_error(pmin(then, highest), evaluated_group(evaluated))
  now <- mean_with_error(pmin(losses[known], highest), group[known])
  error <- sqrt(before$error^2 + now$error^2)
  moved <- now$value - before$value
  p <- if (error > 0) two_sided(moved / error, min(before$units, now$units) - 1) else 1
  # as shares of the measure that is named: of a root the slope there has its part
  measure <- watched_measure(model)
  ratio <- max(now$value, 1e-12) / max(before$value, 1e-12)
  share <- measure(ratio) - 1
  slope <- measure(ratio) / ratio * if (identical(measure, sqrt)) 0.5 else 1
  movement(
    "measure", enumerate(target_in(model)$columns), measure(mean(then)), measure(mean(losses[known])), share,
    slope * error / max(before$value, 1e-12), "of the measure", p, share >= least_loss
  )
}

# Then and now of what a network answers, and of what its answers cost.

# Fewer rows tell nothing.
least_watched_rows <- 30

# A row's loss; of several targets the mean of their shares of the targets' variances.
watched_loss <- function(model, judged) {
  losses <- as.matrix(own_losses(target_in(model), judged, judged$answers))
  if (ncol(losses) == 1) return(losses[, 1])
  rowMeans(sweep(losses, 2, model$answerer$preparation$target$scale^2, `/`))
}

period_movements <- function(model, parted, rows) {
  profile <- model$profile
  group <- if (!is.null(parted$group)) parted$group[rows]
  inputs <- lapply(names(profile$columns), function(column) {
    column_movements(profile$columns[[column]], profile$rows, parted$table[[column]][rows], column, group)
  })
  of_answers <- answer_movements(model, parted$answers[rows, , drop = FALSE], group)
  of_losses <- loss_movement(model, parted$losses[rows], group)
  do.call(rbind, c(inputs, list(of_answers, of_losses)))
}

# The rows by which answers and losses at training are known: those that the whole model answered without having seen
# them.
reference_part <- function(model) {
  c(intersect(c("test", "calibration", "validation"), names(model$judged)), NA)[1]
}

answer_movements <- function(model, answers, group) {
  part <- reference_part(model)
  if (is.na(part)) return(NULL)
  judged <- model$judged[[part]]
  numbers <- names(answers)[vapply(answers, is.numeric, NA)]
  do.call(rbind, lapply(numbers, function(name) {
    then <- judged$answers[[name]]
    now <- answers[[name]]
    keep <- !is.na(now)
    if (sum(keep) < 2) return(NULL)
    own <- judged_group(judged)
    if (has_classes(target_in(model))) {
      return(mean_movement("answer", name, mean_with_error(then, own), mean_with_error(now[keep], group[keep])))
    }
    knots <- stats::quantile(then, seq(0, 1, 0.01), type = 8, na.rm = TRUE)
    place <- function(x, group) mean_with_error(places_between(knots, x), group)
    mean_movement("answer", name, place(then, own), place(now[keep], group[keep]), c(mean(then), mean(now[keep])))
  }))
}

judged_group <- function(judged) if (!is.null(judged$group)) match(judged$group, unique(judged$group))

loss_movement <- function(model, losses, group) {
  part <- c(reference_part(model), intersect("rotation", names(model$judged)), NA)
  part <- part[!is.na(part)][1]
  known <- !is.na(losses)
  if (is.na(part) || sum(known) < least_watched_rows) return(NULL)
  judged <- model$judged[[part]]
  then <- watched_loss(model, judged)
  # a few rows must not decide
  highest <- stats::quantile(then, 0.99, names = FALSE)
  before <- mean_with_error(pmin(then, highest), judged_group(judged))
  now <- mean_with_error(pmin(losses[known], highest), group[known])
  error <- sqrt(before$error^2 + now$error^2)
  moved <- now$value - before$value
  p <- if (error > 0) two_sided(moved / error, min(before$units, now$units) - 1) else 1
  scale <- max(before$value, 1e-12)
  movement(
    "measure", enumerate(target_in(model)$columns), mean(then), mean(losses[known]), moved / scale, error / scale,
    "of the loss", p, moved / scale >= least_loss
  )
}

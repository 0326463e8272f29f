#' Sift the inputs of a brief
#'
#' Which columns does the network need? Inputs are taken out one by one (or put in), every set is evaluated by the same
#' [folds()], and the whole path is shown. A category goes or stays with all its levels.
#'
#' @param b A brief.
#' @param direction `"backward"`: from all inputs, again and again the one is dropped whose shuffling on the rows that
#'   the folds have not learned from harms least; `"forward"`: from none, again and again the one is added that lowers
#'   the error most, all being tried; `"ranking"`: ranked once, by shuffling with all inputs in, and dropped in that
#'   order.
#' @param k,repeats,by,progress,checkpoint See [folds()].
#' @param ... Not used.
#' @return An object of class `hylomath_sifting` with
#'   * `path`, a row for each number of inputs: `inputs`, `column` (dropped on the way to it, or added), the `mean`
#'     over folds of the measure that the networks are trained for, its spread `sd`, and the `difference` from the best
#'     set with the standard `error` of the paired differences over folds;
#'   * `best` and `small`, the columns of the best set and of the smallest one whose difference from it is within one
#'     standard error;
#'   * `dropped`, the others than `small`; `expected`, what the best set may be expected to gain over all inputs, see
#'     [scout()].
#'
#'   [best_brief()] gives the brief with these inputs; [as.data.frame()] gives `path`. The best of many sets looks
#'   better here than it is: [appraise()] its network on the test rows, which had no part in this.
#' @section Errors: A brief with one input only, and those of [folds()].
#' @references Kohavi and John (1997) \doi{10.1016/S0004-3702(97)00043-X}.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' s <- sift(b, k = 3, progress = "none")
#' s
#' best_brief(s)
#' @export
sift <- function(b, direction = "backward", k = 5, repeats = 1, by = NULL, progress = "auto", checkpoint = NULL, ...) {
  UseMethod("sift")
}

#' @export
sift.hylomath_brief <- function(b, direction = "backward", k = 5, repeats = 1, by = NULL, progress = "auto",
                                checkpoint = NULL, ...) {
  check_others(...)
  type_choice(sifting_directions)(direction, "direction")
  report <- reporter(progress)
  b <- ready_to_train(b, seed = function() checkpoint_seeds(checkpoint)$regimen)
  inputs <- brief_inputs(b)
  if (length(inputs) < 2) fail("There is one input only, so there is nothing to sift.")
  work <- list(verb = "sift", direction = direction, k = k, repeats = repeats, by = by)
  checkpoint <- open_checkpoint(checkpoint, checkpoint_header(b, b$table, work))
  passes <- if (direction == "ranking") 2 else length(inputs)
  pass <- 0
  evaluate <- function(sets) {
    pass <<- pass + 1
    within <- sprintf("pass %d of %d", as.integer(pass), as.integer(passes))
    within_pass <- function(event) report(c(event, list(within = within)))
    found <- evaluated_sets(b, sets, k, repeats, by, within_pass, checkpoint_of_kind(checkpoint, within))
    report(list(event = "pass", within = within, inputs = length(sets[[1]])))
    found
  }
  sifted <- switch(direction, backward = sift_backward, forward = sift_forward, ranking = sift_ranking)
  new_sifting(b, inputs, sifted(inputs, evaluate), direction, k, repeats, checkpoint$kept_in())
}

#' @export
sift.default <- function(b, ...) wrong_object("sift", "a brief", b)

# The losses by fold of each set of inputs, and how much its columns' shuffling harms; all sets are trained at once.
evaluated_sets <- function(b, sets, k, repeats, by, report, checkpoint) {
  laid <- lapply(sets, function(set) checked_folds(with_inputs(b, set), k, repeats, by))
  jobs <- lapply(laid, fold_jobs, want = "rises")
  done <- run_jobs(b$table, unlist(jobs, recursive = FALSE), "fit", report, laid = laid, checkpoint = checkpoint)
  of <- rep(seq_along(sets), lengths(jobs))
  lapply(seq_along(sets), function(s) {
    own <- done[of == s]
    if (attr(done, "interrupted") || any(vapply(own, is.null, NA))) return(NULL)
    rises <- matrix(unlist(lapply(own, `[[`, "rise")), length(sets[[s]]))
    list(set = sets[[s]], losses = vapply(own, `[[`, 0, "loss"), rise = rowMeans(rises))
  })
}

# Each gives a list of steps, list(set, losses, column), from all inputs to one or from one to all; an interrupt ends
# the list early.
sift_backward <- function(inputs, evaluate) {
  now <- evaluate(list(inputs))[[1]]
  if (is.null(now)) return(list())
  steps <- list(c(now, column = NA))
  while (length(now$set) > 1) {
    least <- now$set[which.min(now$rise)]
    now <- evaluate(list(setdiff(now$set, least)))[[1]]
    if (is.null(now)) break
    steps[[length(steps) + 1]] <- c(now, column = least)
  }
  steps
}

sift_forward <- function(inputs, evaluate) {
  set <- character()
  steps <- list()
  while (length(set) < length(inputs)) {
    larger <- lapply(setdiff(inputs, set), function(column) inputs[inputs %in% c(set, column)])
    tried <- evaluate(larger)
    if (any(vapply(tried, is.null, NA))) break
    best <- tried[[which.min(vapply(tried, function(t) mean(t$losses), 0))]]
    steps[[length(steps) + 1]] <- c(best, column = setdiff(best$set, set))
    set <- best$set
  }
  steps
}

sift_ranking <- function(inputs, evaluate) {
  all <- evaluate(list(inputs))[[1]]
  if (is.null(all)) return(list())
  ranked <- inputs[order(all$rise)]  # the least important first
  sets <- lapply(seq_len(length(inputs) - 1), function(n) setdiff(inputs, ranked[seq_len(n)]))
  with_column <- function(step, column) if (!is.null(step)) c(step, column = column)
  steps <- Map(with_column, evaluate(sets), ranked[-length(ranked)])
  c(list(c(all, column = NA)), drop_nulls(steps))
}

new_sifting <- function(b, inputs, steps, direction, k, repeats, kept_in = NULL) {
  check_any_done(length(steps), "set", kept_in)
  path <- sifting_path(steps, k)
  best <- which.min(path$mean)
  within <- which(path$difference <= path$error)
  small <- within[which.min(path$inputs[within])]
  new_result(
    list(
      path = path, direction = direction, best = steps[[best]]$set, small = steps[[small]]$set,
      dropped = setdiff(inputs, steps[[small]]$set), primary = loss_name(target_of(b)), brief = b, target = b$target,
      task = b$task, k = k, repeats = repeats, left_out = length(inputs) - length(steps),
      expected = expected_of_sifting(steps, k)
    ),
    "sifting"
  )
}

# What the best set may be expected to gain, see gain_of_best().
expected_of_sifting <- function(steps, k) {
  losses <- do.call(rbind, lapply(steps, `[[`, "losses"))
  all <- which.max(vapply(steps, function(s) length(s$set), 0L))
  rownames(losses) <- seq_along(steps)
  gain_of_best(losses, all, 1 / (k - 1))
}

# A row a set: its mean loss over the folds, and how far above the best it is; the standard error of that allows for
# folds that learn from the same rows (Nadeau and Bengio 2003).
sifting_path <- function(steps, k) {
  losses <- do.call(rbind, lapply(steps, `[[`, "losses"))
  mean <- rowMeans(losses)
  best <- which.min(mean)
  apart <- sweep(losses, 2, losses[best, ])
  data.frame(
    inputs = vapply(steps, function(s) length(s$set), 0L),
    column = vapply(steps, function(s) as.character(s$column), ""),
    mean = mean, sd = apply(losses, 1, stats::sd), difference = mean - mean[best],
    error = apply(apart, 1, stats::sd) * sqrt(1 / ncol(losses) + 1 / (k - 1))
  )
}

#' @export
as.data.frame.hylomath_sifting <- function(x, ...) x$path

#' The brief that a search found
#'
#' @param x What [sift()] or [scout()] returned.
#' @param which Of a sifting: `"small"`, the smallest set within one standard error of the best, or `"best"`.
#' @param ... Not used.
#' @return The brief that was searched from, with the inputs or settings that were found, and its table.
#' @section Errors: An object that neither [scout()] nor [sift()] returned; a search without a trial evaluated in full.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' best_brief(sift(b, direction = "ranking", k = 3, progress = "none"))
#' @export
best_brief <- function(x, ...) UseMethod("best_brief")

#' @export
best_brief.default <- function(x, ...) wrong_object("best_brief", "what sift() or scout() returns", x)

#' @rdname best_brief
#' @export
best_brief.hylomath_sifting <- function(x, which = "small", ...) {
  check_others(...)
  type_choice(sifting_sets)(which, "which")
  with_inputs(x$brief, x[[which]])
}

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_sifting <- function(x, ...) {
  way <- switch(x$direction,
    backward = "one by one taken out", forward = "one by one put in", ranking = "taken out by rank"
  )
  dropped <- if (length(x$dropped)) {
    sprintf("Dropped: %s.", enumerate(x$dropped, limit = 60))
  } else {
    "None is dropped."
  }
  c(
    cli::style_bold(sprintf("%s: inputs sifted, %s", enumerate(x$target), way)), "",
    sifting_table(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "set"),
      sprintf("Kept: %s.", enumerate(x$small, limit = 60)),
      dropped,
      sprintf(
        paste(
          "The %s is the mean over %s; errors are those of paired differences from the best.",
          "The best of %d sets looks better here than it is: evaluate its network on the test rows."
        ),
        x$primary, folds_words(x$k, x$repeats), nrow(x$path)
      ),
      expected_text(x$expected, x$primary, "all inputs"),
      single_networks_text(x$brief, "Each fit")
    ))
  )
}

sifting_table <- function(x) {
  p <- x$path
  columns <- list(
    inputs = as.character(p$inputs), column = ifelse(is.na(p$column), "", shorten(p$column, 24)),
    format_measure(p$mean), spread = format_measure(p$sd),
    "above the best" = sprintf("%s (error %s)", format_measure(p$difference), format_measure(p$error)),
    sifting_marks(p$inputs, length(x$best), length(x$small))
  )
  names(columns)[c(2, 3, 6)] <- c(if (x$direction == "forward") "added" else "dropped", x$primary, "")
  text_table(columns, right = c(1, 3:5))
}

sifting_marks <- function(inputs, best, small) {
  if (best == small) return(ifelse(inputs == small, "best, and smallest within one error", ""))
  ifelse(inputs == best, "best", ifelse(inputs == small, "smallest within one error", ""))
}

# ---- drawn -----------------------------------------------------------------------------------------------------------

#' Draw the path of a sifting
#'
#' @param sifting What [sift()] returns.
#' @return A ggplot: the measure against the number of inputs with the spread of the folds; the best set and the
#'   smallest one within one standard error are marked.
#' @section Errors: An object that [sift()] did not return.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 15)
#' plot_sifting(sift(b, direction = "ranking", k = 3, progress = "none"))
#' @export
plot_sifting <- function(sifting) {
  check_drawn(sifting, "hylomath_sifting", "plot_sifting", "sift()")
  p <- sifting$path
  forward <- sifting$direction == "forward"
  best <- length(sifting$best)
  p$low <- p$mean - p$sd
  p$high <- p$mean + p$sd
  p$label <- ifelse(is.na(p$column), "", paste(if (forward) "+" else "\u2212", p$column))
  marked <- p[p$inputs %in% c(best, length(sifting$small)), ]
  marked$mark <- ifelse(marked$inputs == best, "best", "smallest within one error")
  folds <- counted(sifting$k, "fold")
  how <- "%s, mean of %s with their spread; below: the column %s on the way there"
  ggplot2::ggplot(p, ggplot2::aes(.data$inputs, .data$mean)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = hue("sea"), alpha = 0.18) +
    ggplot2::geom_line(colour = hue("ink"), linewidth = 0.7) +
    ggplot2::geom_point(colour = hue("ink"), size = 2) +
    ggplot2::geom_point(data = marked, colour = hue("ochre"), size = 4.2) +
    ggplot2::geom_text(
      data = marked, ggplot2::aes(label = .data$mark), vjust = -1.4, colour = figure_faint, size = 4
    ) +
    ggplot2::geom_text(
      ggplot2::aes(y = .data$low, label = .data$label), angle = 90, hjust = 1.1, size = 3, colour = figure_faint
    ) +
    ggplot2::scale_x_continuous(breaks = if (nrow(p) <= 30) p$inputs else ggplot2::waiver()) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0.42, 0.12))) +
    ggplot2::labs(
      title = sprintf("%s: how many inputs are needed", enumerate(sifting$target)),
      subtitle = sprintf(how, sifting$primary, folds, if (forward) "added" else "dropped"), x = "inputs",
      y = sifting$primary
    ) +
    figure_theme()
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_sifting <- function(object, ...) plot_sifting(object)

#' Vary one setting, everything else fixed
#'
#' For questions such as: would more data help, what does a larger batch cost, how many units are enough? Every
#' value is evaluated by the same [folds()], all of them trained at once.
#'
#' @param b A brief.
#' @param ... One setting with its values. `units`: of the first hidden layer, to which the others keep their
#'   proportion; `rows`: so many training rows of each fold and as large a share of its validation rows, drawn at random
#'   (whole groups, where rows belong to groups), each choice within the next larger one; see [more_rows()];
#'   `layers`, `activation` or `dropout` of the wiring; or any key of the brief with one value at a time, by its last
#'   word or in full: `batch_size = c(16, 64, 256)`, `wiring = c("linear", "8 tanh")`, `prepare.numbers = c("zscore",
#'   "robust")`.
#' @param k,repeats,by,level,progress,checkpoint See [folds()].
#' @return An object of class `hylomath_variation`; `values` is a data frame with a row for each value: `value` (as
#'   text), the `measure` that the networks are trained for as the mean over folds, with the standard error of the mean
#'   (corrected for overlapping training sets) and the spread `sd` of the folds, `difference` from the brief's own
#'   setting, if that is among them, or from the first value, with its interval; `parameters`, `rows` learned from,
#'   `updates` and `seconds`, as means over folds. `folds` has the whole of [folds()] for each value; `expected` is
#'   what the best value may be expected to gain, see [scout()]. [as.data.frame()] gives `values`.
#' @section Errors: No such setting; a value that it can't have; more rows than a fold has.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' vary(b, units = c(2, 4, 8), k = 3, progress = "none")
#' vary(b, rows = c(300, 1000, 1800), k = 3, progress = "none")
#' @export
vary <- function(b, ..., k = 5, repeats = 1, by = NULL, level = 0.95, progress = "auto", checkpoint = NULL) {
  UseMethod("vary")
}

#' @export
vary.hylomath_brief <- function(b, ..., k = 5, repeats = 1, by = NULL, level = 0.95, progress = "auto",
                                checkpoint = NULL) {
  given <- list(...)
  if (length(given) != 1 || is.null(names(given)) || names(given) == "") {
    fail("vary() takes one setting with its values.", "For example vary(b, batch_size = c(16, 64, 256)).")
  }
  report <- reporter(progress)
  setting <- names(given)
  values <- as.list(given[[1]])
  b <- ready_to_train(b, seed = function() checkpoint_seeds(checkpoint)$regimen)
  laid <- Map(function(varied, value) {
    checked_folds(varied, k, repeats, by, if (setting == "rows") value)
  }, varied_to_each(b, setting, values), values)
  work <- list(verb = "vary", setting = setting, values = values, k = k, repeats = repeats, by = by)
  checkpoint <- open_checkpoint(checkpoint, checkpoint_header(b, b$table, work))
  found <- varied_folds(b$table, laid, level, report, checkpoint)
  labels <- vapply(values[found$whole], function(v) if (is.numeric(v)) format_number(v) else as.character(v), "")
  own <- own_value(b, setting, values[found$whole])
  new_variation(b, setting, values[found$whole], labels, if (is.na(own)) 1 else own, found, k, repeats, level)
}

#' @export
vary.default <- function(b, ...) wrong_object("vary", "a brief", b)

# The folds of each value, all trained at once; values whose folds an interrupt left out are left out with them.
varied_folds <- function(table, laid, level, report, checkpoint) {
  jobs <- lapply(laid, fold_jobs, want = "predictions")
  done <- run_jobs(table, unlist(jobs, recursive = FALSE), "fit", report, laid = laid, checkpoint = checkpoint)
  of <- rep(seq_along(laid), lengths(jobs))
  whole <- which(vapply(seq_along(laid), function(v) !any(vapply(done[of == v], is.null, NA)), NA))
  check_any_done(length(whole), "value", checkpoint$kept_in())
  list(
    whole = whole, left_out = length(laid) - length(whole),
    folds = lapply(whole, function(v) new_folds(laid[[v]], done[of == v], level, 1000))
  )
}

# `against` is the place of the value that the others are compared with.
new_variation <- function(b, setting, values, labels, against, found, k, repeats, level) {
  folds <- stats::setNames(found$folds, labels)
  new_result(
    list(
      values = variation_table(folds, labels, against, level), setting = setting,
      numeric = all(vapply(values, is.numeric, NA)), primary = folds[[1]]$primary, against = labels[against],
      target = b$target, task = b$task, k = k, repeats = repeats, left_out = found$left_out, level = level,
      expected = expected_of_variation(folds, against), folds = folds
    ),
    "variation"
  )
}

# What the best value may be expected to gain, see gain_of_best().
expected_of_variation <- function(folds, against) {
  first <- folds[[1]]
  losses <- t(vapply(folds, function(f) f$each[[measure_labels(f$measures)[match(f$primary, f$measures$measure)]]],
    numeric(nrow(first$each))
  ))
  rownames(losses) <- names(folds)
  if (all(lengths(lapply(folds, `[[`, "left_out")) == 1)) {
    gain_of_best(losses, against, mean(first$each$rows / first$each$training))
  }
}

# The briefs with the setting at each of the values.
varied_to_each <- function(b, setting, values) {
  if (length(values) < 2) fail(sprintf("%s needs two values at least.", quoted(setting)))
  lapply(values, function(value) varied(b, setting, value))
}

# The brief with the setting at a value.
varied <- function(b, setting, value) {
  if (setting == "rows") {
    type_number(2, whole = TRUE)(value, "rows")
    return(b)
  }
  changed_brief(b, stats::setNames(list(value), setting))
}

# Which of the values is the brief's own, NA for none.
own_value <- function(b, setting, values) {
  if (setting == "rows") return(NA)
  as_text <- function(value) as.character(unlist(value))
  now <- as_text(own_settings(with_usual_values(b), setting)[[1]])
  match(TRUE, vapply(values, function(value) identical(as_text(value), now), NA))
}

variation_table <- function(found, labels, against, level) {
  first <- found[[against]]
  rows <- Map(function(folds, label) {
    own <- folds$measures[folds$measures$measure == folds$primary, ][1, ]
    apart <- fold_differences(label, folds, first, level)
    apart <- apart[apart$measure == folds$primary, ][1, ]
    data.frame(
      value = label, measure = folds$primary, mean = own$mean, error = own$error, sd = own$sd,
      apart[c("difference", "difference_low", "difference_high")], parameters = mean(folds$each$parameters),
      rows = mean(folds$each$training), updates = mean(folds$each$updates), seconds = mean(folds$each$seconds)
    )
  }, found, labels)
  table <- do.call(rbind, rows)
  rownames(table) <- NULL
  table
}

#' @export
as.data.frame.hylomath_variation <- function(x, ...) x$values

# ---- printed ---------------------------------------------------------------------------------------------------------

#' @export
format.hylomath_variation <- function(x, ...) {
  v <- x$values
  c(
    cli::style_bold(sprintf("%s: %s varied, everything else fixed", enumerate(x$target), x$setting)), "",
    variation_lines(x), "",
    paragraphs(c(
      left_out_text(x$left_out, "value"),
      sprintf(
        paste(
          "The %s is the mean over %s that all values share; differences are fold by fold, with %s %% intervals",
          "corrected for training sets that overlap. Parameters, rows, updates and seconds are means of a fit."
        ),
        x$primary, folds_words(x$k, x$repeats, ","), format_number(100 * x$level)
      ),
      if (which.min(v$mean) != which(v$value == x$against)) {
        c(
          sprintf("The lowest of %d is lower here than it will be on new rows.", nrow(v)),
          expected_text(x$expected, x$primary, sprintf("with %s %s", x$setting, x$against))
        )
      }
    ))
  )
}

variation_lines <- function(x) {
  v <- x$values
  apart <- difference_cell(v$difference, v$difference_low, v$difference_high)
  columns <- list(
    shorten(v$value, 26), format_measure(v$mean), format_measure(v$sd), ifelse(v$value == x$against, "", apart),
    parameters = format_each_count(round(v$parameters)), rows = format_each_count(round(v$rows)),
    updates = format_each_count(round(v$updates)), seconds = format_each_short(signif(v$seconds, 2))
  )
  names(columns)[1:4] <- c(x$setting, x$primary, "spread", paste("less", shorten(x$against, 14)))
  lines <- as_text_table(columns, 1)
  if (too_wide(lines)) lines <- c(as_text_table(columns[1:4], 1), "", as_text_table(columns[c(1, 5:8)], 1))
  lines
}

# ---- drawn -----------------------------------------------------------------------------------------------------------

#' Draw what a setting does
#'
#' @param variation What [vary()] returns.
#' @return A ggplot: the measure's mean over folds at each value, with its standard error (heavy) and the spread of the
#'   folds (thin); on a logarithmic axis where the values span more than a factor of 20.
#' @section Errors: An object that [vary()] did not return.
#' @examples
#' set.seed(1)
#' b <- brief(kilns, target = "outcome") |> regimen(epochs = 20)
#' plot_variation(vary(b, units = c(2, 4, 8), k = 3, progress = "none"))
#' @export
plot_variation <- function(variation) {
  check_drawn(variation, "hylomath_variation", "plot_variation", "vary()")
  d <- variation$values
  numeric <- variation$numeric
  d$at <- if (numeric) as.numeric(d$value) else factor(d$value, d$value)
  wide <- numeric && min(d$at) > 0 && max(d$at) / min(d$at) > 20
  dealt <- if (variation$repeats > 1) sprintf(", dealt %d times", variation$repeats) else ""
  how <- "Mean of %s%s; heavy: its standard error, thin: the spread of the folds"
  ggplot2::ggplot(d, ggplot2::aes(.data$at, .data$mean)) +
    spread_lines("sd", hue("sea"), 0.5) +
    spread_lines("error", hue("ochre"), 1.6) +
    (if (numeric) ggplot2::geom_line(colour = hue("ink"), linewidth = 0.7)) +
    ggplot2::geom_point(colour = hue("ink"), size = 2.8) +
    varied_axis(d, numeric, wide) +
    ggplot2::labs(
      title = sprintf("%s: %s by %s", enumerate(variation$target), variation$primary, variation$setting),
      subtitle = sprintf(how, counted(variation$k, "fold"), dealt),
      x = axis_name(variation$setting, wide), y = variation$primary
    ) +
    figure_theme()
}

# From one to the other side of the mean.
spread_lines <- function(by, colour, width) {
  ends <- ggplot2::aes(ymin = .data$mean - .data[[by]], ymax = .data$mean + .data[[by]])
  ggplot2::geom_linerange(ends, colour = colour, linewidth = width)
}

varied_axis <- function(d, numeric, wide) {
  if (wide) return(ggplot2::scale_x_log10(breaks = d$at))
  if (numeric && nrow(d) <= 12) ggplot2::scale_x_continuous(breaks = d$at)
}

#' @exportS3Method ggplot2::autoplot
autoplot.hylomath_variation <- function(object, ...) plot_variation(object)

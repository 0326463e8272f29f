#' @export
print.hylomath_importance <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_importance <- function(x, ...) {
  columns <- x$columns
  cells <- list(column = shorten(columns$column, 30), rise = format_measure(columns$importance), interval = paste(format_measure(columns$low), "to", format_measure(columns$high)), share = format_percent_short(pmax(columns$share, 0)))
  names(cells)[3] <- sprintf("%s %% interval", format_number(100 * x$level))
  if (length(x$target) > 1) cells <- c(list(target = ifelse(duplicated(columns$target), "", columns$target)), cells)
  c(
    cli::style_bold(sprintf("What the columns are worth for %s", enumerate(x$target))), "",
    as_text_table(cells, length(cells) - 3), "",
    paragraphs(c(
      sprintf("How much the %s of %s (%s) rises when a column is shuffled, and as a share of it.", x$measure, counted(x$n, paste(x$rows, "row")), enumerate(format_measure(x$value))),
      "Columns that tell the same thing share their worth; an interval that holds 0 may mean that the network has no use for the column."
    ))
  )
}

#' @export
print.hylomath_effect <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_effect <- function(x, ...) {
  what <- if (x$task == "classification") "probability" else "answer"
  curve <- x$curve
  shown <- if (length(x$input) == 1 && nrow(curve) / length(unique(curve$of)) > 12) curve[unlist(lapply(split(seq_len(nrow(curve)), factor(curve$of, unique(curve$of))), function(rows) rows[unique(round(seq(1, length(rows), length.out = 12)))])), ] else utils::head(curve, 40)
  cells <- c(
    list(of = ifelse(duplicated(shown$of), "", shown$of)), lapply(shown[x$input], function(v) if (is.numeric(v)) format_each_short(v) else as.character(v)),
    list(format_measure(shown$answer)), if (length(x$input) == 1) list("nine of ten rows" = interval_cell(shown$low, shown$high))
  )
  names(cells)[2 + length(x$input)] <- paste("mean", what)
  c(
    cli::style_bold(sprintf("%s by %s", enumerate(x$target), enumerate(x$input))), "", as_text_table(cells, 1),
    if (nrow(shown) < nrow(curve)) sprintf("  (%s values in all: as.data.frame() gives them, plot_effect() draws them)", format_count(nrow(curve))), "",
    paragraphs(sprintf("Over %s, each with %s set to every value and everything else as it is.", counted(x$n, "row"), enumerate(x$input)))
  )
}

#' @export
print.hylomath_contributions <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_contributions <- function(x, ...) {
  what <- if (x$task == "classification") sprintf("The probability of \"%s\" is %s", x$of, format_measure(x$answer)) else sprintf("The answer for %s is %s", x$of, format_measure(x$answer))
  columns <- x$columns
  c(
    cli::style_bold(sprintf("%s; over the other rows it is %s on average", what, format_measure(x$mean))), "",
    as_text_table(list(column = shorten(columns$column, 30), value = shorten(columns$value, 24), moves = format_signed(columns$contribution), "sampling error" = format_measure(columns$error)), 2), "",
    paragraphs(sprintf("The moves add up to the difference. They are sampled over %s.", counted(x$samples, "order of the columns", "orders of the columns")))
  )
}
